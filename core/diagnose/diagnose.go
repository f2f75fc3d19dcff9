// Package diagnose says why records found no partner: for all missing, orphaned and unkeyed records of a match together.
//
// Each such record is counted once, under the first of these causes that holds for it:
//
//  1. [Filter]: a record of the other side has its key, but the other side's filter left that out.
//  2. [Loosened]: it would pair if one part of the key were read with one more reading; tried in the order of [loosenings],
//     each part by part. First come readings that a column as a whole asks for: dates or numbers in another form.
//  3. [BlanksEqual]: it would pair if blanks of one part equalled each other.
//  4. [Several]: it would pair if more than one of these readings were added at once.
//  5. [DayOff], [DayAndMonth], [Exchanged], [OneCharacter]: its key is one slip away from that of a record without a partner
//     on the other side.
//  6. [OtherPart]: a record without a partner on the other side has all of its key but one part, and every compared field
//     agrees.
//  7. [Blank], [Emptied], [Unreadable]: a part of its key has no value.
//  8. [Nothing]: none of these.
//
// What pairs by a reading also counts where the partner has been paired with another record: the record would then be surplus.
package diagnose

import (
	"context"
	"encoding/binary"
	"slices"
	"strings"

	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Kind is what kind of cause it is.
type Kind string

// The kinds of causes.
const (
	Filter       Kind = "filter"
	Loosened     Kind = "reading"
	BlanksEqual  Kind = "blanks-equal"
	Several      Kind = "several"
	DayOff       Kind = "day-off"
	DayAndMonth  Kind = "day-and-month"
	Exchanged    Kind = "exchanged"
	OneCharacter Kind = "one-character"
	OtherPart    Kind = "other-part"
	Blank        Kind = "blank"
	Emptied      Kind = "emptied"
	Unreadable   Kind = "unreadable"
	Nothing      Kind = "nothing"
)

// Most is how many records of a side without a partner are looked at; of more, the first.
const Most = 500_000

// Diagnosis is why records found no partner.
type Diagnosis struct {
	Records [2]int64 // without a partner
	Looked  [2]int64 // of these, how many were looked at
	Causes  []Cause  // in their order; each has records
}

// Cause is one reason, with the records that it holds for.
type Cause struct {
	Kind    Kind
	Part    int // of the key; -1: none, or several
	Changes []Change
	Records [2]int64
	Found   []Found // every record, left before right, in input order
	Proof   Proof   // where a change of the sieve would remedy it
}

// Change is a reading that would be added to a part of the key.
type Change struct {
	Part     int
	Front    bool   // before the readings that are there; else behind them
	Replace  string // name of a reading that is there, whose place it takes; "" where it is added
	Readings []reading.Reading
}

// Found is a record and the record of the other side that it would pair with, or [match.None].
type Found struct {
	Side    tray.Side
	Row     uint32
	Partner uint32
}

// candidate is a record that may explain itself or another.
type candidate struct {
	side     tray.Side
	row      uint32
	excluded bool
	cells    []string // of the key's columns
	keyed    bool
	values   []reading.Value // of the key's parts, as the sieve reads them
	key      string          // of the values, where keyed
	done     bool
	partner  *candidate
}

// diagnoser is a diagnosis under way.
type diagnoser struct {
	plan   *sieve.Plan
	index  *match.Index
	tables [2]record.Table
	lonely [2][]*candidate
	pool   [2][]*candidate // records with a partner, or excluded, that a lonely one might pair with
	out    *Diagnosis
	ctx    context.Context
	values map[int]bool // of parts: whether they hold numbers or dates, as far as it has been asked
}

// Of diagnoses a match. progress, which may be nil, is told what is being done.
func Of(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, progress func(stage string)) (*Diagnosis, error) {
	if progress == nil {
		progress = func(string) {}
	}
	d := &diagnoser{plan: plan, index: index, tables: tables, out: &Diagnosis{}, ctx: ctx, values: map[int]bool{}}
	progress("reading what has no partner")
	for _, s := range tray.Sides {
		if err := d.collect(s); err != nil {
			return nil, err
		}
	}
	progress("looking for partners")
	changes := d.columnChanges()
	for _, s := range tray.Sides {
		if err := d.fillPool(s); err != nil {
			return nil, err
		}
	}
	d.filtered()
	d.loosen(changes)
	progress("looking for slips")
	d.slips()
	if err := d.otherParts(); err != nil {
		return nil, err
	}
	d.withoutPartner()
	if err := d.prove(); err != nil {
		return nil, err
	}
	return d.out, ctx.Err()
}

func (d *diagnoser) collect(s tray.Side) error {
	var rows []uint32
	for row, t := range d.index.Sides[s].Trays {
		if !t.Lonely() {
			continue
		}
		if d.out.Records[s]++; len(rows) < Most {
			rows = append(rows, uint32(row))
		}
	}
	d.out.Looked[s] = int64(len(rows))
	readers := d.readers(s, nil)
	return record.Gather(d.ctx, d.tables[s], rows, func(n int, b *record.Batch, i int) {
		d.lonely[s] = append(d.lonely[s], d.candidate(s, rows[n], b, i, readers))
	})
}

func (d *diagnoser) candidate(s tray.Side, row uint32, b *record.Batch, i int, readers []*reading.Reader) *candidate {
	c := &candidate{side: s, row: row}
	for _, k := range d.plan.Key {
		col := b.Columns[k.Column[s]]
		text := ""
		if !col.IsNull(i) {
			text = strings.Clone(col.Value(i)) // the batch may go
		}
		c.cells = append(c.cells, text)
	}
	c.key, c.keyed = d.keyOf(c.cells, readers, nil, &c.values)
	return c
}

// keyOf reads a key. blankPart, where not nil, is a part whose blanks equal each other. values, where not nil, gets the parts.
func (d *diagnoser) keyOf(cells []string, readers []*reading.Reader, blankPart *int, values *[]reading.Value) (string, bool) {
	var key []byte
	keyed := true
	for p, r := range readers {
		v := r.Cell([]byte(cells[p]))
		if values != nil {
			*values = append(*values, reading.Value{State: v.State, Text: slices.Clone(v.Text)})
		}
		switch {
		case v.State == reading.Text:
			key = appendPart(key, v.Text)
		case v.State.IsBlank() && (d.plan.Key[p].BlanksEqual || blankPart != nil && *blankPart == p):
			key = append(key, blankKeyPart)
		default:
			keyed = false
		}
	}
	return string(key), keyed
}

// blankKeyPart stands for a blank part in a key; any other part begins with its size plus one, so that no two keys have the same bytes.
const blankKeyPart = 0

// appendPart appends a part that is not blank to a key.
func appendPart(key, text []byte) []byte {
	return append(binary.AppendUvarint(key, uint64(len(text))+1), text...)
}

// readers are the key's readers on a side, with changes.
func (d *diagnoser) readers(s tray.Side, changes []Change) []*reading.Reader {
	var readers []*reading.Reader
	for p, k := range d.plan.Key {
		chain := k.Chain[s]
		list := d.plan.Definition.Key[p].Readings
		changed := false
		for _, c := range changes {
			if c.Part == p {
				list, changed = c.apply(list), true
			}
		}
		if changed {
			if loosened, err := d.plan.Chain(list, s); err == nil {
				chain = loosened
			}
		}
		readers = append(readers, chain.Reader())
	}
	return readers
}

// apply returns the readings with the change made.
func (c Change) apply(list []reading.Reading) []reading.Reading {
	if c.Replace == "" {
		if c.Front {
			return append(slices.Clone(c.Readings), list...)
		}
		return append(slices.Clone(list), c.Readings...)
	}
	var out []reading.Reading
	for _, r := range list {
		if r.Name != c.Replace {
			out = append(out, r)
			continue
		}
		for _, s := range tray.Sides { // a reading of both sides becomes one of each
			if r.Side != nil && *r.Side != s {
				continue
			}
			one := r
			one.Side = &s
			for _, n := range c.Readings {
				if n.Side == nil || *n.Side == s {
					one = n
				}
			}
			out = append(out, one)
		}
	}
	return out
}

// Apply returns the definition with the cause's changes made.
func (c *Cause) Apply(d sieve.Definition) sieve.Definition {
	d.Key = slices.Clone(d.Key)
	for _, change := range c.Changes {
		d.Key[change.Part].Readings = change.apply(d.Key[change.Part].Readings)
	}
	if c.Kind == BlanksEqual {
		d.Key[c.Part].Blanks = "equal"
	}
	return d
}

// add adds a cause with the records that it explains, unless there are none.
func (d *diagnoser) add(kind Kind, part int, changes []Change, explained []*candidate) {
	if len(explained) == 0 {
		return
	}
	inOrder(explained)
	cause := Cause{Kind: kind, Part: part, Changes: changes}
	for _, c := range explained {
		c.done = true
		cause.Records[c.side]++
		f := Found{c.side, c.row, match.None}
		if c.partner != nil {
			f.Partner = c.partner.row
		}
		cause.Found = append(cause.Found, f)
	}
	d.out.Causes = append(d.out.Causes, cause)
}

// open are a side's records that are not explained yet.
func (d *diagnoser) open(s tray.Side) []*candidate {
	d.lonely[s] = slices.DeleteFunc(d.lonely[s], func(c *candidate) bool { return c.done })
	return d.lonely[s]
}
