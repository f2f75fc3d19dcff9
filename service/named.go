package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/similar"
	"twinsieve/service/view"
	"twinsieve/store"
)

// What a request names has to exist: a filter by an owner whom nobody knows chooses nothing, and an empty list would look like an
// answer.

// didYouMean suggests the nearest of some names, where one is near.
func didYouMean(name string, names []string) string {
	if near, ok := similar.Suggest(name, names); ok {
		return fmt.Sprintf(" Did you mean %q?", near)
	}
	return ""
}

// sieveProblem is [problem] for a sieve asked for by name.
func (v *Service) sieveProblem(ctx context.Context, err error, name string) error {
	if !errors.Is(err, store.ErrNotFound) {
		return problem(err, "sieve")
	}
	names, err := v.store.SieveNames(ctx)
	if err != nil {
		return problem(err, "sieve")
	}
	return view.NotFound.New(fmt.Sprintf("There is no sieve %q.%s List them: twinsieve define.", name, didYouMean(name, names)))
}

// setProblem is [problem] for a record set asked for by name.
func (v *Service) setProblem(ctx context.Context, err error, name string) error {
	if !errors.Is(err, store.ErrNotFound) {
		return problem(err, "record set")
	}
	names, err := v.store.SetNames(ctx)
	if err != nil {
		return problem(err, "record set")
	}
	return view.NotFound.New(fmt.Sprintf("There is no record set %q.%s List them: twinsieve sets.", name, didYouMean(name, names)))
}

// person refuses the name of somebody who does not exist. where names the parameter.
func (v *Service) person(ctx context.Context, where, name string) error {
	_, err := v.store.Person(ctx, strings.ToLower(name))
	if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	people, err := v.store.People(ctx)
	if err != nil {
		return err
	}
	var names []string
	for _, p := range people {
		names = append(names, p.Name)
	}
	return view.Invalid.New(fmt.Sprintf("Nobody is called %q.%s", name, didYouMean(name, names)), view.Fault{Where: where, What: "no such person"})
}

// checkNames refuses a query by an owner, a reason or a currency that does not exist. Those who read a report by a link have no names
// to ask for, and are told nothing of which there are.
func (v *Service) checkNames(ctx context.Context, r *report, q *Query) error {
	if owner := strings.ToLower(q.Owner); owner != "" && owner != "me" && owner != nobody && store.ActorOf(ctx).ID > 0 {
		if err := v.person(ctx, "owner", q.Owner); err != nil {
			return err
		}
	}
	if q.Reason != "" && q.Reason != none && store.ActorOf(ctx).ID > 0 {
		if err := v.checkReason(ctx, q.Reason, true); err != nil {
			return err
		}
	}
	if q.In == "" || q.In == none {
		return nil
	}
	var currencies []string
	for _, a := range r.head.Summary.Balance {
		if a.Currency != nil && *a.Currency != "" && !slices.Contains(currencies, *a.Currency) {
			currencies = append(currencies, *a.Currency)
		}
	}
	known := func(currency string) bool { return slices.Contains(currencies, currency) }
	switch {
	case !slices.ContainsFunc(strings.Split(q.In, ", "), func(one string) bool { return !known(one) }): // records of a pair may be of several
		return nil
	case len(currencies) == 0:
		return view.Invalid.New("The amounts of this report have no currencies, because its sieve names no column of currencies.", view.Fault{Where: "in", What: "no currencies"})
	}
	return view.Invalid.New(fmt.Sprintf("No amount of this report is in %q; there are %s.", q.In, strings.Join(currencies, ", ")), view.Fault{Where: "in", What: "no such currency"})
}

// checkReason refuses a reason that is not in the list. Retired ones, which exceptions can still have, may be asked for but not given.
func (v *Service) checkReason(ctx context.Context, reason string, retired bool) error {
	rows, err := v.store.Reasons(ctx)
	if err != nil {
		return err
	}
	var active []string
	for _, row := range rows {
		if row.Text == reason && (row.Active || retired) {
			return nil
		}
		if row.Active {
			active = append(active, row.Text)
		}
	}
	return view.Invalid.New(fmt.Sprintf("%q is not in the list of reasons.%s The list: %s. An admin can add to it.", reason, didYouMean(reason, active), strings.Join(active, ", ")),
		view.Fault{Where: "reason", What: "no such reason"})
}
