package service

import (
	"context"
	"errors"
	"slices"

	"twinsieve/core/comparison"
	"twinsieve/core/match"
	"twinsieve/core/rowlist"
)

// ready reports whether the look's rows can be read at once.
func (l *looking) ready() bool {
	if l.wholes != "" && l.whole() == nil {
		return false
	}
	if l.listKey == "" {
		return true
	}
	held := l.hold(l.listKey)
	if held != nil {
		held.use.RUnlock()
	}
	return held != nil
}

// makeReady computes what the rows cannot be read without: the groups of whole records, and the list of a filter or sort.
func (v *Service) makeReady(ctx context.Context, j *job, l *looking) error {
	if l.wholes != "" && l.whole() == nil {
		groups, err := v.matchWhole(ctx, j, l.matched, l.aligned)
		if err != nil {
			return err
		}
		l.keepWhole(whole{l.wholes, groups, comparison.WholeCounts(groups)})
	}
	if l.ready() {
		return nil
	}
	src := l.source()
	if len(l.Partners) > 0 || l.carried != nil {
		rows, err := v.partners(ctx, j, l)
		if err != nil {
			return err
		}
		src.Rows = rows
	}
	list, left, err := rowlist.Build(ctx, src, rowlist.Query{Where: l.where, Sort: l.sort}, v.listOptions(j))
	if many := new(rowlist.TooMany); errors.As(err, &many) {
		return badLook("comparison", "%s", many)
	}
	if err != nil {
		return err
	}
	l.keep(&listed{key: l.listKey, list: list, left: left})
	return nil
}

func (v *Service) listOptions(j *job) rowlist.Options {
	return rowlist.Options{Workers: v.options.Workers, Budget: v.options.Memory / (2 * jobsAtOnce), TempDir: v.store.TempDir(), Progress: j.progress}
}

// matchWhole matches whole records over aligned columns.
func (v *Service) matchWhole(ctx context.Context, j *job, m *matched, aligned []comparison.Aligned) (*comparison.Groups, error) {
	d := comparison.WholeRecords(m.Definition, m.sheets(ctx), aligned)
	plan, err := d.Compile(m.Plan.Columns[0], m.Plan.Columns[1])
	if err != nil {
		return nil, err
	}
	index, err := match.Build(ctx, plan, m.tables[0], m.tables[1], v.matchOptions(j))
	if err != nil {
		return nil, err
	}
	return comparison.NewGroups(index), nil
}

// whole is what is known of whole records. It stays at hand as long as anything does that was made ready with it.
func (l *looking) whole() *whole {
	if l.held == nil {
		l.held = l.wholeOf(l.wholes)
	}
	return l.held
}

// grouped are the groups that the rows are read from.
func (l *looking) grouped() *comparison.Groups {
	if l.wholes != "" {
		return l.whole().groups
	}
	return l.byKey()
}

// distinct are the groups where rows are distinct whole records, whose text is that of all their equals.
func (l *looking) distinct() *comparison.Groups {
	if l.wholes != "" && l.choice.Comparison.Distinct() && !l.Dropped {
		return l.grouped()
	}
	return nil
}

func (l *looking) source() rowlist.Source {
	return rowlist.Source{Rows: l.rows(), Tables: l.tables, Columns: l.all, Groups: l.distinct()}
}

// partners are the rows of a separate table narrowed to partners of records of the other table: those that are named, or those
// for which a filter holds.
func (v *Service) partners(ctx context.Context, j *job, l *looking) (*comparison.Rows, error) {
	groups, other := l.byKey(), l.choice.Side.Other()
	wanted := map[uint32]bool{} // keys
	for _, n := range l.Partners {
		wanted[groups.Key(other, uint32(n-1))] = true
	}
	if l.carried != nil {
		choice := l.choice
		choice.Side = other
		columns, err := comparison.ColumnsOf(choice, l.Plan.Columns, nil, comparison.Naming{})
		if err != nil {
			return nil, err
		}
		src := rowlist.Source{Rows: comparison.NewRows(groups, choice), Tables: l.tables, Columns: columns}
		list, _, err := rowlist.Build(ctx, src, rowlist.Query{Where: l.carried}, v.listOptions(j))
		if err != nil {
			return nil, err
		}
		defer list.Close()
		named := wanted
		wanted = map[uint32]bool{}
		rows := make([]comparison.Row, 1<<14)
		for first := int64(0); first < list.Len(); first += int64(len(rows)) {
			n, err := list.Read(first, rows)
			if err != nil {
				return nil, err
			}
			for _, row := range rows[:n] {
				if key := groups.Key(other, row[other]); len(l.Partners) == 0 || named[key] {
					wanted[key] = true
				}
			}
		}
	}
	delete(wanted, comparison.None)
	return comparison.RecordsOf(groups, l.choice.Side, func(row uint32) bool { return wanted[groups.Key(l.choice.Side, row)] }), nil
}

// rows are the comparison's rows in default order.
func (l *looking) rows() *comparison.Rows { return l.rowsOf(l.wholes, l.choice, l.grouped()) }

// count is what the look's comparison has without a filter.
func (l *looking) count() comparison.Count {
	if l.wholes == "" {
		return comparison.CountOf(&l.index.Totals, l.choice.Comparison)
	}
	counts := l.whole().counts
	return counts[slices.Index(comparison.Whole, l.choice.Comparison)]
}
