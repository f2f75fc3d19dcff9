package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"

	"twinsieve/core/sieve"
	"twinsieve/service/view"
)

// Advise begins to find out which columns of two record sets could make two records the same.
func (c *Client) Advise(ctx context.Context, left, right string) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, "/advices", nil, map[string]string{"left": left, "right": right}, &out)
	return out, err
}

// Diagnose begins to find out why records found no partner with a definition, which need not be saved.
func (c *Client) Diagnose(ctx context.Context, d sieve.Definition) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, "/diagnoses", nil, map[string]any{"definition": d}, &out)
	return out, err
}

// DiagnoseRun begins to find out why the records of a run found no partner.
func (c *Client) DiagnoseRun(ctx context.Context, run uint) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, "/diagnoses", nil, map[string]any{"run": run}, &out)
	return out, err
}

// Trace tells the way of the records of a run that have each of the texts as a part of their key.
func (c *Client) Trace(ctx context.Context, run uint, key []string) (out view.Traces, err error) {
	_, err = c.do(ctx, http.MethodGet, fmt.Sprintf("/runs/%d/trace?%s", run, url.Values{"key": key}.Encode()), nil, nil, &out)
	return out, err
}

// TraceRecord tells the way of one record of a run, named as left-17.
func (c *Client) TraceRecord(ctx context.Context, run uint, record string) (out view.Traces, err error) {
	_, err = c.do(ctx, http.MethodGet, fmt.Sprintf("/runs/%d/trace?%s", run, url.Values{"record": {record}}.Encode()), nil, nil, &out)
	return out, err
}

// Look traces a key in the newest run of every sieve.
func (c *Client) Look(ctx context.Context, key string) (out view.Looked, err error) {
	_, err = c.do(ctx, http.MethodGet, "/traces?"+url.Values{"key": {key}}.Encode(), nil, nil, &out)
	return out, err
}

// Repeated lists the repeated keys of a run, the one in most pairs first.
func (c *Client) Repeated(ctx context.Context, run uint, limit int) (out view.Repeated, err error) {
	_, err = c.do(ctx, http.MethodGet, fmt.Sprintf("/runs/%d/repeated?limit=%s", run, strconv.Itoa(limit)), nil, nil, &out)
	return out, err
}

// Near begins to look for records of a run that might belong together. least is the least score; 0: the usual.
func (c *Client) Near(ctx context.Context, run uint, least float64) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, fmt.Sprintf("/runs/%d/near", run), nil, map[string]float64{"least": least}, &out)
	return out, err
}

// TryReading begins to find out what one reading of a definition does.
func (c *Client) TryReading(ctx context.Context, d sieve.Definition, at view.ReadingPlace) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, "/readings/tried", nil, map[string]any{"definition": d, "of": at.Of, "part": at.Part, "reading": at.Reading}, &out)
	return out, err
}

func crosswalkPath(sieve string) string { return "/sieves/" + url.PathEscape(sieve) + "/crosswalk" }

// Crosswalk returns what has been accepted as the same in a sieve, and refused.
func (c *Client) Crosswalk(ctx context.Context, sieve string) (out view.Crosswalk, err error) {
	_, err = c.do(ctx, http.MethodGet, crosswalkPath(sieve), nil, nil, &out)
	return out, err
}

// Decide accepts keys as the same, or refuses that they are.
func (c *Client) Decide(ctx context.Context, sieve string, d view.Decision) (out view.Crosswalk, err error) {
	_, err = c.json(ctx, http.MethodPost, crosswalkPath(sieve), nil, d, &out)
	return out, err
}

// TakeBack takes an entry of a crosswalk back.
func (c *Client) TakeBack(ctx context.Context, sieve string, entry uint, by string) (out view.Crosswalk, err error) {
	_, err = c.do(ctx, http.MethodDelete, fmt.Sprintf("%s/%d?%s", crosswalkPath(sieve), entry, url.Values{"by": {by}}.Encode()), nil, nil, &out)
	return out, err
}

// ImportCrosswalk takes in the pairs of keys of a CSV file. Of the decision only the reason, who decides, and the confirmation count.
func (c *Client) ImportCrosswalk(ctx context.Context, sieve string, file io.Reader, d view.Decision) (out view.Crosswalk, err error) {
	q := url.Values{"reason": {d.Reason}, "by": {d.By}, "confirm": {strconv.FormatBool(d.Confirm)}}
	_, err = c.do(ctx, http.MethodPost, crosswalkPath(sieve)+"/import?"+q.Encode(), http.Header{"Content-Type": {"text/csv"}}, file, &out)
	return out, err
}

// ExportCrosswalk writes the pairs of keys of a crosswalk as CSV.
func (c *Client) ExportCrosswalk(ctx context.Context, sieve string, w io.Writer) error {
	return c.download(ctx, crosswalkPath(sieve)+"/export", w)
}

// TryPair says what records of a run would be if they were paired by hand.
func (c *Client) TryPair(ctx context.Context, run uint, p view.HandPair) (out view.TriedPair, err error) {
	_, err = c.json(ctx, http.MethodPost, fmt.Sprintf("/runs/%d/pairs/tried", run), nil, p, &out)
	return out, err
}

// PairByHand accepts that records of a run belong together, from the next run on.
func (c *Client) PairByHand(ctx context.Context, run uint, p view.HandPair) (out view.Crosswalk, err error) {
	_, err = c.json(ctx, http.MethodPost, fmt.Sprintf("/runs/%d/pairs", run), nil, p, &out)
	return out, err
}
