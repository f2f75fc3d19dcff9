package store_test

import (
	"bytes"
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"twinsieve/core/again"
	"twinsieve/core/match"
	"twinsieve/service"
	"twinsieve/store"
)

// office is a store, and what must be in it.
type office struct {
	*testing.T
	dir    string
	store  *store.Store
	random *rand.Rand
	sieves []store.Sieve
	newest map[uint]store.Run
	all    []*kept // by number
	tam    store.Person
	runs   []store.Run
	signed map[uint]map[int64]string // what signed reports show, by run and place
}

// kept is what must be known of an exception.
type kept struct {
	store.Exception
	body      string
	seq       int64 // in the newest run; 0: it is not in it
	mentioned bool
	listed    map[uint]int64 // its places, by run
}

func (k *kept) pending() bool {
	return k.Status == store.StatusOpen || k.Status == store.StatusInProgress
}

// run runs a sieve, which finds so many new exceptions and something of each that was there before.
func (o *office) run(sieve store.Sieve, fresh int) {
	o.Helper()
	w, err := o.store.NewRun(o.Context(), sieve, store.Snapshot{}, store.Snapshot{})
	if err != nil {
		o.Fatal(err)
	}
	seq := int64(0)
	size := func() []byte { return []byte{byte(o.random.IntN(3)), byte(o.random.IntN(4))}[:o.random.IntN(3)] }
	text := func() string { return fmt.Sprintf(`"%d %d"`, o.newest[sieve.ID].ID, seq) }
	found := func(k *kept, change again.Change) store.Found {
		seq++
		k.seq = seq
		if k.listed == nil {
			k.listed = map[uint]int64{}
		}
		k.listed[0] = seq // of the run that is being written
		f := store.Found{Back: change == again.StillOpen && k.Presence == "absent", Entry: store.Entry{Tray: "missing", Side: "left", Change: string(change), Status: k.Status, Owner: k.Owner, Reason: k.Reason, ExceptionID: k.ID, Opened: k.Opened,
			Size: k.Size, BodyRun: k.BodyRun, BodySeq: k.BodySeq}}
		if change.Here() {
			f.Body, k.body = text(), text()
		}
		return f
	}
	var list []store.Found
	for _, k := range o.all {
		if k.seq = 0; k.SieveID != sieve.ID {
			continue
		}
		change := again.StillOpen
		switch n := o.random.IntN(20); {
		case k.Presence != "here" && n < 10:
			change = again.Returned
		case k.Presence == "cleared", k.Presence == "absent" && k.Status == store.StatusSettled:
			continue
		case k.Presence == "absent" && n < 12: // carried in
		case k.Presence == "absent":
			change = again.Absent
		case n == 0:
			change = again.Absent
		case n == 1:
			change = again.Cleared
		case n < 4:
			change = again.Changed
		}
		if change == again.Changed || change == again.Returned {
			k.Size = size()
		}
		list = append(list, found(k, change))
		switch change {
		case again.Changed:
			if k.Status == store.StatusExplained || k.Status == store.StatusSettled {
				k.Status = store.StatusOpen
			}
		case again.Returned:
			k.Status = store.StatusOpen
		case again.Cleared:
			k.Status = store.StatusSettled
		}
		if k.Presence = "here"; !change.Here() {
			k.Presence = string(change)
		}
	}
	var opened []*kept
	for range fresh {
		k := &kept{Exception: store.Exception{SieveID: sieve.ID, Status: store.StatusOpen, Size: size(), Presence: "here"}}
		opened = append(opened, k)
		list = append(list, found(k, again.New))
	}
	for part := range slices.Chunk(list, 300) {
		if err := w.Write(o.Context(), w.Place(part)); err != nil {
			o.Fatal(err)
		}
	}
	run, err := w.Seal(o.Context(), "{}", &match.Index{})
	if err != nil {
		o.Fatal(err)
	}
	if o.random.IntN(3) > 0 { // else a crash is before it
		if err := w.Follow(o.Context()); err != nil {
			o.Fatal(err)
		}
	} else {
		o.reopen()
	}
	o.newest[sieve.ID] = run
	o.runs = append(o.runs, run)
	defer func() {
		for _, k := range o.all {
			if seq, is := k.listed[0]; is {
				k.listed[run.ID] = seq
				delete(k.listed, 0)
			}
		}
	}()
	for _, k := range opened {
		k.ID, k.Opened = uint(len(o.all)+1), run.Started
		o.all = append(o.all, k)
	}
	for _, k := range o.all {
		if k.SieveID == sieve.ID && k.seq > 0 && k.Presence == "here" {
			k.BodyRun, k.BodySeq = run.ID, k.seq
		}
	}
}

func (o *office) reopen() {
	o.Helper()
	if o.store != nil {
		if err := o.store.Close(); err != nil {
			o.Fatal(err)
		}
	}
	o.store = open(o.T, o.dir)
}

// work works on some exceptions of a sieve's newest report, or says something about one.
func (o *office) work(sieve store.Sieve) {
	o.Helper()
	run := o.newest[sieve.ID]
	var some []*kept
	for _, k := range o.all {
		if k.SieveID == sieve.ID && k.seq > 0 && o.random.IntN(8) == 0 {
			some = append(some, k)
		}
	}
	if run.ID == 0 || len(some) == 0 || o.signed[run.ID] != nil {
		return
	}
	if o.random.IntN(6) == 0 {
		if _, err := o.store.ChangeSignOff(o.Context(), run.ID, 0, "report.signed", func(s *store.SignOff) error { s.State = store.ReportSigned; return nil }); err != nil {
			o.Fatal(err)
		}
		o.signed[run.ID] = o.shown(run)
		return
	}
	if k := some[0]; o.random.IntN(3) == 0 {
		if _, err := o.store.AddComment(o.Context(), run.ID, k.ID, "@tam?", []store.Person{o.tam}); err != nil {
			o.Fatal(err)
		}
		k.mentioned = true
		return
	}
	status := []string{store.StatusOpen, store.StatusInProgress, store.StatusExplained, store.StatusSettled}[o.random.IntN(4)]
	owner := []string{"", "tam", "ines"}[o.random.IntN(3)]
	on := store.WorkOn{Chosen: store.EntryQuery{Run: run.ID, Changes: everyChange}, Over: "overwrite"}
	for _, k := range some {
		on.Chosen.Seqs = append(on.Chosen.Seqs, k.seq)
		k.Status, k.Owner = status, owner
	}
	if _, err := o.store.Work(o.Context(), on, store.WorkChange{Status: &status, Owner: &owner}); err != nil {
		o.Fatal(err)
	}
}

// shown is what the report of a run must show, by place.
func (o *office) shown(run store.Run) map[int64]string {
	shown := map[int64]string{}
	for _, k := range o.all {
		if seq := k.listed[run.ID]; seq > 0 {
			shown[seq] = k.Status + " " + k.Owner
		}
	}
	return shown
}

// checkReports holds what all reports show against what they must.
func (o *office) checkReports() {
	o.Helper()
	for _, run := range o.runs {
		want := o.signed[run.ID]
		if want == nil {
			want = o.shown(run)
		}
		page, _, _, err := o.store.Entries(o.Context(), store.EntryQuery{Run: run.ID, Changes: everyChange, Limit: len(want) + 1})
		if err != nil || len(page) != len(want) {
			o.Fatalf("run %d lists %d exceptions of %d, %v", run.ID, len(page), len(want), err)
		}
		for _, e := range page {
			if got := e.Status + " " + e.Owner; got != want[e.Seq] {
				o.Fatalf("run %d, signed %t: entry %d, which is %s, shows %q, want %q", run.ID, o.signed[run.ID] != nil, e.Seq, e.Change, got, want[e.Seq])
			}
		}
	}
}

// check reads all that is pending, by pages, in both orders and chosen in every way, and holds it against what must be known.
func (o *office) check() {
	o.Helper()
	nobody, tam := "", "tam"
	for name, q := range map[string]store.OverviewQuery{"all": {}, "unowned": {Owner: &nobody}, "tam's": {Owner: &tam}, "of a sieve": {Sieve: o.sieves[0].ID}, "mentions": {Mention: o.tam.ID}} {
		for _, sort := range []string{"age", "amount"} {
			var want []*kept
			for _, k := range o.all {
				if (k.pending() || q.Mention > 0) && (q.Owner == nil || *q.Owner == k.Owner) && (q.Sieve == 0 || q.Sieve == k.SieveID) && (q.Mention == 0 || k.mentioned) {
					want = append(want, k)
				}
			}
			slices.SortStableFunc(want, func(a, b *kept) int {
				if sort == "amount" {
					return bytes.Compare(b.Size, a.Size)
				}
				return a.Opened.Compare(b.Opened)
			})
			q.Sort, q.After, q.Limit = sort, "", 1+len(want)/6+o.random.IntN(len(want)+1)
			var got []store.Overviewed
			for {
				page, total, next, err := o.store.Overview(o.Context(), q)
				if err != nil || total != int64(len(want)) {
					o.Fatalf("%s by %s: %d of %d, %v", name, sort, total, len(want), err)
				}
				if got = append(got, page...); next == "" {
					break
				}
				q.After = next
			}
			if len(got) != len(want) {
				o.Fatalf("%s by %s: %d listed of %d", name, sort, len(got), len(want))
			}
			for i, k := range want {
				if x := got[i]; x.ID != k.ID || x.Body != k.body || x.Status != k.Status || x.Owner != k.Owner || x.Sieve == "" || !x.Opened.Equal(k.Opened) || x.Run != o.newest[k.SieveID].ID && k.seq > 0 {
					o.Fatalf("%s by %s: number %d is %+v, want %+v", name, sort, i, x, k)
				}
			}
		}
	}
	var want store.OverviewCounts
	for _, k := range o.all {
		if k.mentioned {
			want.Mentions++
		}
		if !k.pending() {
			continue
		}
		want.All++
		switch k.Owner {
		case "tam":
			want.Mine++
		case "":
			want.Unowned++
		}
	}
	if got, err := o.store.OverviewCounts(o.Context(), store.Actor{ID: o.tam.ID, Name: "tam"}); err != nil || got != want {
		o.Errorf("%+v, want %+v; %v", got, want, err)
	}
	o.checkReports()
	// What the next run reads.
	for _, sieve := range o.sieves {
		var got, want []string
		for _, x := range everyEarlier(o.T, o.store, sieve) {
			got = append(got, fmt.Sprintf("%d %s %q %s %x %d %d %s", x.ID, x.Status, x.Owner, x.Presence, x.Size, x.BodyRun, x.BodySeq, x.Body))
		}
		for _, k := range o.all {
			if k.SieveID == sieve.ID {
				want = append(want, fmt.Sprintf("%d %s %q %s %x %d %d %s", k.ID, k.Status, k.Owner, k.Presence, k.Size, k.BodyRun, k.BodySeq, k.body))
			}
		}
		if d := slices.IndexFunc(want, func(w string) bool { return !slices.Contains(got, w) }); d >= 0 || len(got) != len(want) {
			o.Fatalf("%d of before, want %d; one is not there: %s", len(got), len(want), want[max(d, 0)])
		}
		here := slices.DeleteFunc(everyEarlier(o.T, o.store, sieve), func(x store.Earlier) bool { return x.Presence != "here" })
		if !slices.IsSortedFunc(here, func(a, b store.Earlier) int { return cmp.Compare(a.ID, b.ID) }) {
			o.Error("those of before are not in order")
		}
	}
}

// TestUntouched lets runs of several sieves come and go, and people work on some of what they find: all that is pending is listed and counted, in either
// order, page by page, whether or not it has a row of its own; and the next run reads every exception of before.
func TestUntouched(t *testing.T) {
	for seed := range uint64(6) {
		o := &office{T: t, dir: t.TempDir(), random: rand.New(rand.NewPCG(seed, 7)), newest: map[uint]store.Run{}, signed: map[uint]map[int64]string{}}
		o.reopen()
		var err error
		if o.tam, err = o.store.CreatePerson(t.Context(), store.Person{Name: "tam", Role: "analyst", Active: true}); err != nil {
			t.Fatal(err)
		}
		for _, name := range []string{"Berth billing", "Pilots", "Tugs"} {
			sieve, err := o.store.CreateSieve(t.Context(), name, "{}")
			if err != nil {
				t.Fatal(err)
			}
			o.sieves = append(o.sieves, sieve)
		}
		if seed == 0 { // of several blocks
			o.run(o.sieves[1], 2300)
			o.check()
		}
		for range 14 {
			sieve := o.sieves[o.random.IntN(len(o.sieves))]
			if o.random.IntN(2) == 0 {
				o.run(sieve, o.random.IntN(20))
			} else {
				o.work(sieve)
			}
			o.check()
		}
		touched, err := o.store.Rows("exceptions")
		if err != nil || touched == 0 || touched >= int64(len(o.all)) {
			t.Errorf("%d of %d exceptions have rows, %v", touched, len(o.all), err)
		}
	}
}

// TestExceptionsOfBefore opens a file in which every exception has a row: all of them are pending as they were, and the next run goes on from there.
func TestExceptionsOfBefore(t *testing.T) {
	dir := t.TempDir()
	const at = "2031-03-01 10:00:00+00:00"
	statements := []string{
		`INSERT INTO sieves VALUES (1, 'Berth billing', 1, '` + at + `', '` + at + `')`,
		`INSERT INTO sieve_versions VALUES (1, 1, '{}', '` + at + `')`,
		`INSERT INTO runs (id, sieve_id, version, number, left_id, right_id, header, totals, started, finished, sealed)
			VALUES (1, 1, 1, 1, 1, 1, '{}', '{}', '` + at + `', '` + at + `', 1), (2, 1, 1, 2, 1, 1, '{}', '{}', '` + at + `', '` + at + `', 0)`}
	for seq := 1; seq <= 40; seq++ {
		run := 1
		if seq > 30 { // of a run that a crash has ended
			run = 2
		}
		statements = append(statements,
			fmt.Sprintf(`INSERT INTO entries (run_id, seq, tray, side, change, status, owner, reason, exception_id, opened, amount, size, differs, key_text, body_run, body_seq, search)
				VALUES (%d, %d, 'missing', 'left', 'new', 'open', '', '', %[2]d, '%s', '', X'', 0, '', %[1]d, %[2]d, '')`, run, seq, at),
			fmt.Sprintf(`INSERT INTO exceptions (id, sieve_id, side, tray, status, owner, reason, version, opened, opened_run, presence, amount, size, key_text, body_run, body_seq, changed_seq,
				changed_by, comments, attachments) VALUES (%d, 1, 'left', 'missing', 'open', '', '', 1, '%s', %d, 'here', '', X'', '', %[3]d, %[1]d, 0, '', 0, 0)`, seq, at, run),
			fmt.Sprintf(`INSERT INTO entry_bodies VALUES (%d, %d, '"%[2]d"')`, run, seq))
	}
	if err := store.Old(dir, 13, statements...); err != nil {
		t.Fatal(err)
	}
	o := &office{T: t, dir: dir, random: rand.New(rand.NewPCG(3, 4)), newest: map[uint]store.Run{1: {ID: 1}}, signed: map[uint]map[int64]string{}, tam: store.Person{ID: 1}}
	o.reopen()
	defer service.New(o.store, service.Options{}).Close()
	sieve, _, err := o.store.Sieve(t.Context(), "Berth billing")
	if err != nil {
		t.Fatal(err)
	}
	o.sieves = []store.Sieve{sieve}
	opened := time.Date(2031, 3, 1, 10, 0, 0, 0, time.UTC)
	for seq := int64(1); seq <= 30; seq++ {
		o.all = append(o.all, &kept{seq: seq, body: fmt.Sprintf(`"%d"`, seq), Exception: store.Exception{ID: uint(seq), SieveID: 1, Status: "open", Presence: "here", Opened: opened, BodyRun: 1, BodySeq: seq}})
	}
	o.check()
	o.run(sieve, 12)
	o.check()
}

// TestSignedBeforeFollowed: a report that is signed straight after a later run's sealing shows what that run has made of its exceptions, and goes on to.
func TestSignedBeforeFollowed(t *testing.T) {
	s := open(t, t.TempDir())
	sieve, err := s.CreateSieve(t.Context(), "Berth billing", "{}")
	if err != nil {
		t.Fatal(err)
	}
	first := found(t, s, sieve, "new", "new", "new")
	seen, err := s.NewestEvent(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	var list []store.Found
	for i, change := range []string{"cleared", "still-open", "absent"} {
		list = append(list, store.Found{Entry: store.Entry{Change: change, Status: store.StatusOpen, ExceptionID: uint(i + 1), BodyRun: first.ID, BodySeq: int64(i + 1), Size: []byte{}}})
	}
	w := written(t, s, sieve, list)
	sealed(t, w)
	const want = "settled/ open/ open/ "
	if changes, err := s.DeskChanges(t.Context(), first.ID, seen.Seq); err != nil || len(changes) != 1 || changes[0].ExceptionID != 1 || changes[0].Status != store.StatusSettled {
		t.Errorf("a list that is in memory hears of %+v, %v", changes, err)
	}
	if _, err := s.ChangeSignOff(t.Context(), first.ID, 0, "report.signed", func(o *store.SignOff) error { o.State = store.ReportSigned; return nil }); err != nil {
		t.Fatal(err)
	}
	if got := shows(t, s, first.ID); got != want {
		t.Errorf("signed, it shows %q, want %q", got, want)
	}
	if err := w.Follow(t.Context()); err != nil {
		t.Fatal(err)
	}
	if got := shows(t, s, first.ID); got != want {
		t.Errorf("later it shows %q, want %q", got, want)
	}
}

// TestFollowedLate: what a run was not able to bring up to date is done by the next start, but for what a later run has found since.
func TestFollowedLate(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	sieve, err := s.CreateSieve(t.Context(), "Berth billing", "{}")
	if err != nil {
		t.Fatal(err)
	}
	first := found(t, s, sieve, "new", "new")
	owner := "tam"
	if _, err := s.Work(t.Context(), store.WorkOn{Chosen: store.EntryQuery{Run: first.ID}}, store.WorkChange{Owner: &owner}); err != nil {
		t.Fatal(err)
	}
	var list []store.Found
	for i := range 2 {
		list = append(list, store.Found{Entry: store.Entry{Change: "still-open", Status: store.StatusOpen, Owner: owner, ExceptionID: uint(i + 1), Size: []byte{}}, Body: "{}"})
	}
	w := written(t, s, sieve, list)
	sealed(t, w)
	third := found(t, s, sieve, "changed", "still-open")
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	s = open(t, dir)
	for id := uint(1); id <= 2; id++ {
		if x := earlier(t, s, sieve, id); x.BodyRun != third.ID || x.Owner != owner {
			t.Errorf("%+v, want what run %d has found", x, third.ID)
		}
	}
}
