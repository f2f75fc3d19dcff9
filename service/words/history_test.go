package words_test

import (
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"twinsieve/service/words"
)

// TestEvent tells everything that the store writes into the history, in words: no action is told by its own name.
func TestEvent(t *testing.T) {
	told := map[string]string{
		"set.loaded": "loaded a.csv as snapshot 2 of the record set X: 3 records, 1 rejects", "set.deleted": "deleted the record set X", "sieve.made": "made the sieve X",
		"sieve.changed": "renamed the sieve Y to X, and saved its version 2", "sieve.deleted": "deleted the sieve X", "sieve.scheduled": "let X run by itself",
		"crosswalk.decided": "decided about the crosswalk of X, which is now in version 2", "crosswalk.taken-back": "took entry 7 of the crosswalk of X back",
		"run.finished": "ran S: run 4, report X, 9 entries", "connection.saved": "saved the connection X", "connection.deleted": "deleted the connection X",
		"person.added": "added X as reader", "person.changed": "changed X, now reader", "person.password": "changed the password of X", "person.signed-in": "signed in",
		"link.made": "made a one-time link for X", "link.used": "used a one-time link", "token.made": "made the token nightly", "token.revoked": "revoked the token nightly",
		"exceptions.changed": "changed 5 exceptions in report X: settled", "exceptions.undone": "took back a change of 5 exceptions in report X: settled",
		"exception.commented": "commented on exception X in report 8", "exception.attached": "put the file slip.pdf to exception X in report 8", "reasons.changed": "changed the list of reasons",
		"report.submitted": "submitted report X", "report.signed": "signed report X, prepared by tam", "report.sent-back": "sent report X back: why", "report.reopened": "reopened report X: why",
		"report.shared": "made link 6 for others to report X: settled", "report.unshared": "revoked link 6 to report X", "webhook.added": "added the webhook X", "webhook.removed": "removed the webhook X",
		"retention.applied": "removed X runs, and the snapshots that only these needed: all",
	}
	details := map[string]any{"source": "a.csv", "snapshot": 2.0, "records": 3.0, "rejects": 1.0, "was": "Y", "version": 2.0, "entry": 7.0, "sieve": "S", "number": 4.0, "entries": 9.0, "role": "reader",
		"label": "nightly", "exceptions": 5.0, "says": "settled", "run": 8.0, "name": "slip.pdf", "preparer": "tam", "note": "why", "share": 6.0, "rule": "all"}
	for action, want := range told {
		if got := words.Event(action, "X", details); got != want {
			t.Errorf("%s: %q, want %q", action, got, want)
		}
	}
	for action, want := range map[string]string{"person.changed": "made X, reader, inactive", "sieve.scheduled": "let X run by itself no longer"} {
		if got := words.Event(action, "X", map[string]any{"role": "reader", "active": false}); got != want {
			t.Errorf("%s: %q, want %q", action, got, want)
		}
	}
	if got := words.Event("sieve.changed", "X", map[string]any{"was": "X", "version": 3.0}); got != "saved version 3 of the sieve X" {
		t.Errorf("%q", got)
	}
	// Whatever the store and the service write is in the table.
	written := regexp.MustCompile(`(?:happened\{(?:action: )?|action: |, )"((?:set|sieve|crosswalk|run|connection|person|link|token|exceptions?|reasons|report|webhook|retention)\.[a-z-]+)"`)
	for _, dir := range []string{"../../store", ".."} {
		files, err := filepath.Glob(filepath.Join(dir, "*.go"))
		if err != nil || len(files) == 0 {
			t.Fatal(err)
		}
		for _, file := range files {
			text, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			for _, m := range written.FindAllStringSubmatch(string(text), -1) {
				if told[m[1]] == "" && m[1] != "run.ended" && m[1] != "exceptions.owned" {
					t.Errorf("%s writes %s, and no words tell it", file, m[1])
				}
			}
		}
	}
}

// TestWork tells what is done to exceptions, and how far a report is.
func TestWork(t *testing.T) {
	text := func(s string) *string { return &s }
	for _, c := range []struct {
		status, owner, reason *string
		want                  string
	}{
		{nil, nil, nil, ""},
		{text("in-progress"), nil, nil, "in progress"},
		{text("settled"), text("tam"), text("rounding"), "settled, owned by tam, reason: rounding"},
		{nil, text(""), text(""), "owned by nobody, without a reason"},
	} {
		if got := words.Work(c.status, c.owner, c.reason); got != c.want {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
	for _, c := range [][3]string{
		{"draft", "", "Not signed."}, {"draft", "the tugs", "Not signed. ines: the tugs"},
		{"submitted", "", "Submitted by tam on 1 March 2031; waits for somebody else to sign it."},
		{"signed", "", "Signed by ines on 2 March 2031, prepared by tam. Nothing of it changes any more."},
	} {
		if got := words.SignOff(c[0], "tam", "1 March 2031", "ines", "2 March 2031", c[1]); got != c[2] {
			t.Errorf("%q, want %q", got, c[2])
		}
	}
}
