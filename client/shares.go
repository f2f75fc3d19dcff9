package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"

	"twinsieve/service/view"
)

// Share makes a link by which others read a report, or the entries that a query chooses. days of 0 are the usual. count is the total
// of the list of these entries; if it is another one by now, no link is made.
func (c *Client) Share(ctx context.Context, run uint, q Query, days int, count int64) (out view.Share, err error) {
	_, err = c.json(ctx, http.MethodPost, fmt.Sprintf("/runs/%d/shares?%s", run, q.chosen().encode()), nil, view.NewShare{Days: days, Count: count}, &out)
	return out, err
}

// Shares lists the links by which others read a report.
func (c *Client) Shares(ctx context.Context, run uint) (out view.Shares, err error) {
	_, err = c.do(ctx, http.MethodGet, fmt.Sprintf("/runs/%d/shares", run), nil, nil, &out)
	return out, err
}

// RevokeShare ends such a link.
func (c *Client) RevokeShare(ctx context.Context, run, share uint) error {
	_, err := c.do(ctx, http.MethodDelete, fmt.Sprintf("/runs/%d/shares/%d", run, share), nil, nil, nil)
	return err
}

// Shared returns the head of the report that a link's code shows.
func (c *Client) Shared(ctx context.Context, code string) (out view.Shared, err error) {
	_, err = c.do(ctx, http.MethodGet, "/shared/"+url.PathEscape(code), nil, nil, &out)
	return out, err
}

// SharedEntries returns a page of the entries that a link's code shows.
func (c *Client) SharedEntries(ctx context.Context, code string, q Query) (out view.Entries, err error) {
	_, err = c.do(ctx, http.MethodGet, "/shared/"+url.PathEscape(code)+"/entries?"+q.encode(), nil, nil, &out)
	return out, err
}

// SharedEntry returns one of the entries that a link's code shows.
func (c *Client) SharedEntry(ctx context.Context, code, entry string) (out view.Entry, err error) {
	_, err = c.do(ctx, http.MethodGet, "/shared/"+url.PathEscape(code)+"/entries/"+url.PathEscape(entry), nil, nil, &out)
	return out, err
}

// SharedExport writes what a link's code shows in a format.
func (c *Client) SharedExport(ctx context.Context, code string, q Query, f Format, w io.Writer) error {
	return c.download(ctx, "/shared/"+url.PathEscape(code)+"/export?"+q.encode()+"&"+f.encode(), w)
}
