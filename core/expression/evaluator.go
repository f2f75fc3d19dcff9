package expression

import (
	"fmt"
	"strconv"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"twinsieve/core/exact"
	"twinsieve/core/record"
)

// Evaluator evaluates a program record by record. It belongs to one goroutine: whatever changes while records are evaluated is in
// it, and nothing of it is shared with another evaluator of the same program.
type Evaluator struct {
	program *Program
	scratch *scratch

	// The record that is being evaluated.
	batch *record.Batch
	at    int
	text  func(column int) string // instead of the batch
}

// Evaluator returns a new evaluator of the program.
func (p *Program) Evaluator() *Evaluator {
	return &Evaluator{program: p, scratch: newScratch()}
}

// Cell is what the expression gives for the batch's record i: the text of a cell, and whether it is blank. The error says
// why it cannot be decided.
func (e *Evaluator) Cell(b *record.Batch, i int) (text string, blank bool, err error) {
	v, err := e.eval(b, i)
	if err != nil {
		return "", false, err
	}
	switch v := v.(type) {
	case types.String:
		return string(v), v == "", nil
	case types.Bool:
		return strconv.FormatBool(bool(v)), false, nil
	case number:
		if v.blank {
			return "", true, nil
		}
		return exact.Text(v.value), false, nil
	case day:
		return string(v), v == "", nil
	}
	return "", false, fmt.Errorf("it gives a %s", v.Type().TypeName()) // which the check has excluded
}

// Wants reports whether an expression of the kind [Boolean] holds for the batch's record i. The error says why that cannot
// be decided.
func (e *Evaluator) Wants(b *record.Batch, i int) (bool, error) {
	v, err := e.eval(b, i)
	if err != nil {
		return false, err
	}
	holds, _ := v.(types.Bool)
	return bool(holds), nil
}

// Holds is [Evaluator.Wants] for a record given by its cells.
func (e *Evaluator) Holds(cells []record.Cell) (bool, error) {
	return e.WantsTexts(func(column int) string { return cells[column].Content() })
}

// WantsTexts is [Evaluator.Wants] for a record of which text gives the text of each column; an empty one is blank.
func (e *Evaluator) WantsTexts(text func(column int) string) (bool, error) {
	e.text = text
	defer func() { e.text = nil }()
	return e.Wants(nil, 0)
}

func (e *Evaluator) eval(b *record.Batch, i int) (ref.Val, error) {
	e.batch, e.at = b, i
	v, _, err := e.program.program.Eval(e)
	if err != nil {
		return nil, fmt.Errorf("%s", oneLine(err.Error()))
	}
	return v, nil
}

// ResolveName implements [cel.Activation]: the program asks for the columns of the record, for its constants, and for the scratch space
// of this evaluator.
func (e *Evaluator) ResolveName(name string) (any, bool) {
	if c, ok := e.program.places[name]; ok {
		if e.text != nil {
			return types.String(e.text(c)), true
		}
		col := e.batch.Columns[c]
		if col.IsNull(e.at) {
			return types.String(""), true
		}
		return types.String(col.Value(e.at)), true
	}
	if name == scratchVariable {
		return e.scratch, true
	}
	v, ok := e.program.constants[name]
	return v, ok
}

// Parent implements [cel.Activation].
func (e *Evaluator) Parent() cel.Activation { return nil }
