package cli

import (
	"fmt"
	"testing"

	"twinsieve/core/record"
)

// TestRejectList keeps more rejects than stay in memory, and gives them back in their order, twice.
func TestRejectList(t *testing.T) {
	for _, n := range []int{0, 1, rejectsAtOnce, 3*rejectsAtOnce + 7} {
		l := rejectList{dir: t.TempDir()}
		defer l.close()
		for i := range n {
			l.add(record.Reject{Line: int64(i + 2), Reason: "one cell too many", Text: fmt.Sprintf("MW-%d,x,", i)})
		}
		if len(l.open) > rejectsAtOnce {
			t.Errorf("%d rejects are in memory", len(l.open))
		}
		for range 2 {
			seen := 0
			err := l.each(func(some []record.Reject) error {
				for _, r := range some {
					if r.Line != int64(seen+2) || r.Text != fmt.Sprintf("MW-%d,x,", seen) {
						t.Fatalf("reject %d is %+v", seen, r)
					}
					seen++
				}
				return nil
			})
			if err != nil || seen != n {
				t.Errorf("%d of %d rejects came back (%v)", seen, n, err)
			}
		}
	}
	l := rejectList{dir: t.TempDir() + "/none"}
	for range rejectsAtOnce {
		l.add(record.Reject{})
	}
	if err := l.each(nil); err == nil {
		t.Error("a list that could not be kept was given")
	}
}
