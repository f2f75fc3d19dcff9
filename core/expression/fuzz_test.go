package expression_test

import (
	"errors"
	"strings"
	"testing"

	"twinsieve/core/expression"
)

// FuzzCompile holds that whatever is written as an expression either compiles, and then gives one cell and the same each
// time, or is an error with its place, in one line.
func FuzzCompile(f *testing.F) {
	for _, text := range []string{`zero(debit) - zero(credit) * -2.50e1`, `part(call_no, "/", -1) + column("Service Date")`, `note in ["a", 'b'] ? berth.quay : text(1.5)`,
		`!blank(note) && number(many) >= 0.1 || date("2026-03-04") != date(note, "D.M.YYYY")`, `r"\x" + """a"""`, `divide(1, 3, 5) == round(.33333, 5)`, "{", `note.matches("(a|b)*$")`, `@c1 + @n5`,
		`a.b.c[0](1)`, `has(note.x)`, `"` + strings.Repeat("é", 50) + `" + 1`} {
		f.Add(text, row)
	}
	f.Fuzz(func(t *testing.T, text, cells string) {
		p, err := expression.Compile(text, columns)
		if err != nil {
			e := new(expression.Error)
			if !errors.As(err, &e) || e.At < 1 || strings.Contains(e.What, "\n") || e.What == "" {
				t.Errorf("%q: %#v", text, err)
			}
			return
		}
		if strings.Count(cells, "|") != len(columns)-1 {
			cells = row
		}
		b, e := batch(cells), p.Evaluator()
		once, blank, err := e.Cell(b, 0)
		again, _, _ := e.Cell(b, 0)
		if once != again || blank && once != "" || err != nil && (once != "" || strings.Contains(err.Error(), "\n")) {
			t.Errorf("%q: %q, then %q, %v, %v", text, once, again, blank, err)
		}
	})
}
