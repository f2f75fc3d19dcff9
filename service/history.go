package service

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"strconv"
	"strings"
	"time"

	"twinsieve/service/view"
	"twinsieve/service/words"
	"twinsieve/store"
)

// HistoryQuery chooses entries of the history.
type HistoryQuery struct {
	Kind, Subject, Person string // "": any
	After                 string
	Limit                 int
}

// History returns a page of the history, the newest first.
func (v *Service) History(ctx context.Context, q HistoryQuery) (*view.History, error) {
	if q.Person != "" {
		if err := v.person(ctx, "person", q.Person); err != nil {
			return nil, err
		}
	}
	before, err := cursor(q.After)
	if err != nil {
		return nil, err
	}
	size := pageSize(q.Limit)
	rows, err := v.store.History(ctx, store.HistoryQuery{Kind: q.Kind, Subject: q.Subject, Person: q.Person, Before: before, Limit: size})
	if err != nil {
		return nil, err
	}
	page := &view.History{Events: []view.Event{}}
	for _, row := range rows {
		e := view.Event{Seq: row.Seq, Person: row.Person, Action: row.Action, Kind: row.Kind, Subject: row.Subject, Hash: row.Hash}
		if e.At, err = time.Parse(time.RFC3339Nano, row.At); err != nil {
			return nil, err
		}
		if err := json.Unmarshal([]byte(row.Details), &e.Details); err != nil {
			return nil, err
		}
		if e.Kind == "webhook" { // entries from before addresses were left out
			if u, err := url.Parse(e.Subject); err == nil && u.Host != "" {
				e.Subject = u.Host
			}
		}
		e.Says = words.Event(e.Action, e.Subject, e.Details)
		page.Events = append(page.Events, e)
	}
	if len(rows) == size {
		page.Next = strconv.FormatInt(rows[size-1].Seq, 10)
	}
	return page, nil
}

// statedHash is how much of a hash a hand-over states.
const statedHash = 16

// newestStated is the newest entry of the history as a hand-over states it: its number and the beginning of its hash.
func (v *Service) newestStated(ctx context.Context) (string, error) {
	e, err := v.store.NewestEvent(ctx)
	if err != nil || e.Seq == 0 {
		return "", err
	}
	return stated(e.Seq, e.Hash), nil
}

// statement is what a hand-over states of the history, and, of a run's, how far its report is on its way to being signed.
type statement struct {
	history string
	signed  bool
	pairs   [][2]string
}

// statement returns what a hand-over states now. run is 0 where it is of none.
func (v *Service) statement(ctx context.Context, run uint) (s statement, err error) {
	if s.history, err = v.newestStated(ctx); err != nil || s.history == "" {
		return s, err
	}
	s.pairs = [][2]string{{"history", s.history}}
	if run == 0 {
		return s, nil
	}
	o, err := v.store.SignOff(ctx, run)
	if err != nil {
		return s, err
	}
	s.signed = o.State == store.ReportSigned
	s.pairs = append(s.pairs, [2]string{"sign-off", signOffOf(o).Says})
	return s, nil
}

// named is a file's name that states the history, and that a report is signed, for formats with no place for it within.
func (s *statement) named(name, ending string) string {
	if s.history == "" {
		return name + "." + ending
	}
	if s.signed {
		name += ", signed"
	}
	return fmt.Sprintf("%s, history %s.%s", name, s.history, ending)
}

func stated(seq int64, hash string) string {
	return fmt.Sprintf("%d-%s", seq, hash[:min(statedHash, len(hash))])
}

// Verify checks the whole history, and that the entries that hand-overs have stated are still in it.
func (v *Service) Verify(ctx context.Context, says []string) (*view.Verified, error) {
	want := map[int64]string{}
	for _, s := range says {
		number, hash, ok := strings.Cut(strings.TrimSpace(s), "-")
		seq, err := strconv.ParseInt(number, 10, 64)
		if !ok || err != nil || seq < 1 || len(hash) < 8 {
			return nil, view.Invalid.New(fmt.Sprintf("%q is not what a hand-over states of the history: a number, a hyphen and at least 8 digits of a hash, such as 57-3fa2b8c1d0e4f5a6.", s))
		}
		want[seq] = strings.ToLower(hash)
	}
	found, err := v.store.Verify(ctx, want)
	if err != nil {
		return nil, err
	}
	out := &view.Verified{Holds: found.Broken == 0, Entries: found.Entries, Broken: found.Broken}
	if found.Entries > 0 {
		out.Newest = stated(found.Entries, found.Newest)
	}
	switch {
	case found.Broken > 0:
		out.Says = fmt.Sprintf("The history does not hold: %s.", found.Why)
	case len(says) > 0:
		out.Says = fmt.Sprintf("The history holds: %d entries, each following from the one before, and what was stated is among them.", found.Entries)
	default:
		out.Says = fmt.Sprintf("The history holds: %d entries, each following from the one before.", found.Entries)
	}
	return out, nil
}
