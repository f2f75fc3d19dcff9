package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"

	"twinsieve/service/view"
)

// Near begins to look for records of a run that might belong together. least is the least score; 0: the usual.
func (c *Client) Near(ctx context.Context, run uint, least float64) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, fmt.Sprintf("/runs/%d/near", run), nil, map[string]float64{"least": least}, &out)
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
func (c *Client) TakeBack(ctx context.Context, sieve string, entry uint) (out view.Crosswalk, err error) {
	_, err = c.do(ctx, http.MethodDelete, fmt.Sprintf("%s/%d", crosswalkPath(sieve), entry), nil, nil, &out)
	return out, err
}

// ImportCrosswalk takes in the pairs of keys of a CSV file. Of the decision only the reason and the confirmation count.
func (c *Client) ImportCrosswalk(ctx context.Context, sieve string, file io.Reader, d view.Decision) (out view.Crosswalk, err error) {
	q := url.Values{"reason": {d.Reason}, "confirm": {strconv.FormatBool(d.Confirm)}}
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
