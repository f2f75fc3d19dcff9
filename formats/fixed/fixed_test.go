package fixed_test

import (
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
	"testing/iotest"

	"twinsieve/core/record"
	"twinsieve/formats/fixed"
)

func TestParseLayout(t *testing.T) {
	for text, want := range map[string]string{
		"call_no 1-8, service_date 9-18": "[{call_no 1 8} {service_date 9 18}]",
		"  Voyage Call   3-5 ,x 9":       "[{Voyage Call 3 5} {x 9 9}]",
		"a":                              `the layout part "a" does not say where the column stands; write its name and its places, such as call_no 1-8`,
		"":                               `the layout part "" does not say where the column stands; write its name and its places, such as call_no 1-8`,
		"a 0-4":                          `the places "0-4" of column "a" are no range; write the first and the last character, such as 1-8`,
		"a 5-4":                          `the places "5-4" of column "a" are no range; write the first and the last character, such as 1-8`,
		"a one-two":                      `the places "one-two" of column "a" are no range; write the first and the last character, such as 1-8`,
		"a 1-99999999999":                `the places "1-99999999999" of column "a" are no range; write the first and the last character, such as 1-8`,
		"a 1-4, b 4-6":                   `column "b" begins at character 4, within or before column "a"; write the columns in the order of their places`,
	} {
		layout, err := fixed.ParseLayout(text)
		if got := fmt.Sprint([]fixed.Column(layout)); err == nil && got != want || err != nil && err.Error() != want {
			t.Errorf("%q: %v, %v; want %s", text, layout, err, want)
		}
	}
}

// TestReader is one table of texts, records with their lines, rejects, footers and errors.
func TestReader(t *testing.T) {
	for name, c := range map[string]struct {
		in                             string
		opts                           fixed.Options
		rows, rejects, footers, failed string
	}{
		"plain":                {in: "MW-1 TUG  12.50\nMW-2 PIL   3.00\n", rows: "1:MW-1|TUG|12.50 2:MW-2|PIL|3.00"},
		"carriage returns":     {in: "MW-1 TUG  12.50\r\nMW-2 PIL   3.00\r", rows: "1:MW-1|TUG|12.50 2:MW-2|PIL|3.00"},
		"a mark in front":      {in: "\xEF\xBB\xBFMW-1 TUG  12.50\n", rows: "1:MW-1|TUG|12.50"},
		"characters, no bytes": {in: "ÎÎÎÎ ŻŻŻ   1.00\n", rows: "1:ÎÎÎÎ|ŻŻŻ|1.00"},
		"cut behind a column":  {in: "MW-1\nMW-2 P\n", rows: "1:MW-1|| 2:MW-2|P|"},
		"empty lines":          {in: "\n\nMW-1 TUG  12.50\n\n", rows: "3:MW-1|TUG|12.50"},
		"spaces only":          {in: "     \n", rows: "1:||"},
		"spaces behind":        {in: "MW-1 TUG  12.50     \n", rows: "1:MW-1|TUG|12.50"},
		"something behind":     {in: "MW-1 TUG  12.50 x\nMW-2 PIL   3.00\n", rows: "2:MW-2|PIL|3.00", rejects: "1 something stands behind character 15, where the layout ends: MW-1 TUG  12.50 x"},
		"between the columns":  {in: "MW-1#TUG# 12.50\n", rows: "1:MW-1|TUG|12.50"},
		"skipped":              {in: "Marrowick\nMarch\nMW-1 TUG  12.50\n", opts: fixed.Options{Skip: 2}, rows: "3:MW-1|TUG|12.50"},
		"footers":              {in: "MW-1 TUG  12.50\nEND 1 record and more text than fits\n", opts: fixed.Options{Footers: []string{"SUM", "END"}}, rows: "1:MW-1|TUG|12.50", footers: "2 END 1 record and more text than fits"},
		"nothing":              {in: ""},
		"not UTF-8":            {in: "MW-1 TUG  12.50\nM\xfcller\n", failed: "line 2: column \"call\" has bytes that are not UTF-8 (FC); correct them, state another encoding, or have such records rejected (invalid bytes: reject)"},
		"a zero byte":          {in: "MW-1\x00\n", failed: "line 1: a NUL byte stands here: this is binary data or another encoding, not UTF-8 text"},
	} {
		t.Run(name, func(t *testing.T) {
			for _, source := range []io.Reader{strings.NewReader(c.in), iotest.OneByteReader(strings.NewReader(c.in))} {
				var rows, rejects, footers []string
				opts := c.opts
				opts.Layout = fixed.Layout{{Name: "call", First: 1, Last: 4}, {Name: "svc", First: 6, Last: 8}, {Name: "amount", First: 10, Last: 15}}
				opts.Reject = func(r record.Reject) { rejects = append(rejects, fmt.Sprint(r.Line, " ", r.Reason, ": ", r.Text)) }
				opts.Footer = func(line int64, text string) { footers = append(footers, fmt.Sprint(line, " ", text)) }
				r, err := fixed.NewReader(source, opts)
				if err != nil {
					t.Fatal(err)
				}
				for err == nil {
					var b *record.Batch
					if b, err = r.Next(); err == nil {
						for i := range b.Records() {
							var cells []string
							for _, cell := range b.Cells(i) {
								cells = append(cells, cell.Text)
							}
							rows = append(rows, fmt.Sprintf("%d:%s", b.Line(i), strings.Join(cells, "|")))
						}
					}
				}
				if err == io.EOF {
					err = errors.New("")
				}
				got := []string{strings.Join(rows, " "), strings.Join(rejects, "; "), strings.Join(footers, "; "), err.Error()}
				want := []string{c.rows, c.rejects, c.footers, c.failed}
				if c.failed != "" {
					got[0] = "" // what had been read before is not given
				}
				if fmt.Sprintf("%q", got) != fmt.Sprintf("%q", want) || r.Rejects() != int64(len(rejects)) {
					t.Errorf("%q\nwant %q", got, want)
				}
			}
		})
	}
	if _, err := fixed.NewReader(strings.NewReader(""), fixed.Options{}); err == nil {
		t.Error("text without a layout is read")
	}
	if _, err := fixed.NewReader(strings.NewReader(""), fixed.Options{Layout: fixed.Layout{{Name: "a", First: 1, Last: 1}, {Name: "a", First: 2, Last: 2}}}); err == nil || !strings.Contains(err.Error(), `columns 1 and 2 are both named "a"`) {
		t.Errorf("two columns of one name: %v", err)
	}
}
