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

// AddCarried writes the records that the run carries in on side s, each batch in one transaction.
func (w *RunWriter) AddCarried(ctx context.Context, s tray.Side, carried *record.Batches) error {
	for n, b := range carried.List {
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

// Carried reads the records that a run carries in on side s, under the columns with the given names.
func (s *Store) Carried(ctx context.Context, run uint, side tray.Side, columns []string) (*record.Batches, error) {
	var chunks []CarriedChunk
	if err := s.reads.WithContext(ctx).Where("run_id = ? AND side = ?", run, side).Order(`batch, "column"`).Find(&chunks).Error; err != nil {
		return nil, err
	}
	carried := &record.Batches{Names: columns}
	for _, c := range chunks {
		if c.Column == runsColumn { // the least, so that it begins a batch
			carried.List = append(carried.List, &record.Batch{First: carried.Records()})
		}
		if len(carried.List) == 0 {
			return nil, fmt.Errorf("the records that run %d carries in begin without their runs", run)
		}
		b := carried.List[len(carried.List)-1]
		var err error
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
	return carried, nil
}
