package service

import (
	"context"
	"encoding/json"
	"sync"

	"twinsieve/core/sieve"
	"twinsieve/service/view"
)

// runHead is what was so in a run of what it has found, whether or not its report is still kept.
type runHead struct {
	number  int
	columns [2][]string
	sets    [2]string
	plan    func() (*sieve.Plan, error) // made when it is first asked for
}

// swapped reports whether its sides were those of a plan, swapped.
func (h *runHead) swapped(p *planned) bool {
	return h.sets[0] != h.sets[1] && h.sets == [2]string{p.sets[1], p.sets[0]}
}

// under are its record sets and columns, by the sides of a plan.
func (h *runHead) under(p *planned) (sets [2]string, columns [2][]string) {
	if h.swapped(p) {
		return [2]string{h.sets[1], h.sets[0]}, [2][]string{h.columns[1], h.columns[0]}
	}
	return h.sets, h.columns
}

// headsKept is of how many runs it is kept at hand.
const headsKept = 100

// heads are those of runs that were asked for; they never change.
type heads struct {
	mu   sync.Mutex
	kept map[uint]*runHead
}

// headOf is the head of a run.
func (v *Service) headOf(ctx context.Context, run uint) (*runHead, error) {
	v.heads.mu.Lock()
	h := v.heads.kept[run]
	v.heads.mu.Unlock()
	if h != nil {
		return h, nil
	}
	text, number, err := v.store.Header(ctx, run)
	if err != nil {
		return nil, err
	}
	var head header
	if err := json.Unmarshal([]byte(text), &head); err != nil {
		return nil, err
	}
	h = &runHead{number: number}
	for s, side := range head.Sides {
		h.columns[s], h.sets[s] = side.Columns, side.Set
	}
	h.plan = sync.OnceValues(func() (*sieve.Plan, error) { return head.Definition.Compile(h.columns[0], h.columns[1]) })
	v.heads.mu.Lock()
	defer v.heads.mu.Unlock()
	if v.heads.kept == nil || len(v.heads.kept) >= headsKept {
		v.heads.kept = map[uint]*runHead{}
	}
	v.heads.kept[run] = h
	return h, nil
}

// readBody reads how people see an exception that a run has found.
func (v *Service) readBody(ctx context.Context, run uint, body string, e *view.Entry) error {
	if keptAsShown(body) {
		return readShown(body, e)
	}
	s, err := readSeen(body)
	if err != nil {
		return err
	}
	h, err := v.headOf(ctx, run)
	if err != nil {
		return err
	}
	plan, err := h.plan()
	if err == nil {
		*e = s.view(plan)
	}
	return err
}
