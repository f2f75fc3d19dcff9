package service

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"sync"

	"twinsieve/core/comparison"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/rowlist"
	"twinsieve/core/sieve"
	"twinsieve/core/typing"
	"twinsieve/store"
)

// matched is a match that rows are read from: that of a run, or of a definition that need not be saved.
type matched struct {
	*planned
	key    string
	tables [2]record.Table
	index  *match.Index

	once   sync.Once
	groups *comparison.Groups

	mu     sync.Mutex
	wholes []whole
	lists  []*listed
	rows   map[rowsKey]*comparison.Rows
}

// whole is the groups of whole records over aligned columns, and what they count.
type whole struct {
	key    string
	groups *comparison.Groups
	counts []comparison.Count
}

// rowsKey names rows in default order. Of set logic, wholes names the groups.
type rowsKey struct {
	wholes string
	comparison.Choice
}

// listed is a list of rows that has been built for a filter or a sort.
type listed struct {
	key  string
	list *rowlist.List
	left rowlist.Left
	use  sync.RWMutex // held for reading while rows are read
}

// How many matches, and of each how many lists, stay at hand.
const (
	matchesKept = 6
	listsKept   = 8
	wholesKept  = 2
)

// byKey are the match's groups by key. They are made when they are first asked for.
func (m *matched) byKey() *comparison.Groups {
	m.once.Do(func() { m.groups = comparison.NewGroups(m.index) })
	return m.groups
}

// hold returns a list that is at hand, which stays open until its use is unlocked; or nil.
func (m *matched) hold(key string) *listed {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, l := range m.lists {
		if l.key == key {
			l.use.RLock()
			return l
		}
	}
	return nil
}

func (m *matched) keep(l *listed) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.lists = append(m.lists, l)
	if len(m.lists) > listsKept {
		m.lists[0].drop()
		m.lists = m.lists[1:]
	}
}

// drop closes the list as soon as nobody reads it.
func (l *listed) drop() {
	go func() {
		l.use.Lock()
		defer l.use.Unlock()
		_ = l.list.Close() // a temporary file without a name; there is nothing to be done about it
	}()
}

// wholeOf returns the groups of whole records, where they are at hand.
func (m *matched) wholeOf(key string) *whole {
	m.mu.Lock()
	defer m.mu.Unlock()
	for i := range m.wholes {
		if m.wholes[i].key == key {
			return &m.wholes[i]
		}
	}
	return nil
}

// rowsOf returns rows in default order. Where they are is found when they are first asked for.
func (m *matched) rowsOf(wholes string, c comparison.Choice, g *comparison.Groups) *comparison.Rows {
	key := rowsKey{wholes, c}
	m.mu.Lock()
	rows := m.rows[key]
	m.mu.Unlock()
	if rows != nil {
		return rows
	}
	rows = comparison.NewRows(g, c)
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.rows == nil {
		m.rows = map[rowsKey]*comparison.Rows{}
	}
	m.rows[key] = rows
	return rows
}

func (m *matched) keepWhole(w whole) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.wholes = append(slices.Clone(m.wholes), w); len(m.wholes) > wholesKept {
		gone := m.wholes[0].key
		m.wholes = m.wholes[1:]
		maps.DeleteFunc(m.rows, func(k rowsKey, _ *comparison.Rows) bool { return k.wholes == gone })
	}
}

// sheets are what set logic and types have to know of the sides.
func (m *matched) sheets(ctx context.Context) (sheets [2]comparison.Sheet) {
	for s, snap := range m.snapshots {
		sheets[s] = comparison.Sheet{Columns: snap.Columns, Types: typesOf(snap), Empty: func(column int) (bool, error) { return emptyColumn(ctx, m.tables[s], column) }}
	}
	return sheets
}

// typesOf are as what a snapshot's columns read; text where that is not known.
func typesOf(snap store.Snapshot) []typing.Type {
	types := findingsOf(snap).Types
	out := make([]typing.Type, len(snap.Columns))
	for i := range out {
		if out[i] = (typing.Type{Name: typing.Text}); i < len(types) {
			out[i] = types[i]
		}
	}
	return out
}

// emptyColumn reports whether a column has no value.
func emptyColumn(ctx context.Context, t record.Table, column int) (bool, error) {
	for i := range t.Starts() {
		col, err := record.ColumnOf(ctx, t, i, column)
		if err != nil {
			return false, err
		}
		for k := range col.Len() {
			if col.IsValid(k) && col.Value(k) != "" {
				return false, nil
			}
		}
	}
	return true, nil
}

// matches are the matches at hand, the one used last at the end.
type matches struct {
	room int64 // bytes that they may hold; the newest is kept in any case
	mu   sync.Mutex
	list []*matched
}

func (ms *matches) find(key string) *matched {
	ms.mu.Lock()
	defer ms.mu.Unlock()
	for i, m := range ms.list {
		if m.key == key {
			ms.list = append(append(ms.list[:i:i], ms.list[i+1:]...), m)
			return m
		}
	}
	return nil
}

// keep keeps a match at hand, and returns the one that is: another may have come first.
func (ms *matches) keep(m *matched) *matched {
	if there := ms.find(m.key); there != nil {
		return there
	}
	ms.mu.Lock()
	defer ms.mu.Unlock()
	ms.list = append(ms.list, m)
	held := int64(0)
	for _, m := range ms.list {
		held += 2 * m.index.Bytes() // its groups take about as much
	}
	for len(ms.list) > matchesKept || held > ms.room && len(ms.list) > 1 {
		gone := ms.list[0]
		held -= 2 * gone.index.Bytes()
		ms.list = ms.list[1:]
		gone.forget()
	}
	return m
}

// forget lets the lists of a match go that is no longer at hand.
func (m *matched) forget() {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, l := range m.lists {
		l.drop()
	}
	m.lists = nil
}

// draftKey names the match of a definition over the snapshots that it would be run over.
func draftKey(p *planned) string {
	d := p.Definition
	d.Name = ""
	text, err := json.Marshal(struct {
		sieve.Definition
		Snapshots [2]uint
		Hashes    [2]string
		Crosswalk sieve.Crosswalk
	}{d, [2]uint{p.snapshots[0].ID, p.snapshots[1].ID}, [2]string{p.snapshots[0].Hash, p.snapshots[1].Hash}, p.Crosswalk})
	if err != nil {
		panic("a definition that has been compiled cannot be written: " + err.Error())
	}
	sum := sha256.Sum256(text)
	return "draft " + hex.EncodeToString(sum[:])
}

// matchedRun is the match of a run, read from its sealed index.
func (v *Service) matchedRun(ctx context.Context, id uint, swap bool) (*matched, error) {
	key := fmt.Sprintf("run %d %v", id, swap)
	if m := v.matches.find(key); m != nil {
		return m, nil
	}
	r, err := v.report(ctx, id)
	if err != nil {
		return nil, err
	}
	if err := v.open(ctx, r); err != nil {
		return nil, err
	}
	m := &matched{key: key, index: r.index, tables: r.tables, planned: &planned{Plan: r.plan, snapshots: r.snapshots, sets: [2]string{r.head.Sides[0].Set, r.head.Sides[1].Set}}}
	if swap {
		plan, err := r.head.Definition.Swapped().Compile(r.head.Sides[1].Columns, r.head.Sides[0].Columns)
		if err != nil {
			return nil, err
		}
		m.Plan, m.index = plan, r.index.Swapped()
		m.tables[0], m.tables[1] = m.tables[1], m.tables[0]
		m.snapshots[0], m.snapshots[1] = m.snapshots[1], m.snapshots[0]
		m.sets[0], m.sets[1] = m.sets[1], m.sets[0]
	}
	return v.matches.keep(m), nil
}
