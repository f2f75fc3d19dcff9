package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"path"
	"strings"

	"twinsieve/service/view"
)

const sessionCookie = "twinsieve_session"

// codeOf is the code of a one-time link, whatever follows it in the address, or a code alone.
func codeOf(link string) string {
	if u, err := url.Parse(link); err == nil {
		link = u.Path
	}
	return path.Base(link)
}

// SignIn signs in by name and password. From then on the client acts for that person.
func (c *Client) SignIn(ctx context.Context, name, password string) (out view.Person, err error) {
	h, err := c.json(ctx, http.MethodPost, "/signin", nil, view.SignIn{Name: name, Password: password}, &out)
	return out, c.begin(h, err)
}

// Enter uses a one-time link up, which is given as its address or only its code. From then on the client acts for that person.
func (c *Client) Enter(ctx context.Context, link string, w view.Welcome) (out view.Person, err error) {
	h, err := c.json(ctx, http.MethodPost, "/enter/"+url.PathEscape(codeOf(link)), nil, w, &out)
	return out, c.begin(h, err)
}

// OneTime says what a one-time link is for.
func (c *Client) OneTime(ctx context.Context, link string) (out view.OneTime, err error) {
	_, err = c.do(ctx, http.MethodGet, "/enter/"+url.PathEscape(codeOf(link)), nil, nil, &out)
	return out, err
}

// begin takes up the session that an answer has set.
func (c *Client) begin(h http.Header, err error) error {
	if err != nil {
		return err
	}
	for _, cookie := range (&http.Response{Header: h}).Cookies() {
		if strings.TrimPrefix(cookie.Name, "__Host-") == sessionCookie {
			c.token, c.session, c.cookie = "", cookie.Value, cookie.Name
		}
	}
	return nil
}

// Session is what the session cookie of a client that has signed in holds.
func (c *Client) Session() string { return c.session }

// SignOut ends the session.
func (c *Client) SignOut(ctx context.Context) error {
	_, err := c.do(ctx, http.MethodPost, "/signout", nil, nil, nil)
	c.session = ""
	return err
}

// Me says for whom the client acts.
func (c *Client) Me(ctx context.Context) (out view.Person, err error) {
	_, err = c.do(ctx, http.MethodGet, "/me", nil, nil, &out)
	return out, err
}

// ChangePassword changes one's own password.
func (c *Client) ChangePassword(ctx context.Context, n view.NewPassword) error {
	_, err := c.json(ctx, http.MethodPut, "/me/password", nil, n, nil)
	return err
}

// Tokens lists one's own tokens.
func (c *Client) Tokens(ctx context.Context) (out view.Tokens, err error) {
	_, err = c.do(ctx, http.MethodGet, "/me/tokens", nil, nil, &out)
	return out, err
}

// MakeToken makes a token for oneself.
func (c *Client) MakeToken(ctx context.Context, n view.NewToken) (out view.Token, err error) {
	_, err = c.json(ctx, http.MethodPost, "/me/tokens", nil, n, &out)
	return out, err
}

// RevokeToken ends a token of one's own.
func (c *Client) RevokeToken(ctx context.Context, id uint) error {
	_, err := c.do(ctx, http.MethodDelete, fmt.Sprintf("/me/tokens/%d", id), nil, nil, nil)
	return err
}

// People lists the people.
func (c *Client) People(ctx context.Context) (out view.People, err error) {
	_, err = c.do(ctx, http.MethodGet, "/people", nil, nil, &out)
	return out, err
}

// AddPerson adds a person.
func (c *Client) AddPerson(ctx context.Context, n view.NewPerson) (out view.Invited, err error) {
	_, err = c.json(ctx, http.MethodPost, "/people", nil, n, &out)
	return out, err
}

// ChangePerson changes a person, where version is still the newest.
func (c *Client) ChangePerson(ctx context.Context, name string, version int, change view.PersonChange) (out view.Person, err error) {
	_, err = c.json(ctx, http.MethodPut, "/people/"+url.PathEscape(name), http.Header{"If-Match": {fmt.Sprintf(`"%d"`, version)}}, change, &out)
	return out, err
}

// Invite makes a new link by which a person sets a password.
func (c *Client) Invite(ctx context.Context, name string) (out view.Invited, err error) {
	_, err = c.do(ctx, http.MethodPost, "/people/"+url.PathEscape(name)+"/link", nil, nil, &out)
	return out, err
}

// History returns a page of what was done, the newest first. kind, subject and person choose; "" is any.
func (c *Client) History(ctx context.Context, kind, subject, person, after string, limit int) (out view.History, err error) {
	q := pageQuery(after, limit)
	for name, value := range map[string]string{"kind": kind, "subject": subject, "person": person} {
		if value != "" {
			q.Set(name, value)
		}
	}
	_, err = c.do(ctx, http.MethodGet, "/history?"+q.Encode(), nil, nil, &out)
	return out, err
}

// Verify checks the whole history, and that what hand-overs have stated is still in it.
func (c *Client) Verify(ctx context.Context, stated []string) (out view.Verified, err error) {
	_, err = c.do(ctx, http.MethodGet, "/history/verified?"+url.Values{"stated": stated}.Encode(), nil, nil, &out)
	return out, err
}
