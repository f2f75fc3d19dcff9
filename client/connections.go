package client

import (
	"context"
	"net/http"
	"net/url"

	"twinsieve/service/view"
)

func connectionURL(name, rest string) string { return "/connections/" + url.PathEscape(name) + rest }

// Connections lists the connections to databases.
func (c *Client) Connections(ctx context.Context) (out view.Connections, err error) {
	_, err = c.do(ctx, http.MethodGet, "/connections", nil, nil, &out)
	return out, err
}

// Connection returns a connection and its ETag.
func (c *Client) Connection(ctx context.Context, name string) (out view.Connection, etag string, err error) {
	h, err := c.do(ctx, http.MethodGet, connectionURL(name, ""), nil, nil, &out)
	return out, h.Get("ETag"), err
}

// CreateConnection saves a new connection. The password may be empty.
func (c *Client) CreateConnection(ctx context.Context, name string, a view.Access, password string) (out view.Connection, err error) {
	body := struct {
		Name string `json:"name"`
		view.Access
		Password string `json:"password,omitempty"`
	}{name, a, password}
	_, err = c.json(ctx, http.MethodPost, "/connections", nil, body, &out)
	return out, err
}

// ChangeConnection changes a connection, where etag is still its ETag. A nil password keeps the one that is kept.
func (c *Client) ChangeConnection(ctx context.Context, name, etag string, a view.Access, password *string) (out view.Connection, err error) {
	body := struct {
		view.Access
		Password *string `json:"password,omitempty"`
	}{a, password}
	_, err = c.json(ctx, http.MethodPut, connectionURL(name, ""), http.Header{"If-Match": {etag}}, body, &out)
	return out, err
}

// DeleteConnection deletes a connection, where etag is still its ETag.
func (c *Client) DeleteConnection(ctx context.Context, name, etag string) error {
	_, err := c.do(ctx, http.MethodDelete, connectionURL(name, ""), http.Header{"If-Match": {etag}}, nil, nil)
	return err
}

// Tables lists the tables and views that a connection sees.
func (c *Client) Tables(ctx context.Context, name string) (out view.Tables, err error) {
	_, err = c.do(ctx, http.MethodGet, connectionURL(name, "/tables"), nil, nil, &out)
	return out, err
}
