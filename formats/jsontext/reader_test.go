package jsontext_test

import (
	"fmt"
	"io"
	"strings"
	"testing"
	"testing/iotest"

	"twinsieve/core/record"
	"twinsieve/formats/jsontext"
)

// TestReader is one table of documents, their columns, records with lines, rejects and errors. A null is written ∅.
func TestReader(t *testing.T) {
	lines := jsontext.Options{Lines: true}
	at := func(pointer string) jsontext.Options { return jsontext.Options{Pointer: pointer} }
	half := func(line int, text string) string {
		return fmt.Sprintf(`%d a text has half of a surrogate pair, such as \ud800, which is no character: %s`, line, text)
	}
	for name, c := range map[string]struct {
		in                     string
		opts                   jsontext.Options
		columns, rows, rejects string
		err                    string
	}{
		"an array":                 {in: "[\n{\"a\":1,\"b\":\"x\"},\n{\"b\":\"y\",\"a\":2}\n]", columns: "a|b", rows: "1:1|x 2:2|y"},
		"every digit":              {in: `[{"a":12.50,"b":9007199254740993,"c":-0,"d":1e400,"e":0.10}]`, columns: "a|b|c|d|e", rows: "1:12.50|9007199254740993|-0|1e400|0.10"},
		"words, null and nothing":  {in: `[{"a":true,"b":false,"c":null,"d":""},{}]`, columns: "a|b|c|d", rows: "1:true|false|∅| 2:∅|∅|∅|∅"},
		"later columns":            {in: `[{"b":1},{"a":2,"b":3}]`, columns: "b|a", rows: "1:1|∅ 2:3|2"},
		"objects within":           {in: `[{"call":{"no":"MW-1","day":{"m":3}},"x":{}}]`, columns: "call.no|call.day.m|x", rows: "1:MW-1|3|{}"},
		"lists within":             {in: `[{"a":[1, 2.50,"x",[null,true],{"k":"<&>"}],"b":[]}]`, columns: "a|b", rows: `1:[1,2.50,"x",[null,true],{"k":"<&>"}]|[]`},
		"escapes":                  {in: `[{"a\u0062":"\u017b\"\n\ud83d\udea2"}]`, columns: "ab", rows: "1:Ż\"\n\U0001F6A2"},
		"escapes in lists":         {in: `[{"a":["\"\\\/\u0001\t\u2028é\u00e9<&>",{"k\u0026":"v"}]}]`, columns: "a", rows: "1:[\"\\\"\\\\/\\u0001\\t\u2028éé<&>\",{\"k&\":\"v\"}]"},
		"half a pair":              {in: `[{"id":"a\ud800b"},{"id":"a\udC01"},{"id":"\ud83d\udea2"},{"id":"\\ud800"},{"id":"\ufffd"},{"l":["\ud83d\n"]}]`, columns: "id", rows: "3:\U0001F6A2 4:\\ud800 5:\ufffd", rejects: half(1, `{"id":"a\ud800b"}`) + "; " + half(2, `{"id":"a\udC01"}`) + "; " + half(6, `{"l":["\ud83d\n"]}`)},
		"half a pair in NDJSON":    {in: "{\"id\":\"a\\ud800b\"}\n{\"id\":1}\n", opts: lines, columns: "id", rows: "2:1", rejects: half(1, `{"id":"a\ud800b"}`)},
		"a field without name":     {in: `[{"":1}]`, columns: "column 1", rows: "1:1"},
		"no objects":               {in: "[1,{\"a\":1},\n[2,3],\"x\",null]", columns: "a", rows: "2:1", rejects: "1 the element is not an object: 1; 3 the element is not an object: [2,3]; 4 the element is not an object: \"x\"; 5 the element is not an object: null"},
		"one name twice":           {in: `[{"a":1,"a":2},{"a":3}]`, columns: "a", rows: "2:3", rejects: `1 two fields are named "a": {"a":1,"a":2}`},
		"one name twice, flat":     {in: `[{"a.b":1,"a":{"b":2}},{"a":{"b":3}}]`, columns: "a.b", rows: "2:3", rejects: `1 two fields are named "a.b": {"a.b":1,"a":{"b":2}}`},
		"a mark in front":          {in: "\xEF\xBB\xBF[{\"a\":1}]", columns: "a", rows: "1:1"},
		"inside":                   {in: `{"x":[1,[2]],"data":{"n":{"m":1},"rows":[{"a":1}],"z":{"q":[]}},"y":1}`, opts: at("/data/rows"), columns: "a", rows: "1:1"},
		"inside a list":            {in: `[0,{"rows":[{"a":1}]}]`, opts: at("/1/rows"), columns: "a", rows: "1:1"},
		"a pointer with escapes":   {in: `{"a/b~c":[{"a":1}]}`, opts: at("/a~1b~0c"), columns: "a", rows: "1:1"},
		"a pointer to an object":   {in: `{"a":{}}`, opts: at("/a"), err: "line 1: what stands at /a is not an array"},
		"a pointer too long":       {in: `{"a":[{"b":1}]}`, opts: at("/a/0/b/c"), err: `the JSON Pointer leads to nothing: there is no "c"`},
		"a pointer without slash":  {in: `[]`, opts: at("a"), err: `"a" is no JSON Pointer to an array; write one such as /data/records`},
		"NDJSON":                   {in: "{\"a\":1}\n\n  {\"a\":2}  \r\n{\"a\":3}", opts: lines, columns: "a", rows: "1:1 3:2 4:3"},
		"broken lines":             {in: "{\"a\":1}\nx\n{\"a\":\n{\"a\":1} 2\n[1]\n{\"a\":4}\n", opts: lines, columns: "a", rows: "1:1 6:4", rejects: "2 the line is no JSON: 'x' looking for beginning of value: x; 3 the line is no JSON: it is cut off: {\"a\":; 4 something stands behind the object on its line: {\"a\":1} 2; 5 the line is not an object: [1]"},
		"a line that is not UTF-8": {in: "{\"a\":1}\n{\"a\":\"M\xfcller\"}\n", opts: lines, err: "line 2: the line has bytes that are not UTF-8 (FC)"},
		"an empty array":           {in: "[]", err: "no record with a field is in it"},
		"nothing":                  {in: "", err: "line 1: the JSON is cut off"},
		"broken":                   {in: "[\n{\"a\":1},\n{\"a\" 2}]", err: "line 3: the text is no JSON from here on:"},
		"cut within a list":        {in: "[{\"a\":[1,", err: "line 1: the JSON is cut off"},
		"deep lists":               {in: `[{"a":` + strings.Repeat("[", 200) + strings.Repeat("]", 200) + "}]", err: "line 1: the text is no JSON from here on: lists lie more than 100 deep in one another"},
	} {
		t.Run(name, func(t *testing.T) {
			for _, pieces := range []func(io.Reader) io.Reader{func(r io.Reader) io.Reader { return r }, iotest.OneByteReader} {
				var rows, rejects []string
				opts := c.opts
				opts.Reject = func(r record.Reject) { rejects = append(rejects, fmt.Sprint(r.Line, " ", r.Reason, ": ", r.Text)) }
				r, err := jsontext.NewReader(func() (io.Reader, error) { return pieces(strings.NewReader(c.in)), nil }, opts)
				for err == nil {
					var b *record.Batch
					if b, err = r.Next(); err == nil {
						for i := range b.Records() {
							rows = append(rows, fmt.Sprintf("%d:%s", b.Line(i), join(b.Cells(i))))
						}
					}
				}
				if c.err != "" {
					if err == io.EOF || !strings.HasPrefix(err.Error(), c.err) {
						t.Errorf("error %v, want %s", err, c.err)
					}
					continue
				}
				if err != io.EOF {
					t.Fatal(err)
				}
				if _, err := r.Next(); err != io.EOF {
					t.Errorf("behind the end: %v", err)
				}
				if got := strings.Join(r.Columns(), "|"); got != c.columns || strings.Join(rows, " ") != c.rows || strings.Join(rejects, "; ") != c.rejects || r.Rejects() != int64(len(rejects)) {
					t.Errorf("columns %s, rows %q, rejects %q", got, rows, rejects)
				}
				if r.Bytes() < int64(len(c.in))-4 {
					t.Errorf("%d of %d bytes were used", r.Bytes(), len(c.in))
				}
			}
		})
	}
}

func join(cells []record.Cell) string {
	var texts []string
	for _, c := range cells {
		if c.Null {
			c.Text = "∅"
		}
		texts = append(texts, c.Text)
	}
	return strings.Join(texts, "|")
}

// TestTooManyFields refuses a set with more different fields than a record set has columns.
func TestTooManyFields(t *testing.T) {
	var in strings.Builder
	for n := range record.MaxColumns + 1 {
		fmt.Fprintf(&in, "{\"f%d\":1}\n", n)
	}
	_, err := jsontext.NewReader(func() (io.Reader, error) { return strings.NewReader(in.String()), nil }, jsontext.Options{Lines: true})
	if want := fmt.Sprintf("line %d: the records have more than 16384 different fields", record.MaxColumns+1); err == nil || !strings.HasPrefix(err.Error(), want) {
		t.Errorf("%v, want %s", err, want)
	}
}

// TestArrays: the arrays of a document that may hold records, wherever they stand and whatever is around them.
func TestArrays(t *testing.T) {
	for text, want := range map[string]string{
		`[{"a":1},{"b":[{}]},2]`:           "[{ 3 2}]",
		`[]`:                               "[{ 0 0}]",
		`{"rows":[],"errors":[{"e":"x"}]}`: "[{/rows 0 0} {/errors 1 1}]",
		`{"summary":[{"n":3}],"transactions":[{"a":[{},{}]},{"a":1} , {}]}`:             "[{/summary 1 1} {/transactions 3 3}]",
		`{"no":[1,2],"s":"[{\"x\":[{}","d":{"a/b~c":[{}],"caf\u00e9":[[],{"x":"]}"}]}}`: "[{/d/a~1b~0c 1 1} {/d/café 2 1}]",
		`{"n":-1.5e3,"t":true,"z":null,"rows":[{}`:                                      "[{/rows 1 1}]",
		"\ufeff {\n\"rows\" : [ { } , { } ] }":                                          "[{/rows 2 2}]",
		`{"a" 1}`:                                                                       "[]",
		`{"long":"` + strings.Repeat(`x\"`, 50_000) + `","rows":[{}]}`:                  "[{/rows 1 1}]",
		``:                                     "[]",
		strings.Repeat(`{"a":`, 1000) + `[{}]`: "[]",
	} {
		if got := fmt.Sprint(jsontext.Arrays(iotest.HalfReader(strings.NewReader(text)))); got != want {
			t.Errorf("%.80s: %s, want %s", text, got, want)
		}
	}
}
