package e2e

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"twinsieve/client"
	"twinsieve/core/sieve"
	"twinsieve/demo"
	"twinsieve/formats/intake"
	"twinsieve/formats/outform"
	"twinsieve/service/view"
)

// loadWith loads a text with a recipe, and returns the set or what went wrong.
func loadWith(t *testing.T, c *client.Client, set, file, text string, r view.Recipe) (*view.Set, error) {
	t.Helper()
	job, err := c.LoadFile(t.Context(), set, file, strings.NewReader(text), r)
	if err != nil {
		return nil, err
	}
	result, err := c.Wait(t.Context(), job, nil)
	if err != nil {
		return nil, err
	}
	return result.Set, nil
}

// TestNewSets: a load that is to make a new set adds no snapshot to one that is there, even if that came while it was under way.
func TestNewSets(t *testing.T) {
	t.Parallel()
	c := serve(t, t.TempDir()).client()
	if _, err := loadWith(t, c, "berths", "berths.csv", "berth\n1\n", view.Recipe{New: true}); err != nil {
		t.Fatal(err)
	}
	_, err := loadWith(t, c, "berths", "berths.csv", "berth\n2\n", view.Recipe{New: true})
	refused(t, "a new set of a name that is taken", err, view.NameTaken, "nothing was loaded")
	text := "berth\n" + strings.Repeat("a quay\n", 200_000) // long enough for all of them to be under way at once
	jobs := make(chan view.Job, 4)
	for range cap(jobs) {
		go func() {
			job, err := c.LoadFile(t.Context(), "quays", "quays.csv", strings.NewReader(text), view.Recipe{New: true})
			if err != nil && !view.NameTaken.Is(asProblem(err)) {
				t.Error(err)
			}
			jobs <- job
		}()
	}
	made := 0
	for range cap(jobs) {
		job := <-jobs
		if job.ID == "" {
			continue
		}
		if _, err := c.Wait(t.Context(), job, nil); err == nil {
			made++
		} else {
			refused(t, "a set that came meanwhile", err, view.NameTaken, "nothing was loaded")
		}
	}
	for set, kept := range map[string]int{"berths": 1, "quays": made} {
		if list, err := c.Snapshots(t.Context(), set); err != nil || len(list.Snapshots) != 1 || kept != 1 {
			t.Errorf("%s: %d loads made a new set of %d snapshots, %v", set, kept, len(list.Snapshots), err)
		}
	}
	// What is loaded again is not new any more.
	if set, err := c.Set(t.Context(), "berths"); err != nil || set.Snapshot.Recipe == nil || set.Snapshot.Recipe.New {
		t.Errorf("%+v, %v", set.Snapshot.Recipe, err)
	}
}

// TestControlFigures plants twelve faults, a footer and a wrong control total: the rejects are counted and listed, the footer
// is no record, and the miss is stated with the set and in the report of every run over it.
func TestControlFigures(t *testing.T) {
	t.Parallel()
	var text strings.Builder
	text.WriteString("call_no;amount\n")
	for n := range 100 {
		fmt.Fprintf(&text, "MW-%d;1.%03d,25\n", n, n)
		if n%8 == 3 && n < 96 {
			text.WriteString("only one cell\n")
		}
	}
	text.WriteString("TRAILER;101;104975,01\n")
	p := serve(t, t.TempDir())
	c := p.client()
	count := int64(100)
	log, err := loadWith(t, c, "log", "log.csv", text.String(), view.Recipe{Choices: intake.Choices{Footers: []string{"TRAILER"}}, Control: &view.Control{Count: &count,
		Totals: []view.ControlTotal{{Column: "amount", Total: "104.975,00"}}, Trailer: &view.ControlTrailer{Starts: "TRAILER", Count: 2, Total: 3, Column: "amount"}}})
	if err != nil {
		t.Fatal(err)
	}
	held := fmt.Sprint(log.Snapshot.Findings.Held)
	want := "[{records 100 100 typed in true } {total of amount 104975 104975 typed in true } {records 101 100 line 114 false } {total of amount 104975.01 104975 line 114 false }]"
	if log.Snapshot.Records != 100 || log.Snapshot.Rejects != 12 || held != want || fmt.Sprint(log.Snapshot.Findings.Footers) != "[{114 TRAILER;101;104975,01 }]" {
		t.Errorf("%d records, %d rejects, held %s\nwant %s, footers %v", log.Snapshot.Records, log.Snapshot.Rejects, held, want, log.Snapshot.Findings.Footers)
	}
	rejects, err := c.Rejects(t.Context(), "log", "", 0)
	if err != nil || len(rejects.Rejects) != 12 || rejects.Rejects[0].Line != 6 || rejects.Rejects[11].Line != 105 {
		t.Errorf("rejects %+v, %v", rejects, err)
	}
	load(t, c, "bills", []byte("call_no\nMW-1\n"))
	if _, err := c.CreateSieve(t.Context(), sieve.Definition{Name: "all", Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call_no"}}}}); err != nil {
		t.Fatal(err)
	}
	out := run(t, p.at(), "run", "all")
	if !strings.Contains(out.out, "✗ control figure: total of amount stated 104975.01 (line 114), found 104975") {
		t.Errorf("the run says %s", out.out)
	}
	// A strict load, and one that takes fewer rejects than there are, leave nothing behind.
	for want, r := range map[string]view.Recipe{
		"log.csv: line 6 is no record: 1 cell where 2 columns are named; no reject is allowed, so nothing was loaded.":              {Strict: true},
		"log.csv: line 105 is no record: 1 cell where 2 columns are named; only 11 rejects are allowed, so nothing was loaded.":     {Most: 11},
		`The control figures: there is no column "amont"; there are call_no, amount.`:                                               {Control: &view.Control{Totals: []view.ControlTotal{{Column: "amont", Total: "1"}}}},
		`The control total of amount: "much" is no number; write one such as 1204.50.`:                                              {Control: &view.Control{Totals: []view.ControlTotal{{Column: "amount", Total: "much"}}}},
		`The choice of types: there is no column "day"; there are call_no, amount.`:                                                 {Choices: intake.Choices{Types: map[string]string{"day": "date DD.MM.YYYY"}}},
		`The choice of types: column "amount": "number" is no type; write one of text, integer, decimal, date, timestamp, boolean.`: {Choices: intake.Choices{Types: map[string]string{"amount": "number"}}},
	} {
		if set, err := loadWith(t, c, "strict", "log.csv", text.String(), r); err == nil || err.Error() != want {
			t.Errorf("%v, %v; want %s", set, err, want)
		}
	}
	if _, err := c.Set(t.Context(), "strict"); err == nil {
		t.Error("a refused load left a set")
	}
	if _, err := loadWith(t, c, "strict", "log.csv", text.String(), view.Recipe{Most: 12}); err != nil {
		t.Errorf("as many rejects as are allowed: %v", err)
	}
}

// TestReloadFromFolder loads a file from the folder that the service may read, and again after it has changed; nothing
// outside the folder can be read.
func TestReloadFromFolder(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	inside, outside := filepath.Join(dir, "in"), filepath.Join(dir, "secret.csv")
	if err := os.Mkdir(inside, 0o700); err != nil {
		t.Fatal(err)
	}
	put := func(name, text string) {
		if err := os.WriteFile(name, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	put(outside, "a\n1\n")
	put(filepath.Join(inside, "log.csv"), "call no;day;amount\nMW-1;03/04/2031;1,50\nMW-2;05/06/2031;2,50\n")
	if err := os.Symlink(outside, filepath.Join(inside, "link.csv")); err != nil {
		t.Fatal(err)
	}
	p := serve(t, t.TempDir(), "--folder", inside, "--upload-limit", "1MB")
	c := p.client()
	folder, err := c.Folder(t.Context())
	if err != nil || !folder.Allowed || len(folder.Files) != 1 || folder.Files[0].Path != "log.csv" {
		t.Errorf("the folder: %+v, %v", folder, err)
	}
	for _, path := range []string{"../secret.csv", outside, "link.csv", "none.csv", "."} {
		if _, err := c.Preview(t.Context(), view.SourceRef{Place: view.Place{Path: path}}, intake.Choices{}); err == nil || !strings.Contains(err.Error(), "cannot be read in the service's folder") {
			t.Errorf("%s: %v", path, err)
		}
	}
	if out := run(t, p.at(), "load", "log.csv", "--in-folder", "--type", "day=date DD/MM/YYYY"); out.status != 0 {
		t.Fatal(out)
	}
	load(t, c, "bills", []byte("Call\nMW-1\n"))
	if _, err := c.CreateSieve(t.Context(), sieve.Definition{Name: "all", Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call no", Right: "Call"}}}}); err != nil {
		t.Fatal(err)
	}
	put(filepath.Join(inside, "log.csv"), "Call_No;day;amount;quay\nMW-1;03/04/2031;x;Tar Quay\nMW-2;25/06/2031;y;Tar Quay\nMW-3;01/01/2031;z;Salt Quay\n")
	out := run(t, p.at(), "reload", "log", "--output", "csv")
	want := "what,before,after\nsnapshot,1,2\nrecords,2,3\nrejects,0,0\ncolumn renamed,call no,Call_No\ncolumn new,,quay\ntype of amount,decimal comma,text\n" +
		`sieve all,,"cannot run: key[0].left: log, the left side, has no column ""call no""; did you mean ""Call_No""? Its columns: ""Call_No"", ""day"", ""amount"", ""quay"""`
	if !strings.HasPrefix(out.out, want) || out.status != 0 {
		t.Errorf("reload says %s%s, want %s", out.out, out.errors, want)
	}
	profiled, err := c.Set(t.Context(), "log")
	if err != nil || profiled.Snapshot.Findings.Types[1].String() != "date DD/MM/YYYY" {
		t.Errorf("the stated type is not kept: %+v, %v", profiled.Snapshot.Findings.Types, err)
	}
	// The same content is pointed out.
	if out := run(t, p.at(), "reload", "log"); !strings.Contains(out.out, "the content is the same as before") {
		t.Error(out)
	}
	// What is too large is refused before anything is stored.
	_, err = c.Upload(t.Context(), "large.csv", strings.NewReader(strings.Repeat("a,b\n", 300_000)))
	if problem, ok := err.(*view.Problem); !ok || !view.TooLarge.Is(problem) || !strings.Contains(problem.Detail, "raise the limit with --upload-limit") {
		t.Errorf("a file over the limit: %v", err)
	}
	if _, err := c.Reload(t.Context(), "bills", view.SourceRef{}, false); err == nil || !strings.Contains(err.Error(), "send the new file") {
		t.Errorf("reloading what was sent: %v", err)
	}
}

// TestHandOverEveryFormat hands the demo's service log over in every format and loads it again: the same content.
func TestHandOverEveryFormat(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	first := load(t, c, demo.ServiceLog, demo.New(demo.Options{Seed: 5}).ServiceLog)
	for _, format := range outform.Names {
		var file bytes.Buffer
		if err := c.ExportSet(t.Context(), demo.ServiceLog, client.Format{Name: format, Exact: true}, &file); err != nil {
			t.Fatal(err)
		}
		again, err := loadWith(t, c, "again", "again."+format, file.String(), view.Recipe{})
		if err != nil {
			t.Errorf("%s: %v", format, err)
			continue
		}
		if again.Snapshot.Hash != first.Snapshot.Hash || !strings.Contains(again.Snapshot.Findings.Same, "snapshot 1 of service-log") {
			t.Errorf("%s: other content; %s", format, again.Snapshot.Findings.Same)
		}
	}
}

// TestBlankMarkers: a cell that is declared to mean blank is unkeyed, agrees with a blank, and keeps its text.
func TestBlankMarkers(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	if _, err := loadWith(t, c, "log", "log.csv", "call,note\nn/a,x\nMW-1,n/a\nNA,y\n", view.Recipe{Choices: intake.Choices{Blanks: []string{"n/a"}}}); err != nil {
		t.Fatal(err)
	}
	load(t, c, "bills", []byte("call,note\nMW-1,\nNA,y\nn/a,z\n"))
	d := sieve.Definition{Name: "all", Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}}, Compare: []sieve.Field{{Columns: sieve.Columns{Left: "note"}}}}
	if _, err := c.CreateSieve(t.Context(), d); err != nil {
		t.Fatal(err)
	}
	job, err := c.Run(t.Context(), "all")
	if err != nil {
		t.Fatal(err)
	}
	result, err := c.Wait(t.Context(), job, nil)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, tray := range []string{"matched", "unkeyed", "orphaned"} {
		entries, err := c.Entries(context.Background(), result.Run, client.Query{Tray: tray})
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range entries.Entries {
			got = append(got, tray+" "+e.Key[0]+" "+e.Reason)
			if tray == "unkeyed" && (*e.Left.Cells[0] != "n/a" || len(e.Left.Markers) != 1) {
				t.Errorf("the marker's text is lost: %+v", e.Left)
			}
		}
	}
	if want := "matched MW-1 every compared field agrees, matched NA every compared field agrees, unkeyed n/a call is blank, orphaned n/a no log record has this key"; strings.Join(got, ", ") != want {
		t.Errorf("%s\nwant %s", strings.Join(got, ", "), want)
	}
}

// TestPreviewAndLoadAgree: what a preview says of the types of columns is what the load then finds, also where columns change their minds
// after many records.
func TestPreviewAndLoadAgree(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	var text strings.Builder
	text.WriteString("call,fee,day,berth\n")
	for i := range 20_000 {
		fee, day, berth := strconv.Itoa(i), "2031-03-04", strconv.Itoa(i%9+1)
		if i >= 5_500 {
			fee, day, berth = fmt.Sprintf("%d,%02d", i, i%100), "04.03.2031", "N"+berth
		}
		fmt.Fprintf(&text, "MW-%05d,\"%s\",%s,%s\n", i, fee, day, berth)
	}
	u, err := p.client().Upload(t.Context(), "log.csv", strings.NewReader(text.String()))
	if err != nil {
		t.Fatal(err)
	}
	seen, err := p.client().Preview(t.Context(), view.SourceRef{Place: view.Place{Upload: u.ID}}, intake.Choices{})
	if err != nil {
		t.Fatal(err)
	}
	set, err := loadWith(t, p.client(), "log", "log.csv", text.String(), view.Recipe{})
	if err != nil {
		t.Fatal(err)
	}
	for i, c := range seen.Columns {
		if found := set.Snapshot.Findings.Types[i]; c.Type.Type != found {
			t.Errorf("%s previews as %v and is loaded as %v", c.Name, c.Type.Type, found)
		}
	}
}
