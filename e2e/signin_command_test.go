package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"twinsieve/service/view"
)

// TestSignInCommands signs in and out on the command line, and lets people in with it.
func TestSignInCommands(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	file := filepath.Join(t.TempDir(), "kept", "tokens.json")
	env := []string{"TWINSIEVE_SERVER=" + p.address, "TWINSIEVE_TOKEN=", "TWINSIEVE_TOKEN_FILE=" + file}
	says := func(in string, status int, want string, args ...string) string {
		t.Helper()
		r := runIn(t, env, in, args...)
		if r.status != status || !strings.Contains(r.out+r.errors, want) || status != 0 && strings.Count(r.errors, "\n") != 1 {
			t.Fatalf("%q: exit %d\n%s%s\nwant %d and %q", args, r.status, r.out, r.errors, status, want)
		}
		return r.out
	}
	says("", 2, "twinsieve signin", "sets")
	says("wrong password\n", 2, "The name or the password is wrong", "signin", "--name", "ines", "--password-stdin")
	says("", 2, "give it with --password-stdin", "signin", "--name", "ines")
	says("", 2, "say who signs in: give --name", "signin")
	says(secret+"\n", 0, "signed in at "+p.address+" as ines, admin, until", "signin", "--name", "ines", "--password-stdin", "--label", "a test")
	info, err := os.Stat(file)
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Fatalf("%v, %v", info, err)
	}
	says("", 0, "a test", "tokens")

	// The file holds a token, so nobody else may have been able to read it.
	if err := os.Chmod(file, 0o644); err != nil {
		t.Fatal(err)
	}
	says("", 2, "can be read by others, so its tokens may be known; revoke them, then: chmod 600 "+file, "sets")
	if err := os.Chmod(file, 0o600); err != nil {
		t.Fatal(err)
	}

	link := strings.TrimSpace(says("", 0, p.address+"/enter/", "people", "add", "tam", "--full-name", "Tam Okoro"))
	says("", 2, `There is a person named "tam" already`, "people", "add", "tam")
	says("", 2, `--role does not take "boss"; write one of reader, analyst, admin`, "people", "change", "tam", "--role", "boss")
	says("", 2, `there is no person "eve"`, "people", "change", "eve", "--role", "reader")
	says("", 2, "ines is the only admin", "people", "change", "ines", "--role", "reader")
	says("", 0, "tam   Tam Okoro   analyst  has no password yet", "people")
	secretOf := strings.TrimSpace(says(secret+"\n", 0, "ts_", "tokens", "make", "nightly", "--days", "30", "--password-stdin"))
	if r := run(t, append(env, "TWINSIEVE_TOKEN="+secretOf), "tokens", "-o", "csv"); r.status != 0 || !strings.Contains(r.out, "nightly") {
		t.Errorf("%+v", r)
	}
	if r := run(t, append(env, "TWINSIEVE_TOKEN="+secretOf+"x"), "tokens"); r.status != 2 || !strings.Contains(r.errors, "The token is not known") {
		t.Errorf("%+v", r)
	}
	says("", 0, "made the token nightly", "history", "--kind", "person", "--person", "ines")
	verified := says("", 0, "The history holds: ", "verify")
	_, newest, _ := strings.Cut(strings.TrimSpace(verified), "newest entry: ")
	says("", 0, "what was stated is among them", "verify", newest)
	says("", 1, "the history does not hold from entry", "verify", "1-0000000000000000")
	says("", 2, "is not what a hand-over states", "verify", "57")

	says("", 0, "ines is signed out at "+p.address, "signout")
	says("", 2, "nobody is signed in at "+p.address, "signout")
	says("", 2, "Sign in first", "tokens")
	env[0] = "TWINSIEVE_SERVER=127.0.0.1:1" // a link says itself where its service is
	says("short\n", 2, "at least 10 characters", "signin", "--link", link, "--password-stdin")
	says(secret+"\n", 0, "signed in at "+p.address+" as tam, analyst", "signin", "--link", link, "--password-stdin")
	says(secret+"\n", 2, "This link no longer works", "signin", "--link", link, "--password-stdin")
	env[0] = "TWINSIEVE_SERVER=" + p.address
	says("", 2, "This needs the role admin; tam is analyst", "people", "add", "eve")
	tokens, err := p.client().Tokens(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for _, token := range tokens.Tokens {
		if token.Label == "a test" {
			t.Error("the token of who signed out still works")
		}
	}
	if _, err := p.client().AddPerson(t.Context(), view.NewPerson{Name: "lio", Role: view.Reader}); err != nil {
		t.Error(err)
	}
}
