package again

import (
	"context"

	"github.com/apache/arrow-go/v18/arrow/array"

	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// Unseen says of exceptions whether their records of side s are in no record of a table: where they have a key, whether none has it, whatever
// filter keeps it out of a run; where they have none, whether there are fewer records of the same content than exceptions, and then the first of
// these are seen. Exceptions without a record on that side are not unseen. It reads the columns of the key once, and all of them only where
// something has no key; and nothing at all where no exception has a record on that side.
func (m *Marker) Unseen(ctx context.Context, s tray.Side, t record.Table, marks []Mark) ([]bool, error) {
	unseen := make([]bool, len(marks))
	byKey, byContent := map[string][]int{}, map[string][]int{}
	for i := range marks {
		switch side := marks[i].Sides[s]; {
		case !side.Here:
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
	texts := make([]string, len(m.plan.Key))
	columns := make([]*array.String, len(m.plan.Key))
	for b := range t.Starts() {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		for p, k := range m.plan.Key {
			var err error
			if columns[p], err = record.ColumnOf(ctx, t, b, k.Column[s]); err != nil {
				return nil, err
			}
		}
		var whole *record.Batch // read where a record without a key is met that might be one of those looked for
		for i := range columns[0].Len() {
			for p, col := range columns {
				if texts[p] = ""; col.IsValid(i) {
					texts[p] = col.Value(i)
				}
			}
			if key, ok := m.keys.Of(s, texts); ok {
				for _, at := range byKey[string(key)] {
					unseen[at] = false
				}
				continue
			}
			if len(byContent) == 0 {
				continue
			}
			if whole == nil {
				var err error
				if whole, err = t.Batch(ctx, b); err != nil {
					return nil, err
				}
			}
			content := m.content(s, whole.Cells(i))
			if left := byContent[content]; len(left) > 0 {
				unseen[left[0]] = false
				byContent[content] = left[1:]
			}
		}
	}
	return unseen, nil
}
