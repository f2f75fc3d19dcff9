package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/comparison"
	"twinsieve/core/expression"
	"twinsieve/core/match"
	"twinsieve/core/rowlist"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
	"twinsieve/service/summary"
	"twinsieve/service/view"
	"twinsieve/store"
)

// confirmRows is the number of rows from which a comparison that multiplies records asks before it is shown.
const confirmRows = 1_000_000

// looking is rows that are looked at: what they are of, and everything about them that has been settled.
type looking struct {
	view.Look
	*matched
	choice  comparison.Choice
	sheets  [2]comparison.Sheet
	aligned []comparison.Aligned // of set logic
	wholes  string               // of set logic: the key of its groups
	held    *whole               // of set logic, once it is ready
	all     []comparison.Column  // that the rows have
	columns []comparison.Column  // that are shown
	where   *expression.Program
	carried *expression.Program // over the columns of the other side
	sort    []rowlist.Key
	listKey string // of the list that a filter or a sort needs; "": none is needed
}

// badLook says that rows cannot be looked at as asked.
func badLook(where, format string, args ...any) error {
	what := fmt.Sprintf(format, args...)
	return view.BadLook.New(strings.ToUpper(what[:1])+what[1:]+".", view.Fault{Where: where, What: what})
}

// find returns the match that an ask names, where it is at hand. A run's always is; nil stands for a definition that has not been
// matched yet, whose plan is returned.
func (v *Service) find(ctx context.Context, a view.Ask) (_ *matched, _ *planned, err error) {
	switch {
	case a.Run != 0 && a.Definition != nil:
		return nil, nil, view.Invalid.New("The request names both a run and a definition; name one of them.")
	case a.Run != 0:
		m, err := v.matchedRun(ctx, a.Run, a.Look.Swap)
		return m, nil, err
	case a.Definition == nil:
		return nil, nil, view.Invalid.New("The request names nothing to look at; name a run, or give a definition.")
	}
	d := *a.Definition
	if a.Look.Swap {
		d = d.Swapped()
	}
	if len(d.Key) == 0 && keyless(a.Look.Comparison) {
		if d.Key, err = v.anyKey(ctx, d); err != nil {
			return nil, nil, err
		}
	}
	p, err := v.plan(ctx, d)
	if err != nil {
		return nil, nil, err
	}
	return v.matches.find(draftKey(p)), p, nil
}

// keyless reports whether a comparison asks for no key.
func keyless(name string) bool {
	n, err := comparison.Parse(name)
	return err == nil && (n.IsWhole() || n == comparison.ByPosition || n == comparison.Cross)
}

// anyKey is a key for a definition that is compared without one: the first column of each side, so that there is something to match.
func (v *Service) anyKey(ctx context.Context, d sieve.Definition) ([]sieve.KeyPart, error) {
	var first [2]string
	for s, name := range [2]string{d.Left, d.Right} {
		_, snap, err := v.store.Set(ctx, name)
		if errors.Is(err, store.ErrNotFound) {
			return nil, nil // what is wrong with the set is said where it is planned
		}
		if err != nil {
			return nil, err
		}
		first[s] = snap.Columns[0]
	}
	return []sieve.KeyPart{{Columns: sieve.Columns{Left: first[0], Right: first[1]}, Blanks: "equal"}}, nil
}

// makeMatch matches a definition and keeps the match at hand.
func (v *Service) makeMatch(ctx context.Context, j *job, p *planned) (*matched, error) {
	if m := v.matches.find(draftKey(p)); m != nil {
		return m, nil
	}
	index, err := v.matchAny(ctx, j, p)
	if err != nil {
		return nil, err
	}
	return v.keepMatch(p, index), nil
}

func (v *Service) keepMatch(p *planned, index *match.Index) *matched {
	return v.matches.keep(&matched{planned: p, key: draftKey(p), tables: v.tables(p), index: index})
}

// settle settles a look against a match. Whatever is wrong with it is said here, before anything is computed.
func (v *Service) settle(ctx context.Context, m *matched, look view.Look) (*looking, error) {
	l := &looking{Look: look, matched: m, sheets: m.sheets(ctx)}
	name, err := comparison.Parse(look.Comparison)
	if err != nil {
		return nil, badLook("comparison", "%s", err)
	}
	kept, err := comparison.ParseKept(look.Kept)
	if err != nil {
		return nil, badLook("kept", "%s", err)
	}
	l.choice = comparison.Choice{Comparison: name, Kept: kept, Dropped: look.Dropped}
	switch look.Side {
	case "", "left":
	case "right":
		l.choice.Side = tray.Right
	default:
		return nil, badLook("side", "%q is no side; write left or right", look.Side)
	}
	if look.Tray != "" {
		if l.choice.Tray, err = tray.Parse(look.Tray); err != nil {
			return nil, badLook("tray", "%s", err)
		}
		l.choice.ByTray = true
		if look.Dropped || !l.choice.Tray.Paired() && !l.choice.Tray.On(l.choice.Side) {
			return nil, badLook("tray", "no record of the %s side lies in the tray %s", l.choice.Side, l.choice.Tray)
		}
	}
	apart := name == comparison.Separate
	switch {
	case look.Side != "" && !apart && !look.Dropped && look.Tray == "":
		return nil, badLook("side", "a side is named only for separate, and for what a comparison drops; %s has rows of its own", name)
	case look.Dropped && !name.Yields(l.choice.Side):
		return nil, badLook("side", "%s shows no columns of the %s side, so it drops nothing of it", name, l.choice.Side)
	case (len(look.Partners) > 0 || look.Carried != "") && !apart:
		return nil, badLook("comparison", "partners of chosen records are shown by separate, and not by %s", name)
	}
	if err := l.settleSize(); err != nil {
		return nil, err
	}
	if err := l.settleColumns(); err != nil {
		return nil, err
	}
	return l, l.settleQuery()
}

// settleSize refuses what would multiply beyond the limit, and sides that do not stand side by side.
func (l *looking) settleSize() error {
	name := l.choice.Comparison
	if name.IsWhole() || l.Dropped || l.choice.ByTray {
		return nil
	}
	count := comparison.CountOf(&l.index.Totals, name)
	if name == comparison.Separate {
		return nil // nothing multiplies
	}
	records := l.index.Totals.Records
	for _, s := range tray.Sides {
		records[s] -= l.index.Totals.Trays[s][tray.Excluded]
	}
	if name == comparison.ByPosition && records[0] != records[1] && !l.Fill {
		return badLook("comparison", "the sides do not stand side by side: %s has %s and %s %s; have the shorter side filled, or filter before",
			l.sets[0], countOf(records[0]), l.sets[1], countOf(records[1]))
	}
	if count.Rows > confirmRows && count.Rows > 2*(records[0]+records[1]) && !l.Confirm {
		why := fmt.Sprintf("%s would show %s: %s of %s with %s of %s", name, rowsOf(count.Rows), countOf(records[0]), l.sets[0], countOf(records[1]), l.sets[1])
		where := "key"
		if name == comparison.Cross {
			where = "comparison"
		}
		return view.Multiplies.New(why+". Confirm that this is wanted, or filter before.", view.Fault{Where: where, What: why})
	}
	return nil
}

func countOf(n int64) string { return summary.Count(n, "record") }

func rowsOf(n int64) string { return summary.Count(n, "row") }

// settleColumns settles which columns the rows have, and which are shown.
func (l *looking) settleColumns() (err error) {
	if l.choice.Comparison.IsWhole() && !l.choice.ByTray {
		if l.aligned, err = l.Align.Align(l.sheets); err != nil {
			return misfit(err)
		}
		text, err := json.Marshal(comparison.Resolved(l.sheets, l.aligned))
		if err != nil {
			return err
		}
		l.wholes = string(text)
	}
	naming := comparison.Naming{Sets: l.sets, Prefix: l.Prefix}
	if l.all, err = comparison.ColumnsOf(l.choice, l.Plan.Columns, l.aligned, naming); err != nil {
		return badLook("prefix", "%s", err)
	}
	if l.columns, err = comparison.Choose(l.all, l.Columns); err != nil {
		return badLook("columns", "%s", l.elsewhere(err, namesOf(l.Columns)...))
	}
	return nil
}

// misfit says which columns do not fit, each pair as a fault of its own.
func misfit(err error) error {
	fault := new(comparison.MisfitError)
	if !errors.As(err, &fault) {
		return err
	}
	var faults []view.Fault
	for _, m := range fault.Misfits {
		faults = append(faults, view.Fault{Where: "align", What: m})
	}
	return view.BadLook.New("Whole records cannot be compared: "+strings.Join(fault.Misfits, "; ")+". Name the pairs of columns that are to be compared, or state a type that both read as.", faults...)
}

func namesOf(chosen []comparison.Chosen) (names []string) {
	for _, c := range chosen {
		names = append(names, c.Column)
	}
	return names
}

// elsewhere adds to an error about columns what is to be done where they are those of a side that is not shown.
func (l *looking) elsewhere(err error, names ...string) string {
	own, one := l.choice.OneSide()
	for _, s := range tray.Sides {
		if !one || s == own {
			continue
		}
		for _, name := range names {
			if slices.Contains(l.Plan.Columns[s], name) {
				return fmt.Sprintf("%s; %s is a column of %s, which %s does not show: filter the %s side before the comparison instead", err, name, l.sets[s], l.choice.Comparison, s)
			}
		}
	}
	return err.Error()
}

// settleQuery settles the filter and the sort.
func (l *looking) settleQuery() error {
	var names []string
	for _, c := range l.all {
		names = append(names, c.Name)
	}
	if l.Where != "" {
		var err error
		if l.where, err = compileFilter(l.Where, names); err != nil {
			return l.badFilter("where", err)
		}
	}
	if l.Carried != "" {
		var err error
		if l.carried, err = compileFilter(l.Carried, l.Plan.Columns[l.choice.Side.Other()]); err != nil {
			return l.badFilter("carried", err)
		}
	}
	for i, by := range l.Sort {
		where := fmt.Sprintf("sort[%d]", i)
		at, err := comparison.Find(l.all, by.Column)
		if err != nil {
			return badLook(where, "%s", l.elsewhere(err, by.Column))
		}
		key := rowlist.Key{Column: at, Types: l.types(&l.all[at]), Descending: by.Descending, BlanksFirst: by.BlanksFirst}
		if by.As != "" {
			t, err := typing.Parse(by.As)
			if err != nil {
				return badLook(where+".as", "%s", err)
			}
			key.Types = [2]typing.Type{t, t}
		}
		l.sort = append(l.sort, key)
	}
	for _, n := range l.Partners {
		if records := l.tables[l.choice.Side.Other()].Records(); n < 1 || n > records {
			return badLook("partners", "there is no record %d of the %s side; it has %s", n, l.choice.Side.Other(), countOf(records))
		}
	}
	if l.where != nil || l.carried != nil || len(l.sort) > 0 || len(l.Partners) > 0 {
		text, err := json.Marshal(struct {
			comparison.Choice
			Wholes, Where, Carried string
			Prefix                 *[2]string
			Sort                   []view.SortBy
			Partners               []int64
		}{l.choice, l.wholes, l.Where, l.Carried, l.Prefix, l.Sort, l.Partners})
		if err != nil {
			return err
		}
		l.listKey = string(text)
	}
	return nil
}

// compileFilter checks a filter. The error is an [*expression.Error].
func compileFilter(text string, columns []string) (*expression.Program, error) {
	p, err := expression.Compile(text, columns)
	if err == nil && p.Kind() != expression.Boolean {
		err = &expression.Error{At: 1, What: fmt.Sprintf("the expression gives a %s, and not whether a row is wanted; compare it with something", p.Kind())}
	}
	return p, err
}

func (l *looking) badFilter(where string, err error) error {
	fault := new(expression.Error)
	if !errors.As(err, &fault) {
		return err
	}
	return view.BadExpression.New("The filter is wrong "+l.elsewhere(err, l.hidden(err)...)+".", view.Fault{Where: where, What: fault.What})
}

// hidden are columns of the sides that a filter names though the rows have them not.
func (l *looking) hidden(err error) (names []string) {
	for _, columns := range l.Plan.Columns {
		for _, name := range columns {
			if strings.Contains(err.Error(), fmt.Sprintf("no column %q", name)) {
				names = append(names, name)
			}
		}
	}
	return names
}

// types are as what each side's cells of a column read.
func (l *looking) types(c *comparison.Column) (types [2]typing.Type) {
	for s, from := range c.From {
		if from >= 0 {
			types[s] = l.sheets[s].Types[from]
		}
	}
	for _, a := range l.aligned {
		if a.Column == c.From {
			types = a.Types
		}
	}
	return types
}
