package record_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/record"
)

// TestMarkers: exactly the cells that are a marker are null; they keep their texts, and the batch that was given stays.
func TestMarkers(t *testing.T) {
	b := record.NewBuilder(2)
	for _, row := range [][2]string{{"n/a", "-"}, {"N/A", "n/a "}, {"", "--"}, {"null", "n/a"}} {
		b.Cell(0, []byte(row[0]))
		b.Cell(1, []byte(row[1]))
		b.Close(0)
	}
	b.Null(0)
	b.Cell(1, []byte("x"))
	b.Close(0)
	given := b.Flush()
	before := fmt.Sprint(cellsOf(given))
	for _, c := range []struct {
		markers []string
		want    string
	}{
		{nil, before},
		{[]string{"missing"}, before},
		{[]string{"n/a"}, "[{n/a true} {- false}] [{N/A false} {n/a  false}] [{ false} {-- false}] [{null false} {n/a true}] [{ true} {x false}]"},
		{[]string{"-", "--", "null"}, "[{n/a false} {- true}] [{N/A false} {n/a  false}] [{ false} {-- true}] [{null true} {n/a false}] [{ true} {x false}]"},
	} {
		out := record.NewMarkers(c.markers).Apply(given)
		if got := cellsOf(out); got != c.want {
			t.Errorf("%q: %s, want %s", c.markers, got, c.want)
		}
		if after := cellsOf(given); after != before {
			t.Errorf("%q changed what was given to %s", c.markers, after)
		}
		// What is stored and read again says the same.
		for i, col := range out.Columns {
			blob, err := record.EncodeColumn(col)
			if err != nil {
				t.Fatal(err)
			}
			back, err := record.DecodeColumn(blob)
			if err != nil {
				t.Fatal(err)
			}
			for k := range col.Len() {
				if back.IsNull(k) != col.IsNull(k) || back.Value(k) != col.Value(k) {
					t.Errorf("%q, column %d, record %d: %q %v comes back as %q %v", c.markers, i, k, col.Value(k), col.IsNull(k), back.Value(k), back.IsNull(k))
				}
			}
		}
	}
}

func cellsOf(b *record.Batch) string {
	var rows []string
	for i := range b.Records() {
		rows = append(rows, fmt.Sprint(b.Cells(i)))
	}
	return strings.Join(rows, " ")
}

func TestCheckColumns(t *testing.T) {
	for _, c := range []struct {
		names []string
		want  string
		err   string
	}{
		{[]string{"a", "b"}, "[a b]", ""},
		{[]string{"", "b", ""}, "[column 1 b column 3]", ""},
		{[]string{"a", "A"}, "[a A]", ""},
		{nil, "[]", ""},
		{[]string{"a", "b", "a"}, "", `line 7: columns 1 and 3 are both named "a"; give each column a name of its own`},
		{[]string{"column 2", ""}, "", `line 7: columns 1 and 2 are both named "column 2"; give each column a name of its own`},
		{make([]string, record.MaxColumns+1), "", "line 7: 16385 columns stand here; a record set has at most 16384: is the delimiter right?"},
	} {
		got, err := record.CheckColumns(c.names, 7)
		if c.err != "" {
			if u := new(record.Unreadable); !errors.As(err, &u) || err.Error() != c.err || u.Where() != "line 7" {
				t.Errorf("%.60q: %v, want %s", c.names, err, c.err)
			}
			continue
		}
		if err != nil || fmt.Sprint(got) != c.want {
			t.Errorf("%q: %q, %v, want %s", c.names, got, err, c.want)
		}
	}
}

func TestCut(t *testing.T) {
	for text, want := range map[string]string{"": "", "a line\r\n": "a line", "a\nb": "a\nb", strings.Repeat("x", 1200): strings.Repeat("x", record.RejectText), strings.Repeat("x", 999) + "é": strings.Repeat("x", 999), "M\xfcller": "Mller"} {
		if got := record.Cut([]byte(text)); got != want {
			t.Errorf("%.20q is cut to %.20q, want %.20q", text, got, want)
		}
	}
}
