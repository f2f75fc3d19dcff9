package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/sieve"
	"twinsieve/service/view"
	"twinsieve/store"
)

// links are what is made from what: record sets from other sets and from rows of sieves' runs, and sieves' runs from record sets.
type links struct {
	sets    map[string]store.Snapshot // the newest of each
	sources map[string]view.SourceRef // of sets that are made from others
	sieves  map[uint]sieve.Definition
	rows    map[uint]store.Sieve
}

// node is a record set or, where it has a number, a sieve.
type node struct {
	sieve uint
	set   string
}

func (v *Service) links(ctx context.Context) (*links, error) {
	l := &links{map[string]store.Snapshot{}, map[string]view.SourceRef{}, map[uint]sieve.Definition{}, map[uint]store.Sieve{}}
	sets, newest, err := v.store.Sets(ctx)
	if err != nil {
		return nil, err
	}
	for i, set := range sets {
		l.sets[set.Name] = newest[i]
		if r, ok := recipeOf(newest[i]); ok && made(r.Source) {
			l.sources[set.Name] = r.Source
		}
	}
	rows, texts, err := v.store.Sieves(ctx)
	if err != nil {
		return nil, err
	}
	for i, row := range rows {
		var d sieve.Definition
		if err := json.Unmarshal([]byte(texts[i]), &d); err != nil {
			return nil, err
		}
		d.Name = row.Name
		l.sieves[row.ID], l.rows[row.ID] = d, row
	}
	return l, nil
}

// made reports whether a source is made from record sets.
func made(ref view.SourceRef) bool {
	return len(parentsOf(ref)) > 0
}

// parentsOf are the sets and sieves that a source names.
func parentsOf(ref view.SourceRef) (parents []node) {
	for _, p := range append([]view.Stacked{{Place: ref.Place}}, ref.Stack...) {
		switch {
		case p.Set != "":
			parents = append(parents, node{set: p.Set})
		case p.Result != nil:
			parents = append(parents, node{sieve: p.Result.ID})
		}
	}
	return parents
}

// parents are what a set or sieve is made from.
func (l *links) parents(n node) []node {
	if n.sieve != 0 {
		d, ok := l.sieves[n.sieve]
		if !ok {
			return nil
		}
		return []node{{set: d.Left}, {set: d.Right}}
	}
	return parentsOf(l.sources[n.set])
}

func (l *links) name(n node) string {
	if n.sieve != 0 {
		return l.sieves[n.sieve].Name
	}
	return n.set
}

// way finds what leads from a node up to another that it is made from, both ends included; nil where it is not.
func (l *links) way(from, to node) []string {
	seen := map[node]bool{}
	var find func(n node) []string
	find = func(n node) []string {
		if seen[n] {
			return nil
		}
		seen[n] = true
		if n == to {
			return []string{l.name(n)}
		}
		for _, p := range l.parents(n) {
			if rest := find(p); rest != nil {
				return append([]string{l.name(n)}, rest...)
			}
		}
		return nil
	}
	return find(from)
}

// bitten says that a chain would bite its tail.
func bitten(what string, way []string) error {
	slices.Reverse(way)
	line := strings.Join(append(way, way[0]), " → ")
	return view.Circular.New(fmt.Sprintf("%s would be made from itself: %s. Give the result another name, or compare other sets.", what, line), view.Fault{Where: "source", What: line})
}

// checkChain refuses a source of a record set that is made from that set.
func (v *Service) checkChain(ctx context.Context, set string, ref view.SourceRef) error {
	if !slices.ContainsFunc(append([]view.Stacked{{Place: ref.Place}}, ref.Stack...), func(s view.Stacked) bool { return s.Set != "" || s.Result != nil }) {
		return nil
	}
	l, err := v.links(ctx)
	if err != nil {
		return err
	}
	for _, p := range append([]view.Stacked{{Place: ref.Place}}, ref.Stack...) {
		from := node{set: p.Set}
		if p.Result != nil {
			row, err := v.resultSieve(ctx, p.Result)
			if err != nil {
				return err
			}
			from = node{sieve: row.ID}
		} else if p.Set == "" {
			continue
		}
		if way := l.way(from, node{set: set}); way != nil {
			return bitten("The record set "+set, way)
		}
	}
	return nil
}

// checkSides refuses a definition of a sieve whose sides are made from its own runs.
func (v *Service) checkSides(ctx context.Context, id uint, d sieve.Definition) error {
	l, err := v.links(ctx)
	if err != nil {
		return err
	}
	for _, set := range []string{d.Left, d.Right} {
		if way := l.way(node{set: set}, node{sieve: id}); way != nil {
			return bitten("The sieve "+d.Name, way)
		}
	}
	return nil
}

// madeFrom names the record sets that are made from a node, which so cannot be deleted.
func (l *links) madeFrom(n node) (names []string) {
	for set := range l.sources {
		if slices.Contains(l.parents(node{set: set}), n) {
			names = append(names, set)
		}
	}
	slices.Sort(names)
	return names
}

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
	p, err := v.plan(ctx, d)
	if err != nil {
		return 0, err
	}
	result, err := v.run(ctx, j, l.rows[id], p)
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
	recipe, _ := recipeOf(l.sets[set])
	if recipe.Control != nil {
		recipe.Control = nil // its figures were those of the earlier rows
	}
	file, err := v.openSource(ctx, recipe.Source)
	if err != nil {
		return err
	}
	defer file.close()
	_, err = v.load(ctx, j, set, recipe, nil, file, true)
	return err
}

// Chain tells what a sieve is made from, and what is made from it.
func (v *Service) Chain(ctx context.Context, name string) (*view.Chain, error) {
	row, _, err := v.store.Sieve(ctx, name)
	if err != nil {
		return nil, problem(err, fmt.Sprintf("sieve %q", name))
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
