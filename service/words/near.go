package words

import (
	"fmt"

	"twinsieve/core/near"
	"twinsieve/core/sieve"
)

// Near says why a pair is suggested: what differs, and how, and what is the same.
func Near(plan *sieve.Plan, reasons []near.Reason) []string {
	names := near.Names(plan)
	var differ []string
	same := 0
	for i, r := range reasons {
		switch r.Kind {
		case near.Equal:
			same++
		case near.Looks:
			differ = append(differ, names[i]+" looks the same")
		case near.Exchanged:
			differ = append(differ, names[i]+" has two characters exchanged")
		case near.Slip:
			differ = append(differ, names[i]+" has one character wrong, missing or too much")
		case near.Similar:
			differ = append(differ, fmt.Sprintf("%s is alike to %.0f of 100", names[i], 100*r.Alike))
		case near.Days:
			days := "days"
			if r.Apart == 1 || r.Apart == -1 {
				days = "day"
			}
			differ = append(differ, fmt.Sprintf("%s is %+d %s off", names[i], r.Apart, days))
		case near.Numbers:
			differ = append(differ, names[i]+" is a little off")
		case near.OneBlank:
			differ = append(differ, names[i]+" is blank on one side")
		case near.BothBlank:
			differ = append(differ, names[i]+" is blank on both sides")
		case near.Other:
			differ = append(differ, names[i]+" is another")
		}
	}
	if same > 0 {
		differ = append(differ, fmt.Sprintf("%d of %d the same", same, len(reasons)))
	}
	return differ
}
