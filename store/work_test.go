package store_test

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"testing"
	"time"

	"twinsieve/core/match"
	"twinsieve/store"
)

// found writes and seals a run of a sieve that finds so many exceptions, each as the change says; a change other than new is of the exception with
// the number of its place.
func found(t *testing.T, s *store.Store, sieve store.Sieve, changes ...string) store.Run {
	t.Helper()
	var list []store.Found
	for i, change := range changes {
		f := store.Found{Entry: store.Entry{Tray: "missing", Side: "left", Change: change, Status: store.StatusOpen, Size: []byte{}, KeyText: fmt.Sprintf("mw-%d", i)}}
		if change != "new" { // the run has read it as it is
			x := earlier(t, s, sieve, uint(i+1))
			f.Entry.ExceptionID, f.Entry.Status, f.Entry.Owner, f.Entry.Reason, f.Entry.Opened = x.ID, x.Status, x.Owner, x.Reason, x.Opened
			f.Back = change == "still-open" && x.Presence == "absent"
		}
		if change == "cleared" || change == "absent" {
			f.Entry.BodyRun, f.Entry.BodySeq = 1, int64(i+1)
		} else {
			f.Body = "{}"
		}
		list = append(list, f)
	}
	w := written(t, s, sieve, list)
	run := sealed(t, w)
	if err := w.Follow(t.Context()); err != nil {
		t.Fatal(err)
	}
	return run
}

// written is a run of a sieve of which everything is written, and that is not sealed.
func written(t *testing.T, s *store.Store, sieve store.Sieve, list []store.Found) *store.RunWriter {
	t.Helper()
	w, err := s.NewRun(t.Context(), sieve, store.Snapshot{}, store.Snapshot{})
	if err != nil {
		t.Fatal(err)
	}
	if err := w.Write(t.Context(), w.Place(list)); err != nil {
		t.Fatal(err)
	}
	return w
}

func sealed(t *testing.T, w *store.RunWriter) store.Run {
	t.Helper()
	run, err := w.Seal(t.Context(), "{}", &match.Index{})
	if err != nil {
		t.Fatal(err)
	}
	return run
}

// earlier is an exception as a run reads it that comes next; the zero value where there is none of this number.
func earlier(t *testing.T, s *store.Store, sieve store.Sieve, id uint) (found store.Exception) {
	t.Helper()
	for _, x := range everyEarlier(t, s, sieve) {
		if x.ID == id {
			found = x.Exception
		}
	}
	return found
}

// noReading is the reading of no hashes.
const noReading = math.MinInt64

// everyEarlier are all exceptions as a run reads them that comes next, those that are gone too. How they stand is held against what is read of them.
func everyEarlier(t *testing.T, s *store.Store, sieve store.Sieve) (all []store.Earlier) {
	t.Helper()
	var standings []store.Standing
	if _, err := s.Standings(t.Context(), sieve.ID, noReading, func(page []store.Standing) error {
		standings = append(standings, page...)
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	places := make([]store.EarlierPlace, len(standings))
	for i, x := range standings {
		places[i] = x.At
	}
	if err := s.EachEarlier(t.Context(), sieve.ID, places, func(page []store.Earlier) error {
		all = append(all, page...)
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	for i, x := range all {
		settled := x.Settled != nil
		if st := standings[i]; st.At != x.At || st.Status != x.Status || st.Owner != x.Owner || st.Reason != x.Reason || !st.Opened.Equal(x.Opened) || st.Presence != x.Presence || st.Settled != settled ||
			st.BodyRun < x.BodyRun {
			t.Fatalf("%+v stands as %+v", x, st)
		}
	}
	return all
}

// shows tells the status and owner of every entry of a run.
func shows(t *testing.T, s *store.Store, run uint) string {
	t.Helper()
	page, _, _, err := s.Entries(t.Context(), store.EntryQuery{Run: run, Changes: everyChange, Limit: 100})
	if err != nil {
		t.Fatal(err)
	}
	text := ""
	for _, e := range page {
		text += fmt.Sprintf("%s/%s ", e.Status, e.Owner)
	}
	return text
}

var everyChange = []string{"new", "still-open", "changed", "returned", "cleared", "absent"}

// TestWorkThroughRuns works on exceptions while runs come and go: what a run says of them, what people say, and what a signed report keeps.
func TestWorkThroughRuns(t *testing.T) {
	s := open(t, t.TempDir())
	ines, tam := store.As(t.Context(), store.Actor{ID: 1, Name: "ines"}), store.As(t.Context(), store.Actor{ID: 2, Name: "tam"})
	sieve, err := s.CreateSieve(ines, "calls", "{}")
	if err != nil {
		t.Fatal(err)
	}
	text := func(v string) *string { return &v }
	first := found(t, s, sieve, "new", "new", "new", "new")
	all := store.EntryQuery{Run: first.ID}
	seen, err := s.NewestEvent(ines)
	if err != nil {
		t.Fatal(err)
	}
	work := func(as store.Actor, on store.WorkOn, change store.WorkChange) (store.Action, error) {
		return s.Work(store.As(t.Context(), as), on, change)
	}
	one := func(seq int64) store.EntryQuery { return store.EntryQuery{Run: first.ID, Seqs: []int64{seq}} }
	if a, err := work(store.Actor{ID: 2, Name: "tam"}, store.WorkOn{Chosen: one(2), Version: 1, Says: "tam's"}, store.WorkChange{Status: text("explained"), Owner: text("tam")}); err != nil || a.Items != 1 {
		t.Fatalf("%+v, %v", a, err)
	}
	var conflict *store.ConflictError
	if _, err := work(store.Actor{ID: 1, Name: "ines"}, store.WorkOn{Chosen: one(2), Version: 1}, store.WorkChange{Owner: text("ines")}); !errors.As(err, &conflict) || conflict.Exceptions != 1 || conflict.First[0].Owner != "tam" {
		t.Errorf("an older version: %v", err)
	}
	// What one has changed oneself is no conflict; what another has is refused, left out, or overwritten, as is asked.
	if a, err := work(store.Actor{ID: 2, Name: "tam"}, store.WorkOn{Chosen: all, Seen: seen.Seq, Says: "own"}, store.WorkChange{Reason: text("timing")}); err != nil || a.Items != 4 {
		t.Errorf("%+v, %v", a, err)
	}
	if _, err := work(store.Actor{ID: 1, Name: "ines"}, store.WorkOn{Chosen: all, Seen: seen.Seq}, store.WorkChange{Status: text("settled")}); !errors.As(err, &conflict) || conflict.Exceptions != 4 {
		t.Errorf("%v", err)
	}
	if a, err := work(store.Actor{ID: 1, Name: "ines"}, store.WorkOn{Chosen: all, Seen: seen.Seq, Over: "skip"}, store.WorkChange{Status: text("settled")}); err != nil || a.Items != 0 || a.ID != 0 {
		t.Errorf("nothing is left, and %+v, %v", a, err)
	}
	done, err := work(store.Actor{ID: 1, Name: "ines"}, store.WorkOn{Chosen: all, Seen: seen.Seq, Over: "overwrite", Says: "all"}, store.WorkChange{Status: text("explained"), Owner: text("ines")})
	if err != nil || done.Items != 4 {
		t.Fatalf("%+v, %v", done, err)
	}
	if got := shows(t, s, first.ID); got != "explained/ines explained/ines explained/ines explained/ines " {
		t.Errorf("%q", got)
	}
	undone, kept, err := s.Undo(tam, done.ID)
	if err != nil || kept != 0 || undone.UndoneBy != "tam" {
		t.Errorf("%+v, %d, %v", undone, kept, err)
	}
	if got := shows(t, s, first.ID); got != "open/ explained/tam open/ open/ " {
		t.Errorf("undone it is %q", got)
	}
	if _, _, err := s.Undo(tam, done.ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("undone twice: %v", err)
	}
	if _, err := work(store.Actor{}, store.WorkOn{Chosen: all, Over: "overwrite"}, store.WorkChange{Status: text("explained")}); err != nil {
		t.Fatal(err)
	}

	// The next run: the first is as it was and stays explained, the second has changed and is open again, the third is cleared and settled, the fourth
	// is absent. The first report shows the same, until it is signed.
	second := found(t, s, sieve, "still-open", "changed", "cleared", "absent")
	want := "explained/ open/tam settled/ explained/ "
	if got := shows(t, s, second.ID); got != want {
		t.Errorf("the second run shows %q, want %q", got, want)
	}
	if got := shows(t, s, first.ID); got != want {
		t.Errorf("the first shows %q, want %q", got, want)
	}
	if _, err := s.ChangeSignOff(ines, first.ID, 0, "report.signed", func(o *store.SignOff) error { o.State = store.ReportSigned; return nil }); err != nil {
		t.Fatal(err)
	}
	if _, err := work(store.Actor{}, store.WorkOn{Chosen: all, Over: "overwrite"}, store.WorkChange{Status: text("open")}); !errors.Is(err, store.ErrSigned) {
		t.Errorf("a signed report: %v", err)
	}
	third := found(t, s, sieve, "cleared", "cleared", "returned", "still-open")
	if got := shows(t, s, third.ID); got != "settled/ settled/tam open/ explained/ " {
		t.Errorf("the third run shows %q", got)
	}
	if got := shows(t, s, first.ID); got != want {
		t.Errorf("the signed one shows %q, want %q", got, want)
	}
	if got := shows(t, s, second.ID); got != "settled/ settled/tam open/ explained/ " {
		t.Errorf("the one between shows %q", got)
	}
	if x := earlier(t, s, sieve, 3); x.Presence != "here" || x.Settled != nil || x.BodyRun != third.ID {
		t.Errorf("%+v", x)
	}
	if x := earlier(t, s, sieve, 1); x.Presence != "cleared" || x.Settled == nil {
		t.Errorf("%+v", x)
	}
	// What was settled in between counts for the trend.
	for after, want := range map[time.Time]int{first.Started.Add(-time.Hour): 3, time.Now().Add(time.Hour): 0} {
		times := 0
		err := s.Settled(ines, sieve.ID, after, func(opened, settled time.Time) {
			if times++; settled.Before(opened) || opened.IsZero() {
				t.Errorf("opened %s, settled %s", opened, settled)
			}
		})
		if err != nil || times != want {
			t.Errorf("%d were settled after %s, %v", times, after, err)
		}
	}
	counts, err := s.OverviewCounts(ines, store.Actor{ID: 2, Name: "tam"})
	if err != nil || counts.All != 1 || counts.Mine != 0 || counts.Unowned != 1 {
		t.Errorf("%+v, %v", counts, err)
	}
	if v, err := s.Verify(ines, nil); err != nil || v.Broken != 0 {
		t.Errorf("%+v, %v", v, err)
	}
}

// TestWorkMeanwhile: what people change between a run's reading of the exceptions and its sealing is in its report.
func TestWorkMeanwhile(t *testing.T) {
	s := open(t, t.TempDir())
	tam := store.As(t.Context(), store.Actor{ID: 2, Name: "tam"})
	sieve, err := s.CreateSieve(tam, "calls", "{}")
	if err != nil {
		t.Fatal(err)
	}
	first := found(t, s, sieve, "new", "new", "new", "new")
	var list []store.Found
	for i, change := range []string{"still-open", "changed", "cleared", "still-open"} {
		list = append(list, store.Found{Entry: store.Entry{Change: change, Status: store.StatusOpen, ExceptionID: uint(i + 1), BodyRun: first.ID, BodySeq: int64(i + 1), Size: []byte{}}})
	}
	w := written(t, s, sieve, list)
	status, owner := store.StatusExplained, "tam"
	on := store.WorkOn{Chosen: store.EntryQuery{Run: first.ID, Seqs: []int64{1, 2, 3}}, Over: "overwrite"}
	if _, err := s.Work(tam, on, store.WorkChange{Status: &status, Owner: &owner}); err != nil {
		t.Fatal(err)
	}
	second := sealed(t, w)
	if got, want := shows(t, s, second.ID), "explained/tam open/tam settled/tam open/ "; got != want {
		t.Errorf("the run shows %q, want %q", got, want)
	}
}

// TestFollowedAfterCrash: what a run was not able to bring up to date behind its sealing is done by the next start.
func TestFollowedAfterCrash(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	sieve, err := s.CreateSieve(t.Context(), "calls", "{}")
	if err != nil {
		t.Fatal(err)
	}
	const many = 1700
	first := found(t, s, sieve, slices.Repeat([]string{"new"}, many)...)
	var some []int64
	for seq := int64(1); seq <= many; seq += 2 {
		some = append(some, seq)
	}
	owner := "tam"
	if a, err := s.Work(t.Context(), store.WorkOn{Chosen: store.EntryQuery{Run: first.ID, Seqs: some}}, store.WorkChange{Owner: &owner}); err != nil || a.Items != int64(len(some)) {
		t.Fatalf("%+v, %v", a, err)
	}
	var list []store.Found
	for i := range many {
		change := []string{"still-open", "still-open", "changed"}[i%3]
		list = append(list, store.Found{Entry: store.Entry{Change: change, Status: store.StatusOpen, ExceptionID: uint(i + 1), Size: []byte{}}, Body: fmt.Sprint(i)})
	}
	w := written(t, s, sieve, list)
	second := sealed(t, w)
	shown := func(id uint, run uint) {
		t.Helper()
		if x := earlier(t, s, sieve, id); x.BodyRun != run || x.BodySeq != int64(id) {
			t.Errorf("exception %d shows entry %d of run %d, want run %d", id, x.BodySeq, x.BodyRun, run)
		}
	}
	shown(1, first.ID)
	shown(2, second.ID) // nobody has worked on it, so it is what the run has found
	shown(3, second.ID) // it has changed, which everybody sees at once
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	s = open(t, dir)
	for _, id := range []uint{1, 2, 3, 500, 501, 1000, 1001, many - 1, many} {
		shown(id, second.ID)
	}
	if run, err := s.Run(t.Context(), second.ID); err != nil || !run.Followed {
		t.Errorf("%+v, %v", run, err)
	}
}

// TestUnsealedRun lets a run that does not get there leave nothing: neither exceptions nor what it would have made of those of before.
func TestUnsealedRun(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	sieve, err := s.CreateSieve(t.Context(), "calls", "{}")
	if err != nil {
		t.Fatal(err)
	}
	first := found(t, s, sieve, "new", "new")
	for _, crash := range []bool{false, true} {
		list := []store.Found{{Entry: store.Entry{Change: "cleared", ExceptionID: 1, BodyRun: 1, BodySeq: 1, Size: []byte{}}}}
		for range 130 { // more than a block of entries
			list = append(list, store.Found{Entry: store.Entry{Change: "new", Size: []byte{}}, Body: "{}"})
		}
		w := written(t, s, sieve, list)
		checkRows(t, s, map[string]int64{"entry_blocks": 3, "turned": 1, "body_blocks": 5, "runs": 2})
		if x := earlier(t, s, sieve, 3); x.ID != 0 {
			t.Errorf("an exception of a run that is not sealed: %+v", x)
		}
		if crash {
			if err := s.Close(); err != nil {
				t.Fatal(err)
			}
			s = open(t, dir)
		} else if err := w.Drop(t.Context()); err != nil {
			t.Fatal(err)
		}
		checkRows(t, s, map[string]int64{"exceptions": 0, "entry_blocks": 1, "turned": 0, "body_blocks": 1, "runs": 1, "found_blocks": 2})
		if got := shows(t, s, first.ID); got != "open/ open/ " {
			t.Errorf("%q", got)
		}
	}
}
