package spreadsheet

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"twinsieve/core/record"
)

// area is a merged area of a sheet: people see one cell, and the file has its first cell alone. Rows are counted from 1, columns from 0,
// and the last of each belongs to the area.
type area struct {
	top, bottom int64
	left, right int
}

// areaOf reads where an area lies, such as A2:A5. It reports false where the text says no such thing.
func areaOf(ref string) (a area, ok bool) {
	first, last, ok := strings.Cut(ref, ":")
	if !ok {
		return a, false
	}
	var okFirst, okLast bool
	a.left, a.top, okFirst = placeOf(first)
	a.right, a.bottom, okLast = placeOf(last)
	return a, okFirst && okLast && a.left <= a.right && a.top <= a.bottom
}

// placeOf is the column, counted from 0, and the row, counted from 1, of a cell's name such as C7.
func placeOf(name string) (column int, row int64, ok bool) {
	column, ok = columnOf(name)
	row, err := strconv.ParseInt(strings.TrimLeft(name, "ABCDEFGHIJKLMNOPQRSTUVWXYZ"), 10, 64)
	return column, row, ok && err == nil && row > 0
}

// mostAreas is the most merged areas of a sheet that are held in memory.
const mostAreas = 1 << 20

// merges fills the cells of merged areas with what stands in the first of them, row by row from the top. The zero value fills none.
type merges struct {
	areas []area // those that no row has reached, by their top
	open  []openArea
}

// openArea is an area that the row being read lies in, with what its first cell holds.
type openArea struct {
	area
	text  []byte
	fault string
}

// readMerges reads the merged areas of a sheet, which stand behind all its cells.
func readMerges(sheet sheetRef) (*merges, error) {
	in, err := sheet.file.Open()
	if err != nil {
		return nil, damaged(sheet.file.Name, err)
	}
	defer in.Close()
	m := &merges{}
	all := newTags(&counted{in: in, sheet: sheet.name})
	for {
		name, err := all.next()
		if err == nil && string(name) == "mergeCell" {
			var ref string
			if ref, err = all.attribute("ref"); err == nil {
				if a, ok := areaOf(ref); ok {
					m.areas = append(m.areas, a)
				}
			}
		}
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, damaged(sheet.file.Name, err)
		}
		if len(m.areas) > mostAreas {
			return nil, &record.Unreadable{What: fmt.Sprintf("the sheet %q has more than %d merged areas; undo some, or read it without filling them", sheet.name, mostAreas)}
		}
	}
	slices.SortStableFunc(m.areas, func(a, b area) int { return int(a.top - b.top) })
	return m, nil
}

// fill fills the cells of the row just read that lie in merged areas. A row without a value stays one. Columns from which on nothing is
// read are not filled. The error is a [*record.Unreadable].
func (m *merges) fill(r *Reader, columns int) error {
	m.open = slices.DeleteFunc(m.open, func(a openArea) bool { return a.bottom < r.row })
	for len(m.areas) > 0 && m.areas[0].top <= r.row {
		a := openArea{area: m.areas[0]}
		m.areas = m.areas[1:]
		if at, ok := r.cellAt(a.left); ok && a.top == r.row {
			c := r.cells[at]
			a.text, a.fault = slices.Clone(r.text[c.start:c.end]), c.fault
		}
		if a.bottom >= r.row && (len(a.text) > 0 || a.fault != "") {
			m.open = append(m.open, a)
		}
	}
	if r.empty() {
		return nil
	}
	width, size := 0, len(r.text) // of all areas, and of the row with what they fill
	for _, a := range m.open {
		right := min(a.right, columns-1)
		if right < a.left {
			continue
		}
		if width += right - a.left + 1; width > record.MaxColumns {
			return &record.Unreadable{Line: r.row, What: "merged areas lie over one another here, which no spreadsheet makes; read it without filling them"}
		}
		start := len(r.text) // all cells of the area share the text
		r.text = append(r.text, a.text...)
		for column := a.left; column <= right; column++ {
			at, ok := r.cellAt(column)
			if !ok {
				r.cells = slices.Insert(r.cells, at, cell{column: column})
			}
			if c := &r.cells[at]; c.start == c.end && c.fault == "" {
				c.start, c.end, c.fault = start, len(r.text), a.fault
				size += len(a.text)
			}
		}
		if size > record.MaxRecordBytes {
			return &record.Unreadable{Line: r.row, What: "the row is longer than a record can be once its merged areas are filled"}
		}
	}
	return nil
}

// cellAt is where the cell of a column stands among the cells of the row being read, or where it would.
func (r *Reader) cellAt(column int) (int, bool) {
	return slices.BinarySearchFunc(r.cells, column, func(c cell, column int) int { return c.column - column })
}
