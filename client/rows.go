package client

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/url"

	"twinsieve/core/comparison"
	"twinsieve/core/sieve"
	"twinsieve/service/view"
)

// Rows returns a page of the rows of a comparison. Where they have to be made ready first it waits, and tells how far that is.
func (c *Client) Rows(ctx context.Context, a view.Ask, first int64, limit int, tell func(view.Job)) (view.Rows, error) {
	type request struct {
		view.Ask
		First int64 `json:"first"`
		Limit int   `json:"limit"`
	}
	for {
		var out view.Rows
		if _, err := c.json(ctx, http.MethodPost, "/rows", nil, request{a, first, limit}, &out); err != nil || out.Job == nil {
			return out, err
		}
		if _, err := c.Wait(ctx, *out.Job, tell); err != nil {
			return out, err
		}
	}
}

// RowTotals begins to add up the number columns of all rows of a comparison.
func (c *Client) RowTotals(ctx context.Context, a view.Ask) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, "/rows/totals", nil, a, &out)
	return out, err
}

// ExportRows writes all rows of a comparison to w in a format.
func (c *Client) ExportRows(ctx context.Context, a view.Ask, f Format, w io.Writer) error {
	text, err := json.Marshal(a)
	if err != nil {
		return err
	}
	return c.download(ctx, "/rows/export?ask="+url.QueryEscape(string(text))+"&"+f.encode(), w)
}

// CountWhole begins to count set logic over the whole records of a definition's sets.
func (c *Client) CountWhole(ctx context.Context, d sieve.Definition, align comparison.Alignment) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, "/counts/whole", nil, map[string]any{"definition": d, "align": align}, &out)
	return out, err
}

// TryFilter says whether a filter could be, and which columns it can name. side is left or right for one over a side's records, and
// empty for one over the rows.
func (c *Client) TryFilter(ctx context.Context, a view.Ask, side, where string) (out view.TriedFilter, err error) {
	type request struct {
		view.Ask
		Side  string `json:"side,omitempty"`
		Where string `json:"where,omitempty"`
	}
	_, err = c.json(ctx, http.MethodPost, "/filters/tried", nil, request{a, side, where}, &out)
	return out, err
}

// Chain tells what a sieve is made from, and what is made from it.
func (c *Client) Chain(ctx context.Context, sieve string) (out view.Chain, err error) {
	_, err = c.do(ctx, http.MethodGet, "/sieves/"+url.PathEscape(sieve)+"/chain", nil, nil, &out)
	return out, err
}
