package again

import (
	"context"

	"github.com/apache/arrow-go/v18/arrow/array"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Fates says of exceptions that were not recognised what has become of them: [Cleared] where a record of one of their sides
// with their key is there and matched, else [Absent]. It reads the key columns of both tables once, and nothing where none has a key.
func Fates(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, lost []Mark) ([]Change, error) {
	fates := make([]Change, len(lost))
	for i := range fates {
		fates[i] = Absent
	}
	keys := match.NewKeys(plan)
	for _, s := range tray.Sides {
		wanted := map[string][]int{}
		for i := range lost {
			if side := lost[i].Sides[s]; side.Here && side.Key != "" {
				wanted[side.Key] = append(wanted[side.Key], i)
			}
		}
		if len(wanted) == 0 {
			continue
		}
		columns := make([]*array.String, len(plan.Key))
		texts := make([]string, len(plan.Key))
		starts := tables[s].Starts()
		for b, first := range starts {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			for p, k := range plan.Key {
				var err error
				if columns[p], err = record.ColumnOf(ctx, tables[s], b, k.Column[s]); err != nil {
					return nil, err
				}
			}
			for i := range columns[0].Len() {
				if index.Sides[s].Trays[first+int64(i)] != tray.Matched {
					continue
				}
				for p, col := range columns {
					if texts[p] = ""; col.IsValid(i) {
						texts[p] = col.Value(i)
					}
				}
				key, ok := keys.Of(s, texts)
				if !ok {
					continue // paired by hand, without a key
				}
				for _, at := range wanted[string(key)] {
					fates[at] = Cleared
				}
			}
		}
	}
	return fates, nil
}
