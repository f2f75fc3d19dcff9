package spreadsheet

import "io"

// mostSurveyed is how much of a workbook's sheets is unpacked, all together, to count their rows.
const mostSurveyed = 128 << 20

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

// rowsOf counts the rows of a sheet that have a cell with something in it, -1 where it is damaged.
func rowsOf(s sheetRef) (rows int64) {
	in, err := s.file.Open()
	if err != nil {
		return -1
	}
	defer in.Close()
	sheet := newTags(in)
	counted := false // the row that is passed over is among the rows
	for {
		switch name, err := sheet.next(); {
		case err == io.EOF:
			return rows
		case err != nil:
			return -1
		case string(name) == "row":
			counted = false
		case !counted && (string(name) == "v" || string(name) == "t"):
			rows++
			counted = true
		}
	}
}
