package again

import "twinsieve/core/tray"

// noRecord begins what a reject is recognised by. No content of a record begins so, for it is no length of a cell.
const noRecord = "\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff"

// MarkReject makes the mark of a line of side s that is no record: it is recognised by its text.
func MarkReject(s tray.Side, text string) Mark {
	mark := Mark{Tray: tray.Reject, Print: PrintReject(s, text)}
	mark.Sides[s] = Side{Here: true, Content: noRecord + text}
	return mark
}
