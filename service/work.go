package service

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"unicode"

	"twinsieve/service/summary"
	"twinsieve/service/view"
	"twinsieve/service/words"
	"twinsieve/store"
)

func runName(run uint) string { return fmt.Sprintf("run %d", run) }

// toldAtOnce is how many exceptions a change names to those who follow it; of more it says only that they are many.
const toldAtOnce = 100

// checkWork holds what is to become of exceptions against the people and the list of reasons.
func (v *Service) checkWork(ctx context.Context, c view.WorkChange) (store.WorkChange, error) {
	if c.Status == nil && c.Owner == nil && c.Reason == nil {
		return store.WorkChange{}, view.Invalid.New("Nothing is to be changed; give a status, an owner or a reason.")
	}
	if c.Status != nil {
		if err := checkStatus(*c.Status); err != nil {
			return store.WorkChange{}, err
		}
	}
	if c.Owner != nil && *c.Owner == "me" {
		me := store.ActorOf(ctx).Name
		c.Owner = &me
	}
	if c.Owner != nil && *c.Owner != "" {
		p, err := v.store.Person(ctx, *c.Owner)
		if errors.Is(err, store.ErrNotFound) || err == nil && !p.Active {
			return store.WorkChange{}, view.Invalid.New(fmt.Sprintf("There is nobody active named %q to own it.", *c.Owner))
		}
		if err != nil {
			return store.WorkChange{}, err
		}
	}
	if c.Reason != nil && *c.Reason != "" {
		if err := v.checkReason(ctx, *c.Reason, false); err != nil {
			return store.WorkChange{}, err
		}
	}
	return store.WorkChange{Status: c.Status, Owner: c.Owner, Reason: c.Reason}, nil
}

// ChangeEntry changes the work on one exception of a report, where version is still the newest.
func (v *Service) ChangeEntry(ctx context.Context, run uint, id string, version int, c view.WorkChange) (*view.Entry, error) {
	change, err := v.checkWork(ctx, c)
	if err != nil {
		return nil, err
	}
	if version < 1 {
		return nil, view.Invalid.New("If-Match is no version of the work on an exception; it is told with the exception.")
	}
	r, row, err := v.exceptionOf(ctx, run, id)
	if err != nil {
		return nil, err
	}
	says := fmt.Sprintf("%s: %s", keyWords(row), words.Work(change.Status, change.Owner, change.Reason))
	done, err := v.store.Work(ctx, store.WorkOn{Chosen: store.EntryQuery{Run: run, Seqs: []int64{row.Seq}, Changes: everyChange}, Version: version, Says: says}, change)
	if err != nil {
		return nil, v.workProblem(err)
	}
	if done.Items > 0 {
		v.courier.hurry()
		v.tellOf(ctx, r.row.SieveID, says, []uint{row.ExceptionID})
	}
	return v.Entry(ctx, run, id)
}

// everyChange are all changes since the run before, so that an entry is found whichever it has.
var everyChange = []string{"new", "still-open", "changed", "returned", "cleared", "absent"}

func keyWords(row store.Shown) string {
	if row.KeyText == "" {
		return row.Tray
	}
	return row.Tray + " " + row.KeyText
}

// exceptionOf returns an exception of a report by the id of its entry.
func (v *Service) exceptionOf(ctx context.Context, run uint, id string) (*report, store.Shown, error) {
	r, err := v.report(ctx, run)
	if err != nil {
		return nil, store.Shown{}, err
	}
	missing := view.NotFound.New(fmt.Sprintf("Run %d has no exception %q.", run, id))
	seq, err := strconv.ParseInt(id, 10, 64)
	if err != nil {
		return nil, store.Shown{}, missing
	}
	row, err := v.store.Entry(ctx, run, seq)
	if errors.Is(err, store.ErrNotFound) {
		return nil, row, missing
	}
	if err == nil && row.ExceptionID == 0 {
		return nil, row, view.InUse.New("This report is from before exceptions were followed from run to run, and its sieve has run since; work on them in the newest report.")
	}
	return r, row, err
}

// ChangeEntries changes all exceptions of a report that a query chooses, as one action.
func (v *Service) ChangeEntries(ctx context.Context, run uint, q Query, c view.BulkChange) (*view.Done, error) {
	change, err := v.checkWork(ctx, c.WorkChange)
	if err != nil {
		return nil, err
	}
	if c.Over != "" && c.Over != "skip" && c.Over != "overwrite" {
		return nil, view.Invalid.New(fmt.Sprintf("over is %q; write skip or overwrite, or leave it out.", c.Over))
	}
	r, err := v.report(ctx, run)
	if err != nil {
		return nil, err
	}
	if t, exceptions, err := q.tray(); err != nil {
		return nil, err
	} else if !exceptions {
		return nil, view.Invalid.New(fmt.Sprintf("Records in %s are not exceptions, so they have no status, owner or reason.", t))
	}
	if err := v.checkNames(ctx, r, &q); err != nil {
		return nil, err
	}
	q.Entries = c.Entries
	chosen, err := q.chosen(ctx, r)
	if err != nil {
		return nil, err
	}
	if len(c.Entries) > 0 && len(q.Change) == 0 {
		chosen.Changes = everyChange
	}
	says := words.Work(change.Status, change.Owner, change.Reason)
	done, err := v.store.Work(ctx, store.WorkOn{Chosen: chosen, Count: &c.Count, Seen: c.Seen, Over: c.Over, Says: says}, change)
	if err != nil {
		return nil, v.workProblem(err)
	}
	if done.Items > 0 {
		v.courier.hurry()
		v.tellOf(ctx, r.row.SieveID, summary.Count(done.Items, "exception")+": "+says, nil)
	}
	out := doneOf(done)
	return &out, nil
}

// tellOf tells those who look at a sieve's reports what was done.
func (v *Service) tellOf(ctx context.Context, sieveID uint, says string, exceptions []uint) {
	newest, err := v.store.NewestEvent(ctx)
	if err != nil {
		v.options.Log.Error("a change could not be told", "error", err)
	}
	if exceptions == nil || len(exceptions) > toldAtOnce {
		exceptions = []uint{}
	}
	v.live.tell(sieveID, view.ReportChange{Seq: newest.Seq, By: store.ActorOf(ctx).Name, Says: says, Exceptions: exceptions})
}

// workProblem gives an error of a change of exceptions the form in which people see it.
func (v *Service) workProblem(err error) error {
	var conflict *store.ConflictError
	var other *store.CountError
	switch {
	case errors.As(err, &other):
		return otherCount(other.Meant, other.Chosen)
	case errors.As(err, &conflict):
		detail := "%s been changed by others since you looked. Nothing was changed. Look again, or say that these are skipped or overwritten."
		if conflict.Moved {
			detail = "%s other values since this report, or has been cleared. Nothing was changed. Work on the newest report."
			if conflict.Exceptions > 1 {
				detail = "%s been changed by others, or have other values since this report. Nothing was changed. Look at the newest report, or say that these are skipped or overwritten."
			}
		}
		p := view.Changed.New(fmt.Sprintf(detail, has(conflict.Exceptions)))
		for _, x := range conflict.First {
			by := x.ChangedBy
			if by == "" {
				by = "a run"
			}
			p.Faults = append(p.Faults, view.Fault{Where: fmt.Sprint(x.ID), What: fmt.Sprintf("%s by %s", words.Work(&x.Status, &x.Owner, &x.Reason), by)})
		}
		return p
	case errors.Is(err, store.ErrSigned):
		return view.Signed.New("This report is signed, so nothing of it changes any more. Work on its exceptions goes on in later reports, or here once it is reopened.")
	}
	return problem(err, "such action, or it has been undone already")
}

// otherCount is the problem that a change or a link affects another number of exceptions than the one that was seen.
func otherCount(seen, now int64) error {
	return view.OtherCount.New(fmt.Sprintf("This filter chooses %s now; the request says %s. Nothing was done. Look at the list again, and repeat it with the number that it shows.",
		summary.Count(now, "exception"), summary.Number(seen)), view.Fault{Where: "count", What: fmt.Sprintf("it is %d now", now)})
}

func has(n int64) string {
	if n == 1 {
		return "1 exception has"
	}
	return summary.Number(n) + " exceptions have"
}

func doneOf(a store.Action) view.Done {
	return view.Done{ID: a.ID, Says: a.Says, Changed: a.Items, By: a.Person, At: a.Created, Undone: a.Undone, UndoneBy: a.UndoneBy}
}

// Actions lists what was done in a report, the newest first.
func (v *Service) Actions(ctx context.Context, run uint) (*view.Actions, error) {
	if _, err := v.store.Run(ctx, run); err != nil {
		return nil, problem(err, runName(run))
	}
	rows, err := v.store.Actions(ctx, run, 100)
	if err != nil {
		return nil, err
	}
	list := &view.Actions{Actions: []view.Done{}}
	for _, row := range rows {
		list.Actions = append(list.Actions, doneOf(row))
	}
	return list, nil
}

// Undo takes an action back. Exceptions that have been changed since stay as they are.
func (v *Service) Undo(ctx context.Context, run, action uint) (*view.Done, error) {
	row, err := v.store.Action(ctx, action)
	if err == nil && row.RunID != run {
		err = store.ErrNotFound
	}
	if err != nil {
		return nil, problem(err, fmt.Sprintf("action %d in run %d", action, run))
	}
	r, err := v.store.Run(ctx, run)
	if err != nil {
		return nil, problem(err, runName(run))
	}
	row, kept, err := v.store.Undo(ctx, action)
	if err != nil {
		return nil, v.workProblem(err)
	}
	v.tellOf(ctx, r.SieveID, fmt.Sprintf("taken back: %s: %s", summary.Count(row.Items-kept, "exception"), row.Says), nil)
	out := doneOf(row)
	out.Kept = kept
	return &out, nil
}

// Reasons lists the reasons that exceptions can be given.
func (v *Service) Reasons(ctx context.Context) (*view.Reasons, error) {
	rows, err := v.store.Reasons(ctx)
	if err != nil {
		return nil, err
	}
	list := &view.Reasons{Reasons: []string{}}
	for _, row := range rows {
		if row.Active {
			list.Reasons = append(list.Reasons, row.Text)
		}
	}
	return list, nil
}

// SetReasons replaces the list of reasons, where it is still the one that was seen. Exceptions keep the ones that they have.
func (v *Service) SetReasons(ctx context.Context, r view.NewReasons) (*view.Reasons, error) {
	seen := map[string]bool{}
	for _, text := range r.Reasons {
		if len([]rune(text)) > 100 || text == "" || text == none || seen[text] || strings.ContainsFunc(text, unicode.IsControl) {
			return nil, view.Invalid.New(fmt.Sprintf("%q cannot be a reason: one has 1 to 100 characters, is not the word none, and stands in the list once.", text))
		}
		seen[text] = true
	}
	switch err := v.store.SetReasons(ctx, r.Reasons, r.Seen); {
	case errors.Is(err, store.ErrChanged):
		return nil, view.Changed.New("Somebody has changed the list of reasons since you read it. Nothing was changed. Read it again, and repeat the change.")
	case err != nil:
		return nil, problem(err, "")
	}
	return v.Reasons(ctx)
}

// Tallies counts a report's entries by all that they can be chosen by.
func (v *Service) Tallies(ctx context.Context, run uint) (*view.Tallies, error) {
	r, err := v.report(ctx, run)
	if err != nil {
		return nil, err
	}
	list := &view.Tallies{Tallies: []view.Tally{}}
	newest, err := v.store.NewestEvent(ctx)
	if err != nil {
		return nil, err
	}
	if d, err := v.desk(ctx, r, newest.Seq); err != nil || d != nil {
		if d != nil {
			list.Tallies = append(list.Tallies, d.tallies()...)
		}
		return list, err
	}
	rows, err := v.store.Tallies(ctx, run)
	if err != nil {
		return nil, err
	}
	for _, row := range rows {
		list.Tallies = append(list.Tallies, view.Tally(row))
	}
	return list, nil
}
