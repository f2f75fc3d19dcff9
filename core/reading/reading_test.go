package reading_test

import (
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/reading"
	"twinsieve/core/tray"
)

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
	c, err := reading.Compile(list, tray.Left)
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
		{"drop-leading-zeros", "00A", "0A"},
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
		{"number", " 1", "<unreadable>"},
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
		{"date DD.MM.YYYY", "02.03.2031 ", "<unreadable>"},
		{"date DD.MM.YYYY", "00.03.2031", "<unreadable>"},
		{"date YYYY-MM-DD", "0000-01-01", "0000-01-01"},
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

func TestTextForm(t *testing.T) {
	for in, want := range map[string]string{" trim ": "trim", "left  date   DD.MM.YYYY": "left date DD.MM.YYYY", "right number": "right number"} {
		r, err := reading.Parse(in)
		if err != nil || r.String() != want {
			t.Errorf("%q: %q %v, want %q", in, r.String(), err, want)
		}
	}
	for in, want := range map[string]string{
		"":                     `there is no reading ""`,
		"shout":                `there is no reading "shout"; the readings are trim, `,
		"date":                 `needs a layout such as DD.MM.YYYY`,
		"date YYYY":            "lacks a year, a month or a day",
		"date YYYY-MM-DD-MM":   "has MM twice",
		"date YYY-MM-DD":       "has YYY; write YYYY",
		"number with decimals": `takes nothing after its name`,
	} {
		if _, err := reading.Parse(in); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", in, err, want)
		}
	}
}

// FuzzReadings: no reading panics, none but the date gives another text when applied twice, and a number read is one.
func FuzzReadings(f *testing.F) {
	for _, seed := range []string{"MW-04417", " 1.50 ", "Straße", "\xff\xfe", "2031-02-29", "-00.00e-7", "\u00a0"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, cell string) {
		for _, name := range []string{"trim", "single-spaces", "ignore-case", "drop-leading-zeros", "drop-zeros-in-digit-runs", "number"} {
			once := read(t, cell, name)
			if strings.HasPrefix(once, "<") {
				continue
			}
			if twice := read(t, once, name); twice != once {
				t.Errorf("%s of %q is %q, and of that %q", name, cell, once, twice)
			}
		}
		if date := read(t, cell, "date YYYY-MM-DD"); date != "<unreadable>" && date != "<blank>" && date != cell {
			t.Errorf("the date %q was read as %q", cell, date)
		}
	})
}

func ExampleParse() {
	r, _ := reading.Parse("right date DD.MM.YYYY")
	chain, _ := reading.Compile([]reading.Reading{r}, tray.Right)
	fmt.Printf("%s\n", chain.Reader().Cell([]byte("02.03.2031")).Text)
	// Output: 2031-03-02
}
