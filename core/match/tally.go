package match

import (
	"slices"

	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// tally is what one worker has counted and summed.
type tally struct {
	Totals
	amounts []AmountSums
	fields  []sieve.PlanField
	values  []int        // the plan's value that each amount reads
	refused [2][]refused // keys that repeat on a side where they may not
}

func newTally(plan *sieve.Plan) *tally {
	t := &tally{amounts: make([]AmountSums, len(plan.Amounts)), fields: plan.Fields}
	for _, s := range tray.Sides {
		t.Unkeyed[s] = make([]Causes, len(plan.Key))
		t.Parts[s] = make([]Causes, len(plan.Key))
		t.Values[s] = make([]Causes, len(plan.Values))
	}
	for _, a := range plan.Amounts {
		t.values = append(t.values, a.Value)
	}
	return t
}

// sum adds the amounts of a record with the given values to tray at of side s.
func (t *tally) sum(s tray.Side, at tray.Tray, values []reading.Value) {
	for a, v := range t.values {
		if values[v].State == reading.Text {
			t.amounts[a].Sides[s].Trays[at].Add(values[v].Text)
		}
	}
}

// sumAll adds a column of amount a to the side's totals, whichever tray each record will lie in. The first of the column
// is of record first.
func (t *tally) sumAll(a int, s tray.Side, first uint32, column *reading.Column) {
	sums := &t.amounts[a].Sides[s]
	for i := range column.Len() {
		switch v := column.At(i); v.State {
		case reading.Text:
			sums.All.Add(v.Text)
		case reading.Unreadable:
			sums.Unreadable++
			sums.list(first + uint32(i))
		default:
			sums.Blank++
		}
	}
}

// list keeps the lowest record numbers.
func (s *SideSums) list(row uint32) {
	if len(s.Listed) == MostListed && row > s.Listed[MostListed-1] {
		return
	}
	at, _ := slices.BinarySearch(s.Listed, row)
	s.Listed = slices.Insert(s.Listed, at, row)
	if len(s.Listed) > MostListed {
		s.Listed = s.Listed[:MostListed]
	}
}

// key counts one key that l left and r right records carry.
func (t *tally) key(l, r int64) {
	t.Keys++
	t.Product += l * r
	both := l > 0 && r > 0
	if both {
		t.Shared++
	}
	for s, n := range [2]int64{l, r} {
		if n > 1 {
			t.Repeated[s]++
		}
		if both {
			t.Semi[s] += n
			t.Most[s] = max(t.Most[s], n)
		}
	}
}

func (t *tally) merge(o *tally) {
	t.Keys += o.Keys
	t.Shared += o.Shared
	t.Product += o.Product
	t.InOrder += o.InOrder
	for _, s := range tray.Sides {
		t.Undecided[s] += o.Undecided[s]
		t.Semi[s] += o.Semi[s]
		t.Repeated[s] += o.Repeated[s]
		t.Most[s] = max(t.Most[s], o.Most[s])
		for i, c := range o.Unkeyed[s] {
			t.Unkeyed[s][i].add(c)
		}
		for i, c := range o.Parts[s] {
			t.Parts[s][i].add(c)
		}
		for i, c := range o.Values[s] {
			t.Values[s][i].add(c)
		}
		for a := range t.amounts {
			mine, theirs := &t.amounts[a].Sides[s], &o.amounts[a].Sides[s]
			mine.All.Merge(&theirs.All)
			for i := range mine.Trays {
				mine.Trays[i].Merge(&theirs.Trays[i])
			}
			mine.Blank += theirs.Blank
			mine.Unreadable += theirs.Unreadable
			for _, row := range theirs.Listed {
				mine.list(row)
			}
		}
	}
}
