package e2e

import (
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"

	"twinsieve/client"
	"twinsieve/service/view"
)

// secret is the password of everybody in the tests.
const secret = "slack water at noon"

// entered is a person with what programs and browsers are let in by.
type entered struct{ name, token, session string }

// admins are the admins of the data directories that the tests use; a service is started over some of them again.
var admins = struct {
	sync.Mutex
	of map[string]entered
}{of: map[string]entered{}}

// signIn makes the first admin of a new service by its link. Of a service that has people already, it finds who was made.
func signIn(t testing.TB, address, data, link string) entered {
	t.Helper()
	admins.Lock()
	defer admins.Unlock()
	if link != "" {
		c := client.New(address, "")
		if _, err := c.Enter(t.Context(), link, view.Welcome{Name: "ines", FullName: "Ines Varga", Password: secret}); err != nil {
			t.Fatal(err)
		}
		admins.of[data] = letIn(t, c, "ines")
	}
	acting.set(address, admins.of[data].token)
	return admins.of[data]
}

// letIn makes a token for the person as whom a client has signed in.
func letIn(t testing.TB, c *client.Client, name string) entered {
	t.Helper()
	token, err := c.MakeToken(t.Context(), view.NewToken{Label: "tests"})
	if err != nil {
		t.Fatal(err)
	}
	return entered{name, token.Secret, c.Session()}
}

// person adds a person with a role, and signs them in.
func (p *process) person(t testing.TB, name string, role view.Role) entered {
	t.Helper()
	invited, err := p.client().AddPerson(t.Context(), view.NewPerson{Name: name, FullName: strings.ToUpper(name[:1]) + name[1:], Role: role})
	if err != nil {
		t.Fatal(err)
	}
	c := client.New(p.address, "")
	if _, err := c.Enter(t.Context(), invited.Link, view.Welcome{Password: secret}); err != nil {
		t.Fatal(err)
	}
	return letIn(t, c, name)
}

// as is a client of the service for a person.
func (p *process) as(e entered) *client.Client { return client.New(p.address, e.token) }

// acting lets requests that are made without a client act for the admin of the service that they go to.
var acting = &actingAs{tokens: map[string]string{}}

type actingAs struct {
	mu     sync.Mutex
	tokens map[string]string
}

func init() { http.DefaultClient.Transport = acting }

func (a *actingAs) set(address, token string) {
	u, err := url.Parse(address)
	if err != nil {
		panic(err)
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	a.tokens[u.Host] = token
}

// RoundTrip implements http.RoundTripper.
func (a *actingAs) RoundTrip(r *http.Request) (*http.Response, error) {
	a.mu.Lock()
	token := a.tokens[r.URL.Host]
	a.mu.Unlock()
	if token != "" && r.Header.Get("Authorization") == "" && r.Header.Get("Cookie") == "" {
		r = r.Clone(r.Context())
		r.Header.Set("Authorization", "Bearer "+token)
	}
	return http.DefaultTransport.RoundTrip(r)
}
