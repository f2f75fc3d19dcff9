package typing_test

import (
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/reading"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// TestFind is one table of values and what they propose.
func TestFind(t *testing.T) {
	for _, c := range []struct{ values, want, ambiguous, why string }{
		{"1|2|-30|0", "integer", "", "it reads every value"},
		{"12.50|3|-0.05", "decimal point", "", ""},
		{"12,50|3,00", "decimal comma", "", ""},
		{"1.234,56|12,00", "decimal comma", "", ""},
		{"1,234.56|12.00", "decimal point", "", ""},
		{"1 234,56|12,00", "decimal comma", "", ""},
		{"1,234|5,678", "decimal", "decimal point, decimal comma", "more than one way"},
		{"1.234|5.678", "decimal", "decimal point, decimal comma", "more than one way"},
		{"1.234|5.6", "decimal point", "", ""},
		{"007|8|9", "text", "", `as in "007": codes`},
		{"0000|1234", "text", "", "codes"},
		{"98765432109876543210|1", "text", "", ""},
		{"5.9|5.10|5.11", "text", "", `"5.10" stands beside "5.9": versions`},
		{"100|99.50|12.25", "decimal point", "", ""},
		{"6000-6063|7000-7001", "text", "", "no other type"},
		{"1e5|2e5", "text", "", ""},
		{"2026-03-04|2026-12-31", "date YYYY-MM-DD", "", ""},
		{"31.12.2026|01.02.2026", "date DD.MM.YYYY", "", ""},
		{"31.12.2026|1.2.2026", "date D.M.YYYY", "", ""},
		{"03/04/2026|05/06/2026", "date", "date DD/MM/YYYY, date MM/DD/YYYY", "more than one way"},
		{"03/04/2026|25/06/2026", "date DD/MM/YYYY", "", ""},
		{"3/4/2026|12/31/2026", "date M/D/YYYY", "", ""},
		{"2026-03-04T10:00:00Z|2026-03-04 11:00", "timestamp", "", ""},
		{"(1 234,50) SEK|12,00 SEK|3,10 SEK", "decimal comma brackets currency", "", "it reads every value"},
		{"€ 12.50|€3.10|-€ 4.00", "decimal point currency", "", ""},
		{"12.50-|3.10|4.00", "decimal point trailing-minus", "", ""},
		{"USD 1,234.50|USD 7.00", "decimal point currency", "", ""},
		{"EUR 1,234|EUR 7,500", "decimal", "decimal point currency, decimal comma currency", "more than one way"},
		{"TQ-17|TQ-18", "text", "", ""},
		{"SEK 17|SEK 18", "text", "", ""},
		{"TOP12.50|ROW13.50", "text", "", ""},
		{"12.50-13.50|14.50-15.50", "text", "", ""},
		{"12.50 m|13.50 m", "text", "", ""},
		{"1 March 2031|14 September 2031", "date D MMMM YYYY", "", ""},
		{"01 Mar 2031|14 SEP 2031", "date DD MMM YYYY", "", ""},
		{"1-may-2031|14-may-2031", "date D-MMM-YYYY", "", ""},
		{"May 3, 2031|September 14, 2031", "date MMMM D, YYYY", "", ""},
		{"3 May 2031|4 May 2031", "date D MMM YYYY", "", ""},
		{"1 Gantry 2031|2 Crane 2031", "text", "", ""},
		{"yes|No|YES", "boolean yes/no", "", ""},
		{"true|false", "boolean true/false", "", ""},
		{"NA|null|none|nan", "text", "", ""},
		{"1|2|x", "text", "", `integer would read only 2 of 3 values, and not "x"`},
		{"1|2|3|4|5|6|7|8|9|10|11|x", "integer", "", "it reads 11 of 12 values"},
		{" 1 |2", "integer", "", ""},
		{"Żuraw|Île", "text", "", ""},
		{"", "text", "", "every cell is blank"},
	} {
		f := typing.NewFinder()
		for v := range strings.SplitSeq(c.values, "|") {
			if v != "" {
				f.Add([]byte(v), 1)
			}
		}
		got := f.Find()
		var ambiguous []string
		for _, a := range got.Ambiguous {
			ambiguous = append(ambiguous, a.String())
		}
		if got.Type.String() != c.want || strings.Join(ambiguous, ", ") != c.ambiguous || !strings.Contains(got.Why, c.why) {
			t.Errorf("%s: %s, ambiguous %q, %s; want %s", c.values, got.Type, ambiguous, got.Why, c.want)
		}
	}
}

// TestUnread names the values that do not read, and how many records have them.
func TestUnread(t *testing.T) {
	f := typing.NewFinder()
	f.Add([]byte("12.50"), 90)
	f.Add([]byte("n/a"), 2)
	f.Add([]byte("?"), 1)
	if got := f.Find(); got.Type.String() != "decimal point" || got.Values != 93 || got.Read != 90 || fmt.Sprint(got.Unread) != "[{? 1} {n/a 2}]" {
		t.Errorf("%+v", got)
	}
}

func TestReadDecimal(t *testing.T) {
	for _, c := range []struct{ text, form, want string }{
		{"1.234,50", typing.Comma, "1234.5"}, {"1,234.50", typing.Point, "1234.5"}, {"1'234'567", typing.Point, "1234567"}, {"1\u00A0234,5", typing.Comma, "1234.5"},
		{"-0,05", typing.Comma, "-0.05"}, {"+7", typing.Point, "7"}, {"12,34,567", typing.Point, ""}, {"1234,567.0", typing.Point, ""}, {",5", typing.Comma, ""},
		{"5,", typing.Comma, ""}, {"1,2 345", typing.Point, ""}, {"01", typing.Point, ""}, {"", typing.Point, ""}, {"1,234,56", typing.Point, ""},
	} {
		if got, ok := typing.ReadDecimal(nil, []byte(c.text), c.form); ok != (c.want != "") || string(got) != c.want {
			t.Errorf("%s with %s: %q, %t; want %q", c.text, c.form, got, ok, c.want)
		}
	}
}

// TestStated counts which values read as a type that somebody stated.
func TestStated(t *testing.T) {
	for _, c := range []struct{ stated, values, want string }{
		{"date DD/MM/YYYY", "03/04/2026|13/04/2026|04/13/2026", "date DD/MM/YYYY 2 of 3 [{04/13/2026 1}]"},
		{"decimal comma", "1,5|x", "decimal comma 1 of 2 [{x 1}]"},
		{"text", "007|", "text 1 of 1 []"},
		{"integer", "007|7", "integer 1 of 2 [{007 1}]"},
		{"boolean ja/nein", "ja|NEIN|yes", "boolean ja/nein 2 of 3 [{yes 1}]"},
		{"timestamp", "2026-03-04 10:00|x", "timestamp 1 of 2 [{x 1}]"},
	} {
		stated, err := typing.Parse(c.stated)
		if err != nil {
			t.Fatal(err)
		}
		f := typing.NewStated(stated)
		for v := range strings.SplitSeq(c.values, "|") {
			if v != "" {
				f.Add([]byte(v), 1)
			}
		}
		got := f.Find()
		if is := fmt.Sprintf("%s %d of %d %v", got.Type, got.Read, got.Values, got.Unread); is != c.want {
			t.Errorf("%s, want %s", is, c.want)
		}
	}
	for text, want := range map[string]string{"number": "is no type; write one of text, integer", "decimal": "write decimal point or decimal comma", "integer point": "has no forms",
		"date DD.MM": "lacks a year", "boolean": "write boolean yes/no"} {
		if _, err := typing.Parse(text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %s", text, err, want)
		}
	}
}

// TestReadings: values of a type are read so that equal ones have equal texts, whatever form they are written in.
func TestReadings(t *testing.T) {
	for _, c := range []struct {
		a, b         string // types
		left, right  string
		equal, fails bool
	}{
		{"decimal point", "decimal comma", " 1,200.50", "1.200,5", true, false},
		{"integer", "decimal point", "7", "7.00", true, false},
		{"date YYYY-MM-DD", "date D.M.YYYY", "2031-03-01", "1.3.2031", true, false},
		{"timestamp", "timestamp", "2031-03-01 08:15", "2031-03-01T08:15:00Z", true, false},
		{"timestamp", "timestamp", "2031-03-01 08:15:01", "2031-03-01T08:15", false, false},
		{"boolean yes/no", "boolean true/false", "Yes", "TRUE", true, false},
		{"boolean Y/N", "boolean true/false", "N", "true", false, false},
		{"text", "text", " a", "a", false, false},
		{"text", "integer", "7", "seven", false, true},
		{"date YYYY-MM-DD", "date YYYY-MM-DD", "2031-02-31", "2031-02-28", false, true},
	} {
		var read [2]string
		failed := false
		for i, text := range []string{c.a, c.b} {
			typ, err := typing.Parse(text)
			if err != nil {
				t.Fatal(err)
			}
			list, ok := typ.Readings()
			if !ok {
				t.Fatalf("%s has no readings", text)
			}
			chain, err := reading.Compile(list, tray.Left, nil)
			if err != nil {
				t.Fatal(err)
			}
			v := chain.Reader().Cell([]byte([]string{c.left, c.right}[i]))
			failed = failed || v.State != reading.Text
			read[i] = string(v.Text)
		}
		if failed != c.fails || !failed && (read[0] == read[1]) != c.equal {
			t.Errorf("%q as %s and %q as %s read as %q, failed %v", c.left, c.a, c.right, c.b, read, failed)
		}
	}
	for _, open := range []typing.Type{{Name: typing.Date}, {Name: typing.Decimal}, {Name: typing.Boolean}, {Name: typing.Boolean, Form: "yes/yes"}, {Name: typing.Date, Form: "DD"}} {
		if _, ok := open.Readings(); ok {
			t.Errorf("%v has readings, and does not say how its values are written", open)
		}
	}
	number, date := typing.Type{Name: typing.Integer}, typing.Type{Name: typing.Date, Form: "YYYYMMDD"}
	if !number.Fits(typing.Type{Name: typing.Decimal, Form: typing.Comma}) || number.Fits(date) || date.Numeric() || !date.Fits(typing.Type{Name: typing.Date}) {
		t.Error("types fit that do not, or do not that do")
	}
}
