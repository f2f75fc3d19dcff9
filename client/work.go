package client

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"twinsieve/service/view"
)

func entryPath(run uint, entry string) string {
	return fmt.Sprintf("/runs/%d/entries/%s", run, url.PathEscape(entry))
}

// match is the header of a change of a version.
func match(version int) http.Header {
	return http.Header{"If-Match": {strconv.Quote(strconv.Itoa(version))}}
}

// ChangeEntry changes the work on an exception of a report, where version is still the newest.
func (c *Client) ChangeEntry(ctx context.Context, run uint, entry string, version int, change view.WorkChange) (out view.Entry, err error) {
	_, err = c.json(ctx, http.MethodPut, entryPath(run, entry)+"/work", match(version), change, &out)
	return out, err
}

// ChangeEntries changes all exceptions of a report that a query chooses, as one action.
func (c *Client) ChangeEntries(ctx context.Context, run uint, q Query, change view.BulkChange) (out view.Done, err error) {
	_, err = c.json(ctx, http.MethodPost, fmt.Sprintf("/runs/%d/entries/work?%s", run, q.chosen().encode()), nil, change, &out)
	return out, err
}

// Actions lists what was done in a report, the newest first.
func (c *Client) Actions(ctx context.Context, run uint) (out view.Actions, err error) {
	_, err = c.do(ctx, http.MethodGet, fmt.Sprintf("/runs/%d/actions", run), nil, nil, &out)
	return out, err
}

// Undo takes an action back.
func (c *Client) Undo(ctx context.Context, run, action uint) (out view.Done, err error) {
	_, err = c.do(ctx, http.MethodPost, fmt.Sprintf("/runs/%d/actions/%d/undo", run, action), nil, nil, &out)
	return out, err
}

// Conversation returns what was said about an exception.
func (c *Client) Conversation(ctx context.Context, run uint, entry string) (out view.Conversation, err error) {
	_, err = c.do(ctx, http.MethodGet, entryPath(run, entry)+"/conversation", nil, nil, &out)
	return out, err
}

// Comment comments on an exception.
func (c *Client) Comment(ctx context.Context, run uint, entry, text string) (out view.Comment, err error) {
	_, err = c.json(ctx, http.MethodPost, entryPath(run, entry)+"/comments", nil, map[string]string{"text": text}, &out)
	return out, err
}

// Attach puts a file to an exception.
func (c *Client) Attach(ctx context.Context, run uint, entry, name string, file io.Reader) (out view.Attachment, err error) {
	_, err = c.do(ctx, http.MethodPost, entryPath(run, entry)+"/files?"+url.Values{"name": {name}}.Encode(), http.Header{"Content-Type": {"application/octet-stream"}}, file, &out)
	return out, err
}

// Attachment writes a file that was put to an exception.
func (c *Client) Attachment(ctx context.Context, run uint, entry string, file uint, w io.Writer) error {
	return c.download(ctx, fmt.Sprintf("%s/files/%d", entryPath(run, entry), file), w)
}

// SignOff says how far a report is on its way to being signed.
func (c *Client) SignOff(ctx context.Context, run uint) (out view.SignOff, err error) {
	_, err = c.do(ctx, http.MethodGet, fmt.Sprintf("/runs/%d/sign-off", run), nil, nil, &out)
	return out, err
}

// Sign takes a report a step on its way, where version is still the newest.
func (c *Client) Sign(ctx context.Context, run uint, version int, step view.SignStep) (out view.SignOff, err error) {
	_, err = c.json(ctx, http.MethodPut, fmt.Sprintf("/runs/%d/sign-off", run), match(version), step, &out)
	return out, err
}

// Tallies counts a report's entries by all that they can be chosen by.
func (c *Client) Tallies(ctx context.Context, run uint) (out view.Tallies, err error) {
	_, err = c.do(ctx, http.MethodGet, fmt.Sprintf("/runs/%d/tallies", run), nil, nil, &out)
	return out, err
}

// Pending returns a page of the exceptions of all sieves that somebody has to do something about. of is mine, unowned, mentions or all; sort is
// age or amount.
func (c *Client) Pending(ctx context.Context, of, sieve, sort, after string, limit int) (out view.Overview, err error) {
	q := pageQuery(after, limit)
	for name, value := range map[string]string{"of": of, "sieve": sieve, "sort": sort} {
		if value != "" {
			q.Set(name, value)
		}
	}
	_, err = c.do(ctx, http.MethodGet, "/exceptions?"+q.Encode(), nil, nil, &out)
	return out, err
}

// Trend says how a sieve's exceptions went from run to run.
func (c *Client) Trend(ctx context.Context, sieve string) (out view.Trend, err error) {
	_, err = c.do(ctx, http.MethodGet, "/sieves/"+url.PathEscape(sieve)+"/trend", nil, nil, &out)
	return out, err
}

// Schedule says when a sieve runs by itself.
func (c *Client) Schedule(ctx context.Context, sieve string) (out view.Schedule, err error) {
	_, err = c.do(ctx, http.MethodGet, "/sieves/"+url.PathEscape(sieve)+"/schedule", nil, nil, &out)
	return out, err
}

// SetSchedule lets a sieve run by itself, where version is still the newest.
func (c *Client) SetSchedule(ctx context.Context, sieve string, version int, n view.NewSchedule) (out view.Schedule, err error) {
	_, err = c.json(ctx, http.MethodPut, "/sieves/"+url.PathEscape(sieve)+"/schedule", match(version), n, &out)
	return out, err
}

// Removable says what a rule lets go, and removes nothing.
func (c *Client) Removable(ctx context.Context, r view.Retention) (out view.Removable, err error) {
	_, err = c.json(ctx, http.MethodPost, "/retention/tried", nil, r, &out)
	return out, err
}

// Remove removes what a rule lets go, where that is still what was listed.
func (c *Client) Remove(ctx context.Context, r view.Removal) (out view.Removable, err error) {
	_, err = c.json(ctx, http.MethodPost, "/retention", nil, r, &out)
	return out, err
}

// Reasons lists the reasons that exceptions can be given.
func (c *Client) Reasons(ctx context.Context) (out view.Reasons, err error) {
	_, err = c.do(ctx, http.MethodGet, "/reasons", nil, nil, &out)
	return out, err
}

// SetReasons replaces the list of reasons, where it is still the one that was seen.
func (c *Client) SetReasons(ctx context.Context, reasons, seen []string) (out view.Reasons, err error) {
	_, err = c.json(ctx, http.MethodPut, "/reasons", nil, view.NewReasons{Reasons: reasons, Seen: seen}, &out)
	return out, err
}

// FollowReport calls hear with each change of a report, first with an empty one, until the context ends or hear returns false.
func (c *Client) FollowReport(ctx context.Context, run uint, hear func(view.ReportChange) bool) error {
	resp, err := c.send(ctx, http.MethodGet, fmt.Sprintf("/runs/%d/events", run), nil, nil)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	lines := bufio.NewScanner(resp.Body)
	for lines.Scan() {
		if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
			var change view.ReportChange
			if err := json.Unmarshal([]byte(data), &change); err != nil {
				return fmt.Errorf("the service's answer cannot be read: %w", err)
			}
			if !hear(change) {
				return nil
			}
		}
	}
	return lines.Err()
}
