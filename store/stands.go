package store

import (
	"context"
	"slices"

	"gorm.io/gorm"
)

// Status, owner and reason belong to an exception, and every report that is not signed shows them as they are now. So they are not kept with entries, but for what a
// signed report shows: that is written into its entries as it is signed.

// Stand is how the work on an exception stands.
type Stand struct {
	ExceptionID           uint
	Status, Owner, Reason string
}

// stand lets an entry show how its exception stands; nil: nobody has worked on it. An entry from before exceptions were followed stays as it is.
func (e *Entry) stand(s *Stand) {
	switch {
	case e.ExceptionID == 0:
	case s == nil:
		e.Status, e.Owner, e.Reason = StatusOpen, "", ""
	default:
		e.Status, e.Owner, e.Reason = s.Status, s.Owner, s.Reason
	}
}

// signed reports whether a report is signed. It is asked before entries are read: they are written anew as it is signed.
func (s *Store) signed(ctx context.Context, run uint) (is bool, err error) {
	return is, s.reads.WithContext(ctx).Raw("SELECT EXISTS (SELECT 1 FROM sign_offs WHERE run_id = ? AND state = 'signed')", run).Scan(&is).Error
}

// eachStanding is [Store.eachEntry], of entries as the report shows them now.
func (s *Store) eachStanding(ctx context.Context, run uint, from int64, visit func([]Entry) (enough bool, err error)) error {
	signed, err := s.signed(ctx, run)
	if err != nil {
		return err
	}
	return s.eachEntry(ctx, run, from, func(list []Entry) (bool, error) {
		if !signed {
			if err := s.standOver(ctx, list); err != nil {
				return false, err
			}
		}
		return visit(list)
	})
}

// standOver lets entries show how their exceptions stand.
func (s *Store) standOver(ctx context.Context, list []Entry) error {
	if len(list) == 0 {
		return nil
	}
	ids := make([]uint, len(list))
	for i := range list {
		ids[i] = list[i].ExceptionID
	}
	where, values := among(ids)
	stands := map[uint]*Stand{}
	var last Stand // many stand alike
	err := s.bulk.each(ctx, "SELECT id, status, owner, reason FROM exceptions WHERE "+where, values, func(r row) error {
		last = Stand{r.id(0), r.textAs(1, last.Status), r.textAs(2, last.Owner), r.textAs(3, last.Reason)}
		one := last
		one.Status, one.Owner, one.Reason = once(one.Status), once(one.Owner), once(one.Reason)
		stands[one.ExceptionID] = &one
		return nil
	})
	for i := range list {
		list[i].stand(stands[list[i].ExceptionID])
	}
	return err
}

// among is a condition that rows of these numbers fulfil. Others may, too, where these are close together: to look for a range is quicker than for each.
func among(ids []uint) (where string, values []any) {
	if least, most := slices.Min(ids), slices.Max(ids); most-least <= uint(4*len(ids)) {
		return "id BETWEEN ? AND ?", []any{least, most}
	}
	return "id IN (SELECT value FROM json_each(?))", []any{numbers(ids)}
}

// freeze lets the entries of a report that is being signed keep how their exceptions stand. It is part of a transaction, in which nothing of that has been changed. Everybody waits for it, so blocks that
// say so already are left as they are.
func (s *Store) freeze(tx *gorm.DB, run uint) error {
	ctx := tx.Statement.Context
	return s.eachEntry(ctx, run, 1, func(list []Entry) (bool, error) {
		was := slices.Clone(list)
		if err := s.standOver(ctx, list); err != nil {
			return false, err
		}
		for from := 0; from < len(list); {
			to, same := from, true
			for ; to < len(list) && entryBlockOf(list[to].Seq) == entryBlockOf(list[from].Seq); to++ {
				same = same && list[to].Status == was[to].Status && list[to].Owner == was[to].Owner && list[to].Reason == was[to].Reason
			}
			if !same {
				b := packEntries(list[from:to])
				if err := tx.Exec("UPDATE entry_blocks SET blob = ? WHERE run_id = ? AND block = ?", b.blob, b.run, b.block).Error; err != nil {
					return false, err
				}
			}
			from = to
		}
		return false, nil
	})
}
