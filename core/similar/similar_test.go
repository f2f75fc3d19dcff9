package similar_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/similar"
)

// slow is the definition, written down.
func slow(a, b []rune) int {
	if len(a) == 0 || len(b) == 0 {
		return len(a) + len(b)
	}
	d := min(slow(a[1:], b)+1, slow(a, b[1:])+1)
	same := 1
	if a[0] == b[0] {
		same = 0
	}
	d = min(d, slow(a[1:], b[1:])+same)
	if len(a) > 1 && len(b) > 1 && a[0] == b[1] && a[1] == b[0] {
		d = min(d, slow(a[2:], b[2:])+1)
	}
	return d
}

func TestDistance(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	word := func() []rune {
		w := make([]rune, r.IntN(7))
		for i := range w {
			w[i] = rune("abcé"[r.IntN(3)])
		}
		return w
	}
	for range 3000 {
		a, b, most := word(), word(), r.IntN(7)
		want := slow(a, b)
		if got := similar.Distance(a, b, most); got != min(want, most+1) {
			t.Fatalf("%q and %q: %d of at most %d, want %d", string(a), string(b), got, most, want)
		}
	}
	long := make([]rune, 500)
	if d := similar.Distance(long, append([]rune{'x'}, long...), 9); d != 1 {
		t.Errorf("long texts: %d", d)
	}
}

func TestAlike(t *testing.T) {
	for _, c := range []struct {
		a, b         string
		kept, length int
	}{{"", "", 1, 1}, {"", "abc", 0, 3}, {"SJÖORMEN", "SJOORMEN", 7, 8}, {"MW-4417", "MW-4471", 6, 7}, {"abc", "xyz", 0, 3}} {
		if kept, length := similar.Alike([]byte(c.a), []byte(c.b)); kept != c.kept || length != c.length {
			t.Errorf("%q and %q: %d of %d", c.a, c.b, kept, length)
		}
	}
}

// TestSlips: two texts that are one slip apart meet among those with one character dropped, and two neighbours that are exchanged
// are told from other slips.
func TestSlips(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	word := func() []rune {
		w := make([]rune, 1+r.IntN(6))
		for i := range w {
			w[i] = []rune("abé")[r.IntN(3)]
		}
		return w
	}
	apart, exchanged := 0, 0
	for range 20_000 {
		a, b := word(), word()
		met := map[string]bool{}
		similar.DropOne(a, func(text []byte) { met[string(text)] = true })
		meet := false
		similar.DropOne(b, func(text []byte) { meet = meet || met[string(text)] })
		one := slow(a, b) <= 1
		if one {
			apart++
		}
		if one && !meet {
			t.Fatalf("%q and %q are one slip apart, and do not meet", string(a), string(b))
		}
		want := false
		for i := 0; i+1 < len(a); i++ {
			turned := slices.Clone(a)
			turned[i], turned[i+1] = turned[i+1], turned[i]
			want = want || string(turned) == string(b) && string(a) != string(b)
		}
		if similar.Exchanged(a, b) != want {
			t.Fatalf("%q and %q: exchanged %t", string(a), string(b), !want)
		}
		if want {
			exchanged++
		}
	}
	if apart < 500 || exchanged < 50 {
		t.Errorf("only %d pairs one slip apart and %d exchanged", apart, exchanged)
	}
	var seen []string
	similar.DropOne([]rune("aab"), func(text []byte) { seen = append(seen, string(text)) })
	if got := strings.Join(seen, " "); got != "aab ab aa" {
		t.Errorf("aab is visited as %s", got)
	}
}

func TestNearest(t *testing.T) {
	names := []string{"vessel", "Service_Date", "service_code", "amount_due", "servicedate"}
	for name, want := range map[string]string{"service_date": "Service_Date servicedate service_code", "VESEL": "vessel", "amuont_due": "amount_due", "servcie_code": "service_code Service_Date"} {
		got := strings.Join(similar.Nearest(name, names), " ")
		if !strings.HasPrefix(got, want) {
			t.Errorf("nearest to %s: %s", name, got)
		}
	}
	if strings.Join(names, " ") != "vessel Service_Date service_code amount_due servicedate" {
		t.Error("the names given were put into another order")
	}
}
