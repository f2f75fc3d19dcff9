package service

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"twinsieve/service/summary"
	"twinsieve/service/view"
	"twinsieve/service/words"
	"twinsieve/store"
)

const dayLayout = "2 January 2006"

func signOffOf(o store.SignOff) *view.SignOff {
	day := func(t *time.Time) string {
		if t == nil {
			return ""
		}
		return t.Format(dayLayout)
	}
	return &view.SignOff{State: o.State, Version: o.Version, Preparer: o.Preparer, Submitted: o.Submitted, Reviewer: o.Reviewer, Signed: o.Signed, Note: o.Note,
		Says: words.SignOff(o.State, o.Preparer, day(o.Submitted), o.Reviewer, day(o.Signed), o.Note)}
}

// SignOff says how far a report is on its way to being signed.
func (v *Service) SignOff(ctx context.Context, run uint) (*view.SignOff, error) {
	if _, err := v.store.Run(ctx, run); err != nil {
		return nil, problem(err, runName(run))
	}
	o, err := v.store.SignOff(ctx, run)
	if err != nil {
		return nil, err
	}
	out := signOffOf(o)
	out.Open, err = v.stillOpen(ctx, run)
	return out, err
}

// stillOpen is how many exceptions of a report are open or in progress.
func (v *Service) stillOpen(ctx context.Context, run uint) (n int64, err error) {
	list, err := v.Tallies(ctx, run)
	if err != nil {
		return 0, err
	}
	for _, t := range list.Tallies {
		if t.Status == store.StatusOpen || t.Status == store.StatusInProgress {
			n += t.Entries
		}
	}
	return n, nil
}

// signSteps are the steps of a report on its way, and from which state each goes.
var signSteps = map[string]struct{ from, action string }{
	"submit":    {store.ReportDraft, "report.submitted"},
	"sign":      {store.ReportSubmitted, "report.signed"},
	"send-back": {store.ReportSubmitted, "report.sent-back"},
	"reopen":    {store.ReportSigned, "report.reopened"},
}

// Sign takes a report a step on its way, where version is still the newest. It is signed, or sent back with a reason, by another person than the
// one who submitted it. A signed report is frozen until it is reopened with a reason, which anybody who may sign can do.
func (v *Service) Sign(ctx context.Context, run uint, version int, s view.SignStep) (*view.SignOff, error) {
	row, err := v.store.Run(ctx, run)
	if err != nil {
		return nil, problem(err, runName(run))
	}
	step, ok := signSteps[s.Step]
	if !ok {
		return nil, view.Invalid.New(fmt.Sprintf("%q is no step; write submit, sign, send-back or reopen.", s.Step))
	}
	s.Note = strings.TrimSpace(s.Note)
	if (s.Step == "send-back" || s.Step == "reopen") && s.Note == "" {
		return nil, view.Invalid.New("Say why: a report is sent back or reopened with a reason.")
	}
	if len([]rune(s.Note)) > mostComment {
		return nil, view.TooLarge.New("The reason is too long; 10,000 characters are the most.")
	}
	open := int64(0)
	if s.Step == "submit" || s.Step == "sign" {
		if open, err = v.stillOpen(ctx, run); err != nil {
			return nil, err
		}
	}
	me, now := store.ActorOf(ctx), time.Now().UTC()
	o, err := v.store.ChangeSignOff(ctx, run, version, step.action, func(o *store.SignOff) error {
		if o.State != step.from {
			return view.InUse.New(fmt.Sprintf("The report is %s, and a step %q goes from %s only.", o.State, s.Step, step.from))
		}
		if s.Step == "sign" && o.Preparer == me.Name {
			return view.NotAllowed.New("You have submitted this report yourself; another person signs it.")
		}
		if open > 0 && s.Note == "" {
			are := "exceptions of the report are"
			if open == 1 {
				are = "exception of the report is"
			}
			return view.Invalid.New(fmt.Sprintf("%s %s still open; add a note that says why it goes on all the same.", summary.Number(open), are),
				view.Fault{Where: "note", What: "there is none, and exceptions are open"})
		}
		o.Note = s.Note
		switch s.Step {
		case "submit":
			o.State, o.Preparer, o.Submitted, o.Reviewer, o.Signed = store.ReportSubmitted, me.Name, &now, "", nil
		case "sign":
			o.State, o.Reviewer, o.Signed = store.ReportSigned, me.Name, &now
		default:
			o.State, o.Reviewer, o.Signed = store.ReportDraft, me.Name, nil
		}
		return nil
	})
	if errors.Is(err, store.ErrChanged) {
		return nil, view.Changed.New("Somebody else has taken the report a step on meanwhile; look at it again.")
	}
	if err != nil {
		return nil, problem(err, runName(run))
	}
	v.desks.drop(run) // a report that is opened again shows what was done meanwhile
	v.trends.drop(run)
	out := signOffOf(o)
	if out.Open, err = v.stillOpen(ctx, run); err != nil {
		return nil, err
	}
	v.tellOf(ctx, row.SieveID, "the report: "+out.Says, nil)
	return out, nil
}
