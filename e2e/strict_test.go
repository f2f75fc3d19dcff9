package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"testing"

	"twinsieve/api"
	"twinsieve/client"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// openapi is as much of the OpenAPI document as the tests here read.
type openapi struct {
	Paths      map[string]map[string]operation `json:"paths"`
	Components struct {
		Schemas map[string]schema `json:"schemas"`
	} `json:"components"`
}

type operation struct {
	ID         string `json:"operationId"`
	Parameters []struct {
		Name, In string
		Required bool
		Schema   schema
	}
	Body struct {
		Content map[string]struct{ Schema schema }
	} `json:"requestBody"`
}

type schema struct {
	Ref        string `json:"$ref"`
	Type       any    // a text, or a list of texts
	Enum       []any
	Minimum    *float64
	Maximum    *float64
	Items      *schema
	Properties map[string]schema
	Required   []string
}

func readDocument(t *testing.T) (d openapi) {
	t.Helper()
	text, err := api.Document()
	if err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal(text, &d); err != nil {
		t.Fatal(err)
	}
	return d
}

// resolve follows a reference.
func (d *openapi) resolve(s schema) schema {
	for s.Ref != "" {
		s = d.Components.Schemas[s.Ref[strings.LastIndexByte(s.Ref, '/')+1:]]
	}
	return s
}

// outside returns a value outside a schema's list, and values below and above its range.
func (s *schema) outside() (list []any) {
	if s.Items != nil && len(s.Items.Enum) > 0 || len(s.Enum) > 0 {
		list = append(list, "no such word")
	}
	if s.Minimum != nil {
		list = append(list, *s.Minimum-1)
	}
	if s.Maximum != nil {
		list = append(list, *s.Maximum+1)
	}
	return list
}

// bodies returns JSON bodies of a schema, each with one thing wrong: an unknown field, a required one missing, one there twice, a value
// outside its list or range. base is the body that each is made from.
func (d *openapi) bodies(s schema, base map[string]any) (wrong map[string]string) {
	wrong = map[string]string{}
	with := func(name string, value any) string {
		body := map[string]any{name: value}
		for n, v := range base {
			if n != name {
				body[n] = v
			}
		}
		text, _ := json.Marshal(body) // of plain values
		return string(text)
	}
	whole := with("", nil)
	plain, _ := json.Marshal(base)
	wrong["an unknown field"] = strings.Replace(whole, `"":null`, `"no such field":1`, 1)
	wrong["something behind it"] = string(plain) + " {}"
	wrong["half of it"] = strings.TrimSuffix(string(plain), "}")
	for name, p := range s.Properties {
		p = d.resolve(p)
		for _, value := range p.outside() {
			if p.Items != nil {
				value = []any{value}
			}
			wrong[fmt.Sprintf("%s as %v", name, value)] = with(name, value)
		}
		if slices.Contains(s.Required, name) {
			less := map[string]any{}
			for n, v := range base {
				if n != name {
					less[n] = v
				}
			}
			text, _ := json.Marshal(less) // of plain values
			wrong["no "+name] = string(text)
		}
		if value, ok := base[name]; ok {
			text, _ := json.Marshal(value) // as above
			wrong[name+" twice"] = strings.TrimSuffix(string(plain), "}") + "," + fmt.Sprintf("%q:%s}", name, text)
		}
	}
	return wrong
}

// sample is a value of a schema with what is required of it.
func (d *openapi) sample(s schema) any {
	s = d.resolve(s)
	kind := s.Type
	if list, ok := kind.([]any); ok {
		kind = list[0]
	}
	switch {
	case len(s.Enum) > 0:
		return s.Enum[0]
	case kind == "object":
		object := map[string]any{}
		for _, name := range s.Required {
			object[name] = d.sample(s.Properties[name])
		}
		return object
	case kind == "array":
		return []any{}
	case kind == "integer", kind == "number":
		if s.Minimum != nil {
			return *s.Minimum
		}
		return 1
	case kind == "boolean":
		return false
	}
	return "x"
}

// TestStrictRoutes calls every route of the OpenAPI document with an unknown parameter, with values outside each list and each range,
// with a parameter twice, with bodies that are wrong in each way, and with a body where none is taken: nothing of it is taken.
func TestStrictRoutes(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	loadDemo(t, p.client(), demo.New(demo.Options{Services: 20}))
	d := readDocument(t)
	asked, kinds := 0, map[string]int{}
	ask := func(what, method, path string, body, contentType string) {
		t.Helper()
		asked++
		var content io.Reader
		if contentType != "" {
			content = strings.NewReader(body)
		}
		req, err := http.NewRequestWithContext(t.Context(), strings.ToUpper(method), p.address+path, content)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+p.admin.token)
		if contentType != "" {
			req.Header.Set("Content-Type", contentType)
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		var problem view.Problem
		if err := json.NewDecoder(resp.Body).Decode(&problem); err != nil || resp.StatusCode != 400 && resp.StatusCode != 415 && !(strings.HasPrefix(what, "body with no ") && resp.StatusCode > 400) || problem.Status != resp.StatusCode || problem.Detail == "" || strings.Contains(problem.Detail, "strconv") {
			t.Errorf("%s: %s %s %s: %d %+v", what, method, path, body, resp.StatusCode, problem)
		}
		kinds[strings.Fields(what)[0]]++
	}
	for path, methods := range d.Paths {
		for method, op := range methods {
			// The identifiers in the path are of nothing that is there; what is wrong with the rest is said first.
			at := regexp.MustCompile(`\{\w+\}`).ReplaceAllStringFunc(path, func(name string) string {
				if slices.Contains([]string{"{run}", "{action}", "{file}", "{share}", "{token}", "{webhook}"}, name) {
					return "1"
				}
				return "Berth%20billing"
			})
			needed := url.Values{}
			for _, q := range op.Parameters {
				if q.In == "query" && q.Required {
					needed.Set(q.Name, "x")
				}
			}
			query := func(name, value string) string {
				v := url.Values{}
				for n := range needed {
					v.Set(n, "x")
				}
				v.Set(name, value)
				return at + "?" + v.Encode()
			}
			body, contentType, wrong := "", "", map[string]string{}
			for media, content := range op.Body.Content {
				if contentType = media; media == "application/json" {
					s := d.resolve(content.Schema)
					base, _ := d.sample(s).(map[string]any)
					text, _ := json.Marshal(base) // of plain values
					body, wrong = string(text), d.bodies(s, base)
				}
			}
			// On open routes a wrong code is what is said first only where nothing else is wrong, as everywhere.
			ask("unknown parameter", method, query("no-such-parameter", "1"), body, contentType)
			for _, q := range op.Parameters {
				switch {
				case q.In != "query":
					continue
				case q.Required:
					ask("missing parameter "+q.Name, method, at, body, contentType)
				}
				for _, value := range q.Schema.outside() {
					ask(fmt.Sprintf("outside: %s=%v", q.Name, value), method, query(q.Name, fmt.Sprint(value)), body, contentType)
				}
				if q.Schema.Type == "integer" || q.Schema.Type == "boolean" {
					ask("unreadable "+q.Name, method, query(q.Name, "x"), body, contentType)
				}
				if q.Schema.Type != "array" {
					ask("twice "+q.Name, method, query(q.Name, "1")+"&"+q.Name+"=1", body, contentType)
				}
			}
			for what, text := range wrong {
				ask("body with "+what, method, at+strings.TrimSuffix("?"+needed.Encode(), "?"), text, contentType)
			}
			switch contentType {
			case "":
				ask("body where none is taken", method, at+strings.TrimSuffix("?"+needed.Encode(), "?"), "{}", "application/json")
			case "application/json":
				ask("type of a text", method, at+strings.TrimSuffix("?"+needed.Encode(), "?"), body, "text/plain")
			default:
				for _, form := range []string{"multipart/form-data; boundary=x", "application/x-www-form-urlencoded"} {
					ask("type of a form", method, at+strings.TrimSuffix("?"+needed.Encode(), "?"), "--x\r\n", form)
				}
			}
		}
	}
	t.Logf("%d requests, by kind: %v", asked, kinds)
	for kind, least := range map[string]int{"unknown": 100, "outside:": 40, "twice": 60, "body": 150, "type": 40, "unreadable": 20, "missing": 4} {
		if kinds[kind] < least {
			t.Errorf("only %d requests with %s: the document has more", kinds[kind], kind)
		}
	}
}

// TestScopeIsStated: a mistyped filter changes nothing and shares nothing, and neither does a filter that chooses another number of
// exceptions than was seen.
func TestScopeIsStated(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 40}))
	post := func(path, body string) (int, string) {
		req, err := http.NewRequestWithContext(t.Context(), "POST", p.address+api.Prefix+fmt.Sprintf("/runs/%d/", head.ID)+path, strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+p.admin.token)
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		text, _ := io.ReadAll(resp.Body) // what arrives is looked at
		return resp.StatusCode, string(text)
	}
	differing, err := c.Entries(t.Context(), head.ID, client.Query{Tray: "differing"})
	if err != nil || differing.Total == 0 || differing.Total == head.Summary.Exceptions {
		t.Fatalf("%d, %v", differing.Total, err)
	}
	change := `{"seen":999999,"count":%d,"status":"in-progress"}`
	for _, q := range []struct {
		path, body, says string
		status           int
	}{
		{"entries/work?trai=differing", fmt.Sprintf(change, head.Summary.Exceptions), `no parameter \"trai\" here (did you mean \"tray\"?)`, 400},
		{"entries/work?tray=difering", fmt.Sprintf(change, 0), "difering", 400},
		{"entries/work?tray=matched", fmt.Sprintf(change, 0), "are not exceptions", 400},
		{"entries/work?owner=zed", fmt.Sprintf(change, 0), `Nobody is called \"zed\"`, 400},
		{"entries/work?reason=because", fmt.Sprintf(change, 0), "not in the list of reasons", 400},
		{"entries/work?in=EUR", fmt.Sprintf(change, 0), "have no currencies", 400},
		{"entries/work?tray=differing", `{"status":"in-progress","seen":999999}`, "count is missing", 400},
		{"entries/work?tray=differing", fmt.Sprintf(change, head.Summary.Exceptions), "Nothing was done", 409},
		{"shares?trai=missing", fmt.Sprintf(`{"count":%d}`, head.Summary.Exceptions), `no parameter \"trai\"`, 400},
		{"shares?tray=differing", fmt.Sprintf(`{"count":%d}`, head.Summary.Exceptions), "Nothing was done", 409},
		{"shares?owner=ME", `{"count":5}`, "Nothing was done", 409},
	} {
		if status, text := post(q.path, q.body); status != q.status || !strings.Contains(text, q.says) {
			t.Errorf("%s %s: %d %s, want %d with %q", q.path, q.body, status, text, q.status, q.says)
		}
	}
	if all, err := c.Entries(t.Context(), head.ID, client.Query{Status: []string{"open"}}); err != nil || all.Total != head.Summary.Exceptions {
		t.Errorf("%d exceptions are open after all, want %d; %v", all.Total, head.Summary.Exceptions, err)
	}
	if links, err := c.Shares(t.Context(), head.ID); err != nil || len(links.Shares) != 0 {
		t.Errorf("%+v, %v", links, err)
	}
	if status, text := post("entries/work?tray=differing", fmt.Sprintf(change, differing.Total)); status != 200 || !strings.Contains(text, fmt.Sprintf(`"changed":%d`, differing.Total)) {
		t.Errorf("%d %s", status, text)
	}
}

// TestRefusedUploads: whoever sends all of a large file before reading the answer still learns why it is refused.
func TestRefusedUploads(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir(), "--upload-limit", "1MB")
	reader := p.person(t, "lio", view.Reader).token
	for want, token := range map[int]string{401: "tsk_nobody", 403: reader, 413: p.admin.token} {
		// 64 MB is more than the connection holds; a client that is cut off fails with a write error.
		req, err := http.NewRequestWithContext(t.Context(), "POST", p.address+api.Prefix+"/uploads?name=big.csv", &sentWhole{left: 64 << 20})
		if err != nil {
			t.Fatal(err)
		}
		req.ContentLength = 64 << 20
		req.Header.Set("Authorization", "Bearer "+token)
		transport := &http.Transport{DisableKeepAlives: true}
		resp, err := transport.RoundTrip(req)
		if err != nil {
			t.Errorf("%d: the connection ended before the answer: %v", want, err)
			continue
		}
		var problem view.Problem
		if err := json.NewDecoder(resp.Body).Decode(&problem); err != nil || resp.StatusCode != want || problem.Detail == "" {
			t.Errorf("%d: %d %+v, %v", want, resp.StatusCode, problem, err)
		}
		_ = resp.Body.Close()
	}
}

// sentWhole is a body that has to be read to its end.
type sentWhole struct{ left int }

func (s *sentWhole) Read(p []byte) (int, error) {
	if s.left == 0 {
		return 0, io.EOF
	}
	n := min(len(p), s.left)
	s.left -= n
	for i := range p[:n] {
		p[i] = 'a'
	}
	return n, nil
}

// TestStrictOptions gives every option of every command that has a range or a list a value outside it.
func TestStrictOptions(t *testing.T) {
	t.Parallel()
	out, err := exec.CommandContext(t.Context(), program, "--help").Output()
	if err != nil {
		t.Fatal(err)
	}
	command := regexp.MustCompile(`(?m)^  ([a-z]+) `)
	option := regexp.MustCompile(`(?m)^  (?:-\w, |    )--([a-z-]+) (N|WORD|WORD,…|tray|TIME|float|ints)\b`)
	tried := map[string]int{}
	for _, m := range command.FindAllStringSubmatch(string(out), -1) {
		if m[1] == "twinsieve" { // how it is called
			continue
		}
		help, err := exec.CommandContext(t.Context(), program, m[1], "--help").Output()
		if err != nil {
			t.Fatal(err)
		}
		for _, o := range option.FindAllStringSubmatch(string(help), -1) {
			for _, value := range map[string][]string{"N": {"-1", "x", "1.5"}, "WORD": {"no-such-word"}, "WORD,…": {"no-such-word"}, "tray": {"difering"}, "TIME": {"-5s", "soon"}, "float": {"x"}, "ints": {"x"}}[o[2]] {
				tried[o[2]]++
				r := run(t, nil, m[1], "--"+o[1], value)
				if r.status != 2 || !strings.HasPrefix(r.errors, "twinsieve: --"+o[1]+" ") || !strings.Contains(r.errors, value) || strings.Count(r.errors, "\n") != 1 || strings.Contains(r.errors, "strconv") {
					t.Errorf("%s --%s %s: exit %d, %q", m[1], o[1], value, r.status, r.errors)
				}
			}
		}
		if r := run(t, nil, m[1], "--no-such-option"); r.status != 2 || !strings.Contains(r.errors, "there is no option --no-such-option") {
			t.Errorf("%s --no-such-option: exit %d, %q", m[1], r.status, r.errors)
		}
	}
	t.Logf("options tried, by what they take: %v", tried)
	if tried["N"] < 60 || tried["WORD"] < 20 || tried["tray"] < 4 {
		t.Errorf("only these were tried: %v", tried)
	}
}
