package delimited

import (
	"strings"

	"twinsieve/core/record"
)

// Cells takes one line apart as the records of a text are. A line that is quoted in another way than records may be is cut at its delimiters.
func Cells(line string, delimiter byte, noQuotes bool) (cells []string) {
	if noQuotes || strings.IndexByte(line, '"') < 0 {
		return strings.Split(line, string(delimiter))
	}
	r := &Reader{opts: Options{NoQuotes: noQuotes}, delimiter: delimiter, ended: true}
	if found, used, _, reason, complete := r.parse([]byte(line)); complete && reason == "" && used == len(line) && len(found) <= record.MaxColumns {
		for _, cell := range found {
			cells = append(cells, string(cell))
		}
		return cells
	}
	for cell := range strings.SplitSeq(line, string(delimiter)) {
		cells = append(cells, strings.Trim(cell, `" `))
	}
	return cells
}
