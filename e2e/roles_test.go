package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"twinsieve/api"
	"twinsieve/client"
	"twinsieve/service/view"
)

// The answers of a route to nobody, a reader, an analyst and an admin. 401 is who is not signed in and 403 who may not; all else has been
// let in, whatever the answer is to what was asked.
var (
	forAnyone   = [4]bool{true, true, true, true}
	forReaders  = [4]bool{false, true, true, true}
	forAnalysts = [4]bool{false, false, true, true}
	forAdmins   = [4]bool{false, false, false, true}
)

// routeRoles is who may call each route of the interface.
var routeRoles = map[string][4]bool{
	"signIn": forAnyone, "signOut": forAnyone, "getOneTimeLink": forAnyone, "useOneTimeLink": forAnyone,
	"getShared": forAnyone, "listSharedEntries": forAnyone, "getSharedEntry": forAnyone, "exportShared": forAnyone,

	"getMe": forReaders, "changePassword": forReaders, "listTokens": forReaders, "makeToken": forReaders, "revokeToken": forReaders,
	"listPeople": forReaders, "listHistory": forReaders, "verifyHistory": forReaders,
	"listSets": forReaders, "getSet": forReaders, "listSnapshots": forReaders, "getChanges": forReaders, "tryColumns": forReaders, "listFunctions": forReaders,
	"makeProfile": forReaders, "getProfile": forReaders, "exportSet": forReaders, "exportRejects": forReaders, "listRecords": forReaders, "listRejects": forReaders,
	"listReadings": forReaders, "tryReading": forReaders, "listSieves": forReaders, "getSieve": forReaders, "getSieveFile": forReaders, "getChain": forReaders,
	"count": forReaders, "countWhole": forReaders, "listRows": forReaders, "addUpRows": forReaders, "exportRows": forReaders, "tryFilter": forReaders,
	"advise": forReaders, "diagnose": forReaders, "look": forReaders, "trace": forReaders, "listRepeated": forReaders, "findNear": forReaders, "tryPair": forReaders,
	"getCrosswalk": forReaders, "exportCrosswalk": forReaders, "listRuns": forReaders, "getRun": forReaders, "listEntries": forReaders, "getEntry": forReaders,
	"exportEntries": forReaders, "listJobs": forReaders, "getJob": forReaders, "cancelJob": forReaders, "followJob": forReaders,

	"getTallies": forReaders, "listActions": forReaders, "getConversation": forReaders, "getAttachment": forReaders, "followReport": forReaders, "getSignOff": forReaders,
	"listPending": forReaders, "getTrend": forReaders, "listReasons": forReaders, "getSchedule": forReaders, "listFilters": forReaders, "saveFilter": forReaders, "dropFilter": forReaders,

	"changeEntry": forAnalysts, "changeEntries": forAnalysts, "undoAction": forAnalysts, "comment": forAnalysts, "attach": forAnalysts, "signReport": forAnalysts, "listShares": forAnalysts, "shareReport": forAnalysts, "revokeShare": forAnalysts, "setSchedule": forAnalysts,

	"loadSet": forAnalysts, "upload": forAnalysts, "dropUpload": forAnalysts, "listFolder": forAnalysts, "listConnections": forAnalysts, "getConnection": forAnalysts,
	"listTables": forAnalysts, "preview": forAnalysts, "loadSnapshot": forAnalysts, "reloadSet": forAnalysts, "computeColumns": forAnalysts, "deleteSet": forAnalysts,
	"createSieve": forAnalysts, "changeSieve": forAnalysts, "deleteSieve": forAnalysts, "pairByHand": forAnalysts, "decideKeys": forAnalysts,
	"importCrosswalk": forAnalysts, "takeBack": forAnalysts, "startRun": forAnalysts,

	"createConnection": forAdmins, "changeConnection": forAdmins, "deleteConnection": forAdmins, "addPerson": forAdmins, "changePerson": forAdmins, "invitePerson": forAdmins, "setReasons": forAdmins,
	"tryRetention": forAdmins, "applyRetention": forAdmins, "listWebhooks": forAdmins, "addWebhook": forAdmins, "dropWebhook": forAdmins, "tryWebhook": forAdmins, "listDeliveries": forAdmins,
}

// TestRouteRoles asks every route of the OpenAPI document as nobody, reader, analyst and admin. What is asked for is not there, so that
// nothing is brought about; but who may not ask is told so first.
func TestRouteRoles(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	callers := [4]string{"", p.person(t, "lio", view.Reader).token, p.person(t, "tam", view.Analyst).token, p.admin.token}
	text, err := api.Document()
	if err != nil {
		t.Fatal(err)
	}
	served, err := http.Get(p.address + api.Prefix + "/openapi.json")
	if err != nil {
		t.Fatal(err)
	}
	defer served.Body.Close()
	if got, err := io.ReadAll(served.Body); err != nil || !bytes.Equal(got, text) || served.Header.Get("Content-Type") != "application/json" {
		t.Errorf("the service serves another document, of %d bytes, as %q: %v", len(got), served.Header.Get("Content-Type"), err)
	}
	var document struct {
		Paths map[string]map[string]struct {
			ID   string `json:"operationId"`
			Role string `json:"x-role"`
		} `json:"paths"`
	}
	if err := json.Unmarshal(text, &document); err != nil {
		t.Fatal(err)
	}
	stated := map[view.Role][4]bool{"anyone": forAnyone, view.Reader: forReaders, view.Analyst: forAnalysts, view.Admin: forAdmins}
	asked := 0
	for path, methods := range document.Paths {
		for method, op := range methods {
			want, ok := routeRoles[op.ID]
			if !ok {
				t.Errorf("%s %s (%s) has no row in the table of who may call it", method, path, op.ID)
				continue
			}
			if stated[view.Role(op.Role)] != want {
				t.Errorf("%s says that it is for %s, and the table says otherwise", op.ID, op.Role)
			}
			address := p.address + strings.NewReplacer("{run}", "999", "{entry}", "999", "{token}", "999", "{action}", "999", "{file}", "999", "{share}", "999", "{webhook}", "999").Replace(path)
			for _, name := range []string{"name", "upload", "connection", "job", "code", "person", "filter"} {
				address = strings.ReplaceAll(address, "{"+name+"}", "nothing-of-the-kind")
			}
			for i, token := range callers {
				status, kind := askAs(t, strings.ToUpper(method), address, token)
				asked++
				let := status != http.StatusForbidden && (status != http.StatusUnauthorized || kind == "/problems/wrong-password")
				if let != want[i] || !let && kind != map[bool]string{true: "/problems/sign-in", false: "/problems/not-allowed"}[i == 0] {
					t.Errorf("%s as %s: %d %s", op.ID, [4]string{"nobody", "reader", "analyst", "admin"}[i], status, kind)
				}
				if status >= 500 {
					t.Errorf("%s as %d: %d", op.ID, i, status)
				}
			}
		}
	}
	if asked != 4*len(routeRoles) {
		t.Errorf("asked %d times, and the table has %d routes", asked, len(routeRoles))
	}
}

// askAs makes a request without a body worth the name, and returns the answer's status and the kind of problem.
func askAs(t *testing.T, method, address, token string) (int, string) {
	t.Helper()
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel() // the events of something that goes on would not end
	req, err := http.NewRequestWithContext(ctx, method, address, strings.NewReader("{}"))
	if err != nil {
		t.Fatal(err)
	}
	if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	resp, err := (&http.Client{}).Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	var problem view.Problem
	if resp.StatusCode >= 400 {
		if err := json.NewDecoder(resp.Body).Decode(&problem); err != nil {
			t.Fatal(err)
		}
	}
	return resp.StatusCode, problem.Type
}

// TestSignIn goes the ways in and out of the service over HTTP, the wrong ones, too.
func TestSignIn(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	p := serve(t, data)
	nobody := client.New(p.address, "")
	refused := func(what string, err error, kind view.ProblemKind, says string) {
		t.Helper()
		problem, ok := err.(*view.Problem)
		if !ok || !kind.Is(problem) || !strings.Contains(problem.Detail, says) {
			t.Errorf("%s: %v", what, err)
		}
	}
	tam := p.person(t, "tam", view.Analyst)
	if me, err := p.as(tam).Me(t.Context()); err != nil || me.Name != "tam" || me.FullName != "Tam" || me.Role != view.Analyst || me.Waiting {
		t.Errorf("%+v, %v", me, err)
	}
	_, err := p.as(tam).AddPerson(t.Context(), view.NewPerson{Name: "eve", Role: view.Admin})
	refused("an analyst letting people in", err, view.NotAllowed, "needs the role admin; tam is analyst")
	for _, n := range []view.NewPerson{{Name: "tam", Role: view.Reader}, {Name: "Tam O", Role: view.Reader}, {Name: "eve", Role: "boss"}} {
		if _, err := p.client().AddPerson(t.Context(), n); err == nil {
			t.Errorf("%+v was added", n)
		}
	}
	// A one-time link works once, and not for a password that is guessed at once.
	invited, err := p.client().AddPerson(t.Context(), view.NewPerson{Name: "eve", Role: view.Reader})
	if err != nil {
		t.Fatal(err)
	}
	eve := client.New(p.address, "")
	for _, bad := range []string{"", "short", "eeeeeeeeeeeeee"} {
		_, err := eve.Enter(t.Context(), invited.Link, view.Welcome{Password: bad})
		refused("password "+bad, err, view.Invalid, "")
	}
	_, err = eve.SignIn(t.Context(), "eve", "")
	refused("before there is a password", err, view.WrongPassword, "")
	if _, err := eve.Enter(t.Context(), invited.Link, view.Welcome{Password: secret}); err != nil {
		t.Fatal(err)
	}
	_, err = nobody.Enter(t.Context(), invited.Link, view.Welcome{Password: secret})
	refused("a used link", err, view.NotFound, "no longer works")
	_, err = nobody.OneTime(t.Context(), invited.Link[:len(invited.Link)-1]+"A")
	refused("a link with one letter changed", err, view.NotFound, "not copied whole")

	signed := client.New(p.address, "")
	if _, err := signed.SignIn(t.Context(), tam.name, secret); err != nil {
		t.Fatal(err)
	}

	// A sixth wrong password waits, whether or not anybody has the name, and so does the right one.
	for _, name := range []string{"tam", "nobody.at.all"} {
		for range 5 {
			_, err := nobody.SignIn(t.Context(), name, "not the password")
			refused("a wrong password of "+name, err, view.WrongPassword, "The name or the password is wrong")
		}
		_, err := nobody.SignIn(t.Context(), name, secret)
		refused("the sixth of "+name, err, view.TooOften, "wait 15 s")
		if wait := err.(*view.Problem).RetryAfter; wait < 1 || wait > 15 {
			t.Errorf("wait %d s", wait)
		}
	}
	if _, err := nobody.SignIn(t.Context(), " EVE ", secret); err != nil {
		t.Error(err)
	}

	// Who changes the password stays signed in here, and nowhere else.
	other := client.New(p.address, "")
	if _, err := other.SignIn(t.Context(), "eve", secret); err != nil {
		t.Fatal(err)
	}
	refused("another old password", eve.ChangePassword(t.Context(), view.NewPassword{Old: "not the password", New: secret + "!"}), view.Invalid, "current password is wrong")
	if err := eve.ChangePassword(t.Context(), view.NewPassword{Old: secret, New: secret + "!"}); err != nil {
		t.Error(err)
	}
	if _, err := eve.Me(t.Context()); err != nil {
		t.Error(err)
	}
	_, err = other.Me(t.Context())
	refused("a session that has ended", err, view.SignInFirst, "Sign in first")
	if err := eve.SignOut(t.Context()); err != nil {
		t.Error(err)
	}
	_, err = eve.Me(t.Context())
	refused("signed out", err, view.SignInFirst, "")

	// Tokens: the secret is told once, kept hashed, and is of no use when revoked; nor are the tokens of somebody inactive.
	token, err := signed.MakeToken(t.Context(), view.NewToken{Label: "nightly", Days: 3})
	if err != nil || !strings.HasPrefix(token.Secret, "ts_") || token.Expires.Sub(token.Created).Hours() != 72 {
		t.Fatalf("%+v, %v", token, err)
	}
	list, err := p.as(tam).Tokens(t.Context())
	if err != nil || len(list.Tokens) != 2 || list.Tokens[0].Label != "nightly" || list.Tokens[0].Secret != "" {
		t.Errorf("%+v, %v", list, err)
	}
	nightly := client.New(p.address, token.Secret)
	if _, err := nightly.Sets(t.Context()); err != nil {
		t.Error(err)
	}
	if err := p.client().RevokeToken(t.Context(), token.ID); err == nil {
		t.Error("somebody else's token was revoked")
	}
	if err := p.as(tam).RevokeToken(t.Context(), token.ID); err != nil {
		t.Error(err)
	}
	_, err = nightly.Sets(t.Context())
	refused("a revoked token", err, view.SignInFirst, "The token is not known")
	people, err := p.client().People(t.Context())
	if err != nil || len(people.People) != 3 {
		t.Fatalf("%+v, %v", people, err)
	}
	for _, one := range people.People {
		change := view.PersonChange{FullName: one.FullName, Role: one.Role}
		_, err := p.client().ChangePerson(t.Context(), one.Name, one.Version+1, change)
		refused("a version that is not there", err, view.Changed, "")
		if _, err = p.client().ChangePerson(t.Context(), one.Name, one.Version, change); one.Role == view.Admin {
			refused("the last admin made inactive", err, view.InUse, "the only admin")
		} else if err != nil {
			t.Error(err)
		}
	}
	_, err = p.as(tam).Me(t.Context())
	refused("a token of somebody inactive", err, view.SignInFirst, "")

	// All of it is in the history, and no secret is in the data file.
	found, err := p.client().Verify(t.Context(), nil)
	if err != nil || !found.Holds || found.Entries < 10 {
		t.Errorf("%+v, %v", found, err)
	}
	history, err := p.client().History(t.Context(), "person", "", "", "", 1000)
	if err != nil {
		t.Fatal(err)
	}
	says := fmt.Sprint(history)
	for _, want := range []string{"added tam as analyst", "used a one-time link", "made the token nightly", "revoked the token nightly", "changed the password of eve", "made tam, analyst, inactive"} {
		if !strings.Contains(says, want) {
			t.Errorf("the history does not say %q", want)
		}
	}
	for _, hidden := range []string{token.Secret, tam.session, secret} {
		if held(t, data, hidden) {
			t.Errorf("the data directory holds %q", hidden)
		}
	}
}

// TestCookie looks at the session's cookie, and lets a page of another site try.
func TestCookie(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	send := func(method, path, body string, header map[string]string) *http.Response {
		t.Helper()
		req, err := http.NewRequestWithContext(t.Context(), method, p.address+path, strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		for name, value := range header {
			req.Header.Set(name, value)
		}
		resp, err := (&http.Client{}).Do(req)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = resp.Body.Close() })
		return resp
	}
	in := fmt.Sprintf(`{"name":"ines","password":%q}`, secret)
	for forwarded, secure := range map[string]bool{"": false, "https": true} {
		cookies := send("POST", "/api/v1/signin", in, map[string]string{"X-Forwarded-Proto": forwarded}).Cookies()
		name := "twinsieve_session"
		if secure { // a name that browsers take only from the host itself
			name = "__Host-" + name
		}
		if len(cookies) != 1 || cookies[0].Name != name || !cookies[0].HttpOnly || cookies[0].SameSite != http.SameSiteStrictMode || cookies[0].Secure != secure || cookies[0].Path != "/" {
			t.Errorf("%v", cookies)
		}
		for _, given := range []string{"twinsieve_session", "__Host-twinsieve_session"} {
			want := http.StatusUnauthorized
			if given == name {
				want = http.StatusOK
			}
			if resp := send("GET", "/api/v1/sets", "", map[string]string{"X-Forwarded-Proto": forwarded, "Cookie": given + "=" + p.admin.session}); resp.StatusCode != want {
				t.Errorf("forwarded %q, a session under the name %s: %d, want %d", forwarded, given, resp.StatusCode, want)
			}
		}
	}
	mine := "twinsieve_session=" + p.admin.session
	for _, c := range []struct {
		header map[string]string
		want   int
	}{
		{map[string]string{"Cookie": mine}, http.StatusCreated},
		{map[string]string{"Cookie": mine, "Sec-Fetch-Site": "same-origin"}, http.StatusCreated},
		{map[string]string{"Cookie": mine, "Sec-Fetch-Site": "cross-site"}, http.StatusForbidden},
		{map[string]string{"Cookie": mine, "Origin": "http://elsewhere.example"}, http.StatusForbidden},
		{map[string]string{"Cookie": mine + "x"}, http.StatusUnauthorized},
		{map[string]string{"Authorization": "Basic aW5lczppbmVz"}, http.StatusUnauthorized},
		{map[string]string{"Authorization": "Bearer "}, http.StatusUnauthorized},
	} {
		if resp := send("POST", "/api/v1/me/tokens", `{"label":"another"}`, c.header); resp.StatusCode != c.want {
			text, _ := io.ReadAll(resp.Body)
			t.Errorf("%v: %d %s", c.header, resp.StatusCode, text)
		}
	}
}

// held reports whether a text is in a file of a folder.
func held(t *testing.T, dir, text string) bool {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(dir, "*"))
	if err != nil {
		t.Fatal(err)
	}
	for _, file := range files {
		if content, err := os.ReadFile(file); err == nil && bytes.Contains(content, []byte(text)) {
			return true
		}
	}
	return false
}
