package e2e

import (
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/apache/arrow-go/v18/parquet/file"
	"github.com/xuri/excelize/v2"

	"twinsieve/client"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// TestStated hands over sets, rejects, rows and a crosswalk, by the command line and by HTTP: each states the history's newest entry, which is found again
// when it is verified, and rows of a signed report say so.
func TestStated(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	ctx := t.Context()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 60}))
	tam := p.as(p.person(t, "tam", view.Analyst))
	if _, err := c.Sign(ctx, head.ID, 0, view.SignStep{Step: "submit", Note: "for the record"}); err != nil {
		t.Fatal(err)
	}
	if _, err := tam.Sign(ctx, head.ID, 1, view.SignStep{Step: "sign", Note: "for the record"}); err != nil {
		t.Fatal(err)
	}
	found, err := c.Verify(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	// The command line tells where it writes; it signs in by a token whose use is no entry.
	dir := t.TempDir()
	says := regexp.MustCompile(`written to .*; history (\d+-[0-9a-f]+)\n`)
	for name, args := range map[string][]string{
		"set.csv": {"records", demo.Invoices}, "rejects.json": {"records", demo.Invoices, "--rejects"}, "report.pdf": {"export", "Berth billing"},
		"rows.tsv": {"export", "Berth billing", "--comparison", "left-anti"}, "crosswalk.csv": {"crosswalk", "Berth billing"},
	} {
		r := run(t, p.at(), append(args, "--out", filepath.Join(dir, name))...)
		told := says.FindStringSubmatch(r.errors)
		if r.status != 0 || told == nil || told[1] != found.Newest {
			t.Errorf("%v: exit %d, it says %q, and the newest entry is %s", args, r.status, r.errors, found.Newest)
		}
	}
	// Over HTTP the head and the file's name say it, and so does the file where it has a place for that.
	ask := view.Ask{Run: head.ID, Look: view.Look{Comparison: "full"}}
	content := func(format string) []byte {
		t.Helper()
		var out bytes.Buffer
		if err := c.ExportRows(ctx, ask, client.Format{Name: format}, &out); err != nil || c.Stated() != found.Newest {
			t.Fatalf("%s: it states %q, want %q; %v", format, c.Stated(), found.Newest, err)
		}
		return out.Bytes()
	}
	signed := func(says string) bool { return strings.HasPrefix(says, "Signed by") }
	parquet, err := file.NewParquetReader(bytes.NewReader(content("parquet")))
	if err != nil {
		t.Fatal(err)
	}
	said := parquet.MetaData().KeyValueMetadata()
	if history, signing := said.FindValue("history"), said.FindValue("sign-off"); history == nil || *history != found.Newest || signing == nil || !signed(*signing) {
		t.Errorf("Parquet's metadata: %v", said)
	}
	arrow, err := ipc.NewReader(bytes.NewReader(content("arrow")))
	if err != nil {
		t.Fatal(err)
	}
	meta := arrow.Schema().Metadata()
	if history, ok := meta.GetValue("history"); !ok || history != found.Newest {
		t.Errorf("Arrow's metadata: %v", meta)
	}
	book, err := excelize.OpenReader(bytes.NewReader(content("xlsx")))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	props, err := book.GetDocProps()
	if lines := strings.Split(props.Description, "\n"); err != nil || len(lines) != 2 || lines[0] != "history: "+found.Newest || !signed(strings.TrimPrefix(lines[1], "sign-off: ")) {
		t.Errorf("the workbook's description: %q, %v", props.Description, err)
	}
	for path, name := range map[string]string{
		"/sets/" + demo.Invoices + "/export?format=csv": demo.Invoices + ", history " + found.Newest + ".csv",
		"/rows/export?format=csv&ask=" + url.QueryEscape(fmt.Sprintf(`{"run": %d, "look": {"comparison": "inner"}}`, head.ID)): "Berth billing inner, signed, history " + found.Newest + ".csv",
	} {
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, p.address+"/api/v1"+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+p.admin.token)
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		if got := resp.Header.Get("Content-Disposition"); !strings.Contains(got, name) || resp.Header.Get("Twinsieve-History") != found.Newest {
			t.Errorf("%s: %q, history %q, want %q", path, got, resp.Header.Get("Twinsieve-History"), name)
		}
	}
	again, err := c.Verify(ctx, []string{found.Newest})
	if err != nil || !again.Holds {
		t.Errorf("what they state is not found again: %+v, %v", again, err)
	}
}
