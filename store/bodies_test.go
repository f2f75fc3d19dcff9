package store_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"twinsieve/core/match"
	"twinsieve/service"
	"twinsieve/store"
)

// shownOf is what every entry of a run shows, by its place, read all at once and one by one.
func shownOf(t *testing.T, s *store.Store, run uint, entries int) map[int64]string {
	t.Helper()
	shown := map[int64]string{}
	page, _, _, err := s.Entries(t.Context(), store.EntryQuery{Run: run, Changes: everyChange, Limit: entries + 1})
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range page {
		shown[e.Seq] = e.Body
		one, err := s.Entry(t.Context(), run, e.Seq)
		if err != nil || one.Body != e.Body {
			t.Fatalf("entry %d alone shows %q, among all %q: %v", e.Seq, one.Body, e.Body, err)
		}
	}
	return shown
}

// TestBodies writes runs in parts of any length, of entries that show what they have found, or what an earlier run has: each shows its own,
// and so do the exceptions that the next run reads.
func TestBodies(t *testing.T) {
	s := open(t, t.TempDir())
	sieve, err := s.CreateSieve(t.Context(), "harbour dues", "{}")
	if err != nil {
		t.Fatal(err)
	}
	random := rand.New(rand.NewPCG(1, 2))
	of := map[uint]string{} // what each exception was last seen as
	var before []store.Entry
	for round := range 6 {
		w, err := s.NewRun(t.Context(), sieve, store.Snapshot{}, store.Snapshot{})
		if err != nil {
			t.Fatal(err)
		}
		var wrote []string
		write := func(part []store.Found) {
			if err := w.Write(t.Context(), w.Place(part)); err != nil {
				t.Fatal(err)
			}
		}
		body := func() string {
			return fmt.Sprintf(`{"round": %d, "entry": %d, "text": %q}`, round, len(wrote), strings.Repeat("é", random.IntN(400)))
		}
		again := func(old store.Entry) store.Found { // as it was, or as it was last seen
			if random.IntN(2) == 0 {
				wrote = append(wrote, body())
				return store.Found{Entry: store.Entry{Change: "still-open", Status: store.StatusOpen, ExceptionID: old.ExceptionID, Size: []byte{}}, Body: wrote[len(wrote)-1], Back: old.Change == "absent"}
			}
			wrote = append(wrote, of[old.ExceptionID])
			return store.Found{Entry: store.Entry{Change: "absent", Status: store.StatusOpen, ExceptionID: old.ExceptionID, BodyRun: old.BodyRun, BodySeq: old.BodySeq, Size: []byte{}}}
		}
		for total := random.IntN(300); len(wrote) < total; {
			part := make([]store.Found, 1+random.IntN(90))
			for i := range part {
				if len(before) > 0 && random.IntN(3) == 0 { // of before, and once
					at := random.IntN(len(before))
					part[i] = again(before[at])
					before[at] = before[len(before)-1]
					before = before[:len(before)-1]
					continue
				}
				wrote = append(wrote, body())
				part[i] = store.Found{Entry: store.Entry{Change: "new", Status: store.StatusOpen, Size: []byte{}}, Body: wrote[len(wrote)-1]}
			}
			write(part)
		}
		for _, old := range before { // a run says something of all that there was before
			write([]store.Found{again(old)})
		}
		before = nil
		run, err := w.Seal(t.Context(), "{}", &match.Index{})
		if err != nil {
			t.Fatal(err)
		}
		if err := w.Follow(t.Context()); err != nil {
			t.Fatal(err)
		}
		shown := shownOf(t, s, run.ID, len(wrote))
		page, _, _, err := s.Entries(t.Context(), store.EntryQuery{Run: run.ID, Changes: everyChange, Limit: len(wrote) + 1})
		if err != nil {
			t.Fatal(err)
		}
		for i, e := range page {
			of[e.ExceptionID] = wrote[i]
			before = append(before, e.Entry)
		}
		if len(shown) != len(wrote) {
			t.Fatalf("%d entries of %d", len(shown), len(wrote))
		}
		for i, body := range wrote {
			if shown[int64(i+1)] != body {
				t.Fatalf("round %d: entry %d shows %q, not %q", round, i+1, shown[int64(i+1)], body)
			}
		}
	}
	seen := 0
	for _, x := range everyEarlier(t, s, sieve) {
		if seen++; x.Body != of[x.ID] {
			t.Errorf("exception %d shows %q, not %q", x.ID, x.Body, of[x.ID])
		}
	}
	if seen != len(of) || seen == 0 {
		t.Errorf("%d exceptions of %d, %v", seen, len(of), err)
	}
}

// TestBodiesOfBefore opens a file in which each body has a row of its own, some entries have none, and places are far apart.
func TestBodiesOfBefore(t *testing.T) {
	dir := t.TempDir()
	statements := []string{
		`INSERT INTO sieves VALUES (1, 'harbour dues', 1, '2031-03-01 10:00:00+00:00', '2031-03-01 10:00:00+00:00')`,
		`INSERT INTO runs (id, sieve_id, version, number, left_id, right_id, header, totals, started, finished, sealed)
			VALUES (1, 1, 1, 1, 1, 1, '{}', '{}', '2031-03-01 10:00:00+00:00', '2031-03-01 10:00:00+00:00', 1), (2, 1, 1, 2, 1, 1, '{}', '{}', '2031-03-02 10:00:00+00:00', '2031-03-02 10:00:00+00:00', 1)`}
	var wanted [3]map[int64]string
	for run := 1; run <= 2; run++ {
		wanted[run] = map[int64]string{}
		for _, seq := range []int64{1, 2, 31, 32, 33, 64, 65, 66, 200, 500, 501, 512, 513, 1000} {
			body := fmt.Sprintf(`{"run":%d,"place":%d}`, run, seq)
			wanted[run][seq] = body
			of := run
			if run == 2 && seq%2 == 0 { // shows what the first has found
				wanted[run][seq], of = wanted[1][seq], 1
			} else {
				statements = append(statements, fmt.Sprintf(`INSERT INTO entry_bodies VALUES (%d, %d, '%s')`, run, seq, body))
			}
			statements = append(statements, fmt.Sprintf(`INSERT INTO entries (run_id, seq, tray, side, change, status, owner, reason, exception_id, opened, amount, size, differs, key_text,
				body_run, body_seq, search) VALUES (%d, %d, 'missing', 'left', 'new', 'open', '', '', 0, '2031-03-01 10:00:00+00:00', '', X'', 0, '', %d, %d, '')`, run, seq, of, seq))
		}
	}
	if err := store.Old(dir, 13, statements...); err != nil {
		t.Fatal(err)
	}
	s := open(t, dir)
	defer service.New(s, service.Options{}).Close()
	for run := uint(1); run <= 2; run++ {
		shown := shownOf(t, s, run, 1000)
		if len(shown) != len(wanted[run]) {
			t.Errorf("run %d: %d entries of %d", run, len(shown), len(wanted[run]))
		}
		for seq, body := range wanted[run] {
			if shown[seq] != body {
				t.Errorf("run %d, entry %d shows %q, not %q", run, seq, shown[seq], body)
			}
		}
	}
}

// TestDamagedBody: what is shown of an entry cannot be read, and this is said.
func TestDamagedBody(t *testing.T) {
	s := open(t, t.TempDir())
	sieve, err := s.CreateSieve(t.Context(), "harbour dues", "{}")
	if err != nil {
		t.Fatal(err)
	}
	run := found(t, s, sieve, "new", "new")
	for _, damage := range []string{`UPDATE body_blocks SET blob = X'00'`, `DELETE FROM body_blocks`} {
		if err := s.Exec(damage); err != nil {
			t.Fatal(err)
		}
		if _, err := s.Entry(t.Context(), run.ID, 1); err == nil || !strings.Contains(err.Error(), "what is shown of an entry is damaged in the data file") {
			t.Errorf("%s: %v", damage, err)
		}
	}
}

// TestEntriesOfBefore opens a file in which each entry has a row of its own: a signed report shows what it did, any other how its exceptions stand, and one from before exceptions were followed what
// is kept with it.
func TestEntriesOfBefore(t *testing.T) {
	dir := t.TempDir()
	const at = "2031-03-01 10:00:00.5+00:00"
	statements := []string{
		`INSERT INTO sieves VALUES (1, 'Berth billing', 1, '` + at + `', '` + at + `')`,
		`INSERT INTO exceptions (id, sieve_id, side, tray, status, owner, reason, version, opened, presence, amount, currency, size, key_text, body_run, body_seq, changed_seq, changed_by, comments,
			attachments) VALUES (1, 1, 'left', 'missing', 'settled', 'ines', 'timing', 7, '` + at + `', 'here', '-1.5', 'EUR', X'81', 'mw-1', 3, 1, 5, 'ines', 2, 3)`}
	for run := 1; run <= 3; run++ {
		statements = append(statements, fmt.Sprintf(`INSERT INTO runs (id, sieve_id, version, number, left_id, right_id, header, totals, started, finished, sealed, here)
			VALUES (%d, 1, 1, %[1]d, 1, 1, '{}', '{}', '`+at+`', '`+at+`', 1, 2)`, run))
		for seq := 1; seq <= 2; seq++ {
			exception := seq
			if run == 1 {
				exception = 0
			}
			statements = append(statements, fmt.Sprintf(`INSERT INTO entries (run_id, seq, tray, side, change, status, owner, reason, exception_id, opened, amount, currency, size, differs, key_text,
				body_run, body_seq, search) VALUES (%d, %d, 'missing', 'left', 'still-open', 'explained', 'tam', 'rounding', %d, '`+at+`', '-1.5', 'EUR', X'81FF', 5, 'mw-%[2]d', %[1]d, %[2]d, 'mw-%[2]d wren')`,
				run, seq, exception))
		}
		statements = append(statements, fmt.Sprintf(`INSERT INTO body_blocks VALUES (%d, 0, X'%x')`, run, store.ZstdOfBefore("\x02{}\x04[{}]")))
	}
	// More than is read at a time, with gaps at the ends of blocks.
	statements = append(statements, `INSERT INTO runs (id, sieve_id, version, number, left_id, right_id, header, totals, started, finished, sealed, here)
		VALUES (4, 1, 1, 4, 1, 1, '{}', '{}', '`+at+`', '`+at+`', 1, 0)`, `INSERT INTO entries (run_id, seq, tray, side, change, status, owner, reason, exception_id, opened, amount, currency, size, differs,
		key_text, body_run, body_seq, search) WITH RECURSIVE n(seq) AS (SELECT 1 UNION ALL SELECT seq + 1 FROM n WHERE seq < 25000)
		SELECT 4, seq, 'missing', 'left', 'cleared', 'settled', '', '', 0, '`+at+`', '', '', X'', 0, 'mw-' || seq, 3, 1, '' FROM n WHERE seq % 64 > 2 AND seq % 10001 > 0`)
	statements = append(statements, `INSERT INTO sign_offs VALUES (2, 'signed', 2, 'ines', NULL, 'tam', NULL, '')`)
	if err := store.Old(dir, 16, statements...); err != nil {
		t.Fatal(err)
	}
	s := open(t, dir)
	for run, want := range map[uint]string{1: "explained/tam explained/tam ", 2: "explained/tam explained/tam ", 3: "settled/ines open/ "} {
		if got := shows(t, s, run); got != want {
			t.Errorf("run %d shows %q, want %q", run, got, want)
		}
	}
	page, total, _, err := s.Entries(t.Context(), store.EntryQuery{Run: 3, Search: "WREN mw-1", AtLeast: []byte{0x81}, Differs: 3, Limit: 10})
	if err != nil || total != 1 || len(page) != 1 {
		t.Fatalf("%+v, %d, %v", page, total, err)
	}
	if e := page[0]; e.Body != "{}" || e.Amount != "-1.5" || e.Currency != "EUR" || e.KeyText != "mw-1" || e.Tray != "missing" || e.Side != "left" || e.Version != 7 || e.Comments != 2 || e.Attachments != 3 ||
		!e.Opened.Equal(time.Date(2031, 3, 1, 10, 0, 0, 5e8, time.UTC)) || !bytes.Equal(e.Size, []byte{0x81, 0xff}) || e.Differs != 5 {
		t.Errorf("%+v", e)
	}
	var want, got []int64
	for seq := int64(1); seq <= 25_000; seq++ {
		if seq%64 > 2 && seq%10_001 > 0 {
			want = append(want, seq)
		}
	}
	all, total, _, err := s.Entries(t.Context(), store.EntryQuery{Run: 4, Changes: everyChange, Limit: 25_000})
	if err != nil || total != int64(len(want)) {
		t.Fatalf("%d entries of %d, %v", total, len(want), err)
	}
	for _, e := range all {
		if got = append(got, e.Seq); e.KeyText != fmt.Sprint("mw-", e.Seq) {
			t.Fatalf("entry %d is %+v", e.Seq, e)
		}
	}
	if !slices.Equal(got, want) {
		t.Errorf("of many entries, not all are where they were: %d of %d", len(got), len(want))
	}
	reopened := func(o *store.SignOff) error { o.State = store.ReportDraft; return nil }
	if _, err := s.ChangeSignOff(t.Context(), 2, 2, "report.reopened", reopened); err != nil {
		t.Fatal(err)
	}
	if got, want := shows(t, s, 2), "settled/ines open/ "; got != want {
		t.Errorf("opened again, run 2 shows %q, want %q", got, want)
	}
}
