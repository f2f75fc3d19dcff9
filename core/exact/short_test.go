package exact

import (
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// TestShort holds what is read as one word against what is read character by character, for all texts of some characters and for random
// longer ones, with other bytes behind them, or with none.
func TestShort(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	check := func(text string) {
		want, is := plainSlowly(text)
		behind := []string{"", ".", "99999999", "\x00\xff........"}[r.IntN(4)]
		memory := []byte(text + behind)
		src := slices.Clip(memory)[:len(text)]
		for _, dst := range [][]byte{nil, append(make([]byte, 0, 40), "12"...)} {
			before := string(dst)
			got, ok := Plain(dst, src)
			if ok != is || string(got) != before+want {
				t.Fatalf("%q is read as %q, %t; want %q, %t", text, got, ok, before+want, is)
			}
		}
		if string(memory) != text+behind {
			t.Fatalf("%q became %q", text+behind, memory)
		}
		if !is || len(want) > 18 {
			return
		}
		sum, places, ok := small(append(make([]byte, 0, 32), want...))
		rat, _ := new(big.Rat).SetString(want)
		scale := new(big.Rat).SetInt(new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(places)), nil))
		if n := rat.Mul(rat, scale); !ok || !n.IsInt() || n.Num().Int64() != sum {
			t.Fatalf("%q is %d with %d places, %t", want, sum, places, ok)
		}
		if _, point, _ := strings.Cut(want, "."); len(point) != places {
			t.Fatalf("%q has %d places", want, places)
		}
	}
	const signs = "019.-/:\x00"
	var all func(text string, more int)
	all = func(text string, more int) {
		check(text)
		for i := 0; more > 0 && i < len(signs); i++ {
			all(text+signs[i:i+1], more-1)
		}
	}
	all("", 5)
	for range 200_000 {
		text := make([]byte, 1+r.IntN(10))
		for i := range text {
			text[i] = '0' + byte(r.IntN(10))
		}
		for range r.IntN(3) {
			text[r.IntN(len(text))] = ".-+/:\x80\xff,"[r.IntN(8)]
		}
		check(string(text))
	}
}

// plainSlowly is the plain form as its definition says, of texts without an exponent.
func plainSlowly(text string) (string, bool) {
	rest := strings.TrimPrefix(text, "-")
	if rest == text {
		rest = strings.TrimPrefix(text, "+")
	}
	whole, fraction, _ := strings.Cut(rest, ".")
	if whole+fraction == "" || strings.Trim(whole+fraction, "0123456789") != "" {
		return "", false
	}
	whole, fraction = strings.TrimLeft(whole, "0"), strings.TrimRight(fraction, "0")
	plain := whole
	if whole == "" {
		plain = "0"
	}
	if fraction != "" {
		plain += "." + fraction
	}
	if text[0] == '-' && plain != "0" {
		plain = "-" + plain
	}
	return plain, true
}
