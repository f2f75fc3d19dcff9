package service

import (
	"context"
	"strings"
	"testing"

	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"twinsieve/store"
)

// entryTable is a report's entries as rows of a table, which SQLite chooses from and sorts.
type entryTable struct {
	t    *testing.T
	conn *sqlite.Conn
}

func newEntryTable(t *testing.T) *entryTable {
	t.Helper()
	conn, err := sqlite.OpenConn(":memory:")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close() })
	e := &entryTable{t, conn}
	e.do("CREATE TABLE entries (seq INTEGER PRIMARY KEY, tray, change, status, owner, reason, size, differs, currency, key_text, search, opened)", nil, nil)
	return e
}

func (e *entryTable) do(sql string, values []any, row func(*sqlite.Stmt) error) {
	e.t.Helper()
	if err := sqlitex.Execute(e.conn, sql, &sqlitex.ExecOptions{Args: values, ResultFunc: row}); err != nil {
		e.t.Fatal(sql, err)
	}
}

// fill puts the entries of a run into the table, as its report shows them one by one.
func (e *entryTable) fill(ctx context.Context, s *store.Store, run uint, entries int64) {
	e.t.Helper()
	e.do("DELETE FROM entries", nil, nil)
	seqs := make([]int64, entries)
	for i := range seqs {
		seqs[i] = int64(i + 1)
	}
	list, err := s.ShownEntries(ctx, run, seqs)
	if err != nil || int64(len(list)) != entries {
		e.t.Fatalf("%d entries of %d, %v", len(list), entries, err)
	}
	for _, x := range list {
		e.do("INSERT INTO entries VALUES (?,?,?,?,?,?,?,?,?,?,?,?)", []any{x.Seq, x.Tray, x.Change, x.Status, x.Owner, x.Reason, x.Size, x.Differs, x.Currency, x.KeyText, x.Search, x.Opened.UnixNano()}, nil)
	}
}

// places are those of the entries that a query chooses, in its order.
func (e *entryTable) places(q *store.EntryQuery) (seqs []int64) {
	e.t.Helper()
	where, values := []string{"1 = 1"}, []any{}
	add := func(condition string, more ...any) { where, values = append(where, condition), append(values, more...) }
	among := func(column string, list []string) {
		if len(list) == 0 {
			return
		}
		add(column + " IN (?" + strings.Repeat(",?", len(list)-1) + ")")
		for _, one := range list {
			values = append(values, one)
		}
	}
	among("tray", q.Trays)
	among("status", q.Status)
	if among("change", q.Changes); len(q.Changes) == 0 {
		add("change NOT IN ('cleared', 'absent')")
	}
	if q.Owner != nil {
		add("owner = ?", *q.Owner)
	}
	if q.Reason != nil {
		add("reason = ?", *q.Reason)
	}
	if q.Differs > 0 {
		add("differs & ? <> 0", int64(1)<<(q.Differs-1))
	}
	if q.AtLeast != nil {
		add("size >= ?", q.AtLeast)
	}
	if q.AtMost != nil {
		add("size <= ? AND size <> X''", q.AtMost)
	}
	if q.In != nil {
		add("currency = ?", *q.In)
	}
	for _, word := range strings.Fields(strings.ToLower(q.Search)) {
		add("instr(search, ?) > 0", word)
	}
	order := map[string]string{"": "seq", "place": "seq", "key": "key_text", "amount": "size", "tray": "tray", "status": "status", "owner": "owner", "age": "opened"}[q.Sort]
	if q.Desc {
		order += " DESC"
	}
	e.do("SELECT seq FROM entries WHERE "+strings.Join(where, " AND ")+" ORDER BY "+order+", seq", values, func(row *sqlite.Stmt) error {
		seqs = append(seqs, row.ColumnInt64(0))
		return nil
	})
	return seqs
}
