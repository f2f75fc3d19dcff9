package match

import (
	"slices"

	"twinsieve/core/exact"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// tally is what one worker has counted and summed.
type tally struct {
	Totals
	purses
	fields  []sieve.PlanField
	values  []int        // the plan's value that each amount reads
	refused [2][]refused // keys that repeat on a side where they may not
}

func newTally(plan *sieve.Plan) *tally {
	t := &tally{purses: newPurses(plan), fields: plan.Fields}
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
	if len(t.values) == 0 {
		return
	}
	amounts := t.ofRecord(values).amounts
	for a, v := range t.values {
		if values[v].State == reading.Text {
			amounts[a][s].Trays[at].Add(values[v].Text)
		}
	}
}

// sumAlike adds the amounts of matched pairs whose records have the same, where there is but one currency.
func (t *tally) sumAlike(amounts []exact.Sum) {
	for a := range amounts {
		for _, s := range tray.Sides {
			t.last.amounts[a][s].Trays[tray.Matched].Merge(&amounts[a])
		}
	}
}

// terms appends the amounts of an entry, a blank one as zero. It reports false where they cannot be had so: then nothing
// is appended.
func (t *tally) terms(list []exact.Term, e entry) ([]exact.Term, bool) {
	before := len(list)
	for _, v := range t.values {
		var n exact.Term
		if amount := e.value(v); amount.State == reading.Text {
			var ok bool
			if n, ok = exact.NewTerm(amount.Text); !ok {
				return list[:before], false
			}
		}
		list = append(list, n)
	}
	return list, true
}

// sumAll adds a column of amount a to the side's totals, whichever tray each record will lie in. The first of the column
// is of record first, and they are carried from earlier runs or not. Its currencies stand in a column of their own; nil: there is but one, and it has
// been added up while it was read.
func (t *tally) sumAll(a int, s tray.Side, first uint32, carried bool, column, currencies *reading.Column) {
	if currencies == nil {
		sums := &t.last.amounts[a][s]
		if sums.All.Merge(column.Sum); carried {
			sums.Carried.Merge(column.Sum)
		}
		_, states := column.Held()
		for i, state := range states {
			if state != reading.Text {
				sums.without(state, first+uint32(i))
			}
		}
		return
	}
	for i := range column.Len() {
		sums := &t.ofValue(currencies.At(i)).amounts[a][s]
		v := column.At(i)
		if v.State != reading.Text {
			sums.without(v.State, first+uint32(i))
			continue
		}
		if sums.All.Add(v.Text); carried {
			sums.Carried.Add(v.Text)
		}
	}
}

// without counts a record that has no amount.
func (s *SideSums) without(state reading.State, row uint32) {
	if state == reading.Unreadable {
		s.Unreadable++
		s.list(row)
	} else {
		s.Blank++
	}
}

// merge adds all that other has.
func (s *SideSums) merge(other *SideSums) {
	s.All.Merge(&other.All)
	s.Carried.Merge(&other.Carried)
	for i := range s.Trays {
		s.Trays[i].Merge(&other.Trays[i])
	}
	s.Blank += other.Blank
	s.Unreadable += other.Unreadable
	for _, row := range other.Listed {
		s.list(row)
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

// pairs counts keys that one record of each side carries.
func (t *tally) pairs(keys int64) {
	t.Keys += keys
	t.Product += keys
	t.Shared += keys
	for _, s := range tray.Sides {
		if t.Semi[s] += keys; keys > 0 {
			t.Most[s] = max(t.Most[s], 1)
		}
	}
}

func (t *tally) merge(o *tally) {
	t.Keys += o.Keys
	t.Shared += o.Shared
	t.Product += o.Product
	t.InOrder += o.InOrder
	t.Mixed += o.Mixed
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
	}
	t.purses.merge(&o.purses)
}
