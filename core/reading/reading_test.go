package reading_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/reading"
	"twinsieve/core/tray"
)

var lists = reading.Lists{"service codes": {"PILOT": "PIL", "TOW": "TUG", "none": ""}}

// read reads a cell through a chain and writes the value down: its text, or its state in angle brackets.
func read(t testing.TB, cell string, texts ...string) string {
	t.Helper()
	var list []reading.Reading
	for _, text := range texts {
		r, err := reading.Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		list = append(list, r)
	}
	c, err := reading.Compile(list, tray.Left, lists)
	if err != nil {
		t.Fatal(err)
	}
	v := c.Reader().Cell([]byte(cell))
	switch v.State {
	case reading.Blank:
		return "<blank>"
	case reading.Emptied:
		return "<emptied>"
	case reading.Unreadable:
		return "<unreadable>"
	}
	return string(v.Text)
}

func TestReadings(t *testing.T) {
	for _, c := range []struct{ chain, in, want string }{
		{"trim", "  a b\t", "a b"},
		{"trim", "\u00a0\u2003a\u3000\n", "a"},
		{"trim", " \u00a0 ", "<emptied>"},
		{"trim", "", "<blank>"},
		{"single-spaces", "a \t\u00a0 b  c", "a b c"},
		{"single-spaces", "  a  ", " a "},
		{"ignore-case", "MW-Ab", "mw-ab"},
		{"ignore-case", "STRASSE", "strasse"},
		{"ignore-case", "Straße", "strasse"},
		{"ignore-case", "ÎLE VERTE", "île verte"},
		{"ignore-case", "ΣΑΣ", "σασ"},
		{"ignore-case", "σας", "σασ"},
		{"ignore-case", "\u13b0\uab80", "\uab80\uab80"},
		{"ignore-case", "ı", "ı"},
		{"ignore-case", "I", "i"},
		{"drop-leading-zeros", "007", "7"},
		{"drop-leading-zeros", "0000", "0"},
		{"drop-leading-zeros", "00A", "A"},
		{"drop-leading-zeros", "0000A0EC", "A0EC"},
		{"drop-leading-zeros", "0é", "é"},
		{"drop-leading-zeros", "000", "0"},
		{"drop-leading-zeros", "0-5", "0-5"},
		{"drop-leading-zeros", "0.50", "0.50"},
		{"drop-zeros-in-digit-runs", "0000A0EC", "A0EC"},
		{"drop-zeros-in-digit-runs", "MW-000A", "MW-0A"},
		{"drop-zeros-in-digit-runs", "0/007", "0/7"},
		{"drop-leading-zeros", "A007", "A007"},
		{"drop-leading-zeros", "0", "0"},
		{"drop-zeros-in-digit-runs", "MW-04417", "MW-4417"},
		{"drop-zeros-in-digit-runs", "007-0100-00", "7-100-0"},
		{"drop-zeros-in-digit-runs", "a0b00c", "a0b0c"},
		{"drop-zeros-in-digit-runs", "1001", "1001"},
		{"number", "1.50", "1.5"},
		{"number", "007", "7"},
		{"number", "-0.0", "0"},
		{"number", "+.5", "0.5"},
		{"number", "5.", "5"},
		{"number", "1e3", "1000"},
		{"number", "12.5E-3", "0.0125"},
		{"number", "1e9999", "1" + strings.Repeat("0", 9999)},
		{"number", "1e10000", "<unreadable>"},
		{"number", "1e-99999999999999999999", "<unreadable>"},
		{"number", "0e99999999999999999999", "0"},
		{"number", "9007199254740993", "9007199254740993"},
		{"number", "1,5", "<unreadable>"},
		{"number", " 1", "1"},
		{"number", "\u00a01.50 ", "1.5"},
		{"number", "1 5", "<unreadable>"},
		{"number", "  ", "<emptied>"},
		{"number comma", "  ", "<emptied>"},
		{"number comma", " 1 234,50 ", "1234.5"},
		{"number comma", "+0.500", "<unreadable>"},
		{"number comma", "0.500", "<unreadable>"},
		{"number comma", "-0.500", "<unreadable>"},
		{"number comma", "+1.500", "1500"},
		{"number point", "+0,123", "<unreadable>"},
		{"number point", "+0.123", "0.123"},
		{"negate", " 7 ", "-7"},
		{"yes-no", "  ", "<emptied>"},
		{"yes-no ja/nej", " Ja ", "yes"},
		{"number", ".", "<unreadable>"},
		{"number", "-", "<unreadable>"},
		{"number", "1e", "<unreadable>"},
		{"number", "0x10", "<unreadable>"},
		{"number", "NaN", "<unreadable>"},
		{"number", "٣", "<unreadable>"},
		{"date DD.MM.YYYY", "02.03.2031", "2031-03-02"},
		{"date D/M/YYYY", "2/3/2031", "2031-03-02"},
		{"date D/M/YYYY", "12/11/2031", "2031-11-12"},
		{"date YYYYMMDD", "20310302", "2031-03-02"},
		{"date DD.MM.YYYY", "2.3.2031", "<unreadable>"},
		{"date DD.MM.YYYY", "31.02.2031", "<unreadable>"},
		{"date DD.MM.YYYY", "29.02.2032", "2032-02-29"},
		{"date DD.MM.YYYY", "29.02.2100", "<unreadable>"},
		{"date DD.MM.YYYY", "02.03.2031 ", "2031-03-02"},
		{"date DD.MM.YYYY", " ", "<emptied>"},
		{"time DD.MM.YYYY hh:mm", " 02.03.2031 08:15", "2031-03-02T08:15:00Z"},
		{"time YYYY-MM-DD hh:mm", "2031-03-02 24:00", "2031-03-03T00:00:00Z"},
		{"time YYYY-MM-DD hh:mm in Pacific/Apia", "2011-12-30 10:00", "<unreadable>"},
		{"time YYYY-MM-DD hh:mm in Pacific/Apia", "2011-12-31 10:00", "2011-12-30T20:00:00Z"},
		{"time YYYY-MM-DD hh:mm in Australia/Lord_Howe", "2031-04-06 01:45", "2031-04-05T14:45:00Z"},
		{"to-day in Europe/Oslo", "9999-12-31T23:59:59Z", "<unreadable>"},
		{"to-month in Europe/Oslo", "9999-12-31T23:59:59Z", "<unreadable>"},
		{"to-day in America/New_York", "0000-01-01T00:00:00Z", "<unreadable>"},
		{"to-day in Europe/Oslo", "9999-12-31T22:59:59Z", "9999-12-31"},
		{"date DD.MM.YYYY", "00.03.2031", "<unreadable>"},
		{"date YYYY-MM-DD", "0000-01-01", "0000-01-01"},
		{"drop-invisible", "M\u200bW\u00ad-1\ufeff", "MW-1"},
		{"drop-invisible", "\u200b", "<emptied>"},
		{"drop-invisible", "a\tb", "a\tb"},
		{"plain-marks", "Gannet’s “Pride” – 1", `Gannet's "Pride" - 1`},
		{"plain-letters", "\u041cW-4417", "MW-4417"},
		{"plain-letters", "ＭＷ４４", "MW44"},
		{"plain-letters", "жук", "жyk"},
		{"normal-form NFC", "e\u0301", "é"},
		{"normal-form NFD", "é", "e\u0301"},
		{"normal-form NFKC", "ﬁ²", "fi2"},
		{"normal-form nfkd", "½", "1\u20442"},
		{"drop-accents", "Île Verte", "Ile Verte"},
		{"drop-accents", "e\u0301\u0323", "e"},
		{"drop-accents", "Żuraw Sjöormen Ørsted Łódź", "Zuraw Sjoormen Orsted Lodz"},
		{"drop-accents", "\u0301", "<emptied>"},
		{"drop-accents", "ı", "i"},
		{"drop-accents", "Straße", "Straße"},
		{"digits-only", "MW-04417/2", "044172"},
		{"digits-only", "MW", "<emptied>"},
		{"digits-only", "٣a4", "٣4"},
		{"letters-and-digits", "MW-04417 / é.e\u0301", "MW04417ée\u0301"},
		{"first 3", "Île Verte", "Île"},
		{"first 30", "MW", "MW"},
		{"last 3", "Żółć", "ółć"},
		{"last 30", "MW", "MW"},
		{"first 2", "\xff\xfea", "\xff\xfe"},
		{"drop-beginning MW-", "MW-4417", "4417"},
		{"drop-beginning MW-", "MW-MW-4417", "MW-4417"},
		{"drop-beginning MW-", "mw-4417", "mw-4417"},
		{"drop-beginning MW-", "MW-", "<emptied>"},
		{`drop-ending ", Marrowick"`, "Tar Quay, Marrowick", "Tar Quay"},
		{`drop-ending " "" "`, `a " `, "a"},
		{`capture ([A-Z]+)-0*([0-9]+)`, "no MW-04417 x", "MW4417"},
		{`capture [0-9]+`, "MW-04417-2", "04417"},
		{`capture [0-9]+`, "MW", "<unreadable>"},
		{`capture x*`, "MW", "<emptied>"},
		{`capture "(a),(b)?"`, "a,", "a"},
		{"number comma", "1.234,50", "1234.5"},
		{"number comma", "1 234\u00a0567,5", "<unreadable>"},
		{"number comma", "1\u00a0234\u00a0567,5", "1234567.5"},
		{"number comma", "1'234,5", "1234.5"},
		{"number comma", "0.007", "<unreadable>"},
		{"number comma", "1.23", "<unreadable>"},
		{"number comma", "12345.678", "<unreadable>"},
		{"number comma", "1.234.567", "1234567"},
		{"number comma", "-,5", "-0.5"},
		{"number comma", "1,234,567", "<unreadable>"},
		{"number comma", "1e3", "1000"},
		{"number point", "1,234.50", "1234.5"},
		{"number point", "1,5", "<unreadable>"},
		{"number point", "1, 234", "<unreadable>"},
		{"number point", ",123", "<unreadable>"},
		{"number point", "−1,234", "-1234"},
		{"number point", "+12", "12"},
		{"number point", "-+12", "<unreadable>"},
		{"number point", "--12", "<unreadable>"},
		{"number point", "", "<blank>"},
		{"number point", strings.Repeat("9", 10_001), "<unreadable>"},
		{"number brackets", "(12.50)", "-12.5"},
		{"number brackets", "(-12.50)", "<unreadable>"},
		{"number brackets", "()", "<unreadable>"},
		{"number brackets", "(12", "<unreadable>"},
		{"number trailing-minus", "12.50-", "-12.5"},
		{"number trailing-minus", "-12.50-", "<unreadable>"},
		{"number trailing-minus", "0-", "0"},
		{"number", "12.50-", "<unreadable>"},
		{"number currency", "€ 12.50", "12.5"},
		{"number currency", "12.50 kr", "12.5"},
		{"number currency", "-€12.50", "-12.5"},
		{"number currency", "EUR", "<unreadable>"},
		{"number currency", "crown 12", "<unreadable>"},
		{"number comma brackets currency", "(1.234,50 SEK)", "-1234.5"},
		{"number comma trailing-minus currency", "kr 1.234,50-", "-1234.5"},
		{"negate", "12.50", "-12.5"},
		{"negate", "-0", "0"},
		{"negate", "-7", "7"},
		{"negate", "7-", "<unreadable>"},
		{"date DD.MM.YYYY or YYYY-MM-DD", "2031-03-02", "2031-03-02"},
		{"date DD.MM.YYYY or YYYY-MM-DD", "02.03.2031", "2031-03-02"},
		{"date D MMM YY", "2 mar 31", "2031-03-02"},
		{"date D MMM YY", "2 Mar 69", "1969-03-02"},
		{"date D MMM YY", "2 Mrz 31", "<unreadable>"},
		{"date D MMMM YYYY", "2 march 2031", "2031-03-02"},
		{"date D MMMM YYYY", "14 September 2031", "2031-09-14"},
		{"date D MMMM YYYY", "14 Sep 2031", "<unreadable>"},
		{"date D MMMM YYYY", "14 Septembers 2031", "<unreadable>"},
		{"date D MMMM YYYY", "31 June 2031", "<unreadable>"},
		{"date D MMM YYYY", "14 September 2031", "<unreadable>"},
		{"date D MMMM YYYY or D MMM YYYY", "14 Sep 2031", "2031-09-14"},
		{"date MMMM D, YYYY", "May 3, 2031", "2031-05-03"},
		{"date D MMM YY", "2 Mä 31", "<unreadable>"},
		{"time YYYY-MM-DD hh:mm", "2031-03-02 08:15", "2031-03-02T08:15:00Z"},
		{"time YYYY-MM-DD hh:mm in Europe/Oslo", "2031-03-02 08:15", "2031-03-02T07:15:00Z"},
		{"time YYYY-MM-DD hh:mm in Europe/Oslo", "2031-03-30 02:30", "<unreadable>"},
		{"time YYYY-MM-DD hh:mm in Europe/Oslo", "2031-10-26 02:30", "2031-10-26T00:30:00Z"},
		{"time YYYY-MM-DDThh:mm:ss.fZ", "2031-03-02T08:15:00.250+02:00", "2031-03-02T06:15:00.25Z"},
		{"time YYYY-MM-DDThh:mmZ", "2031-03-02T08:15-0530", "2031-03-02T13:45:00Z"},
		{"time YYYY-MM-DD hh:mm", "2031-03-02 24:00", "2031-03-03T00:00:00Z"},
		{"time YYYY-MM-DD hh:mm", "2031-03-02 24:01", "<unreadable>"},
		{"time YYYY-MM-DD hh:mm", "2031-02-30 08:00", "<unreadable>"},
		{"time YYYY-MM-DD hh:mm", "2031-03-02 8:15", "<unreadable>"},
		{"to-month", "2031-03-02", "2031-03"},
		{"to-year", "2031-03", "2031"},
		{"to-month", "2031", "<unreadable>"},
		{"to-month", "2031-13-02", "<unreadable>"},
		{"to-day", "2031-03-02T23:30:00Z", "2031-03-02"},
		{"to-day in Europe/Oslo", "2031-03-02T23:30:00Z", "2031-03-03"},
		{"to-day", "02.03.2031", "<unreadable>"},
		{"yes-no", " TRUE ", "yes"},
		{"yes-no", "0", "no"},
		{"yes-no", "maybe", "<unreadable>"},
		{"yes-no Ja/Nej", "nej", "no"},
		{"yes-no Ja/Nej", "no", "<unreadable>"},
		{"lookup service codes", "PILOT", "PIL"},
		{"lookup service codes", "pilot", "pilot"},
		{"lookup service codes", "none", "<emptied>"},
		{"left trim", " a ", "a"},
		{"right trim", " a ", " a "},
	} {
		if got := read(t, c.in, c.chain); got != c.want {
			t.Errorf("%s of %q: %.60q, want %.60q", c.chain, c.in, got, c.want)
		}
	}
	if got := read(t, " 02.03.2031 ", "trim", "date DD.MM.YYYY", "drop-zeros-in-digit-runs"); got != "2031-3-2" {
		t.Errorf("a chain of three: %q", got)
	}
	if got := read(t, " x ", "trim", "number", "trim"); got != "<unreadable>" {
		t.Errorf("after an unreadable step: %q", got)
	}
}

// TestNumber reads numbers of any length, with zeros in front, thousands apart or not.
func TestNumber(t *testing.T) {
	const point, comma = "point", "comma"
	for _, c := range []struct{ text, form, want string }{
		{"1204.50", point, "1204.5"}, {"0000000001.50", point, "1.5"}, {"12345678901234567890123", point, "12345678901234567890123"},
		{"1,204.50", point, "1204.5"}, {"1,5", point, ""}, {"-1e3", point, "-1000"}, {"", point, ""}, {"x", point, ""},
		{"1204,50", comma, "1204.5"}, {"0001,50", comma, "1.5"}, {"1.204,50", comma, "1204.5"}, {"1.5", comma, ""}, {"1.500", comma, "1500"},
		{"1,2,3", comma, ""}, {"7", comma, "7"}, {"12345678901234567890,5", comma, "12345678901234567890.5"},
	} {
		got, ok := reading.Number([]byte("x"), []byte(c.text), c.form == comma)
		if ok != (c.want != "") || string(got) != "x"+c.want {
			t.Errorf("%q with a %s: %q, %v, want %q", c.text, c.form, got, ok, c.want)
		}
	}
}

func TestTextForm(t *testing.T) {
	for in, want := range map[string]string{" trim ": "trim", `drop-ending ", Marrowick"`: `drop-ending ", Marrowick"`, `drop-ending "x"`: "drop-ending x", `capture "a""b"`: `capture "a""b"`, "left  date   DD.MM.YYYY": "left date DD.MM.YYYY", "right number": "right number"} {
		r, err := reading.Parse(in)
		if err != nil || r.String() != want {
			t.Errorf("%q: %q %v, want %q", in, r.String(), err, want)
		}
	}
	for in, want := range map[string]string{
		"":                                `there is no reading ""`,
		"shout":                           `there is no reading "shout"; the readings are trim, `,
		"date":                            `needs a layout such as DD.MM.YYYY`,
		"date serial or serial 1904":      "in two ways; state one of them",
		"date serial or YYMMDD":           "in two ways; state one of them",
		"date YYYY":                       "lacks a year, a month or a day",
		"date YYYY-MM-DD-MM":              "has MM twice",
		"date YYY-MM-DD":                  "has YYY; write YYYY",
		"number with decimals":            `"with" does not say how numbers are written`,
		"number point comma":              "write one of them",
		"trim both":                       `takes nothing after its name`,
		"first 0":                         "write 1 or more",
		"last few":                        "write 1 or more",
		"normal-form NFX":                 "write NFC, NFD",
		"capture ([A-Z":                   "is no regular expression",
		`drop-ending "a`:                  "does not end with the one that closes it",
		"drop-ending":                     "needs the text that is dropped",
		"date DD/MM/YYYY or MM/DD/YYYY":   "read 03/04/2031 in two ways",
		"date YYYY-MM-DD hh:mm or MMMMM":  "has MMMMM",
		"time YYYY-MM-DD":                 "has no hour",
		"time YYYY-MM-DD hh:mm in Narnia": "there is no time zone",
		"to-day Oslo":                     "write it as in Europe/Oslo",
		"yes-no ja":                       "write them as ja/nej",
	} {
		if _, err := reading.Parse(in); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", in, err, want)
		}
	}
}

// TestLists: a list that is not there, and lists that say two things.
func TestLists(t *testing.T) {
	r, err := reading.Parse("lookup quays")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		lists []reading.List
		want  string
	}{
		{nil, `there is no lookup list "quays"; the sieve has none`},
		{[]reading.List{{Name: "codes"}}, `there is no lookup list "quays"; the sieve has "codes"`},
		{[]reading.List{{Name: "quays", Pairs: [][2]string{{"N", "North"}, {"S", "Salt"}, {"N", "Nord"}}}}, `has the code "N" twice, in pair 1 as "North" and in pair 3 as "Nord"`},
		{[]reading.List{{Name: "quays"}, {Name: "quays"}}, `two lookup lists are named "quays"`},
		{[]reading.List{{Pairs: nil}}, "needs a name"},
		{[]reading.List{{Name: "quays", Pairs: [][2]string{{"", "North"}}}}, "no code that could be looked up"},
		{[]reading.List{{Name: "quays", Pairs: [][2]string{{"N", "North"}}}}, ""},
	} {
		lists, err := reading.NewLists(c.lists)
		if err == nil {
			_, err = reading.Compile([]reading.Reading{r}, tray.Left, lists)
		}
		if c.want == "" && err != nil || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%v: %v, want %q", c.lists, err, c.want)
		}
	}
}

func TestSplit(t *testing.T) {
	got := reading.Split(`trim, drop-ending ", M", capture "a""b,c" ,first 2`)
	want := []string{"trim", `drop-ending ", M"`, `capture "a""b,c"`, "first 2"}
	if !slices.Equal(got, want) {
		t.Errorf("%q, want %q", got, want)
	}
}

// FuzzReadings: no reading panics, those that claim it give the same when applied twice, and a number read is one.
func FuzzReadings(f *testing.F) {
	for _, seed := range []string{"MW-04417", " 1.50 ", "Straße", "\xff\xfe", "2031-02-29", "-00.00e-7", "\u00a0", "(1.234,5) kr", "2031-03-02T08:15:00Z", "ı\u0307I\u0307", "\u1e9b\u0323"} {
		f.Add(seed)
	}
	arguments := map[string][]string{"first": {"3"}, "last": {"3"}, "drop-beginning": {"M"}, "drop-ending": {"7"}, "capture": {"[0-9]+", "(.)(-)?"},
		"normal-form": {"NFC", "NFD", "NFKC", "NFKD"}, "date": {"YYYY-MM-DD", "D.M.YY or MMM D, YYYY"}, "time": {"YYYY-MM-DDThh:mm:ssZ", "D/M/YYYY h:mm in Europe/Oslo"},
		"number": {"", "point", "comma brackets trailing-minus currency"}, "lookup": {"service codes"}, "to-day": {"", "in Asia/Tokyo"}, "yes-no": {"", "ja/nej"}}
	var texts []string
	settled := map[string]bool{}
	for _, k := range reading.Kinds() {
		list := arguments[k.Name]
		if list == nil {
			list = []string{""}
		}
		for _, a := range list {
			text := reading.Reading{Name: k.Name, Argument: a}.String()
			texts = append(texts, text)
			settled[text] = k.Settled && !(k.Name == "to-day" && a != "")
		}
	}
	f.Fuzz(func(t *testing.T, cell string) {
		for _, text := range texts {
			once := read(t, cell, text)
			if strings.HasPrefix(once, "<") || !settled[text] {
				continue
			}
			if twice := read(t, once, text); twice != once {
				t.Errorf("%s of %q is %q, and of that %q", text, cell, once, twice)
			}
		}
		for _, name := range []string{"number", "number comma brackets trailing-minus currency"} {
			if once := read(t, cell, name); !strings.HasPrefix(once, "<") && read(t, once, "number") != once {
				t.Errorf("%s of %q is %q, which is no plain number", name, cell, once)
			}
		}
		if date := read(t, cell, "date YYYY-MM-DD"); date != "<unreadable>" && date != "<blank>" && date != "<emptied>" && date != strings.TrimSpace(cell) {
			t.Errorf("the date %q was read as %q", cell, date)
		}
	})
}

func ExampleParse() {
	r, _ := reading.Parse("right date DD.MM.YYYY")
	chain, _ := reading.Compile([]reading.Reading{r}, tray.Right, nil)
	fmt.Printf("%s\n", chain.Reader().Cell([]byte("02.03.2031")).Text)
	// Output: 2031-03-02
}
