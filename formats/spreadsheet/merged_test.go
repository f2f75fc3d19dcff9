package spreadsheet_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"twinsieve/formats/spreadsheet"
)

// grid is a sheet as people fill it: cells by row and column, with merged areas of which the file has the first cell alone.
type grid struct {
	cells [][]string
	areas [][4]int // top, left, bottom, right; counted from 0
}

// xml writes the grid as a sheet. What stands in an area but not in its first cell is not written.
func (g grid) xml() string {
	var out strings.Builder
	for y, row := range g.cells {
		fmt.Fprintf(&out, `<row r="%d">`, y+1)
		for x, text := range row {
			switch {
			case text != "" && g.holder(y, x) == [2]int{y, x}:
				fmt.Fprintf(&out, `<c r="%c%d" t="str"><v>%s</v></c>`, 'A'+x, y+1, text)
			case g.holder(y, x) != [2]int{y, x} && (x+y)%2 == 0: // cells with a border and nothing in them
				fmt.Fprintf(&out, `<c r="%c%d" s="4"/>`, 'A'+x, y+1)
			}
		}
		out.WriteString("</row>")
	}
	out.WriteString("</sheetData><mergeCells>")
	for _, a := range g.areas {
		fmt.Fprintf(&out, `<mergeCell ref="%c%d:%c%d"/>`, 'A'+a[1], a[0]+1, 'A'+a[3], a[2]+1)
	}
	out.WriteString("</mergeCells><sheetData>")
	return out.String()
}

// holder is the cell whose text a cell shows.
func (g grid) holder(y, x int) [2]int {
	for _, a := range g.areas {
		if y >= a[0] && y <= a[2] && x >= a[1] && x <= a[3] {
			return [2]int{a[0], a[1]}
		}
	}
	return [2]int{y, x}
}

// want is what is read of the grid, below names in the first row.
func (g grid) want(fill bool) string {
	var rows []string
	for y := 1; y < len(g.cells); y++ {
		var cells []string
		own := false // a cell of the row has a text of its own
		for x := range g.cells[0] {
			text, at := g.cells[y][x], g.holder(y, x)
			if at != [2]int{y, x} {
				if text = ""; fill {
					text = g.cells[at[0]][at[1]]
				}
			} else if text != "" {
				own = true
			}
			cells = append(cells, text)
		}
		if own {
			rows = append(rows, fmt.Sprintf("%d:%s", y+1, strings.Join(cells, "|")))
		}
	}
	return strings.Join(rows, " ")
}

// TestMerged reads random sheets with merged areas, blank and filled, and holds them against the grid that they were made from.
func TestMerged(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 1))
	for n := range 500 {
		g := grid{cells: make([][]string, 3+random.IntN(12))}
		width := 2 + random.IntN(6)
		for y := range g.cells {
			for x := range width {
				text := fmt.Sprintf("c%d.%d", y, x)
				if y > 0 && random.IntN(4) == 0 {
					text = ""
				}
				g.cells[y] = append(g.cells[y], text)
			}
		}
		below := int64(0)
		for range random.IntN(6) {
			a := [4]int{1 + random.IntN(len(g.cells)-1), random.IntN(width), 0, 0}
			a[2], a[3] = a[0]+random.IntN(4), a[1]+random.IntN(3)
			if a[2] >= len(g.cells) || a[3] >= width || a[0] == a[2] && a[1] == a[3] || slices.ContainsFunc(g.areas, func(b [4]int) bool {
				return a[0] <= b[2] && b[0] <= a[2] && a[1] <= b[3] && b[1] <= a[3]
			}) {
				continue
			}
			g.areas, below = append(g.areas, a), below+1
		}
		file := workbook(t, "", g.xml())
		for _, fill := range []bool{false, true} {
			got, err := read(t, file, spreadsheet.Options{Fill: fill})
			if err != nil {
				t.Fatal(err)
			}
			if got.rows != g.want(fill) || got.rejects != "" {
				t.Fatalf("sheet %d, filled %v, areas %v:\n%s\nwant\n%s\nrejects %s", n, fill, g.areas, got.rows, g.want(fill), got.rejects)
			}
			if m := got.reader.Merged(); !fill && m != below || fill && m != 0 {
				t.Errorf("sheet %d, filled %v: %d merged areas, want %d", n, fill, m, below)
			}
		}
	}
}

// TestHeaderRows: rows that name the columns together, with merged areas in them, below a title that is merged, too.
func TestHeaderRows(t *testing.T) {
	g := grid{cells: [][]string{
		{"Port of Marrowick", "", "", "", ""},
		{"Office", "2031", "", "", "Note"},
		{"", "booked", "paid", "open", ""},
		{"North", "1", "2", "3", "x"},
		{"", "4", "5", "6", ""},
	}, areas: [][4]int{{0, 0, 0, 4}, {1, 0, 2, 0}, {1, 1, 1, 3}, {1, 4, 2, 4}, {3, 0, 4, 0}}}
	file := workbook(t, "", g.xml())
	const columns = "Office|2031 booked|2031 paid|2031 open|Note"
	for _, c := range []struct {
		opts spreadsheet.Options
		want string
	}{
		{spreadsheet.Options{HeaderRow: 2, Headers: 2}, columns + " 4:North|1|2|3|x 5:|4|5|6|"},
		{spreadsheet.Options{HeaderRow: 2, Headers: 2, Fill: true}, columns + " 4:North|1|2|3|x 5:North|4|5|6|"},
	} {
		got, err := read(t, file, c.opts)
		if err != nil {
			t.Fatal(err)
		}
		if all := strings.TrimSpace(got.columns + " " + got.rows); all != c.want || got.rejects != "" {
			t.Errorf("%+v: %s, rejects %s; want %s", c.opts, all, got.rejects, c.want)
		}
	}
	if _, err := read(t, file, spreadsheet.Options{HeaderRow: 2, Headers: 9}); err == nil || err.Error() != `row 6 of the sheet "Log" is empty and names no columns; fewer rows name them, or others` {
		t.Errorf("nine rows of names: %v", err)
	}
	if _, err := read(t, workbook(t, "", `<row><c/><c t="str"><v>a</v></c></row><row><c t="str"><v>b</v></c></row>`), spreadsheet.Options{Headers: 2}); err == nil ||
		err.Error() != "cell A2: it stands left of the first column that the rows above name" {
		t.Errorf("a name left of the first: %v", err)
	}
}

// TestSheetRows counts the rows with something in them of every sheet.
func TestSheetRows(t *testing.T) {
	got, err := read(t, workbook(t, "", `<row><c t="str"><v>a</v></c></row><row><c s="4"/></row><row r="9"><c t="inlineStr"><is><t>b</t></is></c><c><v>1</v></c></row>`), spreadsheet.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if rows := got.reader.Rows(); !slices.Equal(rows, []int64{2, 0}) {
		t.Errorf("rows of the sheets: %v", rows)
	}
}

// TestTags: rows and merged areas are found however a sheet is written, and not in comments or marked texts.
func TestTags(t *testing.T) {
	rows := `<x:row xmlns:x="y" r='1'><x:c t="str"><x:v>a</x:v></x:c><x:c t="str"><x:v>b</x:v></x:c></x:row><!-- <row><c><v>1</v></c></row> Säter - > -->` +
		`<row><c t="str"><v><![CDATA[<row><v>]] >]]></v></c></row><row/><row><c/></row>` +
		"<row\n r=\"9\"><c t='str'><v>" + strings.Repeat("z", 200_000) + `</v></c><c/></row>`
	for _, merge := range []string{`<mergeCell ref="A9:B9"/>`, `<mergeCell a="1" ref='A9:B9'></mergeCell>`, `<x:mergeCell xmlns:x="y" ref="A9:B9" />`, "<mergeCell\tref=\"A9:B9\"\n/>"} {
		file := workbook(t, "", rows+`</sheetData><mergeCells count="1"><!--<mergeCell ref="A1:B2"/>-->`+merge+`</mergeCells><sheetData>`)
		got, err := read(t, file, spreadsheet.Options{Fill: true})
		if err != nil {
			t.Fatalf("%s: %v", merge, err)
		}
		if all := got.reader.Rows(); all[0] != 3 {
			t.Errorf("%s: %v rows", merge, all)
		}
		if want := strings.Repeat("z", 200_000); got.columns != "a|b" || got.rows != "2:<row><v>]] >| 9:"+want+"|"+want {
			t.Errorf("%s: %s, %.60s", merge, got.columns, got.rows)
		}
	}
}

// TestBadMerges: areas that no spreadsheet makes are refused before they cost much, and so is a row that filling makes longer than a record.
func TestBadMerges(t *testing.T) {
	wide := `<row r="1"><c r="A1" t="str"><v>a</v></c><c r="XFD1" t="str"><v>z</v></c></row><row r="2"><c r="A2" t="str"><v>` + strings.Repeat("y", 20_000) + `</v></c></row>`
	for want, merges := range map[string]string{
		"line 2: merged areas lie over one another here": strings.Repeat(`<mergeCell ref="A2:XFD2"/>`, 5000),
		"line 2: the row is longer than a record can be": `<mergeCell ref="A2:XFD2"/>`,
	} {
		rows := wide
		if strings.Contains(want, "over one another") {
			rows = strings.ReplaceAll(wide, strings.Repeat("y", 20_000), "y")
		}
		if _, err := read(t, workbook(t, "", rows+`</sheetData><mergeCells>`+merges+`</mergeCells><sheetData>`), spreadsheet.Options{Fill: true}); err == nil || !strings.HasPrefix(err.Error(), want) {
			t.Errorf("error %v, want %s", err, want)
		}
	}
}
