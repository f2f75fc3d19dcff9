package service

import (
	"errors"
	"strings"
	"testing"
	"time"

	"twinsieve/service/view"
	"twinsieve/store"
)

// TestEnded lets nobody in by a token, a session or a link whose time is over.
func TestEnded(t *testing.T) {
	p := newPort(t)
	ctx := t.Context()
	person, err := p.store.CreatePerson(ctx, store.Person{Name: "tam", Role: string(view.Analyst)})
	if err != nil {
		t.Fatal(err)
	}
	now := time.Now().UTC()
	for secret, ends := range map[string]time.Time{"ts_works": now.Add(time.Hour), "ts_ended": now.Add(-time.Second)} {
		if _, err := p.store.AddToken(ctx, store.Token{PersonID: person.ID, Label: "nightly", Hash: hashOf(secret), Created: now, Expires: ends}); err != nil {
			t.Fatal(err)
		}
	}
	if who, as, err := p.Caller(ctx, "", "ts_works"); err != nil || who.Name != "tam" || store.ActorOf(as).ID != person.ID {
		t.Errorf("%+v, %v", who, err)
	}
	problem := new(view.Problem)
	if _, _, err := p.Caller(ctx, "", "ts_ended"); !errors.As(err, &problem) || !view.SignInFirst.Is(problem) || !strings.Contains(problem.Detail, "The token nightly ended on "+now.Format("2006-01-02")) {
		t.Errorf("an ended token: %v", err)
	}
	for secret, c := range map[string]struct {
		seen, ends time.Time
		in         bool
	}{
		"in use":      {now, now.Add(time.Hour), true},
		"ended":       {now, now.Add(-time.Second), false},
		"not in use":  {now.Add(-sessionIdles - time.Minute), now.Add(time.Hour), false},
		"seen before": {now.Add(-sessionIdles + time.Minute), now.Add(time.Hour), true},
	} {
		if err := p.store.AddSession(ctx, store.Session{Hash: hashOf(secret), PersonID: person.ID, Created: now.Add(-48 * time.Hour), Seen: c.seen, Expires: c.ends}); err != nil {
			t.Fatal(err)
		}
		if who, _, err := p.Caller(ctx, secret, ""); err != nil || (who != nil) != c.in {
			t.Errorf("a session %s: %v, %v", secret, who, err)
		}
	}
	if err := p.store.AddLink(ctx, store.Link{Hash: hashOf("late"), Kind: store.PasswordLink, PersonID: person.ID, Created: now, Expires: now.Add(-time.Second)}); err != nil {
		t.Fatal(err)
	}
	if _, err := p.Enter(ctx, "late", view.Welcome{Password: "slack water at noon"}); !errors.As(err, &problem) || !view.NotFound.Is(problem) {
		t.Errorf("an ended link: %v", err)
	}
	if _, err := p.store.UpdatePerson(ctx, "tam", 1, "Tam", string(view.Analyst), false, string(view.Analyst)); !errors.Is(err, store.ErrLastAdmin) {
		t.Errorf("the last of a role: %v", err)
	}
	ended, err := p.ShareReport(ctx, 999, Query{}, view.NewShare{})
	if err == nil {
		t.Errorf("a report that is not there is shared: %+v", ended)
	}
}
