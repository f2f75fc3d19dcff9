package store_test

import (
	"errors"
	"fmt"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/glebarez/sqlite"
	"gorm.io/gorm"

	"twinsieve/store"
)

// changeFile changes a data file as somebody could who has it and another program. The triggers that keep the history are taken
// away first, as they would do.
func changeFile(t *testing.T, dir string, statements ...string) {
	t.Helper()
	db, err := gorm.Open(sqlite.Open(filepath.Join(dir, store.FileName)), &gorm.Config{})
	if err != nil {
		t.Fatal(err)
	}
	for _, sql := range append([]string{"DROP TRIGGER history_stays", "DROP TRIGGER history_keeps"}, statements...) {
		if err := db.Exec(sql).Error; err != nil {
			t.Fatal(err)
		}
	}
	raw, err := db.DB()
	if err != nil {
		t.Fatal(err)
	}
	if err := raw.Close(); err != nil {
		t.Fatal(err)
	}
}

// TestHistory writes a history by changes of many at one time, and finds whatever is done to it afterwards.
func TestHistory(t *testing.T) {
	write := func(t *testing.T) string {
		dir := t.TempDir()
		s, err := store.Open(dir)
		if err != nil {
			t.Fatal(err)
		}
		defer s.Close()
		var wg sync.WaitGroup
		for i := range 8 {
			wg.Go(func() {
				ctx := store.As(t.Context(), store.Actor{ID: uint(i), Name: fmt.Sprint("person ", i)})
				for n := range 5 {
					name := fmt.Sprintf("sieve %d of %d", n, i)
					if _, err := s.CreateSieve(ctx, name, "{}"); err != nil {
						t.Error(err)
					}
					if _, err := s.CreateSieve(ctx, name, "{}"); !errors.Is(err, store.ErrNameTaken) {
						t.Error(err)
					}
				}
			})
		}
		wg.Wait()
		return dir
	}
	dir := write(t)
	s, err := store.Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	list, err := s.History(t.Context(), store.HistoryQuery{Limit: 100})
	if err != nil || len(list) != 40 || list[0].Seq != 40 || list[39].Seq != 1 || list[39].Prev != "" {
		t.Fatalf("%d entries, %v", len(list), err)
	}
	for _, e := range list {
		if want := fmt.Sprintf("of %d", e.PersonID); e.Person != fmt.Sprint("person ", e.PersonID) || !strings.HasSuffix(e.Subject, want) || e.Action != "sieve.made" {
			t.Errorf("%+v", e)
		}
	}
	one, err := s.History(t.Context(), store.HistoryQuery{Person: "person 3", Kind: "sieve", Before: list[20].Seq, Limit: 2})
	if err != nil || len(one) > 2 {
		t.Fatalf("%v, %v", one, err)
	}
	for _, e := range one {
		if e.Person != "person 3" || e.Seq >= list[20].Seq {
			t.Errorf("%+v", e)
		}
	}
	for _, sql := range []string{"UPDATE history SET person = 'nobody' WHERE seq = 7", "DELETE FROM history WHERE seq = 40"} {
		if err := s.Exec(sql); err == nil || !strings.Contains(err.Error(), "the history is only added to") {
			t.Errorf("%s: %v", sql, err)
		}
	}
	newest := list[0].Hash[:16]
	if v, err := s.Verify(t.Context(), map[int64]string{40: newest, 1: list[39].Hash}); err != nil || v.Broken != 0 || v.Entries != 40 || v.Newest != list[0].Hash {
		t.Errorf("%+v, %v", v, err)
	}
	if v, err := s.Verify(t.Context(), map[int64]string{39: newest}); err != nil || v.Broken != 39 {
		t.Errorf("another entry's hash: %+v, %v", v, err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		sql    []string
		broken int64
	}{
		"one letter":            {[]string{"UPDATE history SET details = replace(details, '{}', '[]') WHERE seq = 12"}, 12},
		"who":                   {[]string{"UPDATE history SET person = 'Somebody' WHERE seq = 1"}, 1},
		"when":                  {[]string{"UPDATE history SET at = '2031-03-01T08:00:00Z' WHERE seq = 40"}, 40},
		"one taken out":         {[]string{"DELETE FROM history WHERE seq = 20"}, 20},
		"one taken out, closed": {[]string{"DELETE FROM history WHERE seq = 20", "UPDATE history SET seq = seq - 1 WHERE seq > 20"}, 20},
		"two changed places":    {[]string{"UPDATE history SET seq = 100 WHERE seq = 5", "UPDATE history SET seq = 5 WHERE seq = 6", "UPDATE history SET seq = 6 WHERE seq = 100"}, 5},
		"the end":               {[]string{"DELETE FROM history WHERE seq = 40"}, 40},
		"the end, and its hash": {[]string{"DELETE FROM history WHERE seq > 30"}, 31},
		"everything":            {[]string{"DELETE FROM history"}, 1},
	} {
		dir := write(t)
		s, err := store.Open(dir)
		if err != nil {
			t.Fatal(err)
		}
		newest, err := s.NewestEvent(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if err := s.Close(); err != nil {
			t.Fatal(err)
		}
		changeFile(t, dir, c.sql...)
		if s, err = store.Open(dir); err != nil {
			t.Fatal(err)
		}
		if v, err := s.Verify(t.Context(), map[int64]string{newest.Seq: newest.Hash[:16]}); err != nil || v.Broken != c.broken || v.Why == "" {
			t.Errorf("%s: %+v, %v", name, v, err)
		}
		if err := s.Close(); err != nil {
			t.Fatal(err)
		}
	}
}
