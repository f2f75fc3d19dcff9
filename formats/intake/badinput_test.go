package intake_test

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"runtime"
	"runtime/debug"
	"strings"
	"testing"

	"twinsieve/core/record"
	"twinsieve/formats/intake"
	"twinsieve/formats/intake/badfiles"
)

// TestBadInput: what cannot be read is refused with what is wrong and where, in bounded memory.
func TestBadInput(t *testing.T) {
	for _, c := range badfiles.All() {
		t.Run(c.Name, func(t *testing.T) {
			file := c.File()
			debug.FreeOSMemory()
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			err := drain(file, c.Choices, intake.Options{Name: c.FileName, MostUnpack: c.MostUnpack})
			runtime.ReadMemStats(&after)
			if err == nil || !strings.Contains(err.Error(), c.Err) {
				t.Errorf("error %v, want %q", err, c.Err)
			}
			choice, unreadable := new(intake.ChoiceError), new(record.Unreadable)
			if !errors.As(err, &choice) && !errors.As(err, &unreadable) {
				t.Errorf("the error is a %T", err)
			}
			if grown := int64(after.Sys) - int64(before.Sys); grown > 400<<20 {
				t.Errorf("memory grew by %d MB", grown>>20)
			}
		})
	}
}

func drain(file []byte, c intake.Choices, o intake.Options) error {
	src, err := intake.Open(bytes.NewReader(file), int64(len(file)), c, o)
	if err != nil {
		return err
	}
	defer src.Close()
	for {
		if _, err := src.Next(); err == io.EOF {
			return nil
		} else if err != nil {
			return err
		}
	}
}

// TestGuesses: what is found, and what is said of it.
func TestGuesses(t *testing.T) {
	for name, c := range map[string]struct {
		name, file, settled string
		records             int
		footers             string
		columns             string
	}{
		"semicolons":       {file: "call;amount\nMW-1;12,50\nMW-2;3,00\n", settled: "delimited, UTF-8, delimiter \";\"", records: 2, columns: "call|amount"},
		"no header":        {file: "MW-1\t12.50\nMW-2\t3.00\n", settled: "delimited, UTF-8, delimiter tab, no header", records: 2, columns: "column 1|column 2"},
		"a trailer":        {file: "call,amount\nMW-1,12.50\nTOTAL,1,12.50\n", settled: "delimited, UTF-8, delimiter \",\", footers begin with TOTAL", records: 1, footers: "3 TOTAL,1,12.50", columns: "call|amount"},
		"NDJSON":           {file: "{\"a\":1,\"b\":{\"c\":[1, 2]}}\n{\"a\":null}\n", settled: "ndjson, UTF-8", records: 2, columns: "a|b.c"},
		"a nested array":   {file: `{"meta":{"no":[1,2]},"data":{"rows":[{"a":1}]}}`, settled: "json, UTF-8, records at /data/rows", records: 1, columns: "a"},
		"the largest":      {file: `{"summary":[{"n":3}],"transactions":[{"a":1},{"a":2}],"errors":[{"e":1},{"e":2},{"e":3}]}`, settled: "json, UTF-8, records at /transactions", records: 2, columns: "a"},
		"an escaped name":  {file: `{"l":["]",[{}]],"caf\u00e9":[{"a":1}]}`, settled: "json, UTF-8, records at /café", records: 1, columns: "a"},
		"one line":         {name: "x.ndjson", file: `{"order":7,"lines":[{"c":1},{"c":2}]}` + "\n", settled: "ndjson, UTF-8", records: 1, columns: "order|lines"},
		"one line, packed": {name: "x.jsonl.gz", file: `{"order":7,"lines":[{"c":1}]}`, settled: "ndjson, UTF-8", records: 1, columns: "order|lines"},
		"returns":          {file: "a;b\r1;\"x\ry\"\r2;z\r", settled: "delimited, UTF-8, delimiter \";\"", records: 2, columns: "a|b"},
		"sep=":             {file: "sep=;\r\nBetrag, EUR;Datum\r\n1,50;01.02.2024\r\n", settled: "delimited, UTF-8, delimiter \";\"", records: 1, columns: "Betrag, EUR|Datum"},
		"sep= and a total": {file: "sep=|\ncall|fee\nMW-1|1.50\nTOTAL 2|1|1.50\n", settled: "delimited, UTF-8, delimiter \"|\", footers begin with TOTAL", records: 1, columns: "call|fee", footers: "4 TOTAL 2|1|1.50"},
		"years":            {file: "Account;2023;2024\nFees;5;6\n", settled: "delimited, UTF-8, delimiter \";\"", records: 1, columns: "Account|2023|2024"},
		"years below":      {file: "MW-1;2023;5\nMW-2;2024;6\n", settled: "delimited, UTF-8, delimiter \";\", no header", records: 2, columns: "column 1|column 2|column 3"},
		"only years":       {file: "2023;2024\n5;6\n", settled: "delimited, UTF-8, delimiter \";\", no header", records: 2, columns: "column 1|column 2"},
		"pasted cells":     {file: "call\tamount\r\nMW-1\t12.50\r\n", settled: "delimited, UTF-8, delimiter tab", records: 1, columns: "call|amount"},
		"ISO-8859-15":      {file: "port;fee\n\xcele;5 \xa4\n", settled: "delimited, ISO-8859-15, delimiter \";\"", records: 1, columns: "port|fee"},
		"windows-1252":     {file: "port;fee\n\xcele;5 \x80\n", settled: "delimited, windows-1252, delimiter \";\"", records: 1, columns: "port|fee"},
		"late other bytes": {file: "a,b\n" + strings.Repeat("1,x\n", 40_000) + "\xfc,1\n", settled: "delimited, windows-1252, delimiter \",\"", records: 40_001, columns: "a|b"},
	} {
		t.Run(name, func(t *testing.T) {
			choices := intake.Choices{}
			got, err := read(t, cmp.Or(c.name, name), []byte(c.file), choices)
			if err != nil {
				t.Fatal(err)
			}
			settled := got.source.Settled()
			footers := ""
			for _, f := range got.source.Footers() {
				footers += fmt.Sprint(f.Line, " ", f.Text)
			}
			if settled.Say() != c.settled || len(got.rows) != c.records || footers != c.footers || strings.Join(got.columns, "|") != c.columns {
				t.Errorf("%q: %d records, columns %q, footers %q", settled.Say(), len(got.rows), got.columns, footers)
			}
		})
	}
}

// TestTwelveFaults reads a file with twelve planted faults and a footer: each fault is a reject on its line.
func TestTwelveFaults(t *testing.T) {
	var text strings.Builder
	text.WriteString("call_no,service,amount\n")
	faults := map[int64]string{}
	line := int64(2)
	bad := []string{"MW-1,x", "MW-1,x,1,2", "MW-\"1,x,1", "\"MW-1\"x,y,1"}
	for n := range 120 {
		if n%10 == 5 {
			faults[line] = bad[n/10%4]
			text.WriteString(bad[n/10%4] + "\n")
			line++
		}
		if n%7 == 0 {
			fmt.Fprintf(&text, "MW-%d,\"two\nlines\",1.50\n", n)
			line += 2
		} else {
			fmt.Fprintf(&text, "MW-%d,tow,1.50\n", n)
			line++
		}
	}
	text.WriteString("TRAILER,120,180.00\n")
	got, err := read(t, "log.csv", []byte(text.String()), intake.Choices{})
	if err != nil {
		t.Fatal(err)
	}
	if len(got.rows) != 120 || len(got.rejects) != 12 || len(faults) != 12 {
		t.Errorf("%d records and %d rejects", len(got.rows), len(got.rejects))
	}
	for _, r := range got.rejects {
		if faults[r.Line] != r.Text {
			t.Errorf("reject %+v, planted %q", r, faults[r.Line])
		}
	}
	if f := got.source.Footers(); len(f) != 1 || f[0].Line != line || f[0].Text != "TRAILER,120,180.00" {
		t.Errorf("footers %+v, want line %d", f, line)
	}
}

// TestLeftOut leaves lines out before and after, keeps line numbers, and takes markers for blanks.
func TestLeftOut(t *testing.T) {
	text := "Port of Marrowick\nprinted in March\ncall|amount\nMW-1|n/a\nn/a|2\nMW-3|-\n-- end --\n3 records"
	got, err := read(t, "log.txt", []byte(text), intake.Choices{SkipFirst: 2, SkipLast: 2, Blanks: []string{"n/a"}})
	if err != nil {
		t.Fatal(err)
	}
	if want := "[[{MW-1 false} {n/a true}] [{n/a true} {2 false}] [{MW-3 false} {- false}]] [4 5 6]"; fmt.Sprint(got.rows, got.lines) != want {
		t.Errorf("%v %v, want %s", got.rows, got.lines, want)
	}
	if f := got.source.Footers(); fmt.Sprint(f) != "[{7 -- end -- } {8 3 records }]" {
		t.Errorf("left out at the end: %v", f)
	}
}
