package lookalike_test

import (
	"testing"
	"unicode"

	"twinsieve/core/lookalike"
)

func TestLook(t *testing.T) {
	for in, want := range map[string]string{
		"МW-4417":                "MW-4417",
		"ΑΒΕ":                    "ABE",
		"ＭＷ－４４":                  "MW－44",
		"Gannet’s “Pride” – one": `Gannet's "Pride" - one`,
		"a\u00a0b\u2009c\td":     "a b c d",
		"M\u200bW\ufeff-\u00ad1": "MW-1",
		"жук":                    "жyk",
		"мw-4417":                "mw-4417",
		"plain":                  "plain",
	} {
		if got := lookalike.Look(in); got != want {
			t.Errorf("%q looks like %q, want %q", in, got, want)
		}
	}
	for r := rune(0); r <= unicode.MaxRune; r++ {
		if l := lookalike.Latin(r); lookalike.Latin(l) != l || l != r && l > 'z' {
			t.Fatalf("%U looks like %U", r, l)
		}
		if m := lookalike.Mark(r); lookalike.Mark(m) != m {
			t.Fatalf("%U looks like %U", r, m)
		}
	}
}

func TestDiffer(t *testing.T) {
	for _, c := range []struct {
		left, right, want string
		look              bool
	}{
		{"МW-1", "MW-1", "character 1: left U+041C CYRILLIC CAPITAL LETTER EM, right U+004D LATIN CAPITAL LETTER M", true},
		{"MW 1", "MW\u00a01", "character 3: left U+0020 SPACE, right U+00A0 NO-BREAK SPACE", true},
		{"MW-1", "MW-1 ", "character 5: left nothing more, right U+0020 SPACE", false},
		{"MW-1\u200b", "MW-1", "character 5: left U+200B ZERO WIDTH SPACE, right nothing more", true},
		{"MW\xff", "MW\xfe", "character 3: left the byte FF, which is no character, right the byte FE, which is no character", true},
		{"é", "e\u0301", "character 1: left U+00E9 LATIN SMALL LETTER E WITH ACUTE, right U+0065 LATIN SMALL LETTER E", false},
	} {
		p, ok := lookalike.Differ(c.left, c.right)
		if !ok || p.String() != c.want || p.Look != c.look {
			t.Errorf("%q and %q: %s %v, want %s %v", c.left, c.right, p, p.Look, c.want, c.look)
		}
	}
	if p, ok := lookalike.Differ("same", "same"); ok {
		t.Errorf("the same differs at %s", p)
	}
}
