package match

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Repeated lists the keys that more than one record of a side carries, the one that takes part in most pairs first, at most so
// many: after pairs, by records, then by first appearance. all is how many there are.
func Repeated(ctx context.Context, plan *sieve.Plan, index *Index, tables [2]record.Table, most int) (list []RepeatedKey, all int64, err error) {
	keys := 0
	for _, s := range tray.Sides {
		for _, k := range index.Sides[s].Keys {
			if k != None {
				keys = max(keys, int(k)+1)
			}
		}
	}
	counts := make([][2]uint32, keys)
	for _, s := range tray.Sides {
		for _, k := range index.Sides[s].Keys {
			if k != None {
				counts[k][s]++
			}
		}
	}
	before := func(a, b uint32) int {
		x, y := counts[a], counts[b]
		return cmp.Or(cmp.Compare(uint64(y[0])*uint64(y[1]), uint64(x[0])*uint64(x[1])), cmp.Compare(y[0]+y[1], x[0]+x[1]), cmp.Compare(a, b))
	}
	repeats := func(k uint32) bool { return counts[k][0] > 1 || counts[k][1] > 1 }
	var first []uint32 // of the repeated keys, in order: there may be very many, and few are listed
	for k := range uint32(keys) {
		if !repeats(k) {
			continue
		}
		all++
		if len(first) < most || most > 0 && before(k, first[most-1]) < 0 {
			at, _ := slices.BinarySearchFunc(first, k, before)
			first = slices.Insert(first[:min(len(first), most-1)], at, k)
		}
	}
	list = make([]RepeatedKey, len(first))
	place := map[uint32]int{}
	for i, k := range first {
		place[k] = i
		list[i].Records = [2]int64{int64(counts[k][0]), int64(counts[k][1])}
	}
	for _, s := range tray.Sides { // the first record of each key, on the left where there is one
		var rows []uint32
		var of []int
		for row, k := range index.Sides[s].Keys {
			if len(place) == 0 {
				break
			}
			if k == None || !repeats(k) {
				continue
			}
			if i, ok := place[k]; ok {
				rows, of = append(rows, uint32(row)), append(of, i)
				delete(place, k)
			}
		}
		err := record.Gather(ctx, tables[s], rows, func(n int, b *record.Batch, i int) {
			for _, k := range plan.Key {
				list[of[n]].Key = append(list[of[n]].Key, strings.Clone(b.Columns[k.Column[s]].Value(i)))
			}
		})
		if err != nil {
			return nil, 0, err
		}
	}
	return list, all, nil
}
