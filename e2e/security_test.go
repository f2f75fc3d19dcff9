package e2e

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"twinsieve/client"
	"twinsieve/core/expression"
	"twinsieve/core/sieve"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// TestEverybodyEvaluatesApart: counts with a filter whose functions prepare something are the same each time and by everybody, and nobody
// ends the service with one.
func TestEverybodyEvaluatesApart(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	var text strings.Builder
	text.WriteString("id,day\n")
	const records = 60_000
	want := int64(0)
	for n := range records {
		day := 1 + n*7%28
		if day < 15 {
			want++
		}
		fmt.Fprintf(&text, "k%d,2031-03-%02d\n", n, day)
	}
	load(t, p.client(), "big", []byte(text.String()))
	reader := p.as(p.person(t, "lio", view.Reader))
	var group sync.WaitGroup
	for range 4 {
		group.Go(func() {
			for range 3 {
				for filter, excluded := range map[string]int64{`date(day) >= date("2031-03-15")`: want, `id.matches(id + "$")`: 0} {
					d := sieve.Definition{Left: "big", Right: "big", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "id"}}}, Where: sieve.Where{Left: filter, Right: filter}}
					job, err := reader.Count(context.Background(), d)
					if problem := asProblem(err); view.TooOften.Is(problem) {
						continue
					}
					if err != nil {
						t.Error(err)
						return
					}
					result, err := reader.Wait(context.Background(), job, nil)
					if err != nil {
						t.Error(err)
						return
					}
					for _, tray := range result.Counts.Summary.Trays {
						if tray.Tray.String() == "excluded" && tray.Records != [2]int64{excluded, excluded} {
							t.Errorf("%s: %v are excluded, want %d", filter, tray.Records, excluded)
						}
					}
				}
			}
		})
	}
	group.Wait()
	if err := p.client().Ready(t.Context()); err != nil {
		t.Error(err)
	}
}

// TestTokensEndWithTheirPerson: a token and a pending link are of no use after a new password and after a deactivation, also when the person
// is active again; a token makes no tokens; links of reports end with whoever has made them.
func TestTokensEndWithTheirPerson(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 20}))
	tam := p.person(t, "tam", view.Analyst)
	_, err := p.as(tam).MakeToken(t.Context(), view.NewToken{Label: "another"})
	refused(t, "a token made by a token", err, view.NotAllowed, "A token makes no tokens")
	shared, err := p.as(tam).Share(t.Context(), head.ID, client.Query{}, 5, head.Summary.Exceptions)
	if err != nil {
		t.Fatal(err)
	}
	invited, err := c.Invite(t.Context(), "tam")
	if err != nil {
		t.Fatal(err)
	}
	pending, err := c.Invite(t.Context(), "tam") // the newest; the one before is of no use any more
	if err != nil {
		t.Fatal(err)
	}
	_, err = client.New(p.address, "").Enter(t.Context(), invited.Link, view.Welcome{Password: "a tide of eleven gulls"})
	refused(t, "an older link", err, view.NotFound, "This link no longer works")
	if _, err := client.New(p.address, "").Enter(t.Context(), pending.Link, view.Welcome{Password: "a tide of eleven gulls"}); err != nil {
		t.Fatal(err)
	}
	_, err = p.as(tam).Me(t.Context())
	refused(t, "a token from before the new password", err, view.SignInFirst, "The token is not known")

	signed := client.New(p.address, "")
	if _, err := signed.SignIn(t.Context(), "tam", "a tide of eleven gulls"); err != nil {
		t.Fatal(err)
	}
	token, err := signed.MakeToken(t.Context(), view.NewToken{Label: "nightly"})
	if err != nil {
		t.Fatal(err)
	}
	pending, err = c.Invite(t.Context(), "tam")
	if err != nil {
		t.Fatal(err)
	}
	for _, active := range []bool{false, true} {
		people, err := c.People(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		at := slices.IndexFunc(people.People, func(one view.Person) bool { return one.Name == "tam" })
		if _, err := c.ChangePerson(t.Context(), "tam", people.People[at].Version, view.PersonChange{FullName: "Tam", Role: view.Analyst, Active: active}); err != nil {
			t.Fatal(err)
		}
	}
	_, err = client.New(p.address, token.Secret).Me(t.Context())
	refused(t, "a token from before the deactivation", err, view.SignInFirst, "The token is not known")
	_, err = client.New(p.address, "").OneTime(t.Context(), pending.Link)
	refused(t, "a link from before the deactivation", err, view.NotFound, "This link no longer works")
	_, err = client.New(p.address, "").Shared(t.Context(), shared.Link[strings.LastIndexByte(shared.Link, '/')+1:])
	refused(t, "a report's link of somebody who was deactivated", err, view.NotFound, "This link shows nothing")
}

// TestCommonPasswords: passwords that everybody tries first are refused, and so are names that filters mean something else by.
func TestCommonPasswords(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	invited, err := p.client().AddPerson(t.Context(), view.NewPerson{Name: "tam.okoro", Role: view.Reader})
	if err != nil {
		t.Fatal(err)
	}
	for _, bad := range []string{"password12", "1234567890", "qwertyuiop", "iloveyou123", "Password123", "twinsieve1", "tam.okoro1", "aaaaaaaaaaaa"} {
		_, err := client.New(p.address, "").Enter(t.Context(), invited.Link, view.Welcome{Password: bad})
		refused(t, bad, err, view.Invalid, "guessed first")
	}
	if _, err := client.New(p.address, "").Enter(t.Context(), invited.Link, view.Welcome{Password: "harbour lantern 77"}); err != nil {
		t.Error(err)
	}
	for _, name := range []string{"me", "nobody", "none"} {
		_, err := p.client().AddPerson(t.Context(), view.NewPerson{Name: name, Role: view.Reader})
		refused(t, name, err, view.Invalid, "cannot be a person's name")
	}
	_, err = p.client().AddPerson(t.Context(), view.NewPerson{Name: "long", FullName: strings.Repeat("x", 101), Role: view.Reader})
	refused(t, "a long full name", err, view.Invalid, "A full name has at most 100 characters")
	_, err = p.client().AddPerson(t.Context(), view.NewPerson{Name: "odd", FullName: "a\x1b[2Jb", Role: view.Reader})
	refused(t, "a full name with a control sequence", err, view.Invalid, "no control characters")
}

// TestPrivateFiles: only the owner can read the data file, also in a folder that everybody can look into and after it was readable; and the
// folder that files are loaded from and the data directory lie apart.
func TestPrivateFiles(t *testing.T) {
	t.Parallel()
	data := filepath.Join(t.TempDir(), "data")
	if err := os.Mkdir(data, 0o755); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		p := serve(t, data)
		load(t, p.client(), "log", []byte("a\n1\n"))
		entries, err := os.ReadDir(data)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range entries {
			if info, err := e.Info(); err != nil || !e.IsDir() && strings.HasPrefix(e.Name(), "twinsieve.db") && info.Mode().Perm() != 0o600 {
				t.Errorf("%s can be read by others: %v, %v", e.Name(), info.Mode(), err)
			}
		}
		p.stop(t, syscall.SIGTERM)
		if err := os.Chmod(filepath.Join(data, "twinsieve.db"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	outer, inner := filepath.Dir(data), filepath.Join(data, "files")
	link := filepath.Join(t.TempDir(), "link")
	if err := errors.Join(os.Mkdir(inner, 0o700), os.Symlink(outer, link)); err != nil {
		t.Fatal(err)
	}
	for folder, want := range map[string]string{outer: "contains the data directory", inner: "is inside the data directory", data: "contains the data directory", link: "contains the data directory"} {
		if r := run(t, nil, "serve", "--listen", "127.0.0.1:0", "--data", data, "--folder", folder); r.status != 2 || !strings.Contains(r.errors, want) {
			t.Errorf("%s: exit %d, %q", folder, r.status, r.errors)
		}
	}
}

// TestNothingWithoutBound: computed columns that are tried and crosswalks have bounds, and a pipe in the folder holds up nobody.
func TestNothingWithoutBound(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := syscall.Mkfifo(filepath.Join(folder, "pipe.csv"), 0o600); err != nil {
		t.Fatal(err)
	}
	p := serve(t, t.TempDir(), "--folder", folder)
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 60}))
	reader := p.as(p.person(t, "lio", view.Reader))
	var many, doubling []expression.Column
	for n := range 400 {
		many = append(many, expression.Column{Name: fmt.Sprintf("c%d", n), Expression: `"x"`})
	}
	_, err := reader.TryColumns(t.Context(), "invoices", many)
	refused(t, "400 columns", err, view.Invalid, "at most 100 computed ones")
	doubling = append(doubling, expression.Column{Name: "d0", Expression: `"` + strings.Repeat("x", 3000) + `"`})
	for n := range 8 {
		doubling = append(doubling, expression.Column{Name: fmt.Sprintf("d%d", n+1), Expression: fmt.Sprintf("d%d + d%d", n, n)})
	}
	_, err = reader.TryColumns(t.Context(), "invoices", doubling)
	refused(t, "columns that double", err, view.Invalid, "too long to be kept")
	_, err = c.ImportCrosswalk(t.Context(), head.Sieve, io.LimitReader(endless{}, 20<<20), view.Decision{})
	refused(t, "a crosswalk without end", err, view.TooLarge, "more than 16 MB")
	_, err = c.Preview(t.Context(), view.SourceRef{Place: view.Place{Path: "pipe.csv"}}, view.Recipe{}.Choices)
	refused(t, "a pipe", err, view.Invalid, "not a regular file")
}

// TestJobsOfOne: of one person's jobs a few may wait, and somebody else's is queued all the same and comes next.
func TestJobsOfOne(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	head := loadDemo(t, p.client(), demo.New(demo.Options{Services: 20_000}))
	reader := p.as(p.person(t, "lio", view.Reader))
	full := false
	for range 400 {
		if _, err := reader.Count(t.Context(), head.Definition); err != nil {
			refused(t, "jobs without end", err, view.TooOften, "jobs waiting already")
			full = true
			break
		}
	}
	if !full {
		t.Error("400 counts at once were all queued")
	}
	job, err := p.client().Count(t.Context(), head.Definition)
	if err != nil {
		t.Fatal(err)
	}
	if _, err = p.client().Wait(t.Context(), job, nil); err != nil {
		t.Error(err)
	}
}

// endless is a text without end.
type endless struct{}

func (endless) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = 'a'
	}
	return len(p), nil
}

// TestWhatOthersSee: answers are not kept by anybody in between, the address of a webhook is not in the history, and an Authorization of another
// kind, as a proxy may add, does not stand in the way of a session.
func TestWhatOthersSee(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	if _, err := p.client().AddWebhook(t.Context(), view.NewWebhook{Address: "http://hooks.example/services/T0/SECRETTOKEN?key=topsecret"}); err != nil {
		t.Fatal(err)
	}
	history, err := p.as(p.person(t, "lio", view.Reader)).History(t.Context(), "webhook", "", "", "", 10)
	text, _ := json.Marshal(history) // of plain values
	if err != nil || len(history.Events) != 1 || strings.Contains(string(text), "SECRET") || !strings.Contains(string(text), "hooks.example") {
		t.Errorf("%s, %v", text, err)
	}
	req, err := http.NewRequestWithContext(t.Context(), "GET", p.address+"/api/v1/me", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.AddCookie(&http.Cookie{Name: "twinsieve_session", Value: p.admin.session})
	req.Header.Set("Authorization", "Basic cHJveHk6cHJveHk=")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	if resp.StatusCode != 200 || resp.Header.Get("Cache-Control") != "no-store" || !strings.Contains(resp.Header.Get("Content-Security-Policy"), "base-uri 'none'") {
		t.Errorf("%d %v", resp.StatusCode, resp.Header)
	}
}

// TestFollowingEnds: who follows a report hears nothing more from the moment of being signed out of the service.
func TestFollowingEnds(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir(), "--verbose")
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 20}))
	tam := p.as(p.person(t, "tam", view.Analyst))
	begun, ended := make(chan bool, 1), make(chan []view.ReportChange, 1)
	go func() {
		var heard []view.ReportChange
		_ = tam.FollowReport(t.Context(), head.ID, func(change view.ReportChange) bool {
			if heard = append(heard, change); len(heard) == 1 {
				begun <- true
			}
			return true
		}) // it ends with an error or without, as the service sees fit
		ended <- heard
	}()
	<-begun
	people, err := c.People(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for _, person := range people.People {
		if person.Name == "tam" {
			if _, err := c.ChangePerson(t.Context(), "tam", person.Version, view.PersonChange{FullName: person.FullName, Role: person.Role}); err != nil {
				t.Fatal(err)
			}
		}
	}
	for range 2 {
		if _, err := c.Comment(t.Context(), head.ID, "2", "not for tam"); err != nil {
			t.Fatal(err)
		}
	}
	select {
	case heard := <-ended:
		for _, change := range heard {
			if strings.Contains(change.Says, "commented") {
				t.Errorf("heard, though inactive: %+v", change)
			}
		}
	case <-time.After(30 * time.Second):
		t.Error("the stream goes on")
	}

	// What lets anybody in is not in the log.
	p.person(t, "lio", view.Reader)
	invited, err := c.Invite(t.Context(), "lio")
	if err != nil {
		t.Fatal(err)
	}
	code := invited.Link[strings.LastIndexByte(invited.Link, '/')+1:]
	if _, err := client.New(p.address, "").OneTime(t.Context(), invited.Link); err != nil {
		t.Error(err)
	}
	if text := p.log.String(); strings.Contains(text, code) || !strings.Contains(text, "/api/v1/enter/…") {
		t.Errorf("the log has the code %s, or not the request:\n%s", code, text)
	}
}
