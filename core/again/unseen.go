package again

import (
	"context"

	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// Unseen says of exceptions whether their records of side s are in no record of a table: where they have a key, whether none has it, whatever
// filter keeps it out of a run; where they have none, whether there are fewer records of the same content than exceptions, and then the first of
// these are seen. Exceptions without a record on that side are not unseen, nor are those without a key whose content tells nothing. It reads the columns of the key once, and all of them only where
// something has no key; and nothing at all where no exception has a record on that side.
func (m *Marker) Unseen(ctx context.Context, s tray.Side, t record.Table, marks []Mark) ([]bool, error) {
	unseen := make([]bool, len(marks))
	byKey, byContent := map[string][]int{}, map[string][]int{}
	for i := range marks {
		switch side := marks[i].Sides[s]; {
		case !side.Here, side.Key == "" && side.Content == "": // of the latter it cannot be told, and no record is taken twice
			continue
		case side.Key != "":
			byKey[side.Key] = append(byKey[side.Key], i)
		default:
			byContent[side.Content] = append(byContent[side.Content], i)
		}
		unseen[i] = true
	}
	if len(byKey)+len(byContent) == 0 {
		return unseen, nil
	}
	batches := oneBatch{table: t, at: -1}
	err := eachKey(ctx, m.plan, m.keys, s, t, nil, func(p place, key []byte, keyed bool) error {
		if keyed {
			for _, i := range byKey[string(key)] {
				unseen[i] = false
			}
			return nil
		}
		if len(byContent) == 0 {
			return nil
		}
		cells, err := batches.cells(ctx, p)
		if err != nil {
			return err
		}
		if i, met := m.meet(s, cells, byContent); met {
			unseen[i] = false
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return unseen, nil
}
