package api

import (
	"context"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"twinsieve/service"
	"twinsieve/service/view"
)

// sessionCookie is the cookie that holds a session. No script can read it, and no page of another site can have it sent.
const sessionCookie = "twinsieve_session"

// cookieName is the name of the session cookie. Where the way to the service is encrypted, browsers take a cookie of that name only from
// this very host and only by that way, so that no other page under the same domain can put a session of its own in its place.
func cookieName(r *http.Request) string {
	if encrypted(r) {
		return "__Host-" + sessionCookie
	}
	return sessionCookie
}

// encrypted reports whether a request has come by TLS, here or to a proxy before the service.
func encrypted(r *http.Request) bool {
	return r.TLS != nil || r.Header.Get("X-Forwarded-Proto") == "https"
}

type sessionKey struct{}

// sessionOf is what the session cookie of a request holds.
func sessionOf(ctx context.Context) string {
	secret, _ := ctx.Value(sessionKey{}).(string)
	return secret
}

// signedIn finds out who calls, and refuses who may not.
func signedIn(v *service.Service, who view.Role) gin.HandlerFunc {
	return func(c *gin.Context) {
		session, _ := c.Cookie(cookieName(c.Request)) // without one, nobody is signed in
		token, bearer := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer ")
		if !bearer { // another kind, which a proxy may have added
			token = ""
		}
		address, _, _ := net.SplitHostPort(c.Request.RemoteAddr) // empty where it has no port
		from := service.From(c.Request.Context(), address)
		ctx := context.WithValue(from, sessionKey{}, session)
		person, ctx, err := v.Caller(ctx, session, token)
		switch {
		case err != nil:
			fail(c, err)
		case who == anyone:
		case person == nil:
			fail(c, view.SignInFirst.New("Sign in first: in the console with name and password, on the command line with: twinsieve signin"))
		case !person.Role.Allows(who):
			fail(c, view.NotAllowed.New("This needs the role "+string(who)+"; "+person.Name+" is "+string(person.Role)+". Ask an admin."))
		}
		if c.IsAborted() {
			return
		}
		c.Request = c.Request.WithContext(context.WithValue(ctx, stillKey{}, func() bool {
			person, _, err := v.Caller(from, session, token)
			return err == nil && (who == anyone || person != nil && person.Role.Allows(who))
		}))
		c.Next()
	}
}

type stillKey struct{}

// rechecked is how often it is looked whether who follows something may still do so, while nothing happens.
const rechecked = time.Minute

// mayStill returns what says whether a caller may still do what the request does, for answers that go on.
func mayStill(ctx context.Context) func() bool {
	if still, ok := ctx.Value(stillKey{}).(func() bool); ok {
		return still
	}
	return func() bool { return false }
}

// whileAllowed returns a context that ends when the caller may do no more what the request does. stop is to be called.
func whileAllowed(ctx context.Context) (_ context.Context, stop func()) {
	still := mayStill(ctx)
	ctx, cancel := context.WithCancel(ctx)
	go func() {
		ticker := time.NewTicker(rechecked)
		defer ticker.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-ticker.C:
				if !still() {
					cancel()
				}
			}
		}
	}()
	return ctx, cancel
}

// cookie is a session as a cookie. Its name, and whether it is only for encrypted ways, depend on the request.
func cookie(secret string, ends time.Time) *http.Cookie {
	c := &http.Cookie{Value: secret, Path: "/", Expires: ends, HttpOnly: true, SameSite: http.SameSiteStrictMode}
	if secret == "" {
		c.MaxAge = -1
	}
	return c
}

func signed(s *service.Session, err error) (reply[*view.Person], error) {
	if err != nil {
		return reply[*view.Person]{}, err
	}
	return reply[*view.Person]{value: &s.Person, cookie: cookie(s.Secret, s.Ends)}, nil
}
