package store_test

import (
	"errors"
	"fmt"
	"sync"
	"testing"

	"twinsieve/core/match"
	"twinsieve/store"
)

// TestAcceptances: each change is a version, what is ended stays to be seen, a check stops a change, and a sieve takes its crosswalk
// along.
func TestAcceptances(t *testing.T) {
	s := open(t, t.TempDir())
	sieve, err := s.CreateSieve(t.Context(), "Berth billing", "{}")
	if err != nil {
		t.Fatal(err)
	}
	other, err := s.CreateSieve(t.Context(), "Other", "{}")
	if err != nil {
		t.Fatal(err)
	}
	add := func(of uint, n int) (int, error) {
		return s.AddAcceptances(t.Context(), of, make([]store.Acceptance, n), func([]store.Acceptance) error { return nil })
	}
	for want, n := range []int{3, 1} {
		if v, err := add(sieve.ID, n); err != nil || v != want+1 {
			t.Errorf("version %d, %v", v, err)
		}
	}
	if v, err := add(other.ID, 1); err != nil || v != 1 {
		t.Errorf("the other sieve's version %d, %v", v, err)
	}
	refused := errors.New("refused")
	seen := 0
	_, err = s.AddAcceptances(t.Context(), sieve.ID, make([]store.Acceptance, 5), func(current []store.Acceptance) error {
		seen = len(current)
		return refused
	})
	if !errors.Is(err, refused) || seen != 4 {
		t.Errorf("after seeing %d entries: %v", seen, err)
	}
	list, err := s.Acceptances(t.Context(), sieve.ID)
	if err != nil || len(list) != 4 || store.CrosswalkVersion(list) != 2 {
		t.Fatalf("%+v, %v", list, err)
	}
	if v, err := s.EndAcceptance(store.As(t.Context(), store.Actor{ID: 7, Name: "Ines"}), sieve.ID, list[1].ID); err != nil || v != 3 {
		t.Errorf("ended as version %d, %v", v, err)
	}
	for _, id := range []uint{list[1].ID, 999} { // ended already, or never there
		if _, err := s.EndAcceptance(t.Context(), sieve.ID, id); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("entry %d: %v", id, err)
		}
	}
	if _, err := s.EndAcceptance(t.Context(), other.ID, list[0].ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("an entry of another sieve: %v", err)
	}
	a, err := s.Acceptance(t.Context(), list[1].ID)
	if err != nil || a.EndedBy != "Ines" || a.EndedVersion != 3 || a.Ended == nil {
		t.Errorf("%+v, %v", a, err)
	}
	// Changes at one time get versions of their own.
	var wg sync.WaitGroup
	versions := make([]int, 8)
	for i := range versions {
		wg.Go(func() {
			var err error
			if versions[i], err = add(sieve.ID, 1); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	different := map[int]bool{}
	for _, v := range versions {
		different[v] = true
	}
	if len(different) != len(versions) {
		t.Errorf("versions %v", versions)
	}
	if err := s.DeleteSieve(t.Context(), "Berth billing", 1); err != nil {
		t.Fatal(err)
	}
	if list, err = s.Acceptances(t.Context(), sieve.ID); err != nil || len(list) != 0 {
		t.Errorf("the sieve left %d entries, %v", len(list), err)
	}
	if list, err = s.Acceptances(t.Context(), other.ID); err != nil || len(list) != 1 {
		t.Errorf("the other sieve has %s, %v", fmt.Sprint(list), err)
	}
}

// TestSieveNumbers: a new sieve does not come by the runs of one that was deleted.
func TestSieveNumbers(t *testing.T) {
	s := open(t, t.TempDir())
	first, err := s.CreateSieve(t.Context(), "first", "{}")
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.NewRun(t.Context(), first, store.Snapshot{}, store.Snapshot{})
	if err == nil {
		_, err = w.Seal(t.Context(), "{}", &match.Index{})
	}
	if err == nil {
		err = s.DeleteSieve(t.Context(), "first", 1)
	}
	if err != nil {
		t.Fatal(err)
	}
	second, err := s.CreateSieve(t.Context(), "second", "{}")
	if err != nil || second.ID <= first.ID {
		t.Errorf("the second sieve has the number %d, the first had %d (%v)", second.ID, first.ID, err)
	}
	if newest, err := s.Newest(t.Context()); err != nil || len(newest) != 0 {
		t.Errorf("it has %d runs, %v", len(newest), err)
	}
	w, err = s.NewRun(t.Context(), second, store.Snapshot{}, store.Snapshot{})
	if err != nil {
		t.Fatal(err)
	}
	if run, err := w.Seal(t.Context(), "{}", &match.Index{}); err != nil || run.Number != 1 {
		t.Errorf("its first run has the number %d, %v", run.Number, err)
	}
}
