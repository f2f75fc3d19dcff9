package client

import (
	"context"
	"fmt"
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
