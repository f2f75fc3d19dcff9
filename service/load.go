package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"twinsieve/core/pace"
	"twinsieve/core/record"
	"twinsieve/core/typing"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
	"twinsieve/store"
)

// Load begins to load what a recipe names as the newest snapshot of a record set, which is made where it is not there.
func (v *Service) Load(ctx context.Context, set string, r view.Recipe) (view.Job, error) {
	return v.startLoad(ctx, set, r, nil)
}

// startLoad begins a load. Where a set is loaded again, of which last is the newest snapshot, stated types of columns that have gone are
// forgotten, and what was computed from them is left out: that they have gone is said by what changed.
func (v *Service) startLoad(ctx context.Context, set string, r view.Recipe, last *store.Snapshot) (view.Job, error) {
	if err := checkName("record set", set); err != nil {
		return view.Job{}, err
	}
	if err := r.Choices.Check(); err != nil {
		return view.Job{}, unreadable("", err)
	}
	if r.Most < 0 {
		return view.Job{}, view.Invalid.New("The number of rejects that are taken is negative; state 0 for any number.", view.Fault{Where: "mostRejects", What: "it is negative"})
	}
	control, err := newControl(r.Control)
	if err != nil {
		return view.Job{}, err
	}
	if control != nil && control.stated.Trailer != nil && len(r.Source.Stack) > 0 {
		return view.Job{}, view.Invalid.New("The control figures' trailer line: each source of a stack may have its own; state the figures of all of them together instead.", view.Fault{Where: "control.trailer", What: "a stack has no single trailer line"})
	}
	if err := v.checkChain(ctx, set, r.Source); err != nil {
		return view.Job{}, err
	}
	if r.New {
		switch _, _, err := v.store.Set(ctx, set); {
		case err == nil:
			return view.Job{}, setThere(set)
		case !errors.Is(err, store.ErrNotFound):
			return view.Job{}, err
		}
	}
	file, err := v.openSource(ctx, r.Source)
	if err != nil {
		return view.Job{}, err
	}
	job, err := v.jobs.start(ctx, "load", set, "", func(ctx context.Context, j *job) (*view.JobResult, error) {
		defer file.close()
		result, err := v.load(ctx, j, set, r, control, file, last)
		if err == nil {
			for _, p := range append(slices.Clone(r.Source.Stack), view.Stacked{Place: r.Source.Place}) {
				_ = v.DropUpload(ctx, p.Upload) // it may be gone already, or be none, which is what is wanted
			}
		}
		return result, err
	})
	if err != nil {
		file.close()
	}
	return job, err
}

// setThere says that a set is none that is new.
func setThere(set string) error {
	return view.NameTaken.New(fmt.Sprintf("There is a record set %q already, and nothing was loaded. Load the next snapshot of it, or give another name.", set))
}

// Reload begins to load a record set again with the choices of its newest snapshot. A set that came from the folder or from
// a database is read from there again, unless another source is given; one that was sent is to be sent again. Where something else is
// detected than last time, nothing is loaded, unless it is to be read as it is detected.
func (v *Service) Reload(ctx context.Context, set string, source view.SourceRef, asDetected bool) (view.Job, error) {
	_, snap, err := v.set(ctx, set)
	if err != nil {
		return view.Job{}, err
	}
	r, ok := recipeOf(snap)
	if !ok {
		return view.Job{}, view.Invalid.New(fmt.Sprintf("The record set %q was loaded before it was kept how sets are read; load it anew.", set))
	}
	if !source.Empty() {
		r.Source = sourceAgain(r.Source, source)
	}
	if sent(r.Source) {
		return view.Job{}, view.Invalid.New(fmt.Sprintf("The record set %q came from a file that was sent; send the new file.", set))
	}
	if r.Control != nil { // figures that were typed in were those of the earlier file; a trailer line states its own
		r.Control = &view.Control{Trailer: r.Control.Trailer}
	}
	if asDetected {
		r.ReadAs = nil
		for i := range r.Source.Stack {
			r.Source.Stack[i].ReadAs = nil
		}
	}
	return v.startLoad(ctx, set, r, &snap)
}

// sent reports whether a source, or one of a stack, was a file that was sent, which is there no more.
func sent(source view.SourceRef) bool {
	gone := func(p view.Place) bool {
		return p.Path == "" && p.Connection == "" && p.Upload == "" && p.Set == "" && p.Result == nil
	}
	if len(source.Stack) == 0 {
		return gone(source.Place)
	}
	return slices.ContainsFunc(source.Stack, func(s view.Stacked) bool { return gone(s.Place) })
}

// sourceAgain is the source that a set is loaded from again. Of a stack, a source is read as the one of its label was.
func sourceAgain(before, now view.SourceRef) view.SourceRef {
	if now.Origin == "" && len(now.Stack) > 0 {
		now.Origin = before.Origin
	}
	for i, s := range now.Stack {
		at := slices.IndexFunc(before.Stack, func(b view.Stacked) bool { return b.Label == s.Label })
		if at >= 0 && s.Choices == nil {
			now.Stack[i].Choices, now.Stack[i].ReadAs = before.Stack[at].Choices, before.Stack[at].ReadAs
		}
	}
	return now
}

// tooManyRejects says that a load is refused for its rejects.
func tooManyRejects(source string, first []store.Reject, most int64) error {
	var faults []view.Fault
	for _, r := range first[:min(len(first), 10)] {
		faults = append(faults, view.Fault{Where: "line " + number(r.Line), What: r.Reason})
	}
	allowed := "no reject is allowed"
	if most > 0 {
		allowed = fmt.Sprintf("only %d rejects are allowed", most)
	}
	over := first[min(int64(len(first)-1), most)] // the first that is not allowed
	return view.Unreadable.New(fmt.Sprintf("%s: line %d is no record: %s; %s, so nothing was loaded.", source, over.Line, over.Reason, allowed), faults...)
}

func (v *Service) load(ctx context.Context, j *job, set string, recipe view.Recipe, control *control, file *opened, last *store.Snapshot) (_ *view.JobResult, err error) {
	if file.fresh != nil {
		if err := file.fresh(ctx, j); err != nil {
			return nil, err
		}
	}
	var rejects []store.Reject
	src, err := file.read(ctx, recipe.Choices, intake.Options{Forgive: last != nil, Reject: func(r record.Reject) {
		rejects = append(rejects, store.Reject{Line: r.Line, Reason: r.Reason, Text: r.Text})
	}})
	if err != nil {
		return nil, err
	}
	defer src.Close()
	if err := src.CheckTypes(); err != nil && last == nil {
		return nil, unreadable(file.name, err)
	}
	if err := detected(&recipe, last, src, file.name, false); err != nil {
		return nil, err
	}
	if err := control.begin(src.Columns()); err != nil {
		return nil, err
	}
	w, err := v.begin(ctx, set, recipe, src, file.name)
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			v.drop(w)
		}
	}()
	if recipe.New {
		w.First()
	}
	most := recipe.Most
	allowed := func() error {
		if recipe.Strict && src.Rejects() > 0 || most > 0 && src.Rejects() > most {
			return tooManyRejects(file.name, rejects, most)
		}
		return nil
	}
	flush := func() error {
		if len(rejects) == 0 {
			return nil
		}
		err := w.AddRejects(ctx, rejects)
		rejects = rejects[:0]
		return err
	}
	j.expect(pace.Leg{Stage: "reading the file", Units: float64(file.size)})
	for {
		batch, err := src.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, unreadable(file.name, err)
		}
		if err := allowed(); err != nil {
			return nil, err
		}
		if batch.First+int64(batch.Records()) > record.MaxRecords {
			return nil, view.Unreadable.New(fmt.Sprintf("%s has more than %d records, the most that a record set holds.", file.name, int64(record.MaxRecords)))
		}
		control.add(batch)
		if err := w.add(ctx, batch); err != nil {
			return nil, err
		}
		if len(rejects) >= 1000 && !recipe.Strict && most == 0 {
			if err := flush(); err != nil {
				return nil, err
			}
		}
		if file.size > 0 {
			j.progress("reading the file", src.Bytes(), file.size)
		} else {
			j.progress("reading the rows", batch.First+int64(batch.Records()), 0)
		}
	}
	if err := allowed(); err != nil {
		return nil, err
	}
	if err := flush(); err != nil {
		return nil, err
	}
	if err := detected(&recipe, last, src, file.name, true); err != nil {
		return nil, err
	}
	text, err := json.Marshal(keptRecipe(recipe, src))
	if err != nil {
		return nil, err
	}
	w.Describe(string(text))
	findings := view.Findings{Guesses: append([]intake.Guess{}, src.Guesses()...), Footers: append([]intake.Footer{}, src.Footers()...), Footed: src.FooterLines(), Totals: src.LikeTotals(), Filled: src.Filled(), Merged: src.Merged(),
		Held: control.held(src), Uncomputed: src.Failures(), Lost: src.Lost(), Parents: file.parents, Run: file.run}
	for _, part := range src.Parts() {
		findings.Origins = append(findings.Origins, typing.Count{Text: part.Label, Records: part.Records})
		if len(part.Missing)+len(part.Left) > 0 {
			findings.Unequal = append(findings.Unequal, view.UnequalPart{Label: part.Label, Missing: append([]string{}, part.Missing...), Left: append([]string{}, part.Left...)})
		}
	}
	switch name, snap, err := v.store.SameContent(ctx, w.Hash()); {
	case err == nil:
		findings.Same = fmt.Sprintf("snapshot %d of %s", snap.Number, name)
	case !errors.Is(err, store.ErrNotFound):
		return nil, err
	}
	size := file.size
	if size == 0 {
		size = src.Bytes()
	}
	result, err := w.seal(ctx, size, findings)
	if errors.Is(err, store.ErrChanged) {
		return nil, setThere(set)
	}
	return result, err
}

// begin begins the snapshot. What was stated about types of columns that have gone is forgotten.
func (v *Service) begin(ctx context.Context, set string, recipe view.Recipe, src *intake.Source, name string) (*writing, error) {
	maps.DeleteFunc(recipe.Choices.Types, func(column, _ string) bool { return !slices.Contains(src.Columns(), column) })
	return v.newWriting(ctx, set, store.Snapshot{Columns: src.Columns(), Source: name, Delimiter: src.Settled().Delimiter}, recipe)
}

// keptRecipe is what is kept of a recipe once its source has been read: what was stated, for the next load, and how it was read.
func keptRecipe(recipe view.Recipe, src *intake.Source) view.Recipe {
	read := src.Settled()
	recipe.ReadAs = &read
	recipe.New = false // the next load has another snapshot before it
	recipe.Source.Upload = ""
	recipe.Source.Result = ofNextRun(recipe.Source.Result)
	recipe.Source.Stack = slices.Clone(recipe.Source.Stack)
	for i, part := range src.Parts() {
		settled := part.Settled()
		s := &recipe.Source.Stack[i]
		s.Upload, s.Label, s.ReadAs, s.Result = "", part.Label, &settled, ofNextRun(s.Result)
	}
	return recipe
}

// detected refuses a source for which something else is detected than when it was read last, or than a preview has shown. Whether there are
// trailer lines may be known only when all has been read.
func detected(recipe *view.Recipe, last *store.Snapshot, src *intake.Source, name string, all bool) error {
	if recipe.ReadAs == nil {
		return nil
	}
	since, guesses, columns := "last time", []intake.Guess(nil), []string(nil)
	if last != nil {
		guesses, columns = findingsOf(*last).Guesses, last.Columns
	} else {
		since = "what was shown"
	}
	var say []string
	var faults []view.Fault
	told := func(where string, list []intake.Difference) {
		for _, d := range list {
			if d.Choice == "footers" && (!all || last == nil) { // a preview may not have come to the last lines
				continue
			}
			say = append(say, where+d.Say())
			faults = append(faults, view.Fault{Where: "choices." + d.Choice, What: where + d.Say()})
		}
	}
	told("", src.Differences(recipe.ReadAs, guesses, columns))
	for _, part := range src.Parts() {
		at := slices.IndexFunc(recipe.Source.Stack, func(s view.Stacked) bool { return s.Label == part.Label })
		if at >= 0 && recipe.Source.Stack[at].ReadAs != nil {
			told(part.Label+": ", part.Differences(recipe.Source.Stack[at].ReadAs, nil, nil))
		}
	}
	if len(say) == 0 {
		return nil
	}
	return view.DetectedDifferently.New(fmt.Sprintf("%s: detected differently from %s: %s. Nothing was loaded.", name, since, strings.Join(say, ", ")), faults...)
}

// ofNextRun is how rows of a run are read the next time: of a newer run.
func ofNextRun(r *view.ResultRef) *view.ResultRef {
	if r == nil {
		return nil
	}
	next := *r
	next.Run = 0
	return &next
}
