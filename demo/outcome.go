package demo

import "twinsieve/core/tray"

// Outcome is what a sieve must find in a scenario. Arrays of two are left and right.
type Outcome struct {
	Records     [2]int                  `json:"records"`
	Rejects     [2]int                  `json:"rejects"`
	Trays       [2]map[tray.Tray]int    `json:"trays"`
	Comparisons map[string]int          `json:"comparisons"`
	Totals      [2]Crowns               `json:"totals"`
	Amounts     [2]map[tray.Tray]Crowns `json:"amounts"`
}

func newOutcome() Outcome {
	o := Outcome{Comparisons: map[string]int{}}
	for _, s := range tray.Sides {
		o.Trays[s], o.Amounts[s] = map[tray.Tray]int{}, map[tray.Tray]Crowns{}
		for _, t := range tray.All {
			if t.On(s) {
				o.Trays[s][t], o.Amounts[s][t] = 0, 0
			}
		}
	}
	return o
}

// count states that a record of side s with the given amount lies in tray t.
func (o *Outcome) count(s tray.Side, t tray.Tray, amount Crowns) {
	o.Records[s]++
	o.Trays[s][t]++
	o.Amounts[s][t] += amount
	o.Totals[s] += amount
}

// key states that one key is on l left and r right records.
func (o *Outcome) key(l, r int) {
	c := o.Comparisons
	c["inner"] += l * r
	if l > 0 && r > 0 {
		c["left-semi"] += l
		c["right-semi"] += r
	} else {
		c["left-anti"] += l
		c["right-anti"] += r
	}
}

// pair states a key with one record on each side.
func (o *Outcome) pair(t tray.Tray, left, right Crowns) {
	o.count(tray.Left, t, left)
	o.count(tray.Right, t, right)
	o.key(1, 1)
}

// part states a key that is on neither's other side: one left record missing, one right record orphaned.
func (o *Outcome) part(left, right Crowns) {
	o.missing(left)
	o.orphaned(right)
}

func (o *Outcome) missing(amount Crowns) {
	o.count(tray.Left, tray.Missing, amount)
	o.key(1, 0)
}

func (o *Outcome) orphaned(amount Crowns) {
	o.count(tray.Right, tray.Orphaned, amount)
	o.key(0, 1)
}

// add fills in the comparisons that follow from what was stated.
func (o *Outcome) add() {
	c := o.Comparisons
	c["left-anti"] += o.Trays[0][tray.Unkeyed]
	c["right-anti"] += o.Trays[1][tray.Unkeyed]
	c["left"] = c["inner"] + c["left-anti"]
	c["right"] = c["inner"] + c["right-anti"]
	c["full-anti"] = c["left-anti"] + c["right-anti"]
	c["full"] = c["inner"] + c["full-anti"]
	c["cross"] = o.Records[0] * o.Records[1]
	c["separate"] = o.Records[0] + o.Records[1]
	c["by-position"] = max(o.Records[0], o.Records[1])
}
