package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/service/view"
	"twinsieve/service/words"
	"twinsieve/store"
)

// Sieves lists the sieves.
func (v *Service) Sieves(ctx context.Context) (*view.Sieves, error) {
	rows, definitions, err := v.store.Sieves(ctx)
	if err != nil {
		return nil, err
	}
	list := &view.Sieves{Sieves: []view.Sieve{}}
	for i, row := range rows {
		s, err := sieveOf(row, definitions[i])
		if err != nil {
			return nil, err
		}
		list.Sieves = append(list.Sieves, *s)
	}
	return list, nil
}

// Sieve returns a sieve.
func (v *Service) Sieve(ctx context.Context, name string) (*view.Sieve, error) {
	row, definition, err := v.store.Sieve(ctx, name)
	if err != nil {
		return nil, v.sieveProblem(ctx, err, name)
	}
	return sieveOf(row, definition)
}

func sieveOf(row store.Sieve, definition string) (*view.Sieve, error) {
	s := &view.Sieve{Version: row.Version, Updated: row.Updated}
	if err := json.Unmarshal([]byte(definition), &s.Definition); err != nil {
		return nil, err
	}
	s.Definition.Name = row.Name
	s.Sentence = words.Sieve(&s.Definition)
	return s, nil
}

// CreateSieve saves a new sieve. Its record sets must be there, and its columns in them.
func (v *Service) CreateSieve(ctx context.Context, d sieve.Definition) (*view.Sieve, error) {
	text, err := v.checked(ctx, d)
	if err != nil {
		return nil, err
	}
	row, err := v.store.CreateSieve(ctx, d.Name, text)
	if errors.Is(err, store.ErrNameTaken) {
		return nil, nameTaken(d.Name)
	}
	if err != nil {
		return nil, problem(err, "")
	}
	return sieveOf(row, text)
}

// UpdateSieve saves a new version of a sieve, where version is still the newest.
func (v *Service) UpdateSieve(ctx context.Context, name string, version int, d sieve.Definition) (*view.Sieve, error) {
	text, err := v.checked(ctx, d)
	if err != nil {
		return nil, err
	}
	before, was, err := v.store.Sieve(ctx, name)
	if err != nil {
		return nil, v.sieveProblem(ctx, err, name)
	}
	saved, err := sieveOf(before, was)
	if err != nil {
		return nil, err
	}
	var turn func(string) (string, error)
	if s := saved.Definition; s.Left != s.Right && s.Left == d.Right && s.Right == d.Left {
		turn = swappedBody
	}
	if err := v.checkSides(ctx, before.ID, d); err != nil {
		return nil, err
	}
	row, err := v.store.UpdateSieve(ctx, name, version, d.Name, text, turn)
	switch {
	case errors.Is(err, store.ErrChanged):
		return nil, changed(name)
	case errors.Is(err, store.ErrNameTaken):
		return nil, nameTaken(d.Name)
	case err != nil:
		return nil, v.sieveProblem(ctx, err, name)
	}
	return sieveOf(row, text)
}

// DeleteSieve removes a sieve, where version is still the newest. Its runs stay.
func (v *Service) DeleteSieve(ctx context.Context, name string, version int) error {
	if row, _, err := v.store.Sieve(ctx, name); err == nil {
		l, err := v.links(ctx)
		if err != nil {
			return err
		}
		if sets := l.madeFrom(node{sieve: row.ID}); len(sets) > 0 {
			return view.InUse.New(fmt.Sprintf("The record set %q is a result of the sieve %q; delete that set first, or load it from something else.", sets[0], name))
		}
	}
	err := v.store.DeleteSieve(ctx, name, version)
	if errors.Is(err, store.ErrChanged) {
		return changed(name)
	}
	return v.sieveProblem(ctx, err, name)
}

func nameTaken(name string) error {
	return view.NameTaken.New(fmt.Sprintf("A sieve %q is there already; give another name, or change that one.", name))
}

func changed(name string) error {
	return view.Changed.New(fmt.Sprintf("Somebody has changed the sieve %q since you read it; read it again and repeat your change.", name))
}

func (v *Service) checked(ctx context.Context, d sieve.Definition) (string, error) {
	if err := checkName("sieve", d.Name); err != nil {
		return "", err
	}
	p, err := v.plan(ctx, d)
	if err != nil {
		return "", err
	}
	text, err := json.Marshal(p.Definition)
	return string(text), err
}

// planned is a definition with the snapshots that it would be run over.
type planned struct {
	*sieve.Plan
	snapshots [2]store.Snapshot
	sets      [2]string
	carried   [2]*record.Batches // of a run: records that it carries in; nil: none
}

// plan holds a definition against the newest snapshots of its record sets. Where a sieve of its name is saved, it has that one's
// crosswalk. What is not saved as it is takes the layouts that were found in the snapshots; a saved one has those with which it was saved.
func (v *Service) plan(ctx context.Context, d sieve.Definition) (*planned, error) {
	return v.planFor(ctx, nil, d)
}

// planOf is plan for a saved sieve, which may get another name meanwhile.
func (v *Service) planOf(ctx context.Context, row store.Sieve, d sieve.Definition) (*planned, error) {
	return v.planFor(ctx, &row, d)
}

func (v *Service) planFor(ctx context.Context, of *store.Sieve, d sieve.Definition) (*planned, error) {
	p := &planned{sets: [2]string{d.Left, d.Right}}
	for s, name := range p.sets {
		side := [2]string{"left", "right"}[s]
		_, snap, err := v.store.Set(ctx, name)
		if errors.Is(err, store.ErrNotFound) {
			what := fmt.Sprintf("there is no record set %q; load it first", name)
			if name == "" {
				what = "no record set is named"
			}
			return nil, view.BadDefinition.New(fmt.Sprintf("The %s side: %s.", side, what), view.Fault{Where: side, What: what})
		}
		if err != nil {
			return nil, err
		}
		p.snapshots[s] = snap
	}
	row, saved, err := v.store.Sieve(ctx, d.Name)
	if of != nil {
		row, saved, err = v.store.SieveNow(ctx, of.ID)
	}
	known := err == nil
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	if !known || !isSaved(d, saved) {
		if d, err = v.withLayouts(ctx, d, p.snapshots); err != nil {
			return nil, err
		}
	}
	p.Plan, err = d.Compile(p.snapshots[0].Columns, p.snapshots[1].Columns)
	if fault := new(sieve.Error); errors.As(err, &fault) {
		return nil, view.BadDefinition.New(fault.Error(), view.Fault{Where: fault.Where, What: fault.What})
	}
	if err != nil || !known {
		return p, err
	}
	list, err := v.store.Acceptances(ctx, row.ID)
	if err != nil {
		return nil, err
	}
	p.Crosswalk, err = crosswalk(list)
	return p, err
}

func (p *planned) sides() (sides [2]view.Side) {
	for s, snap := range p.snapshots {
		sides[s] = view.Side{Set: p.sets[s], Snapshot: snap.Number, Hash: snap.Hash, Source: snap.Source, Records: snap.Records, Rejects: snap.Rejects, Columns: snap.Columns,
			Held: findingsOf(snap).Held}
		if p.carried[s] != nil {
			sides[s].Carried = p.carried[s].Records()
		}
	}
	return sides
}
