package e2e

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"

	"twinsieve/client"
	"twinsieve/core/comparison"
	"twinsieve/core/sieve"
	"twinsieve/service/view"
)

// byID is a definition over two sets with columns id and amt.
func byID(name, left, right string) sieve.Definition {
	return sieve.Definition{Name: name, Left: left, Right: right, Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "id", Right: "id"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amt", Right: "amt"}, As: "decimal"}}}
}

// loadIDs loads a set of ids and amounts, as in "A 7,B 8".
func loadIDs(t *testing.T, c *client.Client, set, records string) {
	t.Helper()
	text := "id,amt\n"
	for r := range strings.SplitSeq(records, ",") {
		text += strings.ReplaceAll(r, " ", ",") + "\n"
	}
	if _, err := loadWith(t, c, set, set+".csv", text, view.Recipe{}); err != nil {
		t.Fatal(err)
	}
}

// deleteSieve deletes a sieve, whatever its version.
func deleteSieve(t *testing.T, c *client.Client, name string) {
	t.Helper()
	s, etag, err := c.Sieve(t.Context(), name)
	if err != nil {
		t.Fatal(err)
	}
	if err := c.DeleteSieve(t.Context(), s.Definition.Name, etag); err != nil {
		t.Fatal(err)
	}
}

// TestNumbersOnce: what a report has read is never another set's. A set that a signed report needs stays, and where one is deleted that others
// referred to, whatever is loaded next has another number.
func TestNumbersOnce(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir(), "--webhooks-inside")
	c, tam := p.client(), p.as(p.person(t, "tam", view.Analyst))
	ctx := t.Context()
	loadIDs(t, c, "L", "A 7,B 8,1 10")
	loadIDs(t, c, "R", "1 10")
	if _, err := c.CreateSieve(ctx, byID("Quay", "L", "R")); err != nil {
		t.Fatal(err)
	}
	signed, draft := runSieve(t, c, "Quay"), view.Run{}
	if _, err := c.Sign(ctx, signed.ID, 0, view.SignStep{Step: "submit", Note: "as agreed"}); err != nil {
		t.Fatal(err)
	}
	deleteSieve(t, c, "Quay")
	refused(t, "a set that a submitted report needs", c.DeleteSet(ctx, "L"), view.InUse, "is needed by report 1 of \"Quay\", which is submitted or signed")
	if _, err := tam.Sign(ctx, signed.ID, 1, view.SignStep{Step: "sign", Note: "as agreed"}); err != nil {
		t.Fatal(err)
	}
	refused(t, "a set that a signed report needs", c.DeleteSet(ctx, "R"), view.InUse, "submitted or signed")

	// One that only a draft has read may go. Its report does not show what comes after it.
	loadIDs(t, c, "L2", "A 7,1 10")
	loadIDs(t, c, "R2", "1 10")
	if _, err := c.CreateSieve(ctx, byID("Quay 2", "L2", "R2")); err != nil {
		t.Fatal(err)
	}
	draft = runSieve(t, c, "Quay 2")
	share, err := c.Share(ctx, draft.ID, client.Query{Tray: "matched"}, 1, 1)
	if err != nil {
		t.Fatal(err)
	}
	deleteSieve(t, c, "Quay 2")
	for _, set := range []string{"L2", "R2"} {
		if err := c.DeleteSet(ctx, set); err != nil {
			t.Fatal(err)
		}
	}
	loadIDs(t, c, "Salaries", "ann 1,bob 2,cyd 99999")
	loadIDs(t, c, "Q28", "SECRET 5")
	_, err = c.Entries(ctx, draft.ID, client.Query{Tray: "matched"})
	refused(t, "matched records of sets that are gone", err, view.NotFound, "no longer kept")
	for name, read := range map[string]func() error{
		"a share": func() error {
			_, err := c.SharedEntries(ctx, share.Link[strings.LastIndexByte(share.Link, '/')+1:], client.Query{Tray: "matched"})
			return err
		},
		"csv": func() error {
			return c.Export(ctx, draft.ID, client.Query{Tray: "matched"}, client.Format{Name: "csv"}, new(bytes.Buffer))
		},
	} {
		if err := read(); err == nil || !strings.Contains(err.Error(), "no longer kept") {
			t.Errorf("%s of sets that are gone: %v", name, err)
		}
	}
	var book bytes.Buffer // has all else, and says what is missing
	if err := c.Export(ctx, draft.ID, client.Query{}, client.Format{Name: "xlsx"}, &book); err != nil || bytes.Contains(book.Bytes(), []byte("SECRET")) {
		t.Errorf("a workbook of sets that are gone: %v", err)
	}

	// Rows of a definition that nobody has saved.
	ask := view.Ask{Look: view.Look{Comparison: string(comparison.Inner)}}
	d := byID("", "L3", "R3")
	ask.Definition = &d
	loadIDs(t, c, "L3", "A 1,B 2,C 3")
	loadIDs(t, c, "R3", "A 1,B 2,X 9")
	if _, err := c.Rows(ctx, ask, 0, 10, nil); err != nil {
		t.Fatal(err)
	}
	for _, set := range []string{"R3", "L3"} {
		if err := c.DeleteSet(ctx, set); err != nil {
			t.Fatal(err)
		}
	}
	loadIDs(t, c, "L3", "P 100,A 200,Q 300")
	loadIDs(t, c, "R3", "S 100,Q 300,A 9")
	rows, err := c.Rows(ctx, ask, 0, 10, nil)
	var got []string
	for _, row := range rows.Rows {
		var cells []string
		for _, cell := range row.Cells {
			cells = append(cells, fmt.Sprint(*cell))
		}
		got = append(got, strings.Join(cells, " "))
	}
	if want := "A 200 A 9|Q 300 Q 300"; err != nil || strings.Join(got, "|") != want {
		t.Errorf("rows of sets that were loaded anew: %q, %v, want %s", got, err, want)
	}

	// Webhooks and links are not numbered again, either.
	hook := func() uint {
		t.Helper()
		h, err := c.AddWebhook(ctx, view.NewWebhook{Address: "http://127.0.0.1:1/hooks", Events: []string{"run.ended"}})
		if err != nil {
			t.Fatal(err)
		}
		return h.ID
	}
	first := hook()
	if err := c.DropWebhook(ctx, first); err != nil {
		t.Fatal(err)
	}
	if second := hook(); second == first {
		t.Errorf("two webhooks had the number %d", first)
	}
}

// TestSieveByNumber: a sieve that gets another name while its run waits, or after a report, keeps its crosswalk and its reports; another that
// takes its old name gets nothing of them.
func TestSieveByNumber(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	ctx := t.Context()
	loadIDs(t, c, "L", "X1 7,1 10")
	loadIDs(t, c, "R", "Y1 7,1 10")
	if _, err := c.CreateSieve(ctx, byID("Quay", "L", "R")); err != nil {
		t.Fatal(err)
	}
	head := runSieve(t, c, "Quay")
	rename := func(from, to string) {
		t.Helper()
		s, etag, err := c.Sieve(ctx, from)
		if err != nil {
			t.Fatal(err)
		}
		d := s.Definition
		d.Name = to
		if _, err := c.ChangeSieve(ctx, from, etag, d); err != nil {
			t.Fatal(err)
		}
	}
	rename("Quay", "Quay, renamed")
	if _, err := c.CreateSieve(ctx, byID("Quay", "L", "R")); err != nil {
		t.Fatal(err)
	}
	if _, err := c.PairByHand(ctx, head.ID, view.HandPair{Left: []int64{1}, Right: []int64{1}, Reason: "the same call"}); err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]int{"Quay, renamed": 1, "Quay": 0} {
		if walk, err := c.Crosswalk(ctx, name); err != nil || len(walk.Entries) != want {
			t.Errorf("%s: %d pairs by hand, %v, want %d", name, len(walk.Entries), err, want)
		}
	}
	// While its run waits behind others, it is renamed once more.
	for n := range 4 {
		if _, err := c.LoadFile(ctx, fmt.Sprint("long ", n), "long.csv", strings.NewReader("id,amt\n"+strings.Repeat("a quay,1\n", 300_000)), view.Recipe{}); err != nil {
			t.Fatal(err)
		}
	}
	job, err := c.Run(ctx, "Quay, renamed")
	if err != nil {
		t.Fatal(err)
	}
	rename("Quay, renamed", "Quay, again")
	done(t, c, job, err)
	end, err := c.Job(context.Background(), job.ID)
	if err != nil {
		t.Fatal(err)
	}
	again, err := c.RunHead(ctx, end.Result.Run)
	if err != nil || !strings.HasPrefix(again.Sieve, "Quay, ") || again.Summary.Exceptions != 0 {
		t.Errorf("the run of %q has %d exceptions, %v", again.Sieve, again.Summary.Exceptions, err)
	}
}
