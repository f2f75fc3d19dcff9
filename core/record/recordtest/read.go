// Package recordtest reads record sets for tests.
package recordtest

import (
	"io"
	"strings"

	"twinsieve/core/record"
)

// Read reads all records that a reader has left: each as its cells with | between them, a null as ∅, and its line.
func Read(r record.Reader) (rows []string, lines []int64, err error) {
	for {
		b, err := r.Next()
		if err == io.EOF {
			return rows, lines, nil
		}
		if err != nil {
			return rows, lines, err
		}
		for i := range b.Records() {
			var cells []string
			for _, c := range b.Cells(i) {
				if c.Null {
					c.Text = "∅"
				}
				cells = append(cells, c.Text)
			}
			rows, lines = append(rows, strings.Join(cells, "|")), append(lines, b.Line(i))
		}
	}
}
