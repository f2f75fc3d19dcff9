package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"twinsieve/service/view"
)

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
