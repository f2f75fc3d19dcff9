package service

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"strings"
	"time"

	"twinsieve/service/password"
	"twinsieve/service/view"
	"twinsieve/store"
)

// How long a session lasts, in use and not in use; how exactly is known when it was used last.
const (
	sessionLasts = 14 * 24 * time.Hour
	sessionIdles = 24 * time.Hour
	seenWithin   = 5 * time.Minute
)

const (
	tokenPrefix = "ts_"
	tokenDays   = 90
	mostDays    = 366
	mostTokens  = 50 // of one person
)

// longestName is how many bytes a name has that somebody may have.
const longestName = 64

type addressKey struct{}

// From says from which address the requests of a context come.
func From(ctx context.Context, address string) context.Context {
	return context.WithValue(ctx, addressKey{}, address)
}

func addressOf(ctx context.Context) string {
	address, _ := ctx.Value(addressKey{}).(string)
	return address
}

type tokenKey struct{}

// newSecret makes a text that nobody can guess. Only its hash is kept.
func newSecret(prefix string) string { return prefix + rand.Text() }

func hashOf(secret string) string {
	sum := sha256.Sum256([]byte(secret))
	return hex.EncodeToString(sum[:])
}

// Session is what signing in has brought about.
type Session struct {
	Secret string // what the cookie holds
	Ends   time.Time
	Person view.Person
}

// SignIn signs a person in by name and password.
func (v *Service) SignIn(ctx context.Context, in view.SignIn) (*Session, error) {
	name, address := strings.ToLower(strings.TrimSpace(in.Name)), addressOf(ctx)
	wrong := view.WrongPassword.New("The name or the password is wrong. If you forgot the password, ask an admin for a new link.")
	if len(name) > longestName { // nobody's, and not worth remembering
		return nil, wrong
	}
	if err := v.slow.enter(name, address); err != nil {
		return nil, err
	}
	p, err := v.store.Person(ctx, name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	if len(in.Password) > 4*password.Most || !password.Matches(p.Password, in.Password) || !p.Active {
		v.options.Log.Warn("sign-in refused", "name", name, "address", address)
		return nil, wrong
	}
	v.slow.right(name, address)
	return v.session(ctx, p)
}

func (v *Service) session(ctx context.Context, p store.Person) (*Session, error) {
	now := time.Now().UTC()
	s := &Session{Secret: newSecret(""), Ends: now.Add(sessionLasts), Person: personOf(p)}
	return s, v.store.AddSession(store.As(ctx, store.Actor{ID: p.ID, Name: p.Name}), store.Session{Hash: hashOf(s.Secret), PersonID: p.ID, Created: now, Seen: now, Expires: s.Ends})
}

// SignOut ends a session.
func (v *Service) SignOut(ctx context.Context, secret string) error {
	return v.store.EndSession(ctx, hashOf(secret))
}

// Caller returns the person whose session or token a request carries, and a context in which they make the changes. Where it carries
// neither, there is nobody and no error. A session that has ended is nobody's, too; a token that has ended or is not known is an
// error, for a program would else be told only that it may not.
func (v *Service) Caller(ctx context.Context, session, token string) (*view.Person, context.Context, error) {
	now := time.Now().UTC()
	var p store.Person
	switch {
	case token != "":
		t, owner, err := v.store.TokenPerson(ctx, hashOf(token))
		if errors.Is(err, store.ErrNotFound) {
			return nil, ctx, view.SignInFirst.New("The token is not known: it was revoked, or not copied whole. Make a new one with: twinsieve signin")
		}
		if err != nil {
			return nil, ctx, err
		}
		if !t.Expires.After(now) {
			return nil, ctx, view.SignInFirst.New("The token " + t.Label + " ended on " + t.Expires.Format("2006-01-02") + ". Make a new one with: twinsieve signin")
		}
		if t.Seen == nil || now.Sub(*t.Seen) > seenWithin {
			if err := v.store.SeeToken(ctx, t.ID, now); err != nil {
				return nil, ctx, err
			}
		}
		p = owner
		ctx = context.WithValue(ctx, tokenKey{}, true)
	case session != "":
		hash := hashOf(session)
		s, owner, err := v.store.SessionPerson(ctx, hash, now.Add(-sessionIdles))
		if errors.Is(err, store.ErrNotFound) {
			return nil, ctx, nil
		}
		if err != nil {
			return nil, ctx, err
		}
		if now.Sub(s.Seen) > seenWithin {
			if err := v.store.SeeSession(ctx, hash, now); err != nil {
				return nil, ctx, err
			}
		}
		p = owner
	default:
		return nil, ctx, nil
	}
	shown := personOf(p)
	return &shown, store.As(ctx, store.Actor{ID: p.ID, Name: p.Name, Role: p.Role}), nil
}

func tokenOf(t store.Token) view.Token {
	return view.Token{ID: t.ID, Label: t.Label, Created: t.Created, Expires: t.Expires, Seen: t.Seen}
}

// Tokens lists one's own tokens.
func (v *Service) Tokens(ctx context.Context) (*view.Tokens, error) {
	rows, err := v.store.Tokens(ctx, store.ActorOf(ctx).ID)
	if err != nil {
		return nil, err
	}
	list := &view.Tokens{Tokens: []view.Token{}}
	for _, row := range rows {
		list.Tokens = append(list.Tokens, tokenOf(row))
	}
	return list, nil
}

// MakeToken makes a token for oneself. Its secret is in the answer, and never again.
func (v *Service) MakeToken(ctx context.Context, n view.NewToken) (*view.Token, error) {
	if byToken, _ := ctx.Value(tokenKey{}).(bool); byToken {
		return nil, view.NotAllowed.New("A token makes no tokens, so that one that got lost does not live on in others. Sign in with name and password to make one.")
	}
	if n.Label = strings.TrimSpace(n.Label); n.Label == "" || len(n.Label) > 100 {
		return nil, view.Invalid.New("A token needs a label of 1 to 100 characters that says what it is for.")
	}
	if n.Days == 0 {
		n.Days = tokenDays
	}
	if n.Days < 1 || n.Days > mostDays {
		return nil, view.Invalid.New("A token works for 1 to 366 days.")
	}
	me, err := v.me(ctx)
	if err != nil {
		return nil, err
	}
	if rows, err := v.store.Tokens(ctx, me.ID); err != nil || len(rows) >= mostTokens {
		return nil, errors.Join(err, view.InUse.New("There are 50 tokens already; revoke some that are not used."))
	}
	now := time.Now().UTC()
	secret := newSecret(tokenPrefix)
	row, err := v.store.AddToken(ctx, store.Token{PersonID: me.ID, Label: n.Label, Hash: hashOf(secret), Created: now, Expires: now.AddDate(0, 0, n.Days)})
	if err != nil {
		return nil, problem(err, "such person")
	}
	out := tokenOf(row)
	out.Secret = secret
	return &out, nil
}

// RevokeToken ends one of one's own tokens.
func (v *Service) RevokeToken(ctx context.Context, id uint) error {
	return problem(v.store.RevokeToken(ctx, store.ActorOf(ctx).ID, id), "such token")
}
