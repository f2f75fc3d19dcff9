package exception

import (
	"fmt"
	"strings"

	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// OfReject is the entry of a line of a side's source that is no record: it has the line and no cells, and says why it is none and what stands on
// it.
func OfReject(plan *sieve.Plan, s tray.Side, r record.Reject) Entry {
	e := Entry{Tray: tray.Reject, Side: s, Said: SaysReject(r)}
	cells := make([]record.Cell, len(plan.Columns[s]))
	for i := range cells {
		cells[i].Null = true
	}
	e.Sides[s] = &Record{Origin: record.Origin{Line: r.Line}, Cells: cells}
	return e
}

// SaysReject says why a line is no record, and what stands on it.
func SaysReject(r record.Reject) string {
	return fmt.Sprintf("%s: %s", strings.TrimSuffix(r.Reason, "."), strings.TrimSpace(r.Text))
}
