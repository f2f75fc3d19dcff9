package again

import (
	"context"

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
		trays := index.Sides[s].Trays
		matched := func(row int64) bool { return trays[row] == tray.Matched }
		err := eachKey(ctx, plan, keys, s, tables[s], matched, func(_ place, key []byte, keyed bool) error {
			if keyed { // else it was paired by hand
				for _, at := range wanted[string(key)] {
					fates[at] = Cleared
				}
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	return fates, nil
}
