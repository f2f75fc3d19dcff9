package intake_test

import (
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"

	"twinsieve/core/expression"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/formats/intake"
)

// part opens a text as a part of a stack.
func part(t *testing.T, label, text string, c intake.Choices) intake.Part {
	t.Helper()
	src, err := intake.Open(strings.NewReader(text), int64(len(text)), c, intake.Options{Name: label})
	if err != nil {
		t.Fatal(err)
	}
	return intake.Part{Source: src, Label: label}
}

// TestStack: columns are aligned by name in the order in which they first come, what a part has not is null, and each part is
// read in its own way.
func TestStack(t *testing.T) {
	parts := []intake.Part{
		part(t, "one", "call;fee\nMW-1;1,50\nshort\nTOTAL;1\n", intake.Choices{Footers: []string{"TOTAL"}}),
		part(t, "two", "quay,fee,call\nTar,n/a,MW-2\nSalt,2.50,\n", intake.Choices{Blanks: []string{"n/a"}}),
		part(t, "empty", "call\n", intake.Choices{Header: intake.HeaderFirst}),
		part(t, "three", `[{"fee":3,"call":"MW-3","pilot":null}]`, intake.Choices{}),
	}
	src, err := intake.Stack(parts, intake.StackOptions{Origin: "from"}, intake.Choices{Computed: []expression.Column{{Name: "both", Expression: `call + "@" + from`}}})
	if err != nil {
		t.Fatal(err)
	}
	defer src.Close()
	rows, lines, err := recordtest.Read(src)
	if err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(src.Columns(), " "); got != "call fee quay pilot from both" {
		t.Errorf("columns %s", got)
	}
	want := []string{"MW-1|1,50|∅|∅|one|MW-1@one", "MW-2|∅|Tar|∅|two|MW-2@two", "|2.50|Salt|∅|two|@two", "MW-3|3|∅|∅|three|MW-3@three"}
	if strings.Join(rows, "\n") != strings.Join(want, "\n") || fmt.Sprint(lines) != "[2 2 3 1]" {
		t.Errorf("%s, lines %v\nwant\n%s", strings.Join(rows, "\n"), lines, strings.Join(want, "\n"))
	}
	if src.Rejects() != 1 || src.FooterLines() != 1 || fmt.Sprint(src.Footers()) != "[{4 TOTAL;1 one}]" || src.Bytes() == 0 {
		t.Errorf("%d rejects, %d footers %v, %d bytes", src.Rejects(), src.FooterLines(), src.Footers(), src.Bytes())
	}
	var missing []string
	for _, p := range src.Parts() {
		missing = append(missing, fmt.Sprint(p.Label, p.Missing, p.Settled().Format))
	}
	if got := strings.Join(missing, " "); got != "one[quay pilot]delimited two[pilot]delimited empty[fee quay pilot]delimited three[quay]json" {
		t.Errorf("parts %s", got)
	}
}

// TestBadStack: what cannot be stacked is refused, and what goes wrong within a part says in which.
func TestBadStack(t *testing.T) {
	one := func() intake.Part { return part(t, "one", "call,fee\nMW-1,1\n", intake.Choices{}) }
	for want, c := range map[string]struct {
		parts  []intake.Part
		origin string
		c      intake.Choices
	}{
		`origin: there is a column "fee" already`:                     {[]intake.Part{one()}, "fee", intake.Choices{}},
		`stack: two sources are labelled "one"; give each a label`:    {[]intake.Part{one(), one()}, "origin", intake.Choices{}},
		`computed: column "x": at character 1: there is no column "f`: {[]intake.Part{one()}, "origin", intake.Choices{Computed: []expression.Column{{Name: "x", Expression: "frm"}}}},
		`computed: column "origin": there is a column of that name`:   {[]intake.Part{one()}, "origin", intake.Choices{Computed: []expression.Column{{Name: "origin", Expression: "fee"}}}},
	} {
		src, err := intake.Stack(c.parts, intake.StackOptions{Origin: c.origin}, c.c)
		if choice := new(intake.ChoiceError); !errors.As(err, &choice) || !strings.HasPrefix(err.Error(), want) {
			t.Errorf("%v, %v, want %q", src, err, want)
		}
	}
	src, err := intake.Stack([]intake.Part{one(), part(t, "two", "[\n{\"a\":1}\n]", intake.Choices{}), part(t, "three", "a;b\n"+strings.Repeat("ok;1\n", 40_000)+"M\x81ller;1\n", intake.Choices{Encoding: "windows-1252"})}, intake.StackOptions{Origin: "origin"}, intake.Choices{})
	if err != nil {
		t.Fatal(err)
	}
	defer src.Close()
	rows, _, err := recordtest.Read(src)
	fault := new(record.Unreadable)
	if !errors.As(err, &fault) || fault.Where() != "three" || !strings.HasPrefix(fault.What, "line 40002: bytes stand here that are no text in windows-1252") {
		t.Errorf("%d rows, %v", len(rows), err)
	}
}

// rowsReader gives rows as a database would, and knows whether it was closed.
type rowsReader struct {
	columns []string
	batches []*record.Batch
	closed  bool
}

func (r *rowsReader) Columns() []string { return r.columns }
func (r *rowsReader) Rejects() int64    { return 0 }
func (r *rowsReader) Bytes() int64      { return 7 }
func (r *rowsReader) Close() error      { r.closed = true; return nil }
func (r *rowsReader) Next() (*record.Batch, error) {
	if len(r.batches) == 0 {
		return nil, io.EOF
	}
	b := r.batches[0]
	r.batches = r.batches[1:]
	return b, nil
}

// TestRows: of rows, blank markers, types and computed columns can be chosen; the reader is closed whatever happens.
func TestRows(t *testing.T) {
	reader := func() *rowsReader {
		b := record.NewBuilder(2)
		b.Cell(0, []byte("MW-1"))
		b.Null(1)
		b.Close(1)
		b.Cell(0, []byte("none"))
		b.Cell(1, []byte("2.5"))
		b.Close(2)
		return &rowsReader{columns: []string{"call", "fee"}, batches: []*record.Batch{b.Flush()}}
	}
	r := reader()
	src, err := intake.Rows(r, intake.Choices{Blanks: []string{"none"}, Types: map[string]string{"fee": "decimal point"}, Computed: []expression.Column{{Name: "twice", Expression: "number(fee) * 2"}, {Name: "gone", Expression: "fie"}}}, true)
	if err != nil {
		t.Fatal(err)
	}
	rows, _, err := recordtest.Read(src)
	if err != nil || strings.Join(rows, "; ") != "MW-1|∅|∅; ∅|2.5|5" || src.Bytes() != 7 {
		t.Errorf("%v, %v, %d bytes", rows, err, src.Bytes())
	}
	if lost := fmt.Sprint(src.Lost()); lost != `[{gone at character 1: there is no column "fie"; did you mean "fee"? Columns: "call", "fee", "twice"}]` || len(src.Failures()) != 0 || len(src.Parts()) != 0 {
		t.Errorf("lost %s, failures %v, parts %v", lost, src.Failures(), src.Parts())
	}
	settled := src.Settled()
	if say := settled.Say(); say != "rows, blank markers none, twice = number(fee) * 2, gone = fie" {
		t.Errorf("it says %q", say)
	}
	if err := src.Close(); err != nil || !r.closed {
		t.Errorf("closed %v, %v", r.closed, err)
	}
	for _, c := range []intake.Choices{{Format: intake.JSON}, {Packing: "gzip"}, {Encoding: "UTF-8"}, {Delimiter: ";"}, {NoQuotes: true}, {Header: intake.HeaderNone}, {HeaderRow: 2}, {SkipFirst: 1}, {SkipLast: 1},
		{Footers: []string{"T"}}, {Sheet: "a"}, {Pointer: "/a"}, {Layout: "a 1-2"}, {Computed: []expression.Column{{Name: "call", Expression: "fee"}}}, {Types: map[string]string{"fee": "whole"}}} {
		r := reader()
		if _, err := intake.Rows(r, c, false); err == nil || !r.closed {
			t.Errorf("%+v: %v, closed %v", c, err, r.closed)
		}
	}
}

// TestStackMapped: columns that say the same under another name are renamed, and columns that not all have can be left out.
func TestStackMapped(t *testing.T) {
	parts := func(rename map[string]string) []intake.Part {
		a, b := part(t, "north", "call_no;fee;quay\nMW-1;10;Tar\n", intake.Choices{}), part(t, "south", "Call;fee;clerk\nMW-2;20;vale\nMW-3;30;marsh\n", intake.Choices{})
		b.Rename = rename
		return []intake.Part{a, b}
	}
	for name, c := range map[string]struct {
		rename  map[string]string
		common  bool
		columns string
		rows    string
		parts   string
	}{
		"by name":       {nil, false, "[call_no fee quay Call clerk from]", "MW-1|10|Tar|∅|∅|north ∅|20|∅|MW-2|vale|south ", "[Call clerk] [] 1, [call_no quay] [] 2"},
		"mapped":        {map[string]string{"Call": "call_no"}, false, "[call_no fee quay clerk from]", "MW-1|10|Tar|∅|north MW-2|20|∅|vale|south", "[clerk] [] 1, [quay] [] 2"},
		"common":        {nil, true, "[fee from]", "10|north 20|south 30|south", "[] [call_no quay] 1, [] [Call clerk] 2"},
		"mapped common": {map[string]string{"Call": "call_no"}, true, "[call_no fee from]", "MW-1|10|north MW-2|20|south MW-3|30|south", "[] [quay] 1, [] [clerk] 2"},
		"no column":     {map[string]string{"call": "call_no"}, false, `stack: south has no column "call" to rename; it has Call, fee, clerk`, "", ""},
		"twice":         {map[string]string{"clerk": "fee"}, false, `stack: two columns of south would be named "fee"; give one of them another name`, "", ""},
		"nothing":       {map[string]string{"fee": "due"}, true, "columns: no column is in all sources; fill those that some have not, or rename columns that say the same", "", ""},
	} {
		src, err := intake.Stack(parts(c.rename), intake.StackOptions{Origin: "from", Common: c.common}, intake.Choices{})
		if err != nil {
			if err.Error() != c.columns {
				t.Errorf("%s: %v, want %s", name, err, c.columns)
			}
			continue
		}
		rows, _, err := recordtest.Read(src)
		if err != nil {
			t.Fatal(err)
		}
		var found []string
		for _, p := range src.Parts() {
			found = append(found, fmt.Sprint(p.Missing, p.Left, p.Records))
		}
		if fmt.Sprint(src.Columns()) != c.columns || !strings.HasPrefix(strings.Join(rows, " "), c.rows) || strings.Join(found, ", ") != c.parts {
			t.Errorf("%s: %v\n%v\n%v", name, src.Columns(), rows, found)
		}
		if err := src.Close(); err != nil {
			t.Error(err)
		}
	}
}
