package store

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"
)

// randomEntries are entries of a run at places of one block, with anything in them.
func randomEntries(r *rand.Rand, run uint, block int64) (list []Entry) {
	texts := []string{"", "mw-04417", "Zoë Ødegård 船", "no \xff UTF-8 \xc3", "\x00\x1f", strings.Repeat("long ", r.IntN(200))}
	text := func() string { return texts[r.IntN(len(texts))] }
	few := func() string {
		return text()[:0] + []string{"missing", "left", "open", "tam"}[r.IntN(4)] + []string{"", fmt.Sprint(r.IntN(100))}[r.IntN(2)]
	}
	for place := range int64(entriesInBlock) {
		if r.IntN(8) == 0 {
			continue
		}
		at := time.Unix(r.Int64N(4e9), r.Int64N(1e9)).UTC()
		if len(list) > 0 && r.IntN(4) > 0 {
			at = list[len(list)-1].Opened
		}
		e := Entry{RunID: run, Seq: block*entriesInBlock + 1 + place, Tray: few(), Side: few(), Change: few(), Status: few(), Owner: text(), Reason: text(), ExceptionID: uint(r.IntN(5) * r.IntN(1<<40)),
			Opened: at, opened: at.Format(writtenTime), Amount: text(), Currency: text(), Size: []byte(text()), Differs: []int64{0, 1, math.MinInt64, r.Int64()}[r.IntN(4)], KeyText: text(), Search: text()}
		e.Opened, _ = time.Parse(writtenTime, e.opened) // as it is read
		if e.BodyRun, e.BodySeq = run, e.Seq; r.IntN(3) == 0 {
			e.BodyRun, e.BodySeq = uint(r.IntN(int(run)+1)), r.Int64()
		}
		list = append(list, e)
	}
	return list
}

// TestPackedEntries packs entries with anything in them, and unpacks all of them, or some.
func TestPackedEntries(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 1))
	for range 600 {
		run, block := uint(1+r.IntN(1<<20)), r.Int64N(1<<30)
		list := randomEntries(r, run, block)
		if len(list) == 0 {
			continue
		}
		b := packEntries(list)
		got, err := b.unpack(nil, nil)
		if err != nil || !reflect.DeepEqual(got, list) {
			t.Fatalf("%+v\nare read as\n%+v, %v", list, got, err)
		}
		ids, err := b.unpackExceptions()
		if err != nil || len(ids) != len(list) || slices.Min(ids) != b.least || slices.Max(ids) != b.most {
			t.Fatalf("of the exceptions %v it is said %v, %v", ids, *b, err)
		}
		wanted := func(seq int64, exception uint) bool { return seq%3 == 0 || exception%7 == 0 }
		want := slices.DeleteFunc(slices.Clone(list), func(e Entry) bool { return !wanted(e.Seq, e.ExceptionID) })
		before := []Entry{{Search: "was there"}}
		some, err := b.unpack(slices.Clone(before), wanted)
		if err != nil || !reflect.DeepEqual(some, append(before, want...)) {
			t.Fatalf("some of them, %+v\nare read as\n%+v, %v", want, some, err)
		}
	}
}

// TestDamagedEntries: a block of which a part is missing, or too much there, is refused; one of which a byte is another is refused or read, and never more than that.
func TestDamagedEntries(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 2))
	list := randomEntries(r, 7, 3)
	whole := packEntries(list)
	refused := 0
	try := func(what string, mustFail bool, change func(*entryBlock)) {
		t.Helper()
		b := *whole
		b.exceptions, b.blob = bytes.Clone(b.exceptions), bytes.Clone(b.blob)
		change(&b)
		_, err := b.unpack(nil, nil)
		if err != nil {
			if refused++; !strings.HasPrefix(err.Error(), errEntries.Error()) {
				t.Errorf("%s: %v", what, err)
			}
		} else if mustFail {
			t.Errorf("%s is read", what)
		}
	}
	for n := range whole.blob {
		try("the beginning of a block", true, func(b *entryBlock) { b.blob = b.blob[:n] })
		try("a block with another byte", false, func(b *entryBlock) { b.blob[n] ^= 1 << r.IntN(8) })
	}
	for n := range whole.exceptions {
		try("exceptions of which some are missing", true, func(b *entryBlock) { b.exceptions = b.exceptions[:n] })
	}
	for _, entries := range []int{-1, 0, len(list) - 1, len(list) + 1, entriesInBlock + 1} {
		try(fmt.Sprintf("a block of %d that says it has %d", len(list), entries), true, func(b *entryBlock) { b.entries = entries })
	}
	if refused < len(whole.blob) {
		t.Errorf("only %d were refused", refused)
	}
}

// TestEntriesOf finds entries by their exceptions and by their places, in runs in which these stand in any order.
func TestEntriesOf(t *testing.T) {
	s, err := Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	r := rand.New(rand.NewPCG(16, 3))
	sieve, err := s.CreateSieve(t.Context(), "Berth billing", "{}")
	if err != nil {
		t.Fatal(err)
	}
	const n = 700
	for round := range 3 {
		w, err := s.NewRun(t.Context(), sieve, Snapshot{}, Snapshot{})
		if err != nil {
			t.Fatal(err)
		}
		found := make([]Found, n)
		for i, p := range r.Perm(n) {
			found[i] = Found{Entry: Entry{Change: "new", Size: []byte{}, KeyText: fmt.Sprint(i)}, Body: "{}"}
			if round > 0 {
				found[i].Entry.Change, found[i].Entry.ExceptionID = "still-open", uint(p+1)
			}
		}
		if err := w.Write(t.Context(), w.Place(found)); err != nil {
			t.Fatal(err)
		}
		for at := range found {
			if id := found[at].Entry.ExceptionID; round == 0 && id != uint(at+1) {
				t.Fatalf("exception %d is the one at place %d", id, at+1)
			}
		}
		if err := w.write(t.Context(), []piece{packEntries(w.begun).piece()}); err != nil {
			t.Fatal(err)
		}
		for range 100 {
			var ids []uint
			var seqs []int64
			from, among := r.IntN(n), 1+r.IntN(n)
			for range r.IntN(40) {
				ids, seqs = append(ids, uint(1+(from+r.IntN(among))%n)), append(seqs, r.Int64N(n+100))
			}
			ids = append(ids, 5000) // there is none
			var want, wantAt []string
			for i := range found {
				if slices.Contains(ids, found[i].Entry.ExceptionID) {
					want = append(want, fmt.Sprint(i))
				}
			}
			for _, seq := range seqs {
				if seq >= 1 && seq <= n {
					wantAt = append(wantAt, fmt.Sprint(seq-1))
				}
			}
			keys := func(list []Entry, err error) (keys []string) {
				t.Helper()
				if err != nil {
					t.Fatal(err)
				}
				for _, e := range list {
					keys = append(keys, e.KeyText)
				}
				return keys
			}
			if got := keys(s.entriesOf(t.Context(), w.run.ID, ids)); !slices.Equal(got, want) {
				t.Fatalf("exceptions %v stand at %v, want %v", ids, got, want)
			}
			if got := keys(s.entriesAt(t.Context(), w.run.ID, seqs)); !slices.Equal(got, wantAt) {
				t.Fatalf("at %v stand %v, want %v", seqs, got, wantAt)
			}
		}
	}
}
