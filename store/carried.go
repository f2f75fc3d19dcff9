package store

import (
	"context"
	"fmt"

	"github.com/apache/arrow-go/v18/arrow/array"
	"gorm.io/gorm"

	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// CarriedChunk is one column of a batch of the records that a run carries in, or, with Column [linesColumn] or [runsColumn], the records' source
// lines, or the numbers of the runs that they are carried from.
type CarriedChunk struct {
	RunID  uint `gorm:"primaryKey;autoIncrement:false"`
	Side   int  `gorm:"primaryKey;autoIncrement:false"`
	Batch  int  `gorm:"primaryKey;autoIncrement:false"`
	Column int  `gorm:"primaryKey;autoIncrement:false"`
	Blob   []byte
}

// runsColumn is the column number under which the runs are kept that a batch's records are carried from.
const runsColumn = -2

// AddCarried writes batches of records that the run carries in on side s, each in one transaction.
func (w *RunWriter) AddCarried(ctx context.Context, s tray.Side, batches []*record.Batch) error {
	for n, b := range batches {
		chunk := func(column int, blob []byte) CarriedChunk { return CarriedChunk{w.run.ID, int(s), n, column, blob} }
		lines, err := record.EncodeLines(b.Lines)
		if err != nil {
			return err
		}
		runs, err := record.EncodeLines(b.Carried)
		if err != nil {
			return err
		}
		chunks := []CarriedChunk{chunk(linesColumn, lines), chunk(runsColumn, runs)}
		for c, col := range b.Columns {
			blob, err := record.EncodeColumn(col)
			if err != nil {
				return err
			}
			chunks = append(chunks, chunk(c, blob))
		}
		if err := w.store.write(ctx, bulk, func(tx *gorm.DB) error { return tx.CreateInBatches(chunks, 200).Error }); err != nil {
			return err
		}
	}
	return nil
}

// Carried reads the batches of records that a run carries in on side s.
func (s *Store) Carried(ctx context.Context, run uint, side tray.Side) (batches []*record.Batch, err error) {
	var chunks []CarriedChunk
	if err = s.reads.WithContext(ctx).Where("run_id = ? AND side = ?", run, side).Order(`batch, "column"`).Find(&chunks).Error; err != nil {
		return nil, err
	}
	first := int64(0)
	for _, c := range chunks {
		if c.Column == runsColumn { // the least, so that it begins a batch
			if n := len(batches); n > 0 {
				first += int64(batches[n-1].Records())
			}
			batches = append(batches, &record.Batch{First: first})
		}
		if len(batches) == 0 {
			return nil, fmt.Errorf("the records that run %d carries in begin without their runs", run)
		}
		b := batches[len(batches)-1]
		switch c.Column {
		case runsColumn:
			b.Carried, err = record.DecodeLines(c.Blob)
		case linesColumn:
			b.Lines, err = record.DecodeLines(c.Blob)
		default:
			var col *array.String
			col, err = record.DecodeColumn(c.Blob)
			b.Columns = append(b.Columns, col)
		}
		if err != nil {
			return nil, err
		}
	}
	return batches, nil
}
