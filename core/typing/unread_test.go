package typing

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
)

// TestFirstUnread holds the values that each type does not read, and how many it does, against all values looked at one by one, in whatever order they come.
func TestFirstUnread(t *testing.T) {
	r := rand.New(rand.NewPCG(19, 4))
	forms := []func() string{
		func() string { return fmt.Sprintf("%d.%02d", r.IntN(9000), r.IntN(100)) },
		func() string { return fmt.Sprintf("2031-%02d-%02d", 1+r.IntN(14), 1+r.IntN(31)) },
		func() string { return fmt.Sprintf("%d/%d/2031", 1+r.IntN(14), 1+r.IntN(31)) },
		func() string { return fmt.Sprintf("MW-%05d", r.IntN(9000)) },
		func() string {
			return []string{"yes", "no", "true", "N", "Öl", "..", "007", "1.", "1,5", "12345678"}[r.IntN(10)]
		},
		func() string { return fmt.Sprint(r.IntN(1 << 30)) },
	}
	for round := range 60 {
		some := forms[:1+r.IntN(len(forms))]
		var values []string
		for range r.IntN(400) {
			values = append(values, some[r.IntN(len(some))]())
		}
		switch round % 3 {
		case 1:
			slices.Sort(values)
		case 2:
			slices.SortFunc(values, func(a, b string) int { return cmp.Compare(b, a) })
		}
		f := NewFinder()
		for _, v := range values {
			f.Add([]byte(v), 2)
		}
		slices.Sort(values)
		for i := range f.candidates {
			c := &f.candidates[i]
			want, read := []Count{}, int64(0)
			for _, v := range values {
				k, _ := kindOf([]byte(v))
				if c.tries(k) && c.reads([]byte(v)) {
					read += 2
				} else if n := len(want); n > 0 && want[n-1].Text == v {
					want[n-1].Records += 2
				} else if n < examples {
					want = append(want, Count{v, 2})
				}
			}
			if got := f.unreadBy(c); !reflect.DeepEqual(got, want) || c.read != read {
				t.Fatalf("%v of %d values: %d read, and not %v; want %d, %v", c.Type, len(values), c.read, got, read, want)
			}
		}
	}
}
