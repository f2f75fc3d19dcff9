package service

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"twinsieve/core/balance"
	"twinsieve/core/exact"
	"twinsieve/core/match"
	"twinsieve/core/pairing"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/store"
)

// mostByHand is how many records of a side are paired by hand at once.
const mostByHand = 1000

// TryPair says what records of a run would be if they were paired by hand: their sums, and which fields would agree.
func (v *Service) TryPair(ctx context.Context, run uint, p view.HandPair) (*view.TriedPair, error) {
	r, err := v.report(ctx, run)
	if err != nil {
		return nil, err
	}
	if err := v.open(ctx, r); err != nil {
		return nil, err
	}
	return r.tryPair(ctx, p)
}

func (r *report) tryPair(ctx context.Context, p view.HandPair) (*view.TriedPair, error) {
	out := &view.TriedPair{Left: []view.Record{}, Right: []view.Record{}, Sums: []view.PairedSum{}, Outcomes: []view.Outcome{}}
	group := pairing.NewGroup(r.plan.Fields)
	sums := map[string][][2]exact.Sum{} // by currency and amount
	for _, s := range tray.Sides {
		numbers := [2][]int64{p.Left, p.Right}[s]
		into := [2]*[]view.Record{&out.Left, &out.Right}[s]
		if len(numbers) == 0 || len(numbers) > mostByHand {
			return nil, view.Invalid.New(fmt.Sprintf("%d records are chosen on the %s; choose 1 to %d on each side.", len(numbers), s, mostByHand))
		}
		var rows []uint32
		for _, n := range numbers {
			if all := int64(len(r.index.Sides[s].Trays)); n < 1 || n > all {
				return nil, view.NotFound.New(fmt.Sprintf("There is no record %d on the %s: that side has the records 1 to %d.", n, s, all))
			}
			if at := r.index.Sides[s].Trays[n-1]; !match.ByHand(at) {
				return nil, view.Invalid.New(fmt.Sprintf("Record %d on the %s is %s; only records without a partner can be paired by hand.", n, s, at))
			}
			rows = append(rows, uint32(n-1))
		}
		slices.Sort(rows)
		if len(slices.Compact(slices.Clone(rows))) < len(rows) {
			return nil, view.Invalid.New(fmt.Sprintf("A record is named twice on the %s.", s))
		}
		reader := r.plan.ValueReader(s)
		err := record.Gather(ctx, r.tables[s], rows, func(n int, b *record.Batch, i int) {
			cells := b.Cells(i)
			*into = append(*into, recordOf(int64(rows[n]), b.Origin(i), cells))
			values := reader.Read(cells)
			group.Add(s, values)
			currency := ""
			if c := r.plan.Currency; c >= 0 && values[c].State == reading.Text {
				currency = string(values[c].Text)
			}
			if sums[currency] == nil {
				sums[currency] = make([][2]exact.Sum, len(r.plan.Amounts))
			}
			for a, amount := range r.plan.Amounts {
				if values[amount.Value].State == reading.Text {
					sums[currency][a][s].Add(values[amount.Value].Text)
				}
			}
		})
		if err != nil {
			return nil, err
		}
	}
	for a, amount := range r.plan.Amounts {
		for _, currency := range slices.Sorted(maps.Keys(sums)) {
			label := balance.Amount{Name: amount.Name}
			if r.plan.Currency >= 0 {
				label.Currency = &currency
			}
			l, rt := sums[currency][a][0].Total(), sums[currency][a][1].Total()
			out.Sums = append(out.Sums, view.PairedSum{Name: label.Label(), Left: exact.Text(l), Right: exact.Text(rt), Difference: exact.Text(rt.Sub(l))})
		}
	}
	out.Matched = group.Matched()
	for i, f := range r.plan.Fields {
		o := group.Outcome(i)
		value := r.plan.Values[f.Value]
		out.Outcomes = append(out.Outcomes, view.Outcome{Left: value.Column[0], Right: value.Column[1], Agrees: o.Agrees, Difference: o.Difference})
	}
	return out, nil
}

// PairByHand accepts that records of a run belong together, whatever their keys: from the next run on they are paired, for as long
// as records of this content are there and have no other partner.
func (v *Service) PairByHand(ctx context.Context, run uint, p view.HandPair) (*view.Crosswalk, error) {
	r, err := v.report(ctx, run)
	if err != nil {
		return nil, err
	}
	if err := v.open(ctx, r); err != nil {
		return nil, err
	}
	tried, err := r.tryPair(ctx, p)
	if err != nil {
		return nil, err
	}
	row, err := v.store.SieveByID(ctx, r.row.SieveID)
	if err != nil {
		return nil, problem(err, fmt.Sprintf("sieve %q any more; what was paired by hand would have no place", r.head.Sieve))
	}
	records := [2][]view.Record{tried.Left, tried.Right}
	body, err := json.Marshal(acceptedBody{Columns: r.plan.Columns, Records: records})
	if err != nil {
		return nil, err
	}
	_, err = v.store.AddAcceptances(ctx, row.ID, []store.Acceptance{{Kind: store.RecordsAccepted, Body: string(body), Reason: p.Reason, Source: "hand"}},
		func(current []store.Acceptance) error { return notPairedYet(current, records) })
	if err != nil {
		return nil, problem(err, "")
	}
	return v.Crosswalk(ctx, row.Name)
}

// notPairedYet refuses records of which one is in a pairing by hand that holds.
func notPairedYet(current []store.Acceptance, records [2][]view.Record) error {
	for _, a := range current {
		if a.Kind != store.RecordsAccepted || a.EndedVersion > 0 {
			continue
		}
		b, err := bodyOf(a)
		if err != nil {
			return err
		}
		for s := range records {
			for _, r := range records[s] {
				for _, o := range b.Records[s] {
					if r.Number == o.Number && slices.Equal(cellsOf(&r), cellsOf(&o)) {
						return view.Invalid.New(fmt.Sprintf("Record %d on the %s has been paired by hand already (entry %d of the crosswalk); take that back first.", r.Number, tray.Side(s), a.ID))
					}
				}
			}
		}
	}
	return nil
}
