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

type sessionKey struct{}

// sessionOf is what the session cookie of a request holds.
func sessionOf(ctx context.Context) string {
	secret, _ := ctx.Value(sessionKey{}).(string)
	return secret
}

// signedIn finds out who calls, and refuses who may not.
func signedIn(v *service.Service, who view.Role) gin.HandlerFunc {
	return func(c *gin.Context) {
		session, _ := c.Cookie(sessionCookie) // without one, nobody is signed in
		token, bearer := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer ")
		if !bearer { // another kind, which a proxy may have added
			token = ""
		}
		address, _, _ := net.SplitHostPort(c.Request.RemoteAddr) // empty where it has no port
		ctx := context.WithValue(service.From(c.Request.Context(), address), sessionKey{}, session)
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
		c.Request = c.Request.WithContext(ctx)
		c.Next()
	}
}

func cookie(secret string, ends time.Time) *http.Cookie {
	c := &http.Cookie{Name: sessionCookie, Value: secret, Path: "/", Expires: ends, HttpOnly: true, SameSite: http.SameSiteStrictMode}
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
