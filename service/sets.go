package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"twinsieve/core/record"
	"twinsieve/core/typing"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
	"twinsieve/store"
)

// Sets lists the record sets.
func (v *Service) Sets(ctx context.Context) (*view.Sets, error) {
	sets, newest, err := v.store.Sets(ctx)
	if err != nil {
		return nil, err
	}
	list := &view.Sets{Sets: []view.Set{}}
	for i := range sets {
		list.Sets = append(list.Sets, setOf(sets[i], newest[i]))
	}
	return list, nil
}

// Set returns a record set.
func (v *Service) Set(ctx context.Context, name string) (*view.Set, error) {
	set, snap, err := v.set(ctx, name)
	if err != nil {
		return nil, err
	}
	s := setOf(set, snap)
	return &s, nil
}

func (v *Service) set(ctx context.Context, name string) (store.RecordSet, store.Snapshot, error) {
	set, snap, err := v.store.Set(ctx, name)
	return set, snap, v.setProblem(ctx, err, name)
}

func setOf(set store.RecordSet, snap store.Snapshot) view.Set {
	return view.Set{Name: set.Name, Snapshot: snapshotOf(snap)}
}

func snapshotOf(snap store.Snapshot) view.Snapshot {
	out := view.Snapshot{Number: snap.Number, Columns: snap.Columns, Records: snap.Records, Rejects: snap.Rejects, Bytes: snap.Bytes, Hash: snap.Hash,
		Source: snap.Source, Created: snap.Created, Findings: findingsOf(snap)}
	if r, ok := recipeOf(snap); ok {
		out.Recipe, out.Read = &r, r.ReadAs.Say()
	} else {
		out.Read = "delimited, delimiter " + snap.Delimiter
	}
	return out
}

// recipeOf is the recipe of a snapshot. Snapshots from before recipes were kept have none. For a time what was detected was kept as if it had
// been stated. Of that, nothing counts as stated that the findings say to have been detected, and where they say nothing, as of the sources of a
// stack and of what was loaded from the console, nothing that can be detected: should it come out differently the next time, that is said.
func recipeOf(snap store.Snapshot) (r view.Recipe, ok bool) {
	ok = snap.Recipe != "" && json.Unmarshal([]byte(snap.Recipe), &r) == nil
	if !ok || r.ReadAs != nil {
		return r, ok
	}
	read := r.Choices
	r.ReadAs = &read
	found := findingsOf(snap).Guesses
	if len(found) == 0 {
		found = everyGuess
	}
	for choice, none := range map[string]bool{"packing": read.Packing == intake.NotPacked, "pointer": read.Pointer == intake.NoPointer, "footers": len(read.Footers) == 0} {
		if none { // which was kept where nothing was found
			found = append(found, intake.Guess{Choice: choice})
		}
	}
	r.Choices = read.Stated(found)
	for i, s := range r.Source.Stack {
		if s.Choices != nil {
			stated := s.Choices.Stated(everyGuess)
			r.Source.Stack[i].ReadAs, r.Source.Stack[i].Choices = s.Choices, &stated
		}
	}
	return r, ok
}

// everyGuess is everything that can be detected.
var everyGuess = []intake.Guess{{Choice: "packing"}, {Choice: "format"}, {Choice: "encoding"}, {Choice: "delimiter"}, {Choice: "header"}, {Choice: "headerRow"}, {Choice: "sheet"}, {Choice: "pointer"}, {Choice: "footers"}}

func findingsOf(snap store.Snapshot) view.Findings {
	f := view.Findings{Guesses: []intake.Guess{}, Footers: []intake.Footer{}, Held: []view.Held{}, Types: []typing.Type{}}
	if snap.Findings != "" {
		_ = json.Unmarshal([]byte(snap.Findings), &f) // written by us; if it cannot be read, nothing is said
	}
	for i, g := range f.Guesses { // it was said only in words for a time
		f.Guesses[i].Open = g.Open || g.Choice == "encoding" && strings.HasPrefix(g.Why, "nothing but ASCII")
	}
	return f
}

// checkName refuses names that could not be typed or shown.
func checkName(what, name string) error {
	bad := strings.IndexFunc(name, func(r rune) bool { return r == '/' || unicode.IsControl(r) })
	if name == "." || name == ".." {
		return view.Invalid.New(fmt.Sprintf("%q cannot be the name of a %s: an address with it means another place; use another name.", name, what))
	}
	if name == "" || len(name) > 200 || bad >= 0 || strings.TrimSpace(name) != name {
		return view.Invalid.New(fmt.Sprintf("%q cannot be the name of a %s; use 1 to 200 characters without a slash, control characters, or spaces at the ends.", name, what))
	}
	return nil
}

// DeleteSet removes a record set. A set that a sieve uses stays, and so does one that a submitted or signed report needs.
func (v *Service) DeleteSet(ctx context.Context, name string) error {
	list, err := v.Sieves(ctx)
	if err != nil {
		return err
	}
	for _, s := range list.Sieves {
		if s.Definition.Left == name || s.Definition.Right == name {
			return view.InUse.New(fmt.Sprintf("The record set %q is used by the sieve %q; delete or change that sieve first.", name, s.Definition.Name))
		}
	}
	l, err := v.links(ctx)
	if err != nil {
		return err
	}
	if sets := l.madeFrom(node{set: name}); len(sets) > 0 {
		return view.InUse.New(fmt.Sprintf("The record set %q is made from %q; delete that one first, or load it from something else.", sets[0], name))
	}
	by, err := v.store.DeleteSet(ctx, name)
	if errors.Is(err, store.ErrNeeded) {
		if !by.Sealed {
			return view.InUse.New(fmt.Sprintf("The record set %q is being read by a run; delete it when that has ended.", name))
		}
		head, err := runOf(by)
		if err != nil {
			return err
		}
		return view.InUse.New(fmt.Sprintf("The record set %q is needed by report %d of %q, which is submitted or signed: its matched records are read from the set. It cannot be deleted.", name, head.Number, head.Sieve))
	}
	return v.setProblem(ctx, err, name)
}

// pageSize is the number of rows of a page: as many as asked for, within limits; 100 where nothing is asked.
func pageSize(limit int) int {
	if limit <= 0 {
		return 100
	}
	return min(limit, 1000)
}

// cursor reads a page's cursor.
func cursor(text string) (int64, error) {
	if text == "" {
		return 0, nil
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil || n < 0 {
		return 0, view.Invalid.New(fmt.Sprintf("The cursor %q was not given out by this service; leave it out to begin at the start.", text))
	}
	return n, nil
}

// snapshotPage is the snapshot that a page is of, and behind what the page begins. Pages that follow one another are of one snapshot, which
// their cursor names, whatever is loaded meanwhile. A number of 0 asks for the newest, or for that of the cursor.
func (v *Service) snapshotPage(ctx context.Context, name string, number int, after string) (snap store.Snapshot, behind int64, err error) {
	set, snap, err := v.set(ctx, name)
	if err != nil {
		return snap, 0, err
	}
	if of, rest, ok := strings.Cut(after, "-"); ok {
		n, err := cursor(of)
		if err == nil && number > 0 && int(n) != number {
			return snap, 0, view.Invalid.New(fmt.Sprintf("The cursor %q is of snapshot %d, and snapshot %d is asked for; leave the cursor out to begin at the start.", after, n, number))
		}
		if number = int(n); err != nil || n == 0 {
			_, err = cursor("?" + after) // the whole of it is what is wrong
			return snap, 0, err
		}
		after = rest
	}
	if behind, err = cursor(after); err != nil || number == 0 || number == snap.Number {
		return snap, behind, err
	}
	all, err := v.store.Snapshots(ctx, set.ID)
	if err != nil {
		return snap, 0, err
	}
	at := slices.IndexFunc(all, func(s store.Snapshot) bool { return s.Number == number })
	if at < 0 {
		return snap, 0, view.NotFound.New(fmt.Sprintf("The record set %q has no snapshot %d; the newest is %d.", name, number, snap.Number))
	}
	return all[at], behind, nil
}

// nextPage is the cursor of a snapshot's page behind a place.
func nextPage(snap store.Snapshot, behind int64) string {
	return fmt.Sprintf("%d-%d", snap.Number, behind)
}

// Records returns a page of a snapshot of a record set: of the one with a number, or, where that is 0, of the newest.
func (v *Service) Records(ctx context.Context, name string, number int, after string, limit int) (*view.Records, error) {
	snap, first, err := v.snapshotPage(ctx, name, number, after)
	if err != nil {
		return nil, err
	}
	page := &view.Records{Snapshot: snap.Number, Columns: snap.Columns, Records: []view.Record{}}
	end := min(first+int64(pageSize(limit)), snap.Records)
	var rows []uint32
	for n := first; n < end; n++ {
		rows = append(rows, uint32(n))
	}
	err = record.Gather(ctx, v.store.Table(snap), rows, func(n int, b *record.Batch, i int) {
		page.Records = append(page.Records, recordOf(int64(rows[n]), b.Origin(i), b.Cells(i)))
	})
	if err != nil {
		return nil, err
	}
	if end < snap.Records {
		page.Next = nextPage(snap, end)
	}
	return page, nil
}

func recordOf(number int64, from record.Origin, cells []record.Cell) view.Record {
	r := view.Record{Number: number + 1, Line: from.Line, Run: from.Run}
	for i, c := range cells {
		if c.Null && c.Text == "" {
			r.Cells = append(r.Cells, nil)
			continue
		}
		if c.Null {
			r.Markers = append(r.Markers, i)
		}
		r.Cells = append(r.Cells, &c.Text)
	}
	return r
}

// Rejects returns a page of the rejected lines of a snapshot, as [Service.Records] does of its records.
func (v *Service) Rejects(ctx context.Context, name string, number int, after string, limit int) (*view.Rejects, error) {
	snap, behind, err := v.snapshotPage(ctx, name, number, after)
	if err != nil {
		return nil, err
	}
	size := pageSize(limit)
	rows, err := v.store.Rejects(ctx, snap.ID, behind, size)
	if err != nil {
		return nil, err
	}
	page := &view.Rejects{Snapshot: snap.Number, Rejects: []view.Reject{}, Total: snap.Rejects}
	for _, r := range rows {
		page.Rejects = append(page.Rejects, view.Reject{Line: r.Line, Reason: r.Reason, Text: r.Text})
	}
	if len(rows) == size {
		page.Next = nextPage(snap, rows[len(rows)-1].Seq)
	}
	return page, nil
}
