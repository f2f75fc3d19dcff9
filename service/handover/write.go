package handover

import (
	"context"
	"slices"

	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/formats/outform"
)

// part is how many entries are read and written at a time.
const part = 4_000

// Rejects visits entries of rejects, some at a time.
type Rejects func(visit func([]exception.Entry) error) error

// Write writes the entries at places in any format, one part of the list after the other, and rejects behind them.
func (l *Layout) Write(ctx context.Context, out outform.Writer, index *match.Index, near *Records, places []exception.Place, rejects Rejects) error {
	err := l.EachRow(ctx, index, near, places, rejects, out.Write)
	if err != nil {
		return err
	}
	return out.Close()
}

// EachRow visits the rows of the entries at places, one part of the list after the other, and those of rejects behind them. A row is valid
// until the next.
func (l *Layout) EachRow(ctx context.Context, index *match.Index, near *Records, places []exception.Place, rejects Rejects, visit func(row []record.Cell) error) error {
	var memory *Memory
	rows := func(entries []exception.Entry) (err error) {
		for i := range entries {
			if memory, err = l.CellRows(&entries[i], memory, visit); err != nil {
				return err
			}
		}
		return nil
	}
	reader := exception.NewReader(l.plan, index, near.tables)
	done := int64(0)
	for some := range slices.Chunk(places, part) {
		done += int64(len(some))
		near.progress(done, int64(len(places)))
		entries, err := reader.Read(ctx, some)
		if err != nil {
			return err
		}
		if err := rows(entries); err != nil {
			return err
		}
	}
	return rejects(rows)
}
