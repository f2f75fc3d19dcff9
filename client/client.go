// Package client speaks to a running service over its HTTP interface.
package client

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"

	"twinsieve/core/sieve"
	"twinsieve/service/view"
)

// Client speaks to one service. Errors that the service answers with are *[view.Problem].
type Client struct {
	base    string
	http    *http.Client
	token   string
	cookie  string       // name of the session cookie, as the service has set it
	session string       // instead of a token: what the session cookie holds
	err     error        // why nothing can be asked
	stated  atomic.Value // of the last hand-over
}

// New returns a client of the service at an address such as http://127.0.0.1:8646, who acts for the person whose token it
// has; without one it can do no more than sign in.
func New(address, token string) *Client {
	return &Client{base: strings.TrimRight(address, "/") + "/api/v1", http: &http.Client{}, token: token}
}

// Unable returns a client that can ask nothing, and says why whenever it is to.
func Unable(err error) *Client { return &Client{err: err} }

// UnreachableError says that no service answers.
type UnreachableError struct {
	Address string
	Err     error
}

// Error implements error.
func (e *UnreachableError) Error() string {
	if errors.Is(e.Err, syscall.ECONNREFUSED) {
		return fmt.Sprintf("no service answers at %s; start it with: twinsieve serve", e.Address)
	}
	return fmt.Sprintf("the service at %s cannot be reached: %s", e.Address, e.Err)
}

// Unwrap returns what went wrong underneath.
func (e *UnreachableError) Unwrap() error { return e.Err }

// do makes a request and decodes its answer into out, where that is not nil.
func (c *Client) do(ctx context.Context, method, path string, header http.Header, body io.Reader, out any) (http.Header, error) {
	resp, err := c.send(ctx, method, path, header, body)
	if err != nil {
		return nil, err
	}
	defer resp.Body.Close()
	if out != nil {
		if err := c.isAnswer(resp); err != nil {
			return nil, err
		}
		if err := json.NewDecoder(resp.Body).Decode(out); err != nil {
			return nil, fmt.Errorf("the service's answer cannot be read: %w", err)
		}
	}
	return resp.Header, nil
}

func (c *Client) send(ctx context.Context, method, path string, header http.Header, body io.Reader) (*http.Response, error) {
	if c.err != nil {
		return nil, c.err
	}
	req, err := http.NewRequestWithContext(ctx, method, c.base+path, body)
	if err != nil {
		return nil, err
	}
	for name, values := range header {
		req.Header[name] = values
	}
	switch {
	case c.token != "":
		req.Header.Set("Authorization", "Bearer "+c.token)
	case c.session != "":
		req.AddCookie(&http.Cookie{Name: cmp.Or(c.cookie, sessionCookie), Value: c.session})
	}
	resp, err := c.http.Do(req)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, &UnreachableError{strings.TrimSuffix(c.base, "/api/v1"), err}
	}
	if resp.StatusCode < 400 {
		return resp, nil
	}
	defer resp.Body.Close()
	if err := c.isAnswer(resp); err != nil {
		return nil, err
	}
	p := &view.Problem{}
	if err := json.NewDecoder(resp.Body).Decode(p); err != nil || p.Detail == "" {
		return nil, fmt.Errorf("the service answered %s", resp.Status)
	}
	return nil, p
}

// isAnswer refuses what no Twin Sieve service has answered, such as the page of another one.
func (c *Client) isAnswer(resp *http.Response) error {
	kind, _, _ := mime.ParseMediaType(resp.Header.Get("Content-Type"))
	if kind == "application/json" || kind == "application/problem+json" || resp.StatusCode >= http.StatusBadGateway {
		return nil
	}
	return fmt.Errorf("no Twin Sieve service answers at %s; give the address of one, without a path, such as http://127.0.0.1:8646", strings.TrimSuffix(c.base, "/api/v1"))
}

func (c *Client) json(ctx context.Context, method, path string, header http.Header, in, out any) (http.Header, error) {
	text, err := json.Marshal(in)
	if err != nil {
		return nil, err
	}
	if header == nil {
		header = http.Header{}
	}
	header.Set("Content-Type", "application/json")
	return c.do(ctx, method, path, header, bytes.NewReader(text), out)
}

// Sets lists the record sets.
func (c *Client) Sets(ctx context.Context) (out view.Sets, err error) {
	_, err = c.do(ctx, http.MethodGet, "/sets", nil, nil, &out)
	return out, err
}

// Set returns a record set.
func (c *Client) Set(ctx context.Context, name string) (out view.Set, err error) {
	_, err = c.do(ctx, http.MethodGet, "/sets/"+url.PathEscape(name), nil, nil, &out)
	return out, err
}

// DeleteSet deletes a record set.
func (c *Client) DeleteSet(ctx context.Context, name string) error {
	_, err := c.do(ctx, http.MethodDelete, "/sets/"+url.PathEscape(name), nil, nil, nil)
	return err
}

func pageQuery(after string, limit int) url.Values {
	q := url.Values{}
	if after != "" {
		q.Set("after", after)
	}
	if limit > 0 {
		q.Set("limit", strconv.Itoa(limit))
	}
	return q
}

// Records returns a page of a record set's records.
func (c *Client) Records(ctx context.Context, set, after string, limit int) (out view.Records, err error) {
	_, err = c.do(ctx, http.MethodGet, "/sets/"+url.PathEscape(set)+"/records?"+pageQuery(after, limit).Encode(), nil, nil, &out)
	return out, err
}

// Rejects returns a page of a record set's rejected lines.
func (c *Client) Rejects(ctx context.Context, set, after string, limit int) (out view.Rejects, err error) {
	_, err = c.do(ctx, http.MethodGet, "/sets/"+url.PathEscape(set)+"/rejects?"+pageQuery(after, limit).Encode(), nil, nil, &out)
	return out, err
}

// Sieves lists the sieves.
func (c *Client) Sieves(ctx context.Context) (out view.Sieves, err error) {
	_, err = c.do(ctx, http.MethodGet, "/sieves", nil, nil, &out)
	return out, err
}

// Sieve returns a sieve and its ETag.
func (c *Client) Sieve(ctx context.Context, name string) (out view.Sieve, etag string, err error) {
	h, err := c.do(ctx, http.MethodGet, "/sieves/"+url.PathEscape(name), nil, nil, &out)
	return out, h.Get("ETag"), err
}

// CreateSieve saves a new sieve.
func (c *Client) CreateSieve(ctx context.Context, d sieve.Definition) (out view.Sieve, err error) {
	_, err = c.json(ctx, http.MethodPost, "/sieves", nil, d, &out)
	return out, err
}

// ChangeSieve saves a new version of a sieve, where etag is still its ETag.
func (c *Client) ChangeSieve(ctx context.Context, name, etag string, d sieve.Definition) (out view.Sieve, err error) {
	_, err = c.json(ctx, http.MethodPut, "/sieves/"+url.PathEscape(name), http.Header{"If-Match": {etag}}, d, &out)
	return out, err
}

// DeleteSieve deletes a sieve, where etag is still its ETag.
func (c *Client) DeleteSieve(ctx context.Context, name, etag string) error {
	_, err := c.do(ctx, http.MethodDelete, "/sieves/"+url.PathEscape(name), http.Header{"If-Match": {etag}}, nil, nil)
	return err
}

// Count begins to count what a definition would give.
func (c *Client) Count(ctx context.Context, d sieve.Definition) (view.Job, error) {
	return c.CountDraft(ctx, d, "")
}

// CountDraft is Count for a definition that is being worked on: of the counts of one draft only the newest goes on.
func (c *Client) CountDraft(ctx context.Context, d sieve.Definition, draft string) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, "/counts", nil, map[string]any{"definition": d, "draft": draft}, &out)
	return out, err
}

// Run begins to run a sieve.
func (c *Client) Run(ctx context.Context, sieve string) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, "/runs", nil, map[string]string{"sieve": sieve}, &out)
	return out, err
}

// Runs returns a page of the runs, the newest first.
func (c *Client) Runs(ctx context.Context, after string, limit int) (out view.Runs, err error) {
	_, err = c.do(ctx, http.MethodGet, "/runs?"+pageQuery(after, limit).Encode(), nil, nil, &out)
	return out, err
}

// RunHead returns the head of a run's report.
func (c *Client) RunHead(ctx context.Context, id uint) (out view.Run, err error) {
	_, err = c.do(ctx, http.MethodGet, fmt.Sprintf("/runs/%d", id), nil, nil, &out)
	return out, err
}

// Query chooses entries of a report. Empty values choose all exceptions.
type Query struct {
	Tray, Search, After string
	Change, Status      []string
	Owner, Reason       string // a name; "nobody" and "none" stand for neither
	Differs             string // left column of a compared field that does not agree
	AtLeast, AtMost     string // of the amount, whatever its sign
	In                  string // currency of the amount, or none
	Sort                string // place, key, amount, tray, status, owner or age
	Desc                bool
	Limit               int
}

// Narrows reports whether the query chooses some entries of a report, rather than only their order.
func (q Query) Narrows() bool {
	q.After, q.Limit, q.Sort, q.Desc = "", 0, "", false
	return q.encode() != ""
}

func (q Query) encode() string {
	v := pageQuery(q.After, q.Limit)
	for name, value := range map[string]string{"tray": q.Tray, "search": q.Search, "owner": q.Owner, "reason": q.Reason, "differs": q.Differs,
		"atLeast": q.AtLeast, "atMost": q.AtMost, "in": q.In, "sort": q.Sort} {
		if value != "" {
			v.Set(name, value)
		}
	}
	for name, values := range map[string][]string{"change": q.Change, "status": q.Status} {
		if len(values) > 0 {
			v[name] = values
		}
	}
	if q.Desc {
		v.Set("desc", "true")
	}
	return v.Encode()
}

// chosen is the query without the page that is wanted of its list.
func (q Query) chosen() Query {
	q.After, q.Limit = "", 0
	return q
}

// Entries returns a page of a report's entries.
func (c *Client) Entries(ctx context.Context, run uint, q Query) (out view.Entries, err error) {
	_, err = c.do(ctx, http.MethodGet, fmt.Sprintf("/runs/%d/entries?%s", run, q.encode()), nil, nil, &out)
	return out, err
}

// Entry returns one entry of a report.
func (c *Client) Entry(ctx context.Context, run uint, id string) (out view.Entry, err error) {
	_, err = c.do(ctx, http.MethodGet, fmt.Sprintf("/runs/%d/entries/%s", run, url.PathEscape(id)), nil, nil, &out)
	return out, err
}

// Export writes the entries that a query chooses to w in a format.
func (c *Client) Export(ctx context.Context, run uint, q Query, f Format, w io.Writer) error {
	return c.download(ctx, fmt.Sprintf("/runs/%d/export?%s&%s", run, q.encode(), f.encode()), w)
}

// Format is how a file is handed over. The zero value is CSV for people.
type Format struct {
	Name  string
	Exact bool // nothing is set before texts that a spreadsheet would run
}

func (f Format) encode() string {
	v := url.Values{}
	if f.Name != "" {
		v.Set("format", f.Name)
	}
	if f.Exact {
		v.Set("exact", "true")
	}
	return v.Encode()
}

func (c *Client) download(ctx context.Context, path string, w io.Writer) error {
	resp, err := c.send(ctx, http.MethodGet, path, nil, nil)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if _, err = io.Copy(w, resp.Body); err == nil {
		c.stated.Store(resp.Header.Get("Twinsieve-History"))
	}
	return err
}

// Stated is the newest entry of the history that the last hand-over has stated, as number-hash; "" where there was none.
func (c *Client) Stated() string {
	stated, _ := c.stated.Load().(string)
	return stated
}

// Jobs lists the newest jobs.
func (c *Client) Jobs(ctx context.Context) (out view.Jobs, err error) {
	_, err = c.do(ctx, http.MethodGet, "/jobs", nil, nil, &out)
	return out, err
}

// Job returns a job.
func (c *Client) Job(ctx context.Context, id string) (out view.Job, err error) {
	_, err = c.do(ctx, http.MethodGet, "/jobs/"+url.PathEscape(id), nil, nil, &out)
	return out, err
}

// Cancel cancels a job.
func (c *Client) Cancel(ctx context.Context, id string) (out view.Job, err error) {
	_, err = c.do(ctx, http.MethodDelete, "/jobs/"+url.PathEscape(id), nil, nil, &out)
	return out, err
}

// Wait follows a job to its end, telling of each change, and returns what it has brought about. A job that did not get
// there is its problem. When the context ends before the job, the job is cancelled.
func (c *Client) Wait(ctx context.Context, job view.Job, tell func(view.Job)) (*view.JobResult, error) {
	end, err := c.follow(ctx, job.ID, tell)
	if ctx.Err() != nil {
		_, _ = c.Cancel(context.WithoutCancel(ctx), job.ID) // its answer would change nothing
		return nil, ctx.Err()
	}
	if err != nil {
		return nil, err
	}
	if end.Problem != nil {
		return nil, end.Problem
	}
	return end.Result, nil
}

func (c *Client) follow(ctx context.Context, id string, tell func(view.Job)) (last view.Job, err error) {
	resp, err := c.send(ctx, http.MethodGet, "/jobs/"+url.PathEscape(id)+"/events", nil, nil)
	if err != nil {
		return last, err
	}
	defer resp.Body.Close()
	lines := bufio.NewReader(resp.Body)
	for {
		line, err := lines.ReadString('\n')
		if data, ok := strings.CutPrefix(line, "data: "); ok {
			last = view.Job{}
			if err := json.Unmarshal([]byte(data), &last); err != nil {
				return last, fmt.Errorf("the service's answer cannot be read: %w", err)
			}
			if tell != nil {
				tell(last)
			}
			if last.Ended() {
				return last, nil
			}
		}
		if err != nil {
			return last, errors.New("the service stopped before the job had ended; start it again and look at its jobs")
		}
	}
}

// Ready reports whether the service is ready.
func (c *Client) Ready(ctx context.Context) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, strings.TrimSuffix(c.base, "/api/v1")+"/readyz", nil)
	if err != nil {
		return err
	}
	resp, err := c.http.Do(req)
	if err != nil {
		return &UnreachableError{strings.TrimSuffix(c.base, "/api/v1"), err}
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		return fmt.Errorf("the service is not ready: %s", resp.Status)
	}
	return nil
}
