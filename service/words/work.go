package words

import (
	"fmt"
	"strings"
)

// statusWords are how a status is said.
var statusWords = map[string]string{"open": "open", "in-progress": "in progress", "explained": "explained", "settled": "settled"}

// Work says what is done to exceptions: "settled, owned by tam, reason: rounding". What is nil stays as it is.
func Work(status, owner, reason *string) string {
	var parts []string
	if status != nil {
		parts = append(parts, statusWords[*status])
	}
	if owner != nil {
		if *owner == "" {
			parts = append(parts, "owned by nobody")
		} else {
			parts = append(parts, "owned by "+*owner)
		}
	}
	if reason != nil {
		if *reason == "" {
			parts = append(parts, "without a reason")
		} else {
			parts = append(parts, "reason: "+*reason)
		}
	}
	return strings.Join(parts, ", ")
}

// SignOff says how far a report is on its way to being signed.
func SignOff(state, preparer, submitted, reviewer, signed, note string) string {
	switch state {
	case "submitted":
		return fmt.Sprintf("Submitted by %s on %s; waits for somebody else to sign it.%s", preparer, submitted, behind(note))
	case "signed":
		return fmt.Sprintf("Signed by %s on %s, prepared by %s. Nothing of it changes any more.%s", reviewer, signed, preparer, behind(note))
	}
	if note != "" {
		return fmt.Sprintf("Not signed. %s: %s", reviewer, note)
	}
	return "Not signed."
}

// behind is a note behind a sentence, where there is one.
func behind(note string) string {
	if note == "" {
		return ""
	}
	return " Note: " + note
}
