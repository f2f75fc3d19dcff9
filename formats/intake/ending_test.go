package intake_test

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"twinsieve/core/record"
	"twinsieve/formats/intake"
	"twinsieve/formats/outform"
)

// TestEnding: which last lines are trailers, and that nothing else is.
func TestEnding(t *testing.T) {
	const names = "vendor,amt\nAcme,1\nSumitomo,2\nSumitomo Bank,4\nBolt,7\n"
	for name, c := range map[string]struct {
		file, word, footers string
		records             int
		choices             intake.Choices
	}{
		"names that begin like words": {file: names + "Sumitomo,3\n", records: 5},
		"a country":                   {file: names + "Country A,3\n", records: 5},
		"a company":                   {file: names + "Total SA,3\n", records: 5},
		"a company, and blanks":       {file: "vendor,amt,note\nAcme,1,x\nBolt,2,y\nTotal SA,,\n", records: 3},
		"a tower among numbered bays": {file: "bay,amt\nBay 7,1\nBay 8,2\nControl Tower,3\n", records: 3},
		"a trailer after such names":  {file: names + "Sum,14,\n", records: 4, word: "Sum", footers: "Sum,14,"},
		"a month":                     {file: "id,tot,amt\n1,2,3\nTotal 2024-03,,3\n", records: 1, word: "Total", footers: "Total 2024-03,,3"},
		"a count, ragged":             {file: "id,amt\n1,2\n2,3\nRecords: 2\n", records: 2, word: "Records", footers: "Records: 2"},
		"quoted":                      {file: "id,tot,amt\n1,2,3\n\"Total, all\",,3\n", records: 1, word: "Total", footers: "\"Total, all\",,3"},
		"several":                     {file: "id,amt\nA-1,2\nA-2,3\n\nSubtotal,5\n\nGrand total,5\nEOF\n\n", records: 2, word: "Subtotal/Grand total/EOF", footers: "Subtotal,5 / Grand total,5 / EOF"},
		"words that only names have":  {file: "id,amt\n1,2\n2,3\nTotal outstanding payables,5\n", records: 2, word: "Total", footers: "Total outstanding payables,5"},
		"one in the middle":           {file: "id,amt,\nA-1,2,\nTotal,2,x\nA-2,3,\n", records: 3},
		"one more in the middle":      {file: "id,amt\nA-1,2\nTotal,2\nA-2,3\nTotal,5\n", records: 4},
		"in a quoted cell":            {file: "id,note\n1,a\n2,\"see below\nTotal 5\"\n", records: 2},
		"a quoted cell before it":     {file: "id,note\n1,\"a\nb\"\n2,\"c\nd\"\nTotal,2\n", records: 2, word: "Total", footers: "Total,2"},
		"stated, and others like it":  {file: names + "Sum,14\n", records: 4, word: "Sum", footers: "Sum,14", choices: intake.Choices{Footers: []string{"Sum"}}},
		"stated as a beginning":       {file: "id,amt\nA-1,2\nTRL-7,3\nTRL-8,4\n", records: 1, word: "TRL-", footers: "TRL-7,3 / TRL-8,4", choices: intake.Choices{Footers: []string{"TRL-"}}},
		"fixed width":                 {file: "D0001  250Acme  \nD0002  500Bolt  \nTRL0002  750     \n", records: 2, word: "TRL", footers: "TRL0002  750     ", choices: intake.Choices{Layout: "kind 1-1, no 2-5, amt 6-10, who 11-16"}},
		"fixed width, a name":         {file: "Acme       1\nSumitomo   2\nTotal SA   3\n", records: 3, choices: intake.Choices{Layout: "who 1-10, amt 11-12"}},
		"one column":                  {file: "id\nA-1\nA-2\nTotal 2\n", records: 2, word: "Total", footers: "Total 2"},
	} {
		t.Run(name, func(t *testing.T) {
			for encoded, file := range encodings(t, c.file) {
				got, err := read(t, "x.csv", file, c.choices)
				if err != nil {
					t.Fatal(encoded, err)
				}
				said := func(s set) string {
					var texts []string
					for _, f := range s.source.Footers() {
						texts = append(texts, f.Text)
					}
					return strings.Join(texts, " / ")
				}
				settled := got.source.Settled()
				if word := strings.Join(settled.Footers, "/"); len(got.rows) != c.records || len(got.rejects) > 0 || said(got) != c.footers || word != c.word {
					t.Errorf("%s: %d records, rejects %v, footers %q of %q; want %d, %q of %q", encoded, len(got.rows), got.rejects, said(got), word, c.records, c.footers, c.word)
				}
				if again, err := read(t, "x.csv", file, settled); err != nil || len(again.rows) != c.records || said(again) != c.footers {
					t.Errorf("%s, read again as settled: %d records, footers %q, %v", encoded, len(again.rows), said(again), err)
				}
			}
		})
	}
}

// encodings are one text in several encodings and packings.
func encodings(t *testing.T, text string) map[string][]byte {
	t.Helper()
	var packed bytes.Buffer
	w := gzip.NewWriter(&packed)
	_, _ = w.Write([]byte(text))
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	files := map[string][]byte{"UTF-8": []byte(text), "with a mark": []byte("\ufeff" + text), "gzip": packed.Bytes(), "CRLF": []byte(strings.ReplaceAll(text, "\n", "\r\n")),
		"CR": []byte(strings.ReplaceAll(text, "\n", "\r"))}
	for name, e := range map[string]encoding.Encoding{"UTF-16": unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), "windows-1252": charmap.Windows1252} {
		file, err := e.NewEncoder().String(text)
		if err != nil {
			t.Fatal(name, err)
		}
		files[name] = []byte(file)
	}
	return files
}

// TestGeneratedEndings makes files of records whose names begin like words of trailers, with trailers and without, in every format, encoding and
// packing, 60 in a usual run: no record is lost, and no trailer is a record, in the first month and in the next.
func TestGeneratedEndings(t *testing.T) {
	random := rand.New(rand.NewPCG(24, 1))
	pick := func(list ...string) string { return list[random.IntN(len(list))] }
	name := func() string {
		return pick("Sum", "Count", "Total", "Control", "Record", "Trailer", "Footer", "Eof", "Subtotal") + pick("itomo", "ry", "izer", "led", "ine", "sson", "ia") +
			pick("", " Bank", " & Sons", " Ltd", ", Inc", " 24", " SA")
	}
	months := 0
	for n := range max(60, times(2)) {
		codes, columns, big := random.IntN(2) == 0, 2+random.IntN(4), n%30 == 29
		records := 2 + random.IntN(40)
		if big {
			records = record.BatchRecords + random.IntN(5) - 2
		}
		word := pick("Total", "TOTAL", "Sum", "Grand total", "Trailer", "TRL", "Record count", "Control total")
		with := random.IntN(3) > 0
		format := pick("csv", "csv", "tsv", "xlsx", "json", "ndjson")
		var first intake.Choices
		for month := range 2 {
			months++
			s := set{columns: []string{"who", "amount", "day", "note", "number"}[:columns]}
			for range records {
				row := []record.Cell{{Text: name()}}
				if codes {
					row[0].Text = fmt.Sprintf("MW-%05d", random.IntN(100_000))
				}
				for _, column := range s.columns[1:] {
					text := map[string]string{"amount": fmt.Sprintf("%d.%02d", random.IntN(9999), random.IntN(100)), "day": "2031-03-0" + pick("1", "2", "3"), "note": pick("late", "a, b", `say "so"`, "über"), "number": "7"}[column]
					if random.IntN(10) == 0 {
						text = ""
					}
					row = append(row, record.Cell{Text: text})
				}
				s.rows = append(s.rows, row)
			}
			if !with && random.IntN(2) == 0 {
				s.rows[records-1][0].Text = pick("Total SA", "Control Tower", "Count Dracula", "Sum Holdings", "Records Hall")
			}
			want := len(s.rows)
			if with { // of a shape that no record has: the number of records stands in the last column, and the rest is blank or a word
				trailer := make([]record.Cell, columns)
				trailer[0].Text = pick(word, word+":", fmt.Sprintf("%s %d", word, records))
				trailer[1].Text = pick("records", "of all")
				trailer[columns-1].Text = fmt.Sprint(records)
				if columns == 2 {
					trailer[0].Text, trailer[1].Text = word+fmt.Sprintf(": %d (%d)", records, month), "as stated"
				}
				s.rows = append(s.rows, trailer)
			}
			file := write(t, format, s, outform.Options{Exact: true})
			files := map[string][]byte{"as it is": file}
			if format == "csv" || format == "tsv" {
				files = encodings(t, string(file))
			}
			for _, encoded := range slices.Sorted(maps.Keys(files)) {
				choices := intake.Choices{}
				if month == 1 && encoded == "as it is" || encoded == "UTF-8" {
					choices = first
				}
				got, err := read(t, "x."+format, files[encoded], choices)
				if err != nil || len(got.rows) != want || len(got.rejects) > 0 || got.source.FooterLines() != int64(len(s.rows)-want) {
					t.Errorf("file %d, month %d, %s, %s: %d records, want %d; %d trailers, %d rejects, %v; it ends with %v", n, month, format, encoded, len(got.rows), want, got.source.FooterLines(), len(got.rejects), err, s.rows[len(s.rows)-1])
					continue
				}
				if with && month == 0 {
					first = intake.Choices{Footers: got.source.Settled().Footers} // as who takes the word that was found
				}
			}
		}
	}
	t.Log(months, "files")
}
