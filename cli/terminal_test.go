package cli

import (
	"bytes"
	"strings"
	"testing"

	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// TestNothingHarmfulIsPrinted: sequences and direction characters in cells, headings and painted names reach no terminal raw, whatever
// the form of the output is.
func TestNothingHarmfulIsPrinted(t *testing.T) {
	bad := "a\x1b]0;owned\x07b\x1b[2Jc\u009b31md\u202ee\u2066f\x00g\x1b[31mh\u200fi"
	var out bytes.Buffer
	p := &printer{out: terminalWriter{&out}, form: "table", colour: true}
	p.table([]string{bad, p.paint(tray.Left, bad)}, [][]string{{bad, p.paint(tray.Right, bad)}, {"two\nlines", "tab\tbed"}})
	for _, form := range []string{"csv", "ndjson"} {
		p.form = form
		if err := p.rows([]string{"x"}, [][]string{{bad}}, nil); err != nil {
			t.Fatal(err)
		}
		row, end := p.stream([]string{"y"})
		if err := row([]record.Cell{{Text: bad}}); err != nil {
			t.Fatal(err)
		}
		if err := end(); err != nil {
			t.Fatal(err)
		}
	}
	text := out.String()
	for _, left := range strings.Split(painted.ReplaceAllString(text, ""), "\n") {
		if strings.ContainsFunc(left, func(r rune) bool { return harmful(r) && r != '\r' }) {
			t.Errorf("%q", left)
		}
	}
	for _, want := range []string{"two↵lines", "tab⇥bed", "\x1b[38;5;37ma", "\x1b[38;5;172ma"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is not in %q", want, text)
		}
	}
	if got := harmless("Île de Sjö – 靠泊 😀"); got != "Île de Sjö – 靠泊 😀" {
		t.Errorf("%q", got)
	}
}
