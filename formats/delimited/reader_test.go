package delimited

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"testing/iotest"

	"twinsieve/core/record"
)

// readAll reads a whole text: its rows with their lines, its rejects, and the error that ended it.
func readAll(source io.Reader, opts Options) (columns []string, rows [][]string, lines []int64, rejects []record.Reject, err error) {
	opts.Reject = func(r record.Reject) { rejects = append(rejects, r) }
	r, err := NewReader(source, opts)
	if err != nil {
		return nil, nil, nil, rejects, err
	}
	for {
		b, err := r.Next()
		if err == io.EOF {
			return r.Columns(), rows, lines, rejects, nil
		}
		if err != nil {
			return r.Columns(), rows, lines, rejects, err
		}
		for i := range b.Records() {
			var row []string
			for _, c := range b.Columns {
				row = append(row, string([]byte(c.Value(i))))
			}
			rows = append(rows, row)
			lines = append(lines, b.Line(i))
		}
	}
}

// TestReader is one table of input, rows with the lines they start on, rejects, and error.
func TestReader(t *testing.T) {
	long := strings.Repeat("x", record.MaxRecordBytes+1)
	for name, c := range map[string]struct {
		in      string
		rows    string // cells joined by |, each row with the line it starts on
		rejects string
		err     string
	}{
		"plain":                  {in: "a,b\n1,2\n3,4\n", rows: "2:1|2 3:3|4"},
		"no final line end":      {in: "a,b\n1,2", rows: "2:1|2"},
		"carriage returns":       {in: "a,b\r\n1,2\r\n3,4\r", rows: "2:1|2 3:3|4"},
		"byte-order mark":        {in: "\xEF\xBB\xBFa,b\n1,2\n", rows: "2:1|2"},
		"quoted":                 {in: "a,b\n\"1,1\",\"say \"\"so\"\"\"\n", rows: "2:1,1|say \"so\""},
		"quoted line ends":       {in: "a,b\n\"1\n1\",\"2\r\n2\"\n3,4\n", rows: "2:1\n1|2\r\n2 5:3|4"},
		"empty lines":            {in: "\n\na,b\n\n1,2\n\r\n3,4\n\n", rows: "5:1|2 7:3|4"},
		"empty cells":            {in: "a,b\n,\n\"\",2\n", rows: "2:| 3:|2"},
		"spaces stay":            {in: "a,b\n 1 ,\t2\n", rows: "2: 1 |\t2"},
		"one column":             {in: "a\n1\n\n2\n", rows: "2:1 4:2"},
		"header only":            {in: "a,b\n"},
		"semicolons found":       {in: "a;b\n1,5;2\n", rows: "2:1,5|2"},
		"tabs found":             {in: "a\tb\n1,5\t2\n", rows: "2:1,5|2"},
		"pipes found":            {in: "a|b\n1\n2|3\n", rows: "3:2|3", rejects: "2: 1 cell where 2 columns are named"},
		"too few cells":          {in: "a,b\n1\n3,4\n", rows: "3:3|4", rejects: "2: 1 cell where 2 columns are named"},
		"too many cells":         {in: "a,b\n1,2,3\n3,4\n", rows: "3:3|4", rejects: "2: 3 cells where 2 columns are named"},
		"ragged after quotes":    {in: "a,b\n\"1\n\",2,3\n3,4\n", rows: "4:3|4", rejects: "2: 3 cells where 2 columns are named"},
		"bare quote":             {in: "a,b\n1\"1,2\n3,4\n", rows: "3:3|4", rejects: "2: a quote stands inside a cell that is not quoted"},
		"text after quote":       {in: "a,b\n\"1\"1,2\n3,4\n", rows: "3:3|4", rejects: "2: text follows a closing quote"},
		"unclosed quote":         {in: "a,b\n1,2\n\"3,4\n5,6\n", err: "line 3: a quote is opened here and never closed"},
		"empty file":             {in: "", err: "the file is empty"},
		"nothing but line ends":  {in: "\n\r\n\n", err: "the file is empty"},
		"binary":                 {in: "a,b\n1,2\n\x00\x01", err: "line 3: a NUL byte stands here"},
		"not UTF-8":              {in: "a,b\n1,2\nM\xfcller,4\n", err: "line 3: column \"a\" has bytes that are not UTF-8 (FC)"},
		"column twice":           {in: "a,b,a\n1,2,3\n", err: "line 1: columns 1 and 3 are both named \"a\""},
		"endless record":         {in: "a,b\n" + long, err: "line 2: a record of more than 16 MiB starts here"},
		"header not well formed": {in: "a,b\"\n1,2\n", err: "line 1: the line that names the columns is not well formed"},
	} {
		t.Run(name, func(t *testing.T) {
			for _, source := range []io.Reader{strings.NewReader(c.in), iotest.OneByteReader(strings.NewReader(c.in)), iotest.DataErrReader(strings.NewReader(c.in))} {
				if len(c.in) > 1<<20 {
					source = strings.NewReader(c.in)
				}
				_, rows, lines, rejects, err := readAll(source, Options{})
				var got, gotRejects []string
				for i, row := range rows {
					got = append(got, fmt.Sprintf("%d:%s", lines[i], strings.Join(row, "|")))
				}
				for _, r := range rejects {
					gotRejects = append(gotRejects, fmt.Sprintf("%d: %s", r.Line, r.Reason))
				}
				if c.err == "" && strings.Join(got, " ") != c.rows {
					t.Errorf("rows %q, want %q", got, c.rows)
				}
				if strings.Join(gotRejects, " ") != c.rejects {
					t.Errorf("rejects %q, want %q", gotRejects, c.rejects)
				}
				if (err == nil) != (c.err == "") || err != nil && !strings.HasPrefix(err.Error(), c.err) {
					t.Errorf("error %v, want %q", err, c.err)
				}
			}
		})
	}
}

// TestRejectKeepsText checks that a rejected line can be shown as it stands.
func TestRejectKeepsText(t *testing.T) {
	_, _, _, rejects, _ := readAll(strings.NewReader("a,b\n1,2,3\r\n\"x\ny\"z,2\n1,2\n"), Options{})
	if len(rejects) != 2 || rejects[0].Text != "1,2,3" || rejects[1].Text != "\"x\ny\"z,2" {
		t.Errorf("rejects %+v", rejects)
	}
}

// FuzzReader holds the reader against encoding/csv, row for row and fault for fault.
func FuzzReader(f *testing.F) {
	for _, seed := range []string{"a,b\n1,2\n", "a,b\n\"1\n\"\"1\",2\r\n", "a\n\"\"\n\n\"x\"y\nz\n", "a,b\n1\"\n\"", "a,b\r\n\"x\"\r\n", "a,b\n\"q\"\r", "\r\r\n,\n\r"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, in string) {
		if strings.ContainsRune(in, 0) || strings.HasPrefix(in, "\xEF\xBB\xBF") {
			return
		}
		againstCSV(t, in)
		if len(in) < 1000 { // long enough that plain lines are taken many at a time
			againstCSV(t, strings.Repeat(in, 1+300/(len(in)+1)))
		}
	})
}

// TestAgainstCSV does so for texts of plain lines with odd ones among them.
func TestAgainstCSV(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	pieces := []string{",", ",", ",", "\n", "\r\n", "a", "bc", "Quay 7", "MW-0001", "é", "\"", "\"\"", "\"x,y\"", "\r", strings.Repeat("long", 20)}
	for range 4000 {
		var text strings.Builder
		text.WriteString([]string{"a,b\n", "a\n", "a,b,c,d\n"}[r.IntN(3)])
		odd := 2 + r.IntN(9)
		for range r.IntN(150) {
			if r.IntN(odd) > 0 {
				text.WriteString([]string{"1,2\n", "1\n", "x,y,z,7\n", "quite a long cell here,short\r\n"}[r.IntN(4)])
			} else {
				text.WriteString(pieces[r.IntN(len(pieces))])
			}
		}
		againstCSV(t, text.String())
	}
}

func againstCSV(t *testing.T, in string) {
	t.Helper()
	columns, rows, lines, rejects, err := readAll(iotest.HalfReader(strings.NewReader(in)), Options{Delimiter: ','})
	if err != nil && !strings.Contains(err.Error(), "never closed") {
		return // refused for a reason that encoding/csv does not know
	}
	want := csv.NewReader(strings.NewReader(in))
	want.FieldsPerRecord = -1
	var wantRows [][]string
	var wantLines []int64
	faults := 0
	header := true
	var last error // of the last record
	for {
		row, wantErr := want.Read()
		if wantErr == io.EOF {
			break
		}
		if last = wantErr; wantErr != nil {
			if header {
				return
			}
			faults++
			continue
		}
		if header {
			header = false
			for i, name := range row {
				if name != columns[i] && name != "" && !strings.Contains(columns[i], "\r\n") {
					t.Fatalf("%q: column %q, want %q", in, columns[i], name)
				}
			}
			continue
		}
		line, _ := want.FieldPos(0)
		if len(row) != len(columns) {
			faults++
			continue
		}
		wantRows, wantLines = append(wantRows, row), append(wantLines, int64(line))
	}
	if err != nil {
		if !errors.Is(last, csv.ErrQuote) {
			t.Fatalf("%q: we find a quote never closed, encoding/csv ends with %v", in, last)
		}
		return
	}
	for _, row := range rows { // encoding/csv makes every line end within a cell one, once; we keep it as it came
		for i := range row {
			row[i] = strings.ReplaceAll(row[i], "\r\n", "\n")
		}
	}
	if !slices.EqualFunc(rows, wantRows, slices.Equal) || !slices.Equal(lines, wantLines) || len(rejects) != faults {
		t.Fatalf("%q:\n got %q lines %v, %d rejects\nwant %q lines %v, %d faults", in, rows, lines, len(rejects), wantRows, wantLines, faults)
	}
}
