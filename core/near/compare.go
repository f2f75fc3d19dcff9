package near

import (
	"bytes"
	"context"
	"math"
	"slices"

	"github.com/cespare/xxhash/v2"

	"twinsieve/core/agree"
	"twinsieve/core/exact"
	"twinsieve/core/lookalike"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/similar"
	"twinsieve/core/tray"
)

// attribute is something that two records can have in common.
type attribute struct {
	kind   agree.Kind // Text, Decimal or Date
	key    bool       // a part of the key
	column [2]int
	chain  [2]reading.Chain
	weight float64
}

// value is an attribute's value of one record.
type value struct {
	state reading.State
	text  []rune
	odd   bool   // it has characters that might look like others
	hash  uint64 // of the text
	day   int64
	size  float64 // of a number: near enough to say how near
}

type entry struct {
	row    uint32
	values []value
}

type finder struct {
	plan  *sieve.Plan
	least float64
	attrs []attribute
	sides [2][]entry
	found []candidate
	out   *Suggestions
}

// attributes are the key's parts and the compared fields, each once.
func (n *finder) attributes() {
	for p, k := range n.plan.Key {
		a := attribute{key: true, column: k.Column, chain: k.Chain}
		switch list := n.plan.Definition.Key[p].Readings; {
		case reading.GiveAll(list, "date", "to-day"):
			a.kind = agree.Date
		case reading.GiveAll(list, "number", "negate"):
			a.kind = agree.Decimal
		}
		n.attrs = append(n.attrs, a)
	}
	for _, f := range n.plan.Fields {
		v := n.plan.Values[f.Value]
		if slices.ContainsFunc(n.attrs, func(a attribute) bool { return a.column == v.Column }) {
			continue
		}
		a := attribute{column: v.Column, chain: v.Chain}
		if f.Rule.Kind == agree.Decimal || f.Rule.Kind == agree.Date {
			a.kind = f.Rule.Kind
		}
		n.attrs = append(n.attrs, a)
	}
}

func (n *finder) read(ctx context.Context, table record.Table, s tray.Side, rows []uint32) error {
	readers := make([]*reading.Reader, len(n.attrs))
	for a := range n.attrs {
		readers[a] = n.attrs[a].chain[s].Reader()
	}
	n.sides[s] = make([]entry, len(rows))
	return record.Gather(ctx, table, rows, func(at int, b *record.Batch, i int) {
		e := entry{row: rows[at], values: make([]value, len(n.attrs))}
		for a := range n.attrs {
			col := b.Columns[n.attrs[a].column[s]]
			if col.IsNull(i) {
				e.values[a].state = reading.Blank
				continue
			}
			v := readers[a].Cell([]byte(col.Value(i)))
			e.values[a].state = v.State
			if v.State != reading.Text {
				continue
			}
			e.values[a].hash = xxhash.Sum64(v.Text)
			switch n.attrs[a].kind {
			case agree.Date:
				e.values[a].day = reading.DayNumber(v.Text)
			case agree.Decimal:
				e.values[a].size, _ = exact.Decimal(v.Text).Float64()
			default:
				e.values[a].text = []rune(string(bytes.ToValidUTF8(v.Text, []byte("\uFFFD"))))
				e.values[a].odd = slices.ContainsFunc(e.values[a].text, func(r rune) bool { return r < ' ' || r > '~' })
			}
		}
		n.sides[s][at] = e
	})
}

// weigh gives each attribute its weight: the bits that its values tell apart.
func (n *finder) weigh() {
	for a := range n.attrs {
		counts := map[uint64]int{}
		all := 0
		for _, s := range tray.Sides {
			for i := range n.sides[s] {
				if v := &n.sides[s][i].values[a]; v.state == reading.Text {
					counts[v.hash]++
					all++
				}
			}
		}
		bits := 0.0
		for _, c := range counts {
			p := float64(c) / float64(all)
			bits -= p * math.Log2(p)
		}
		n.attrs[a].weight = min(max(bits, 0.5), 12)
	}
}

// compare says how alike one attribute of two records is.
func (n *finder) compare(a int, l, r *entry) Reason {
	x, y := &l.values[a], &r.values[a]
	switch blank := [2]bool{x.state != reading.Text, y.state != reading.Text}; {
	case blank[0] && blank[1]:
		return Reason{Kind: BothBlank, Alike: 0.5}
	case blank[0] || blank[1]:
		return Reason{Kind: OneBlank, Alike: 0.5}
	case x.hash == y.hash:
		return Reason{Kind: Equal, Alike: 1}
	}
	switch n.attrs[a].kind {
	case agree.Date:
		apart := y.day - x.day
		if apart > 31 || apart < -31 {
			return Reason{Kind: Other, Apart: apart}
		}
		return Reason{Kind: Days, Apart: apart, Alike: 1 - math.Sqrt(math.Abs(float64(apart)))/7}
	case agree.Decimal:
		largest := max(math.Abs(x.size), math.Abs(y.size))
		if part := math.Abs(x.size-y.size) / largest; part < 0.1 {
			return Reason{Kind: Numbers, Alike: 0.7 - 5*part}
		}
		return Reason{Kind: Other}
	}
	length := max(len(x.text), len(y.text))
	switch d := similar.Distance(x.text, y.text, length/2); {
	case d > length/2:
		return Reason{Kind: Other}
	case d == 1 && similar.Exchanged(x.text, y.text):
		return Reason{Kind: Exchanged, Alike: 0.95}
	case (x.odd || y.odd) && lookalike.Look(string(x.text)) == lookalike.Look(string(y.text)):
		return Reason{Kind: Looks, Alike: 0.98}
	case d == 1:
		return Reason{Kind: Slip, Alike: 1 - 0.7/float64(length)}
	default:
		return Reason{Kind: Similar, Alike: 1 - float64(d)/float64(length)}
	}
}

// score is how alike two records are on the whole. A blank part of the key costs half its weight.
func (n *finder) score(l, r *entry) float64 {
	sum, all := 0.0, 0.0
	for a := range n.attrs {
		reason := n.compare(a, l, r)
		w := n.attrs[a].weight
		if reason.Kind == BothBlank || reason.Kind == OneBlank {
			w *= 0.3
		}
		if reason.Kind == Other && !n.attrs[a].key { // records that belong together differ in what is compared, too
			w *= 0.5
		}
		sum += w * reason.Alike
		all += w
	}
	if all == 0 {
		return 0
	}
	return sum / all
}
