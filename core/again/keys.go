package again

import (
	"context"

	"github.com/apache/arrow-go/v18/arrow/array"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// keyTexts are the texts of the key of a record of side s, whose cells stand under the plan's columns.
func keyTexts(plan *sieve.Plan, s tray.Side, cells []record.Cell) []string {
	texts := make([]string, len(plan.Key))
	for p, k := range plan.Key {
		texts[p] = cells[k.Column[s]].Content()
	}
	return texts
}

// place is where a record stands in a table: its number, its batch, and where in that.
type place struct {
	row   int64
	batch int
	at    int
}

// oneBatch reads records of a table whole, one batch after the other.
type oneBatch struct {
	table record.Table
	at    int
	batch *record.Batch
}

// cells are those of the record at a place.
func (o *oneBatch) cells(ctx context.Context, p place) (_ []record.Cell, err error) {
	if p.batch != o.at {
		if o.batch, err = o.table.Batch(ctx, p.batch); err != nil {
			return nil, err
		}
		o.at = p.batch
	}
	return o.batch.Cells(p.at), nil
}

// eachKey visits the records of a table of side s with their keys as an index of the plan knows them; keyed is false where a record has none. It
// reads the columns of the key once. Records that are not wanted are passed over before their keys are read; a nil wanted wants all.
func eachKey(ctx context.Context, plan *sieve.Plan, keys *match.Keys, s tray.Side, t record.Table, wanted func(row int64) bool, visit func(p place, key []byte, keyed bool) error) error {
	columns := make([]*array.String, len(plan.Key))
	texts := make([]string, len(plan.Key))
	for b, first := range t.Starts() {
		if err := ctx.Err(); err != nil {
			return err
		}
		for p, k := range plan.Key {
			var err error
			if columns[p], err = record.ColumnOf(ctx, t, b, k.Column[s]); err != nil {
				return err
			}
		}
		for i := range columns[0].Len() {
			here := place{first + int64(i), b, i}
			if wanted != nil && !wanted(here.row) {
				continue
			}
			for p, col := range columns {
				if texts[p] = ""; col.IsValid(i) {
					texts[p] = col.Value(i)
				}
			}
			key, keyed := keys.Of(s, texts)
			if err := visit(here, key, keyed); err != nil {
				return err
			}
		}
	}
	return nil
}
