package typing

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"testing"

	"twinsieve/core/reading"
)

// TestDates: what is seen to be no date without reading it is none when it is read. Texts are dates in some layout, most with a slip.
func TestDates(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	some := func() []byte {
		between := []string{"-", "/", ".", ""}[r.IntN(4)]
		year, month, day := fmt.Sprintf("%04d", 1650+r.IntN(700)), fmt.Sprintf([]string{"%d", "%02d"}[r.IntN(2)], r.IntN(14)), fmt.Sprintf([]string{"%d", "%02d"}[r.IntN(2)], r.IntN(33))
		parts := [][3]string{{year, month, day}, {day, month, year}, {month, day, year}}[r.IntN(3)]
		text := []byte(parts[0] + between + parts[1] + between + parts[2])
		for range r.IntN(3) {
			at := r.IntN(len(text))
			switch r.IntN(3) {
			case 0:
				text = append(text[:at], text[at+1:]...)
			case 1:
				text[at] = "0123456789-./ T\xC2"[r.IntN(16)]
			default:
				text = append(text[:at], append([]byte{"0123456789-./ "[r.IntN(14)]}, text[at:]...)...)
			}
			if len(text) == 0 {
				break
			}
		}
		return text
	}
	read := 0
	for _, layout := range dateLayouts {
		c, plain := dates(layout), readerOf("date "+layout)
		for range 20_000 {
			text := bytes.TrimSpace(some()) // as the finder does
			v := plain.Cell(text)
			want := v.State == reading.Text && string(v.Text[:2]) >= "17" && string(v.Text[:2]) <= "22"
			k, between := kindOf(text)
			if got := k == digits && c.mayRead(len(text), between) && c.reads(text); got != want {
				t.Fatalf("%s: %q is a date: %v, want %v", layout, text, got, want)
			}
			if want {
				read++
			}
		}
	}
	if read < 2000 {
		t.Errorf("only %d were dates", read)
	}
}
