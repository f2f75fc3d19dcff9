package exception

import (
	"bytes"
	"slices"

	"twinsieve/core/expression"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Judge fills in, for an entry whose records are there, which fields agree and what makes a record unkeyed.
func Judge(plan *sieve.Plan, e *Entry) { newJudge(plan).judge(e) }

// judge says again, for an entry shown, what the match found: which fields agree, and what makes a record unkeyed.
type judge struct {
	plan   *sieve.Plan
	values [2][]*reading.Reader
	key    [2][]*reading.Reader
	where  [2]*expression.Evaluator
	cells  [2][]byte // the cells being read
	fields []Field   // room for those of entries to come
	causes []Cause   // likewise
}

// begin lets the judge use the memory again in which it has put what it found of earlier entries.
func (j *judge) begin(entries int) {
	j.fields, j.causes = slices.Grow(j.fields[:0], entries*len(j.plan.Fields)), slices.Grow(j.causes[:0], entries)
}

func (j *judge) filter(s tray.Side) *expression.Evaluator {
	if j.where[s] == nil {
		j.where[s] = j.plan.Where[s].Evaluator()
	}
	return j.where[s]
}

func newJudge(plan *sieve.Plan) *judge {
	j := &judge{plan: plan}
	for _, s := range tray.Sides {
		for _, v := range plan.Values {
			j.values[s] = append(j.values[s], v.Chain[s].Reader())
		}
		for _, k := range plan.Key {
			j.key[s] = append(j.key[s], k.Chain[s].Reader())
		}
	}
	return j
}

func (j *judge) judge(e *Entry) {
	switch {
	case e.Group != nil:
		// A group's fields are those of all its records.
	case e.Tray.Paired():
		fields := len(j.fields)
		for _, f := range j.plan.Fields {
			l, r := j.value(e, tray.Left, f.Value), j.value(e, tray.Right, f.Value)
			j.fields = append(j.fields, Field{Agrees: f.Rule.Agree(l, r), States: [2]reading.State{l.State, r.State}, Difference: f.Rule.DifferenceText(l, r)})
		}
		e.Fields = slices.Clip(j.fields[fields:])
	case e.Tray == tray.Excluded && j.plan.Where[e.Side] != nil:
		if _, err := j.filter(e.Side).Holds(e.Sides[e.Side].Cells); err != nil {
			e.Failed = err.Error()
		}
	case e.Tray == tray.Unkeyed:
		causes := len(j.causes)
		for p, k := range j.plan.Key {
			v := j.key[e.Side][p].Cell([]byte(e.Sides[e.Side].Cells[k.Column[e.Side]].Content()))
			if v.State == reading.Unreadable || v.State.IsBlank() && !k.BlanksEqual {
				j.causes = append(j.causes, Cause{p, v.State})
			}
		}
		e.Causes = slices.Clip(j.causes[causes:])
	}
}

// joined reports whether a pair's keys are read as different ones.
func (j *judge) joined(e *Entry) bool {
	for p, k := range j.plan.Key {
		l := j.key[0][p].Cell([]byte(e.Sides[0].Cells[k.Column[0]].Content()))
		r := j.key[1][p].Cell([]byte(e.Sides[1].Cells[k.Column[1]].Content()))
		if l.State == reading.Text != (r.State == reading.Text) || !bytes.Equal(l.Text, r.Text) {
			return true
		}
	}
	return false
}

// value is a record's value as read, until the side's next one is.
func (j *judge) value(e *Entry, s tray.Side, value int) reading.Value {
	j.cells[s] = append(j.cells[s][:0], e.Sides[s].Cells[j.plan.Values[value].Column[s]].Content()...)
	return j.values[s][value].Cell(j.cells[s])
}
