package spreadsheet_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"

	"twinsieve/core/record"
	"twinsieve/formats/spreadsheet"
)

// styles has a cell style for each format: 0 general, 1 a date, 2 date and time, 3 a time, 4 two decimals, 5 thousands and two
// decimals, 6 percent, 7 a long time, 8 an own date, 9 exponent, 10 text in quotes that looks like a date, 11 months, 12 currency,
// 13 and 14 clocks, 15 an era, 16 postcodes, 17 general, 18 zeros and decimals.
const styles = `<styleSheet><numFmts><numFmt numFmtId="164" formatCode="0.00"/><numFmt numFmtId="165" formatCode="[h]:mm:ss"/>
<numFmt numFmtId="166" formatCode="dd\.mm\.yyyy"/><numFmt numFmtId="167" formatCode="0.00E+00"/><numFmt numFmtId="168" formatCode="0&quot; days&quot;"/>
<numFmt numFmtId="169" formatCode="mmm yy"/><numFmt numFmtId="170" formatCode="#,##0.000\ [$kr-41D];[Red]-#,##0.000"/>
<numFmt numFmtId="171" formatCode="h:mm"/><numFmt numFmtId="172" formatCode="mm:ss.0"/><numFmt numFmtId="173" formatCode="[$-411]ge.m.d"/>
<numFmt numFmtId="174" formatCode="00000"/><numFmt numFmtId="175" formatCode="General&quot; EUR&quot;"/><numFmt numFmtId="176" formatCode="000.00;-000.00"/></numFmts>
<cellXfs><xf numFmtId="0"/><xf numFmtId="14"/><xf numFmtId="22"/><xf numFmtId="20"/><xf numFmtId="164"/><xf numFmtId="4"/><xf numFmtId="10"/>
<xf numFmtId="165"/><xf numFmtId="166"/><xf numFmtId="167"/><xf numFmtId="168"/><xf numFmtId="169"/><xf numFmtId="170"/>
<xf numFmtId="171"/><xf numFmtId="172"/><xf numFmtId="173"/><xf numFmtId="174"/><xf numFmtId="175"/><xf numFmtId="176"/></cellXfs></styleSheet>`

const texts = `<sst><si><t>call</t></si><si><r><t>MW</t></r><r><t xml:space="preserve">-1 </t></r><rPh><t>spoken</t></rPh></si><si><t>a_x000D_b_xZZZZ_&lt;</t></si><si/></sst>`

// workbook makes a workbook with a sheet "Log" of the given rows and an empty sheet "Notes".
func workbook(t *testing.T, properties, rows string) []byte {
	t.Helper()
	return workbookAs(t, properties, rows, strings.NewReplacer())
}

// workbookAs makes a workbook whose parts are written otherwise.
func workbookAs(t *testing.T, properties, rows string, otherwise *strings.Replacer) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for name, content := range map[string]string{
		"_rels/.rels": `<Relationships><Relationship Id="a" Type="http://x/officeDocument" Target="/xl/book.xml"/></Relationships>`,
		"xl/book.xml": `<workbook xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><workbookPr ` + properties + `/><sheets>
			<sheet name="Log" sheetId="1" r:id="r1"/><sheet name="Chart" sheetId="2" r:id="r2"/><sheet name="Notes" sheetId="3" r:id="r3"/></sheets></workbook>`,
		"xl/_rels/book.xml.rels": `<Relationships><Relationship Id="r1" Type="http://x/worksheet" Target="sheets/one.xml"/>
			<Relationship Id="r2" Type="http://x/chartsheet" Target="sheets/chart.xml"/><Relationship Id="r3" Type="http://x/worksheet" Target="/xl/sheets/two.xml"/></Relationships>`,
		"xl/sheets/one.xml":    `<worksheet><sheetData>` + rows + `</sheetData></worksheet>`,
		"xl/sheets/two.xml":    `<worksheet><sheetData/></worksheet>`,
		"xl/sharedStrings.xml": texts,
		"xl/styles.xml":        styles,
	} {
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := otherwise.WriteString(w, content); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

type sheet struct {
	columns, rows, rejects, footers string
	reader                          *spreadsheet.Reader
}

func read(t *testing.T, file []byte, opts spreadsheet.Options) (sheet, error) {
	t.Helper()
	var rows, rejects, footers []string
	opts.Reject = func(r record.Reject) { rejects = append(rejects, fmt.Sprint(r.Line, " ", r.Reason)) }
	opts.Footer = func(line int64, text string) { footers = append(footers, fmt.Sprint(line, " ", text)) }
	r, err := spreadsheet.NewReader(bytes.NewReader(file), int64(len(file)), opts)
	if err != nil {
		return sheet{}, err
	}
	defer r.Close()
	for {
		b, err := r.Next()
		if err == io.EOF {
			return sheet{strings.Join(r.Columns(), "|"), strings.Join(rows, " "), strings.Join(rejects, "; "), strings.Join(footers, "; "), r}, nil
		}
		if err != nil {
			return sheet{}, err
		}
		for i := range b.Records() {
			var cells []string
			for _, c := range b.Cells(i) {
				cells = append(cells, c.Text)
			}
			rows = append(rows, fmt.Sprintf("%d:%s", b.Line(i), strings.Join(cells, "|")))
		}
	}
}

// TestCells: a cell is the text that says what it means.
func TestCells(t *testing.T) {
	for name, c := range map[string]struct{ properties, cell, want string }{
		"a shared text":               {"", `<c t="s"><v>1</v></c>`, "MW-1 "},
		"characters that XML lacks":   {"", `<c t="s"><v>2</v></c>`, "a\rb_xZZZZ_<"},
		"an empty shared text":        {"", `<c t="s"><v>3</v></c><c><v>1</v></c>`, ""},
		"an inline text":              {"", `<c t="inlineStr"><is><r><t>a</t></r><r><t>&amp;b</t></r></is></c>`, "a&b"},
		"a formula's text":            {"", `<c t="str"><f>A1&amp;"x"</f><v>ax</v></c>`, "ax"},
		"a formula's number":          {"", `<c><f>1+1</f><v>2</v></c>`, "2"},
		"true":                        {"", `<c t="b"><v>1</v></c>`, "true"},
		"false":                       {"", `<c t="b"><v>0</v></c>`, "false"},
		"an error":                    {"", `<c t="e"><v>#N/A</v></c>`, "#N/A"},
		"an ISO date":                 {"", `<c t="d"><v>2031-03-04T00:00:00</v></c>`, "2031-03-04"},
		"an ISO date and time":        {"", `<c t="d"><v>2031-03-04T10:30:00</v></c>`, "2031-03-04T10:30:00"},
		"an integer":                  {"", `<c><v>42</v></c>`, "42"},
		"an exact long integer":       {"", `<c><v>12345678901234567890</v></c>`, "12345678901234567890"},
		"noise of a binary fraction":  {"", `<c><v>0.30000000000000004</v></c>`, "0.3"},
		"noise below":                 {"", `<c><v>2313.7499999999995</v></c>`, "2313.75"},
		"fifteen digits":              {"", `<c><v>123456789.123456</v></c>`, "123456789.123456"},
		"an exponent":                 {"", `<c><v>1.5E-7</v></c>`, "0.00000015"},
		"a large exponent":            {"", `<c><v>1E+20</v></c>`, "100000000000000000000"},
		"two decimals shown":          {"", `<c s="4"><v>12.5</v></c>`, "12.50"},
		"two decimals, integer":       {"", `<c s="4"><v>12</v></c>`, "12.00"},
		"more than are shown":         {"", `<c s="4"><v>12.3456</v></c>`, "12.3456"},
		"thousands are not written":   {"", `<c s="5"><v>1234.5</v></c>`, "1234.50"},
		"currency, by its first part": {"", `<c s="12"><v>-7.5</v></c>`, "-7.500"},
		"percent is the number":       {"", `<c s="6"><v>0.125</v></c>`, "0.125"},
		"scientific is plain":         {"", `<c s="9"><v>1500</v></c>`, "1500"},
		"words in quotes are no date": {"", `<c s="10"><v>3</v></c>`, "3"},
		"a style that there is not":   {"", `<c s="99"><v>3</v></c>`, "3"},
		"a date":                      {"", `<c s="1"><v>47911</v></c>`, "2031-03-04"},
		"an own date":                 {"", `<c s="8"><v>47911</v></c>`, "2031-03-04"},
		"months are dates":            {"", `<c s="11"><v>47911</v></c>`, "2031-03-04"},
		"a date with a time":          {"", `<c s="2"><v>47911.4375</v></c>`, "2031-03-04T10:30:00"},
		"noise of a time":             {"", `<c s="2"><v>47911.437500000001</v></c>`, "2031-03-04T10:30:00"},
		"milliseconds":                {"", `<c s="2"><v>47911.43750072917</v></c>`, "2031-03-04T10:30:00.063"},
		"a time":                      {"", `<c s="3"><v>0.4375</v></c>`, "10:30:00"},
		"more than a day":             {"", `<c s="7"><v>1.5</v></c>`, "36:00:00"},
		"days before March 1900":      {"", `<c s="1"><v>1</v></c>`, "1900-01-01"},
		"the day that there was not":  {"", `<c s="1"><v>60</v></c>`, "1900-02-29"},
		"the day after it":            {"", `<c s="1"><v>61</v></c>`, "1900-03-01"},
		"days from 1904":              {`date1904="1"`, `<c s="1"><v>46449</v></c>`, "2031-03-04"},
		"a cell without anything":     {"", `<c s="4"/><c><v>1</v></c>`, ""},
		"no escape":                   {"", `<c t="inlineStr"><is><t>pos_x10mm_y _x  41_ _x00g1_ _x-041_ _xD83D_ _xDE00__xD83D_ _x005F_x0041_</t></is></c>`, "pos_x10mm_y _x  41_ _x00g1_ _x-041_ _xD83D_ _xDE00__xD83D_ _x0041_"},
		"a pair of escapes":           {"", `<c t="inlineStr"><is><t>_xD83D__xDE00_</t></is></c>`, "\U0001F600"},
		"an escape of a formula":      {"", `<c t="str"><f>A1</f><v>a_x000D_b</v></c>`, "a\rb"},
		"an inline escape, once":      {"", `<c t="inlineStr"><is><t>_x005F_x000D_</t></is></c>`, "_x000D_"},
		"a formula of no text":        {"", `<c t="str"><f>""</f><v></v></c><c><v>1</v></c>`, ""},
		"a time of a day":             {"", `<c s="13"><v>45366.75</v></c>`, "2024-03-15T18:00:00"},
		"a time of a day, in parts":   {"", `<c s="14"><v>45366.00000142361</v></c>`, "2024-03-15T00:00:00.123"},
		"a time without a day":        {"", `<c s="13"><v>0.75</v></c>`, "18:00:00"},
		"an era":                      {"", `<c s="15"><v>45366</v></c>`, "2024-03-15"},
		"a postcode":                  {"", `<c s="16"><v>501</v></c>`, "00501"},
		"a longer one":                {"", `<c s="16"><v>123456</v></c>`, "123456"},
		"a negative one":              {"", `<c s="18"><v>-1.5</v></c>`, "-001.50"},
		"general, and a word":         {"", `<c s="17"><v>1.5</v></c>`, "1.5"},
		"a name with a prefix":        {"", `<x:c xmlns:x="y" t="str"><x:v>a</x:v></x:c>`, "a"},
	} {
		got, err := read(t, workbook(t, c.properties, `<row><c t="s"><v>0</v></c><c t="str"><v>n</v></c></row><row>`+c.cell+`</row>`), spreadsheet.Options{})
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		cell, _, _ := strings.Cut(strings.TrimPrefix(got.rows, "2:"), "|")
		if cell != c.want || got.rejects != "" {
			t.Errorf("%s: %q, rejects %q; want %q", name, cell, got.rejects, c.want)
		}
	}
}

// TestFirstSheet: a hidden sheet is not read where nobody names it, and the strict form of the format is read like the other.
func TestFirstSheet(t *testing.T) {
	const rows = `<row><c t="str"><v>a</v></c></row><row><c t="str"><v>b</v></c></row>`
	hide := strings.NewReplacer(`name="Log"`, `name="Log" state="veryHidden"`, `<worksheet><sheetData/>`, `<worksheet><sheetData><row><c t="str"><v>n</v></c></row><row><c t="str"><v>m</v></c></row></sheetData>`)
	if got, err := read(t, workbookAs(t, "", rows, hide), spreadsheet.Options{}); err != nil || got.columns != "n" || got.rows != "2:m" || fmt.Sprint(got.reader.Hidden()) != "[true false]" {
		t.Errorf("a hidden sheet: %+v, %v", got, err)
	}
	if got, err := read(t, workbookAs(t, "", rows, hide), spreadsheet.Options{Sheet: "Log"}); err != nil || got.columns != "a" {
		t.Errorf("a hidden sheet that is named: %+v, %v", got, err)
	}
	all := strings.NewReplacer(`name="Log"`, `name="Log" state="hidden"`, `name="Notes"`, `name="Notes" state="hidden"`)
	if got, err := read(t, workbookAs(t, "", rows, all), spreadsheet.Options{}); err != nil || got.columns != "a" {
		t.Errorf("all sheets are hidden: %+v, %v", got, err)
	}
	strict := strings.NewReplacer("http://schemas.openxmlformats.org/officeDocument/2006/relationships", "http://purl.oclc.org/ooxml/officeDocument/relationships")
	if got, err := read(t, workbookAs(t, "", rows, strict), spreadsheet.Options{}); err != nil || got.columns != "a" || got.rows != "2:b" {
		t.Errorf("the strict form: %+v, %v", got, err)
	}
}

// TestSheet is one table of sheets, their columns, records, rejects, footers and errors.
func TestSheet(t *testing.T) {
	row := func(cells ...string) string {
		out := "<row>"
		for _, c := range cells {
			if out += `<c t="inlineStr"><is><t>` + c + `</t></is></c>`; c == "" {
				out = strings.TrimSuffix(out, `<c t="inlineStr"><is><t></t></is></c>`) + "<c/>"
			}
		}
		return out + "</row>"
	}
	head := row("a", "b")
	for name, c := range map[string]struct {
		rows string
		opts spreadsheet.Options
		want sheet
		err  string
	}{
		"plain":                     {rows: head + row("1", "2"), want: sheet{columns: "a|b", rows: "2:1|2"}},
		"rows with numbers":         {rows: `<row r="3"><c r="B3" t="str"><v>a</v></c><c r="D3" t="str"><v>c</v></c></row><row r="7"><c r="D7"><v>1</v></c></row>`, want: sheet{columns: "a|column 2|c", rows: "7:||1"}},
		"empty rows":                {rows: row("") + row("", "") + head + row("", "") + row("1"), want: sheet{columns: "a|b", rows: "5:1|"}},
		"columns begin later":       {rows: row("", "a", "b", "") + row("", "1", "2"), want: sheet{columns: "a|b", rows: "2:1|2"}},
		"header stated":             {rows: row("Marrowick") + row("") + head + row("1", "2"), opts: spreadsheet.Options{HeaderRow: 3}, want: sheet{columns: "a|b", rows: "4:1|2"}},
		"header stated, empty":      {rows: row("") + head, opts: spreadsheet.Options{HeaderRow: 1}, err: `row 1 of the sheet "Log" is empty and names no columns`},
		"no header":                 {rows: row("1", "2") + row("3"), opts: spreadsheet.Options{NoHeader: true}, want: sheet{columns: "column 1|column 2", rows: "1:1|2 2:3|"}},
		"beyond the columns":        {rows: head + row("1", "2", "3") + row("4"), want: sheet{columns: "a|b", rows: "3:4|", rejects: "2 cell C2: it stands outside the named columns"}},
		"empty beyond the columns":  {rows: head + row("1", "2", ""), want: sheet{columns: "a|b", rows: "2:1|2"}},
		"far beyond":                {rows: head + `<row r="2"><c r="AAB2"><v>1</v></c></row>`, want: sheet{columns: "a|b", rejects: "2 cell AAB2: it stands outside the named columns"}},
		"a formula not reckoned":    {rows: head + `<row><c><f>A1</f></c></row>` + row("1"), want: sheet{columns: "a|b", rows: "3:1|", rejects: "2 cell A2: its formula has not been reckoned; open the workbook and save it again"}},
		"a text that is not there":  {rows: head + `<row><c t="s"><v>9</v></c></row>`, want: sheet{columns: "a|b", rejects: "2 cell A2: it refers to a text that the workbook does not have"}},
		"no number":                 {rows: head + `<row><c s="1"><v>x</v></c></row>`, want: sheet{columns: "a|b", rejects: `2 cell A2: "x" is no number`}},
		"no date":                   {rows: head + `<row><c s="1"><v>-1</v></c></row><row><c s="1"><v>2958466</v></c></row>`, want: sheet{columns: "a|b", rejects: "2 cell A2: -1 days are no date; 3 cell A3: 2.958466e+06 days are no date"}},
		"a formula without a value": {rows: head + row("1", "2") + `<row><c><f>1+1</f><v></v></c><c><v>2</v></c></row>`, want: sheet{columns: "a|b", rows: "2:1|2", rejects: "3 cell A3: its formula has not been reckoned; open the workbook and save it again"}},
		"a footer":                  {rows: head + row("1", "2") + row("TOTAL", "1"), opts: spreadsheet.Options{Footers: []string{"TOTAL"}}, want: sheet{columns: "a|b", rows: "2:1|2", footers: "3 TOTAL\t1"}},
		"two columns of one name":   {rows: row("a", "b", "a"), err: `row 1 of the sheet "Log": columns 1 and 3 are both named "a"; give each column a name of its own`},
		"cells out of order":        {rows: head + `<row r="2"><c r="B2"/><c r="A2"/></row>`, err: "the workbook is damaged: xl/sheets/one.xml cannot be read: the cells of row 2 are out of order"},
		"a header's formula":        {rows: `<row><c><f>A1</f></c></row>`, err: "cell A1: its formula has not been reckoned"},
		"too many columns":          {rows: `<row><c r="A1" t="str"><v>a</v></c><c r="ZZZ1" t="str"><v>b</v></c></row>`, err: "line 1: 18278 columns stand here; a record set has at most 16384"},
		"another sheet, empty":      {opts: spreadsheet.Options{Sheet: "Notes"}, err: `the sheet "Notes" is empty`},
		"a chart is no sheet":       {opts: spreadsheet.Options{Sheet: "Chart"}, err: `the workbook has no sheet "Chart"; it has "Log", "Notes"`},
	} {
		got, err := read(t, workbook(t, "", c.rows), c.opts)
		if c.err != "" {
			if err == nil || !strings.HasPrefix(err.Error(), c.err) {
				t.Errorf("%s: error %v, want %s", name, err, c.err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if r := got.reader; fmt.Sprint(r.Sheets(), " ", r.Sheet()) != "[Log Notes] Log" || r.Bytes() == 0 {
			t.Errorf("%s: sheets %v, %s; %d bytes", name, r.Sheets(), r.Sheet(), r.Bytes())
		}
		got.reader = nil
		if got != c.want {
			t.Errorf("%s: %+v, want %+v", name, got, c.want)
		}
	}
}
