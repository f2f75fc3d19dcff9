package api

import (
	"context"
	"net/http"
	"time"

	"twinsieve/service"
	"twinsieve/service/view"
)

type codePath struct {
	Code string `path:"code" json:"-" description:"Code of the one-time link."`
}

type enterRequest struct {
	codePath
	view.Welcome
}

type personPath struct {
	Person string `path:"person" json:"-" description:"Name of the person."`
}

type personChange struct {
	personPath
	IfMatch string `header:"If-Match" json:"-" description:"ETag of the version that is changed."`
	view.PersonChange
}

type tokenPath struct {
	Token uint `path:"token" json:"-" description:"Id of the token."`
}

type historyRequest struct {
	page
	Kind    string `query:"kind" json:"-" enum:"set,sieve,run,exception,person,connection,reasons,webhook" description:"Only of things of this kind."`
	Subject string `query:"subject" json:"-" description:"Only of the thing of this name."`
	Person  string `query:"person" json:"-" description:"Only what this person did."`
}

type verifyRequest struct {
	Stated []string `query:"stated" json:"-" description:"What hand-overs state of the history: number and hash of an entry, such as 57-3fa2b8c1d0e4f5a6."`
}

func peopleRoutes(v *service.Service) []route {
	return []route{
		post(anyone, "/signin", "signIn", "Sign in with name and password; the answer sets the session cookie", http.StatusOK, func(ctx context.Context, r *view.SignIn) (reply[*view.Person], error) {
			return signed(v.SignIn(ctx, *r))
		}),
		start(anyone, "/signout", "signOut", "End the session of the cookie", func(ctx context.Context, _ *none) (reply[*none], error) {
			return reply[*none]{status: http.StatusNoContent, cookie: cookie("", time.Unix(0, 0))}, v.SignOut(ctx, sessionOf(ctx))
		}).answering(http.StatusNoContent),
		get(anyone, "/enter/:code", "getOneTimeLink", "Say what a one-time link is for, and use nothing up", func(ctx context.Context, r *codePath) (reply[*view.OneTime], error) {
			return ok(v.OneTime(ctx, r.Code))
		}),
		post(anyone, "/enter/:code", "useOneTimeLink", "Use a one-time link up, and be signed in", http.StatusOK, func(ctx context.Context, r *enterRequest) (reply[*view.Person], error) {
			return signed(v.Enter(ctx, r.Code, r.Welcome))
		}),
		get(reader, "/me", "getMe", "Say who is signed in", func(ctx context.Context, _ *none) (reply[*view.Person], error) {
			return ok(v.Me(ctx))
		}),
		put(reader, "/me/password", "changePassword", "Change one's own password; one's other sessions end", func(ctx context.Context, r *view.NewPassword) (reply[*none], error) {
			return reply[*none]{status: http.StatusNoContent}, v.ChangePassword(ctx, sessionOf(ctx), *r)
		}).answering(http.StatusNoContent),
		get(reader, "/me/tokens", "listTokens", "List one's own tokens", func(ctx context.Context, _ *none) (reply[*view.Tokens], error) {
			return ok(v.Tokens(ctx))
		}),
		post(reader, "/me/tokens", "makeToken", "Make a token for a program that acts for oneself; it is shown in this answer only", http.StatusCreated, func(ctx context.Context, r *view.NewToken) (reply[*view.Token], error) {
			t, err := v.MakeToken(ctx, *r)
			return reply[*view.Token]{value: t, status: http.StatusCreated}, err
		}),
		remove(reader, "/me/tokens/:token", "revokeToken", "End one of one's own tokens", func(ctx context.Context, r *tokenPath) (reply[*none], error) {
			return reply[*none]{status: http.StatusNoContent}, v.RevokeToken(ctx, r.Token)
		}),
		get(reader, "/people", "listPeople", "List the people", func(ctx context.Context, _ *none) (reply[*view.People], error) {
			return ok(v.People(ctx))
		}),
		post(admin, "/people", "addPerson", "Add a person; the answer holds the link by which they set a password", http.StatusCreated, func(ctx context.Context, r *view.NewPerson) (reply[*view.Invited], error) {
			p, err := v.AddPerson(ctx, *r)
			return reply[*view.Invited]{value: p, status: http.StatusCreated}, err
		}),
		put(admin, "/people/:person", "changePerson", "Change a person's full name and role, and whether they can sign in", func(ctx context.Context, r *personChange) (reply[*view.Person], error) {
			n, err := version(r.IfMatch)
			if err != nil {
				return reply[*view.Person]{}, err
			}
			return ok(v.ChangePerson(ctx, r.Person, n, r.PersonChange))
		}),
		start(admin, "/people/:person/link", "invitePerson", "Make a new one-time link by which a person sets a password", func(ctx context.Context, r *personPath) (reply[*view.Invited], error) {
			p, err := v.Invite(ctx, r.Person)
			return reply[*view.Invited]{value: p, status: http.StatusCreated}, err
		}).answering(http.StatusCreated),
		get(reader, "/history", "listHistory", "Page through what was done, the newest first", func(ctx context.Context, r *historyRequest) (reply[*view.History], error) {
			return ok(v.History(ctx, service.HistoryQuery{Kind: r.Kind, Subject: r.Subject, Person: r.Person, After: r.After, Limit: r.Limit}))
		}),
		get(reader, "/history/verified", "verifyHistory", "Check the whole history, and that entries that hand-overs have stated are still in it", func(ctx context.Context, r *verifyRequest) (reply[*view.Verified], error) {
			return ok(v.Verify(ctx, r.Stated))
		}),
	}
}
