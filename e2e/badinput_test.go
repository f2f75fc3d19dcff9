package e2e

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"twinsieve/service/view"
)

// TestBadFiles sends each bad file to sift and to the service: the same clear error, the exit status of a wrong request,
// and nothing half stored.
func TestBadFiles(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	p := serve(t, t.TempDir())
	good := write(t, dir, "good.csv", []byte("id,amount\n1,2.50\n2,3\n"))
	for name, c := range map[string]struct{ text, want string }{
		"empty":         {"", "the file is empty: not even a line that names the columns is there"},
		"unclosed":      {"id,amount\n1,2\n\"2,3\n4,5\n", "line 3: a quote is opened here and never closed; close it, or double it"},
		"binary":        {"id,amount\n1,\x00\x7f\n", "line 2: a NUL byte stands here: this is binary data or another encoding, not UTF-8 text"},
		"latin":         {"id,amount\n1,M\xfc\x81ller\n", "line 2: bytes stand here that are no text in windows-1252; state another encoding"},
		"twice":         {"id,amount,id\n1,2,3\n", "line 1: columns 1 and 3 are both named \"id\"; give each column a name of its own"},
		"quoted header": {"id\"x,amount\n1,2\n", "line 1: the line that names the columns is not well formed"},
	} {
		t.Run(name, func(t *testing.T) {
			file := write(t, dir, name+".csv", []byte(c.text))
			if r := run(t, nil, "sift", file, good, "-k", "id"); r.status != 2 || !strings.Contains(r.errors, c.want) || strings.Count(r.errors, "\n") != 1 || r.out != "" {
				t.Errorf("sift: exit %d, %q", r.status, r.errors)
			}
			r := run(t, p.at(), "load", file, "--as", "bad")
			if r.status != 2 || !strings.Contains(r.errors, name+".csv: "+c.want) || strings.Count(r.errors, "\n") != 1 || r.out != "" {
				t.Errorf("load: exit %d, %q", r.status, r.errors)
			}
			if sets, err := p.client().Sets(context.Background()); err != nil || len(sets.Sets) != 0 {
				t.Errorf("something was stored: %+v %v", sets, err)
			}
		})
	}
	if r := run(t, nil, "sift", filepath.Join(dir, "none.csv"), good, "-k", "id"); r.status != 3 || !strings.Contains(r.errors, filepath.Join(dir, "none.csv")+" cannot be read: no such file or directory") {
		t.Errorf("no such file: exit %d, %q", r.status, r.errors)
	}
	// A header alone is a set of no records, and ragged lines are rejected one by one.
	header := write(t, dir, "header.csv", []byte("id,amount\n"))
	if r := run(t, nil, "sift", header, header, "-k", "id"); r.status != 0 || !strings.Contains(r.out, "= records       0      0") {
		t.Errorf("header only: exit %d, %s%s", r.status, r.out, r.errors)
	}
	ragged := write(t, dir, "ragged.csv", []byte("id,amount\n1,2\n1\n2,3,4\n2,3\n"))
	r := run(t, p.at(), "load", ragged, "-o", "json")
	var set view.Set
	if err := json.Unmarshal([]byte(r.out), &set); err != nil || r.status != 0 || set.Snapshot.Records != 2 || set.Snapshot.Rejects != 2 {
		t.Errorf("ragged: exit %d %v %+v", r.status, err, set)
	}
	if r := run(t, p.at(), "records", "ragged", "--rejects", "-o", "csv"); r.out != "line,reason,text\n3,1 cell where 2 columns are named,1\n4,3 cells where 2 columns are named,\"2,3,4\"\n" {
		t.Errorf("rejects: %q", r.out)
	}
}

// TestBadRequests asks for what cannot be done, on the command line: each error is one line that says where and how to
// mend it.
func TestBadRequests(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	left := write(t, dir, "log.csv", []byte("call_no,day,amount_due\nMW-1,2031-03-02,7\nMW-2,2031-03-03,8\n"))
	right := write(t, dir, "bills.csv", []byte("Call,Day,Amount\nMW-1,02.03.2031,7\nMW-2,03.03.2031,8\n"))
	sieve := func(text string) string {
		return write(t, dir, "bad.sieve.yaml", []byte("sieve: bad\nleft: log\nright: bills\n"+text))
	}
	for name, c := range map[string]struct {
		args []string
		want string
	}{
		"no key":              {nil, "what makes two records the same is not said; give --key LEFT=RIGHT"},
		"unknown column":      {[]string{"-k", "call_nr=Call"}, `--key "call_nr=Call": log, the left side, has no column "call_nr"; did you mean "call_no"? Its columns: "call_no", "day", "amount_due"`},
		"unknown right":       {[]string{"-k", "amount_due=amonut"}, `--key "amount_due=amonut": bills, the right side, has no column "amonut"; did you mean "Amount"? Its columns: "Call", "Day", "Amount"`},
		"unknown reading":     {[]string{"-k", "call_no=Call: upper"}, `--key "call_no=Call: upper": there is no reading "upper"; the readings are trim`},
		"reading lacks":       {[]string{"-k", "day=Day: date"}, `the reading "date" needs a layout such as DD.MM.YYYY after its name`},
		"bad layout":          {[]string{"-k", "day=Day: date DD.MM.YYY"}, `the date layout "DD.MM.YYY" has YYY; write YYYY`},
		"reading takes none":  {[]string{"-k", "call_no=Call: trim 3"}, `the reading "trim" takes nothing after its name`},
		"reads nothing":       {[]string{"-k", "day=Day: date DD.MM.YYYY"}, `--key "day=Day: date DD.MM.YYYY": none of the 2 values of "day" on the left can be read as stated, such as "2031-03-02"`},
		"reads no amount":     {[]string{"-k", "call_no=Call", "-c", "day=Amount: as decimal"}, `--compare "day=Amount: as decimal": none of the 2 values of "day" on the left can be read as stated`},
		"tolerance of a text": {[]string{"-k", "call_no=Call", "-c", "amount_due=Amount: within 1"}, `--compare "amount_due=Amount: within 1": a tolerance of 1 stands on a field compared as text`},
		"tolerance negative":  {[]string{"-k", "call_no=Call", "-c", "amount_due=Amount: as decimal, within -1"}, "the tolerance -1 is below zero"},
		"unknown kind":        {[]string{"-k", "call_no=Call", "-c", "amount_due=Amount: as money"}, `--compare "amount_due=Amount: as money": fields cannot be compared as "money"; write one of text, decimal, date`},
		"unknown word":        {[]string{"--sieve", sieve("keys:\n  - left: call_no\n")}, `bad.sieve.yaml: line 4, column 1: a sieve file has no word "keys"; did you mean "key"?`},
		"no such sieve file":  {[]string{"--sieve", filepath.Join(dir, "none.sieve.yaml")}, "the sieve file cannot be read: open "},
		"bad form":            {[]string{"-k", "call_no=Call", "-o", "xml"}, `--output "xml" is not a form; write one of table, json, ndjson, csv`},
		"bad memory":          {[]string{"-k", "call_no=Call", "--memory", "lots"}, `--memory "lots" is not a size; write one such as 64MB`},
		"unknown ending":      {[]string{"-k", "call_no=Call", "--out", filepath.Join(dir, "out.csv.gz")}, `out.csv.gz": its ending, ".gz", is not a format that is written; write one of csv, tsv`},
		"unknown option":      {[]string{"--keys", "a"}, "there is no option --keys; did you mean --key? See twinsieve sift --help"},
		"unwritable output":   {[]string{"-k", "call_no=Call", "-c", "amount_due=Amount", "--out", filepath.Join(dir, "no", "out.csv")}, "cannot be written"},
	} {
		t.Run(name, func(t *testing.T) {
			r := run(t, nil, append([]string{"sift", left, right}, c.args...)...)
			want := 2
			if name == "no such sieve file" || name == "unwritable output" {
				want = 3
			}
			if r.status != want || !strings.HasPrefix(r.errors, "twinsieve: ") || !strings.Contains(r.errors, c.want) || strings.Count(r.errors, "\n") != 1 {
				t.Errorf("exit %d, %q; want %d, %q", r.status, r.errors, want, c.want)
			}
		})
	}
}

// TestOutputOverInput: an output that is one of the inputs, by whatever name, is refused, and the input stays as it is.
func TestOutputOverInput(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	left := write(t, dir, "log.csv", []byte("call,code\nMW-1,PIL\nMW-2,TUG\n"))
	right := write(t, dir, "bills.csv", []byte("call,code\nMW-1,P\n"))
	codes := write(t, dir, "codes.csv", []byte("PIL,P\n"))
	definition := write(t, dir, "s.sieve.yaml", []byte("sieve: s\nleft: log\nright: bills\nkey:\n  - left: call\n"))
	link := filepath.Join(dir, "link.csv")
	if err := os.Symlink(right, link); err != nil {
		t.Fatal(err)
	}
	for _, out := range []string{left, right, link, codes, filepath.Join(dir, ".", "..", filepath.Base(dir), "log.csv")} {
		before, err := os.ReadFile(out)
		if err != nil {
			t.Fatal(err)
		}
		r := run(t, nil, "sift", left, right, "--sieve", definition, "-c", "code: lookup codes", "--lookup", "codes="+codes, "--out", out)
		if r.status != 2 || !strings.Contains(r.errors, "is a file that this command reads") || strings.Count(r.errors, "\n") != 1 {
			t.Errorf("--out %s: exit %d, %q", out, r.status, r.errors)
		}
		if after, err := os.ReadFile(out); err != nil || !bytes.Equal(before, after) {
			t.Errorf("%s was changed: %q, %v", out, after, err)
		}
	}
	for out, want := range map[string]string{filepath.Join(dir, "none", "x.csv"): "none does not exist", dir: "is a folder; name a file in it", filepath.Join(left, "x.csv"): "is not a folder"} {
		if r := run(t, nil, "sift", left, right, "-k", "call", "--out", out); r.status < 2 || !strings.Contains(r.errors, want) {
			t.Errorf("--out %s: exit %d, %q", out, r.status, r.errors)
		}
	}
	if r := run(t, nil, "sift", left, right, "-k", "call", "--out", filepath.Join(dir, "exceptions.csv")); r.status != 1 {
		t.Errorf("another file: exit %d, %q", r.status, r.errors)
	}
}

// TestUnfitOptions: an option that says nothing about what is read is refused.
func TestUnfitOptions(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	p := serve(t, t.TempDir())
	csv := write(t, dir, "l.csv", []byte("id,amt\n1,2\n"))
	lines := write(t, dir, "l.ndjson", []byte("{\"id\":1}\n"))
	for _, c := range []struct {
		want string
		args []string
	}{
		{"--header-row: this is read as delimited text, about which it says nothing; it is for a workbook", []string{csv, "--header-row", "9"}},
		{"--sheet: this is read as delimited text", []string{csv, "--sheet", "March"}},
		{"--pointer: this is read as delimited text", []string{csv, "--pointer", "/data"}},
		{"--delimiter: this is read as JSON lines, about which it says nothing; it is for delimited text", []string{lines, "--delimiter", ";"}},
		{"--skip-first: this is read as JSON lines", []string{lines, "--skip-first", "1"}},
		{"--sheet: it says nothing about any source of this stack", []string{csv, lines, "--stack", "--as", "both", "--sheet", "March"}},
		{"--query needs --from", []string{csv, "--query", "select 1"}},
		{"--table needs --from", []string{csv, "--table", "dues"}},
		{"give files or --from, not both", []string{csv, "--from", "harbour", "--table", "dues"}},
		{"--type gives the column \"amt\" two types", []string{csv, "--type", "amt=decimal", "--type", "amt=text"}},
		{filepath.Base(dir) + " is a folder; name a file", []string{dir}},
	} {
		r := run(t, p.at(), append([]string{"load"}, c.args...)...)
		if r.status != 2 || !strings.Contains(r.errors, c.want) || strings.Count(r.errors, "\n") != 1 {
			t.Errorf("%q: exit %d, %q, want %q", c.args, r.status, r.errors, c.want)
		}
	}
	if sets, err := p.client().Sets(t.Context()); err != nil || len(sets.Sets) != 0 {
		t.Errorf("%+v, %v", sets, err)
	}
	for _, c := range []struct {
		want string
		args []string
	}{
		{"--left-sheet: this is read as delimited text", []string{"--left-sheet", "March"}},
		{"--right-header-row: this is read as JSON lines", []string{"--right-header-row", "3"}},
		{"--memory \"10\" is too little: give at least 1MB", []string{"--memory", "10"}},
	} {
		r := run(t, nil, append([]string{"sift", csv, lines, "-k", "id"}, c.args...)...)
		if r.status != 2 || !strings.Contains(r.errors, c.want) || strings.Count(r.errors, "\n") != 1 {
			t.Errorf("%q: exit %d, %q, want %q", c.args, r.status, r.errors, c.want)
		}
	}
	for text, want := range map[string]string{"memroy: 2GB\n": `does not take "memroy"; did you mean "memory"?`, "memory: 1KB\n": "is too little", "workers: two\n": "takes a whole number, not \"two\"",
		"workers: -3\n": "takes 1 to 1,024, not -3", "look-every: 0s\n": "takes a time of at least 1ms", "retry-wait: soon\n": "takes a time of at least 1ms", "- a\n": "is not a list of settings"} {
		file := write(t, dir, "settings.yaml", []byte(text))
		if r := run(t, nil, "serve", "--listen", "127.0.0.1:0", "--data", filepath.Join(dir, "data"), "--config", file); r.status != 2 || !strings.Contains(r.errors, want) || strings.Count(r.errors, "\n") != 1 {
			t.Errorf("%q: exit %d, %q, want %q", text, r.status, r.errors, want)
		}
	}
}

// TestServiceProblems meets a service that is not there, an address that is taken, and data directories that cannot be used.
func TestServiceProblems(t *testing.T) {
	t.Parallel()
	taken, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer taken.Close()
	address := taken.Addr().String()
	if r := run(t, nil, "serve", "--listen", address, "--data", t.TempDir()); r.status != 3 || !strings.Contains(r.errors, "the address "+address+" is taken") || !strings.Contains(r.errors, "--listen") {
		t.Errorf("port taken: exit %d, %q", r.status, r.errors)
	}
	_ = taken.Close()
	if r := run(t, nil, "sets", "--server", address); r.status != 3 || !strings.Contains(r.errors, "no service answers at http://"+address+"; start it with: twinsieve serve") {
		t.Errorf("not running: exit %d, %q", r.status, r.errors)
	}
	data := t.TempDir()
	serve(t, data)
	if r := run(t, nil, "serve", "--listen", "127.0.0.1:0", "--data", data); r.status != 3 || !strings.Contains(r.errors, data+" is in use by another twinsieve; stop that one, or name another directory with --data") {
		t.Errorf("directory in use: exit %d, %q", r.status, r.errors)
	}
	file := write(t, t.TempDir(), "file", []byte("x"))
	if r := run(t, nil, "serve", "--listen", "127.0.0.1:0", "--data", filepath.Join(file, "data")); r.status != 3 || !strings.Contains(r.errors, "cannot be made or written") {
		t.Errorf("directory cannot be made: exit %d, %q", r.status, r.errors)
	}
	if r := unprivileged(t, "serve", "--listen", "127.0.0.1:0", "--data", "/proc/twinsieve"); r.status != 3 || !strings.Contains(r.errors, "cannot be made or written") {
		t.Errorf("directory cannot be written: exit %d, %q", r.status, r.errors)
	}
}

// unprivileged runs a command of the program that is expected to fail soon.
func unprivileged(t *testing.T, args ...string) ran {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	cmd := exec.CommandContext(ctx, program, args...)
	var errs bytes.Buffer
	cmd.Stderr = &errs
	_ = cmd.Run()
	return ran{status: cmd.ProcessState.ExitCode(), errors: errs.String()}
}

// TestProblems asks over HTTP for what is not there or not right: each answer is a problem by RFC 9457.
func TestProblems(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	load(t, c, "log", []byte("call_no,amount\nMW-1,7\n"))
	load(t, c, "bills", []byte("Call,Amount\nMW-1,7\n"))
	good := `{"name":"s","left":"log","right":"bills","key":[{"left":"call_no","right":"Call"}]}`
	for _, r := range []struct {
		method, path, body, ifMatch string
		status                      int
		kind, detail                string
	}{
		{"GET", "/api/v1/sets/none", "", "", 404, "not-found", `There is no record set "none".`},
		{"GET", "/api/v1/nothing", "", "", 404, "not-found", "/api/v1/openapi.json lists those that there are"},
		{"PATCH", "/api/v1/sets", "", "", 405, "invalid-request", "does not take PATCH"},
		{"PUT", "/api/v1/sets/%20x", "a\n1\n", "", 400, "invalid-request", `" x" cannot be the name of a record set`},
		{"PUT", "/api/v1/sets/x?delimiter=ab", "a\n1\n", "", 400, "invalid-request", `The choice of delimiter: "ab" is not one character`},
		{"GET", "/api/v1/sets/log/records?after=x", "", "", 400, "invalid-request", `The cursor "x" was not given out`},
		{"GET", "/api/v1/sets/log/records?limit=x", "", "", 400, "invalid-request", `The parameter limit in the query is "x", which is not a whole number.`},
		{"POST", "/api/v1/sieves", `{"name":`, "", 400, "invalid-request", "The body ends in the middle of its JSON"},
		{"POST", "/api/v1/sieves", `{"nome":"x"}`, "", 400, "invalid-request", `There is no field "nome" here (did you mean "name"?)`},
		{"POST", "/api/v1/sieves", `{"name":"x","left":"log","right":"nil","key":[]}`, "", 422, "invalid-definition", `there is no record set "nil"; load it first`},
		{"POST", "/api/v1/sieves", `{"name":"x","left":"log","right":"bills","key":[]}`, "", 422, "invalid-definition", "a key needs at least one pair of columns"},
		{"POST", "/api/v1/sieves", `{"name":"x","left":"log","right":"bills","key":[{"left":"call","right":"Call"}]}`, "", 422, "invalid-definition", `no column "call"; did you mean "call_no"? Its columns: "call_no", "amount"`},
		{"POST", "/api/v1/sieves", `{"name":"x","left":"log","right":"bills","key":[{"left":"call_no","right":"Call","readings":["up"]}]}`, "", 400, "invalid-request", `there is no reading "up"`},
		{"POST", "/api/v1/sieves", good, "", 201, "", ""},
		{"POST", "/api/v1/sieves", good, "", 409, "name-taken", `A sieve "s" is there already`},
		{"PUT", "/api/v1/sieves/s", good, "", 428, "version-required", "send the ETag"},
		{"PUT", "/api/v1/sieves/s", good, `"9"`, 412, "changed-meanwhile", `Somebody has changed the sieve "s"`},
		{"PUT", "/api/v1/sieves/s", good, `"1"`, 200, "", ""},
		{"DELETE", "/api/v1/sets/log", "", "", 409, "in-use", `used by the sieve "s"`},
		{"POST", "/api/v1/runs", `{"sieve":"none"}`, "", 404, "not-found", `There is no sieve "none".`},
		{"GET", "/api/v1/runs/77", "", "", 404, "not-found", "There is no run 77."},
		{"GET", "/api/v1/runs/x", "", "", 400, "invalid-request", `The parameter run in the path is "x", which is not a whole number.`},
		{"GET", "/api/v1/jobs/none", "", "", 404, "not-found", "There is no job none."},
		{"GET", "/api/v1/jobs/none/events", "", "", 404, "not-found", "There is no job none."},
		{"GET", "/healthz", "", "", 200, "", ""},
		{"GET", "/readyz", "", "", 200, "", ""},
	} {
		req, err := http.NewRequest(r.method, p.address+r.path, strings.NewReader(r.body))
		if err != nil {
			t.Fatal(err)
		}
		if r.ifMatch != "" {
			req.Header.Set("If-Match", r.ifMatch)
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		body, err := io.ReadAll(resp.Body)
		_ = resp.Body.Close()
		if err != nil || resp.StatusCode != r.status {
			t.Errorf("%s %s %s: %d, want %d (%v): %s", r.method, r.path, r.body, resp.StatusCode, r.status, err, body)
			continue
		}
		if r.kind == "" {
			continue
		}
		var got view.Problem
		if err := json.Unmarshal(body, &got); err != nil || resp.Header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s %s: not a problem: %v %s", r.method, r.path, err, body)
		}
		if got.Type != "/problems/"+r.kind || got.Status != r.status || !strings.Contains(got.Detail, r.detail) {
			t.Errorf("%s %s %s: %+v, want %s %q", r.method, r.path, r.body, got, r.kind, r.detail)
		}
	}
}

// TestOtherSites: what a page of another site sends changes nothing; what the console sends is taken.
func TestOtherSites(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	for origin, want := range map[string]int{"http://elsewhere.example": 403, p.address: 404, "": 404} {
		req, err := http.NewRequest("POST", p.address+"/api/v1/runs", strings.NewReader(`{"sieve":"none"}`))
		if err != nil {
			t.Fatal(err)
		}
		if origin != "" {
			req.Header.Set("Origin", origin)
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		_ = resp.Body.Close()
		if resp.StatusCode != want || resp.Header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("from %q: %d, want %d", origin, resp.StatusCode, want)
		}
	}
}

// TestSettings checks the order of options, variables and the settings file.
func TestSettings(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	file := write(t, dir, "settings.yaml", []byte("listen: 127.0.0.1:1\ndata: "+filepath.Join(dir, "from-file")+"\n"))
	for name, c := range map[string]struct {
		env  []string
		args []string
		want string
	}{
		"file":     {[]string{"TWINSIEVE_LISTEN=127.0.0.1:0"}, nil, "from-file"},
		"variable": {[]string{"TWINSIEVE_LISTEN=127.0.0.1:0", "TWINSIEVE_DATA=" + filepath.Join(dir, "from-variable")}, nil, "from-variable"},
		"option":   {[]string{"TWINSIEVE_LISTEN=127.0.0.1:1", "TWINSIEVE_DATA=" + filepath.Join(dir, "from-variable")}, []string{"--listen", "127.0.0.1:0", "--data", filepath.Join(dir, "from-option")}, "from-option"},
	} {
		cmd := exec.Command(program, append([]string{"serve", "--config", file}, c.args...)...)
		cmd.Env = append(os.Environ(), c.env...)
		out, err := cmd.StdoutPipe()
		if err != nil {
			t.Fatal(err)
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		lines, said := bufio.NewScanner(out), ""
		for !strings.Contains(said, "listens on http://127.0.0.1:") && lines.Scan() {
			said = lines.Text()
		}
		if !strings.Contains(said, "listens on http://127.0.0.1:") {
			t.Errorf("%s: it says %q", name, said)
		}
		if _, err := os.Stat(filepath.Join(dir, c.want)); err != nil {
			t.Errorf("%s: the data is not where it was set to be: %v", name, err)
		}
		_ = cmd.Process.Signal(syscall.SIGTERM)
		if err := cmd.Wait(); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// TestSieveFileThereAndBack saves a sieve from a file, changes it, and reads it back as a file.
func TestSieveFileThereAndBack(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	load(t, p.client(), "log", []byte("call_no,amount\nMW-1,7\n"))
	load(t, p.client(), "bills", []byte("Call,Amount\nMW-1,7\n"))
	text := "sieve: Berths & more\nleft: log\nright: bills\nkey:\n  - left: call_no\n    right: Call\n    readings:\n      - trim\n      - left drop-leading-zeros\n"
	file := write(t, t.TempDir(), "berths.sieve.yaml", []byte(text))
	for version, want := range []string{"saved: Berths & more, version 1\n", "saved: Berths & more, version 2\n"} {
		if r := run(t, p.at(), "define", file); r.status != 0 || r.out != want {
			t.Errorf("save %d: exit %d, %q %q", version, r.status, r.out, r.errors)
		}
	}
	if r := run(t, p.at(), "define", "Berths & more"); r.out != text {
		t.Errorf("read back:\n%s%s", r.out, r.errors)
	}
	if r := run(t, p.at(), "run", "Berths & more"); r.status != 0 || !strings.Contains(r.out, "All 1 log records have a record of bills with their key.\nNothing needs a person.") {
		t.Errorf("run: exit %d, %s%s", r.status, r.out, r.errors)
	}
	if _, _, err := p.client().Sieve(context.Background(), "Berths & more"); err != nil {
		t.Error(err)
	}
}
