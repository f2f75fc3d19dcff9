package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"twinsieve/client"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// TestAdviceProblems asks the interface for what cannot be: each answer is a problem document that says what, and how to mend it.
func TestAdviceProblems(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 60}))
	key := func(call, day, code string) string { return fmt.Sprintf(`["%s", "%s", "%s"]`, call, day, code) }
	pair := func(left, right string) string { return fmt.Sprintf(`{"left": %s, "right": %s}`, left, right) }
	crosswalk := "/sieves/Berth%20billing/crosswalk"
	run := fmt.Sprintf("/runs/%d", head.ID)
	for name, q := range map[string]struct {
		method, path, body string
		status             int
		kind, detail       string
	}{
		"advice on no set":      {"POST", "/advices", `{"left": "service-log", "right": "bills"}`, 422, "invalid-definition", `there is no record set "bills"; load it first`},
		"nothing to diagnose":   {"POST", "/diagnoses", `{}`, 400, "invalid-request", "the id of a run, or a definition"},
		"no such run":           {"POST", "/diagnoses", `{"run": 99}`, 404, "not-found", "There is no run 99"},
		"no key to trace":       {"GET", run + "/trace", "", 400, "invalid-request", "a key, or a record such as left-17"},
		"no such record":        {"GET", run + "/trace?record=right-999999", "", 404, "not-found", "that side has the records 1 to"},
		"nothing to look up":    {"GET", "/traces?key=+", "", 400, "invalid-request", "Say which key is to be traced"},
		"a score above 1":       {"POST", run + "/near", `{"least": 1.5}`, 400, "invalid-request", "The field least is 1.5; it may be 0 to 1"},
		"no such reading":       {"POST", "/readings/tried", `{"definition": {"left": "service-log", "right": "invoices", "key": [{"left": "call_no", "right": "Voyage Call", "readings": ["trim"]}]}, "of": "key", "part": 0, "reading": 4}`, 400, "invalid-request", "There is no reading 5; there are 1."},
		"no such sieve":         {"GET", "/sieves/none/crosswalk", "", 404, "not-found", `There is no sieve "none"`},
		"no pairs":              {"POST", crosswalk, `{"pairs": [], "accept": true}`, 400, "invalid-request", "decide about 1 to 50000 at once"},
		"too few parts":         {"POST", crosswalk, `{"pairs": [{"left": ["MW-1"], "right": ["MW-2"]}], "accept": true}`, 400, "invalid-request", "The key has 3 parts, and pair 1 has 1 texts on the left"},
		"a key without a value": {"POST", crosswalk, `{"accept": true, "pairs": [` + pair(key("", "2031-03-02", "PIL"), key("MW-1", "02.03.2031", "pil")) + `]}`, 400, "invalid-request", "such a record has no key"},
		"one key already":       {"POST", crosswalk, `{"accept": true, "pairs": [` + pair(key("MW-01", "2031-03-02", "PIL"), key("mw-1", "02.03.2031", "pil")) + `]}`, 400, "invalid-request", "reads them as one key already"},
		"three in a class": {"POST", crosswalk, `{"accept": true, "pairs": [` + pair(key("A1", "2031-03-02", "PIL"), key("B1", "02.03.2031", "pil")) + `, ` + pair(key("C1", "2031-03-02", "PIL"), key("B1", "02.03.2031", "pil")) + `]}`,
			409, "joins-keys", "More than two keys would become one: A1 · 2031-03-02 · PIL, B1 · 02.03.2031 · pil, C1 · 2031-03-02 · PIL. Confirm"},
		"an empty file":      {"POST", crosswalk + "/import", "", 422, "unreadable-file", "its first line names the columns"},
		"no such entry":      {"DELETE", crosswalk + "/7", "", 404, "not-found", "There is no entry 7"},
		"records of no side": {"POST", run + "/pairs", `{"left": [1], "right": []}`, 400, "invalid-request", ""},
		"a record twice":     {"POST", run + "/pairs/tried", fmt.Sprintf(`{"left": [%[1]d, %[1]d], "right": [1]}`, lonelyNumber(t, c, head.ID)), 400, "invalid-request", "A record is named twice on the left"},
	} {
		req, err := http.NewRequestWithContext(t.Context(), q.method, p.address+"/api/v1"+q.path, strings.NewReader(q.body))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(resp.Body)
		resp.Body.Close()
		var problem view.Problem
		if err != nil || json.Unmarshal(text, &problem) != nil || resp.StatusCode != q.status || problem.Status != q.status || problem.Type != "/problems/"+q.kind ||
			!strings.Contains(problem.Detail, q.detail) || resp.Header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s: %d %s %s, want %d %s with %q", name, resp.StatusCode, resp.Header.Get("Content-Type"), text, q.status, q.kind, q.detail)
		}
	}
	if list, err := c.Crosswalk(t.Context(), "Berth billing"); err != nil || list.Version != 0 || len(list.Entries) != 0 {
		t.Errorf("what was refused has left %+v, %v", list, err)
	}
}

// lonelyNumber is the number of a missing record.
func lonelyNumber(t testing.TB, c *client.Client, run uint) int64 {
	t.Helper()
	page, err := c.Entries(t.Context(), run, client.Query{Tray: "missing", Limit: 1})
	if err != nil || len(page.Entries) == 0 {
		t.Fatalf("no missing record: %v", err)
	}
	return page.Entries[0].Left.Number
}

// TestCrosswalkGrowsOld: with new data, a pairing by hand holds for records of the same content wherever they stand now, and says
// nothing where they are gone or have found partners; an equivalence of a key that no longer has a value is counted as such.
func TestCrosswalkGrowsOld(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	left, right := "call,amount\nA,1\nB,2\nC,3\nD,4\n", "call,amount\nX,3\nY,4\nZ,9\n"
	load(t, c, "lines", []byte(left))
	load(t, c, "bills", []byte(right))
	d := sieve.Definition{Name: "Old", Left: "lines", Right: "bills", Key: []sieve.KeyPart{{Columns: column("call", "")}}, Compare: []sieve.Field{{Columns: column("amount", ""), As: "decimal"}}}
	if _, err := c.CreateSieve(t.Context(), d); err != nil {
		t.Fatal(err)
	}
	again := func() view.Run {
		t.Helper()
		job, err := c.Run(t.Context(), "Old")
		head, err := c.RunHead(t.Context(), done(t, c, job, err).Run)
		if err != nil {
			t.Fatal(err)
		}
		return head
	}
	first := again()
	for _, pair := range []view.HandPair{{Left: []int64{1, 2}, Right: []int64{1}}, {Left: []int64{4}, Right: []int64{2}, Reason: "seen"}} {
		if _, err := c.PairByHand(t.Context(), first.ID, pair); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := c.Decide(t.Context(), "Old", view.Decision{Accept: true, Pairs: []view.KeyPair{{Left: []string{"C"}, Right: []string{"Z"}}}}); err != nil {
		t.Fatal(err)
	}
	check := func(what string, head view.Run, matched, differing, missing, orphaned int64, crosswalk string) {
		t.Helper()
		s := head.Summary
		got := [4]int64{s.Tray(tray.Matched).Records[0], s.Tray(tray.Differing).Records[0], s.Tray(tray.Missing).Records[0], s.Tray(tray.Orphaned).Records[1]}
		if got != [4]int64{matched, differing, missing, orphaned} || fmt.Sprint(s.Crosswalk) != crosswalk || !s.Accounted {
			t.Errorf("%s: %v, crosswalk %v", what, got, s.Crosswalk)
		}
	}
	check("at once", again(), 3, 1, 0, 0, "{3 2 0 0}")
	load(t, c, "lines", []byte("call,amount\nNEW,7\nD,4\nB,2\nC,3\nA,1\n")) // in another order
	check("in another order", again(), 3, 1, 1, 0, "{3 2 0 0}")
	load(t, c, "lines", []byte("call,amount\nA,1\nB,2.5\nC,3\nD,4\n")) // one of the first group has changed
	check("changed", again(), 1, 1, 2, 1, "{3 1 0 1}")
	load(t, c, "bills", []byte("call,amount\nX,3\nY,4\nZ,9\nD,4\n")) // one has found a partner
	check("found a partner", again(), 1, 1, 2, 2, "{3 0 0 2}")
	saved, etag, err := c.Sieve(t.Context(), "Old")
	if err != nil {
		t.Fatal(err)
	}
	saved.Definition.Key[0].Readings = reading.MustParse("capture [A-Y]")
	if _, err := c.ChangeSieve(t.Context(), "Old", etag, saved.Definition); err != nil {
		t.Fatal(err)
	}
	check("read otherwise", again(), 1, 0, 3, 2, "{3 0 1 2}")
}
