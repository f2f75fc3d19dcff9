package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/sieve"
	"twinsieve/service/view"
	"twinsieve/store"
)

// stale says why a set or sieve's run is not up to date, or nothing. Whether what it is made from is up to date is another
// question.
func (v *Service) stale(ctx context.Context, l *links, n node) (why string, run store.Run, err error) {
	if n.sieve == 0 {
		snap := l.sets[n.set]
		if !made(l.sources[n.set]) {
			return "", run, nil
		}
		f := findingsOf(snap)
		for _, p := range parentsOf(l.sources[n.set]) {
			switch {
			case p.sieve != 0:
				run, err := v.store.NewestOf(ctx, p.sieve)
				if err != nil && !errors.Is(err, store.ErrNotFound) {
					return "", run, err
				}
				if run.ID != f.Run {
					return fmt.Sprintf("it is of an earlier run of %s", l.name(p)), run, nil
				}
			case !slices.ContainsFunc(f.Parents, func(parent view.Parent) bool {
				return parent.Set == p.set && parent.Snapshot == l.sets[p.set].Number
			}):
				return fmt.Sprintf("%s has a newer snapshot", p.set), run, nil
			}
		}
		return "", run, nil
	}
	d := l.sieves[n.sieve]
	run, err = v.store.NewestOf(ctx, n.sieve)
	if errors.Is(err, store.ErrNotFound) {
		return "it has not been run", run, nil
	}
	if err != nil {
		return "", run, err
	}
	switch {
	case run.Version != l.rows[n.sieve].Version:
		return "the sieve has been changed since its newest run", run, nil
	case run.LeftID != l.sets[d.Left].ID:
		return fmt.Sprintf("%s has a newer snapshot", d.Left), run, nil
	case run.RightID != l.sets[d.Right].ID:
		return fmt.Sprintf("%s has a newer snapshot", d.Right), run, nil
	}
	head, err := runOf(run)
	if err != nil {
		return "", run, err
	}
	p, err := v.plan(ctx, d)
	if err != nil {
		return "", run, nil // a run of it would say why it cannot be run
	}
	if p.Crosswalk.Version != head.Summary.Crosswalk.Version {
		return "its crosswalk has been changed since its newest run", run, nil
	}
	return "", run, nil
}

// freshRun returns the newest run of a sieve, after a new one where the newest is stale, or what it is made from.
func (v *Service) freshRun(ctx context.Context, j *job, id uint) (uint, error) {
	l, err := v.links(ctx)
	if err != nil {
		return 0, err
	}
	d, ok := l.sieves[id]
	if !ok {
		return 0, view.NotFound.New("The sieve that a record set is a result of has been deleted; load the set from something else.")
	}
	if err := v.freshSides(ctx, j, d); err != nil {
		return 0, err
	}
	if l, err = v.links(ctx); err != nil {
		return 0, err
	}
	why, run, err := v.stale(ctx, l, node{sieve: id})
	if err != nil || why == "" {
		return run.ID, err
	}
	result, err := v.runNewest(ctx, j, l.rows[id], d)
	if err != nil {
		return 0, err
	}
	return result.Run, nil
}

// freshSides brings both sets of a definition up to date.
func (v *Service) freshSides(ctx context.Context, j *job, d sieve.Definition) error {
	for _, set := range []string{d.Left, d.Right} {
		if err := v.freshSet(ctx, j, set); err != nil {
			return err
		}
	}
	return nil
}

// freshSet makes a new snapshot of a record set that is made from others, where it is stale, or what it is made from.
func (v *Service) freshSet(ctx context.Context, j *job, set string) error {
	l, err := v.links(ctx)
	if err != nil {
		return err
	}
	ref, ok := l.sources[set]
	if !ok {
		return nil
	}
	for _, p := range parentsOf(ref) {
		if p.sieve != 0 {
			_, err = v.freshRun(ctx, j, p.sieve)
		} else {
			err = v.freshSet(ctx, j, p.set)
		}
		if err != nil {
			return err
		}
	}
	if l, err = v.links(ctx); err != nil {
		return err
	}
	why, _, err := v.stale(ctx, l, node{set: set})
	if err != nil || why == "" {
		return err
	}
	snap := l.sets[set]
	recipe, _ := recipeOf(snap)
	if recipe.Control != nil {
		recipe.Control = nil // its figures were those of the earlier rows
	}
	file, err := v.openSource(ctx, recipe.Source)
	if err != nil {
		return err
	}
	defer file.close()
	_, err = v.load(ctx, j, set, recipe, nil, file, &snap)
	return err
}

// Chain tells what a sieve is made from, and what is made from it.
func (v *Service) Chain(ctx context.Context, name string) (*view.Chain, error) {
	row, _, err := v.store.Sieve(ctx, name)
	if err != nil {
		return nil, v.sieveProblem(ctx, err, name)
	}
	l, err := v.links(ctx)
	if err != nil {
		return nil, err
	}
	// The levels: what a thing is made from stands before it. What is made from the sieve is found by looking from each set and
	// sieve up to it.
	here := node{sieve: row.ID}
	level := map[node]int{}
	var place func(n node) int
	place = func(n node) int {
		if at, ok := level[n]; ok {
			return at
		}
		at := 0
		for _, p := range l.parents(n) {
			at = max(at, place(p)+1)
		}
		level[n] = at
		return at
	}
	place(here)
	for id, d := range l.sieves {
		for _, set := range []string{d.Left, d.Right} {
			if l.way(node{set: set}, here) != nil {
				place(node{sieve: id})
			}
		}
	}
	for set := range l.sources {
		if l.way(node{set: set}, here) != nil {
			place(node{set: set})
		}
	}
	// What is made from nothing stands just before what is made from it.
	for n := range level {
		if len(l.parents(n)) > 0 {
			continue
		}
		next := 0
		for child, at := range level {
			if slices.Contains(l.parents(child), n) && (next == 0 || at < next) {
				next = at
			}
		}
		level[n] = max(next-1, 0)
	}
	return v.drawn(ctx, l, level)
}

// drawn gives a chain the form in which it is shown.
func (v *Service) drawn(ctx context.Context, l *links, level map[node]int) (*view.Chain, error) {
	out := &view.Chain{Nodes: []view.ChainNode{}}
	for n, at := range level {
		shown := view.ChainNode{Kind: "set", Name: l.name(n), Level: at, From: []string{}}
		why, run, err := v.stale(ctx, l, n)
		if err != nil {
			return nil, err
		}
		shown.Stale = why
		for _, p := range l.parents(n) {
			shown.From = append(shown.From, l.name(p))
		}
		if n.sieve != 0 {
			shown.Kind = "sieve"
			if run.ID != 0 {
				head, err := runOf(run)
				if err != nil {
					return nil, err
				}
				shown.Run, shown.Number, shown.Count = run.ID, run.Number, head.Summary.Exceptions
			}
		} else if snap, ok := l.sets[n.set]; ok {
			shown.Number, shown.Count = snap.Number, snap.Records
		}
		out.Nodes = append(out.Nodes, shown)
	}
	slices.SortFunc(out.Nodes, func(a, b view.ChainNode) int {
		if a.Level != b.Level {
			return a.Level - b.Level
		}
		return strings.Compare(a.Kind+a.Name, b.Kind+b.Name)
	})
	for i := range out.Nodes { // what comes of something stale is stale, too
		n := &out.Nodes[i]
		for _, p := range out.Nodes[:i] {
			if n.Stale == "" && p.Stale != "" && slices.Contains(n.From, p.Name) && p.Kind != n.Kind {
				n.Stale = p.Name + " is not up to date"
			}
		}
	}
	return out, nil
}
