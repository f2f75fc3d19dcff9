package service

import (
	"context"
	"encoding/json"
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
