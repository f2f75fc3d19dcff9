package again

import (
	"context"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// Fates says of exceptions that were not recognised what has become of them: [Cleared] where a record of one of their sides with their key is
// there and matched, or, where they have no key, one of their content that was paired by hand, one exception for each such record; else
// [Absent]. It reads the key columns of both tables once, and more only of records that were paired without a key.
func (m *Marker) Fates(ctx context.Context, index *match.Index, tables [2]record.Table, lost []Mark) ([]Change, error) {
	fates := make([]Change, len(lost))
	for i := range fates {
		fates[i] = Absent
	}
	for _, s := range tray.Sides {
		wanted, unkeyed := map[string][]int{}, map[string][]int{}
		for i := range lost {
			switch side := lost[i].Sides[s]; {
			case side.Here && side.Key != "":
				wanted[side.Key] = append(wanted[side.Key], i)
			case side.Here && side.Content != "" && lost[i].Tray != tray.Reject:
				unkeyed[side.Content] = append(unkeyed[side.Content], i)
			}
		}
		if len(wanted)+len(unkeyed) == 0 {
			continue
		}
		trays := index.Sides[s].Trays
		matched := func(row int64) bool { return trays[row] == tray.Matched }
		batches := oneBatch{table: tables[s], at: -1}
		err := eachKey(ctx, m.plan, m.keys, s, tables[s], matched, func(p place, key []byte, keyed bool) error {
			if keyed {
				for _, at := range wanted[string(key)] {
					fates[at] = Cleared
				}
				return nil
			}
			if len(unkeyed) == 0 {
				return nil
			}
			cells, err := batches.cells(ctx, p)
			if err != nil {
				return err
			}
			if i, met := m.meet(s, cells, unkeyed); met {
				fates[i] = Cleared
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	return fates, nil
}

// Appear says of exceptions that were found with another key, and that are [Absent] by their keys, whether their records are there all the
// same: it makes them [Cleared] where a record of one of their sides with their content is matched, one exception for each such record. It
// reads both tables once, and nothing where no exception is absent.
func (m *Marker) Appear(ctx context.Context, index *match.Index, tables [2]record.Table, lost []Mark, fates []Change) error {
	for _, s := range tray.Sides {
		wanted := map[string][]int{}
		for i := range lost {
			if side := lost[i].Sides[s]; side.Here && side.Content != "" && fates[i] == Absent && lost[i].Tray != tray.Reject {
				wanted[side.Content] = append(wanted[side.Content], i)
			}
		}
		if len(wanted) == 0 {
			continue
		}
		trays := index.Sides[s].Trays
		for b, first := range tables[s].Starts() {
			batch, err := tables[s].Batch(ctx, b)
			if err != nil {
				return err
			}
			for i := range batch.Records() {
				if trays[first+int64(i)] != tray.Matched {
					continue
				}
				if i, met := m.meet(s, batch.Cells(i), wanted); met {
					fates[i] = Cleared
				}
			}
		}
	}
	return nil
}

// Impossible reports whether an exception cannot come out of the plan by which the mark was made, which reads another key than the one by
// which it was found: none of its records has a key, though it was not for want of one that it was an exception.
func (m *Mark) Impossible() bool {
	keyed := m.Sides[0].Key != "" || m.Sides[1].Key != ""
	return !keyed && m.Tray != tray.Unkeyed && m.Tray != tray.Reject
}
