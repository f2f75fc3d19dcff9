package service

import (
	"twinsieve/core/comparison"
	"twinsieve/service/view"
)

// openRows are rows that are ready, open for reading: in default order, or those of a list, which stays open meanwhile.
type openRows struct {
	rows *comparison.Rows
	held *listed // nil: default order
}

// open begins to read the look's rows. They are to be closed.
func (l *looking) open() (*openRows, error) {
	if l.listKey == "" {
		return &openRows{rows: l.rows()}, nil
	}
	held := l.hold(l.listKey)
	if held == nil {
		return nil, view.Changed.New("The rows that were made ready are no longer at hand; ask again.")
	}
	return &openRows{held: held}, nil
}

func (r *openRows) total() int64 {
	if r.held != nil {
		return r.held.list.Len()
	}
	return r.rows.Len()
}

// read fills into with the rows from number first on, and returns how many there were.
func (r *openRows) read(first int64, into []comparison.Row) (int, error) {
	if r.held != nil {
		return r.held.list.Read(first, into)
	}
	return r.rows.Read(first, into), nil
}

// Close lets the list go.
func (r *openRows) Close() error {
	if r.held != nil {
		r.held.use.RUnlock()
		r.held = nil
	}
	return nil
}
