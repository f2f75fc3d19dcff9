package spreadsheet

import (
	"encoding/xml"
	"io"
)

// mostSurveyed is how much of a workbook's sheets is unpacked, all together, to count their rows.
const mostSurveyed = 64 << 20

// Rows counts the rows with cells of every sheet, in their order, so that people see which of them holds the records. A sheet that is
// damaged, or that so much would have to be unpacked for that it takes long, has -1.
func (r *Reader) Rows() []int64 {
	rows := make([]int64, len(r.book.sheets))
	left := uint64(mostSurveyed)
	for i, s := range r.book.sheets {
		rows[i] = -1
		if size := s.file.UncompressedSize64; size <= left {
			left -= size
			rows[i] = rowsOf(s)
		}
	}
	return rows
}

// rowsOf counts the rows of a sheet that have a cell, -1 where it is damaged.
func rowsOf(s sheetRef) (rows int64) {
	in, err := s.file.Open()
	if err != nil {
		return -1
	}
	defer in.Close()
	marks := newMarks(in)
	counted := false // the row being read is among the rows
	for {
		token, err := marks.next()
		if err == io.EOF {
			return rows
		}
		if err != nil {
			return -1
		}
		if start, ok := token.(xml.StartElement); ok {
			switch start.Name.Local {
			case "row":
				counted = false
			case "v", "t":
				if !counted {
					rows++
					counted = true
				}
			}
		}
	}
}
