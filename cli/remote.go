package cli

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/service/view"
)

// client speaks to the service as whom the command line is signed in.
func (r *rootFlags) client() *client.Client {
	address := serverAddress(r.server)
	if err := checkAddress(address); err != nil {
		return client.Unable(err)
	}
	token, err := tokenFor(address)
	if err != nil {
		return client.Unable(err)
	}
	return client.New(address, token)
}

// fromService gives an error of the service its exit status: what it answered was wrong with the request, or it failed.
func fromService(err error) error {
	var p *view.Problem
	var f *failure
	switch {
	case err == nil, errors.As(err, &f), errors.Is(err, context.Canceled):
		return err
	case errors.As(err, &p) && p.Status < http.StatusInternalServerError && !view.Interrupted.Is(p):
		return &failure{exitRequest, p}
	}
	return broken("%w", err)
}

// wait follows a job with a progress bar to its end.
func wait(cmd *cobra.Command, c *client.Client, job view.Job, err error) (*view.JobResult, error) {
	if err != nil {
		return nil, fromService(err)
	}
	bar := newProgress(cmd.ErrOrStderr())
	defer bar.done()
	result, err := c.Wait(cmd.Context(), job, bar.tell)
	return result, fromService(err)
}

// completions are the names of what a service has; where it cannot be asked, otherwise is what the shell does instead.
func completions[T any](list []T, err error, otherwise cobra.ShellCompDirective, name func(T) string) ([]string, cobra.ShellCompDirective) {
	if err != nil {
		return nil, otherwise
	}
	var names []string
	for _, one := range list {
		names = append(names, name(one))
	}
	return names, otherwise
}

// completeSets completes the names of record sets.
func (r *rootFlags) completeSets(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	list, err := r.client().Sets(cmd.Context())
	return completions(list.Sets, err, cobra.ShellCompDirectiveNoFileComp, func(s view.Set) string { return s.Name })
}

// completeSieves completes the names of sieves.
func (r *rootFlags) completeSieves(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	list, err := r.client().Sieves(cmd.Context())
	return completions(list.Sieves, err, cobra.ShellCompDirectiveDefault, func(s view.Sieve) string { return s.Definition.Name })
}

// completeColumns completes the columns of a pair: of the left record set, and behind a = those of the right.
func (r *rootFlags) completeColumns(left, right *string) func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return func(cmd *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		name, before := *left, ""
		if at := strings.Index(typed, "="); at >= 0 {
			name, before = *right, typed[:at+1]
		}
		set, err := r.client().Set(cmd.Context(), name)
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		var pairs []string
		for _, c := range set.Snapshot.Columns {
			pairs = append(pairs, before+c)
		}
		return pairs, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	}
}

// completeNames completes the columns of a record set where one is named in an expression.
func (r *rootFlags) completeNames(set *string) func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return func(cmd *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		found, err := r.client().Set(cmd.Context(), *set)
		before := typed[:strings.LastIndexAny(typed, ",( ")+1]
		return completions(found.Snapshot.Columns, err, cobra.ShellCompDirectiveNoFileComp|cobra.ShellCompDirectiveNoSpace, func(name string) string { return before + name })
	}
}
