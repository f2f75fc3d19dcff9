package handover

import (
	"bytes"
	"context"
	"encoding/csv"
	"io"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/formats/outform"
)

// part is how many entries are read and written at a time.
const part = 8_000

// Options are how, not what, to read. The zero value is good.
type Options struct {
	Workers  int                     // 0: one for each processor
	Budget   int64                   // bytes of records that may stay in memory
	TempDir  string                  // where a temporary file goes; "": the system's place
	Progress func(done, total int64) // told of the entries that have been written; may be nil
}

// Records are the records of entries, near at hand: however a list is read, each of their batches has been read once.
type Records struct {
	tables   [2]record.Table
	excerpts [2]*record.Excerpt
	workers  int
	progress func(done, total int64)
}

// Near brings the records of the entries at places near. It is to be closed.
func Near(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, places []exception.Place, opts Options) (*Records, error) {
	r := &Records{tables: tables, workers: opts.Workers, progress: opts.Progress}
	if r.progress == nil {
		r.progress = func(int64, int64) {}
	}
	if r.workers <= 0 {
		r.workers = runtime.GOMAXPROCS(0)
	}
	for _, s := range tray.Sides {
		if spool, ok := tables[s].(*record.Spool); ok && spool.Spilled() == 0 {
			continue // they are near
		}
		x, err := record.NewExcerpt(ctx, tables[s], exception.Rows(plan, index, places, s), r.workers, opts.Budget/2, opts.TempDir)
		if err != nil {
			r.Close()
			return nil, err
		}
		r.tables[s], r.excerpts[s] = x, x
	}
	return r, nil
}

// Close gives back what is kept of the records.
func (r *Records) Close() {
	for _, x := range r.excerpts {
		if x != nil {
			_ = x.Close() // a temporary file, which goes in any case
		}
	}
}

// Rejects visits entries of rejects, some at a time.
type Rejects func(visit func([]exception.Entry) error) error

// WriteCSV writes the entries at places as CSV under the layout's columns, in the order of places, and rejects behind them. Parts of the list are
// read and put into text by several workers; only a few parts are in memory at once.
func (l *Layout) WriteCSV(ctx context.Context, w io.Writer, index *match.Index, near *Records, places []exception.Place, rejects Rejects) error {
	workers := near.workers
	head := csv.NewWriter(w)
	if err := head.Write(l.Columns()); err != nil {
		return err
	}
	head.Flush()
	if err := head.Error(); err != nil {
		return err
	}
	// Each part's text comes through a channel of its own; the channels are read in the order of the parts.
	texts := make(chan chan []byte, workers)
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(workers + 1)
	group.Go(func() error {
		for {
			select {
			case text, open := <-texts:
				if !open {
					return nil
				}
				select {
				case written := <-text:
					if _, err := w.Write(written); err != nil {
						return err
					}
				case <-ctx.Done():
					return ctx.Err()
				}
			case <-ctx.Done():
				return ctx.Err()
			}
		}
	})
	// add lets the next part of the list be put into text; it reports false where the list is not to be finished.
	add := func(read func() ([]exception.Entry, error)) bool {
		text := make(chan []byte, 1)
		select {
		case texts <- text:
		case <-ctx.Done():
			return false
		}
		group.Go(func() error {
			entries, err := read()
			if err != nil {
				return err
			}
			out, err := l.text(entries)
			text <- out
			return err
		})
		return true
	}
	done, total := int64(0), int64(len(places))
	for len(places) > 0 {
		some := places[:min(len(places), part)]
		places = places[len(some):]
		done += int64(len(some))
		near.progress(done, total)
		if !add(func() ([]exception.Entry, error) {
			return exception.ReadWhole(ctx, l.plan, index, near.tables, some)
		}) {
			return group.Wait()
		}
	}
	err := rejects(func(some []exception.Entry) error {
		if !add(func() ([]exception.Entry, error) { return some, nil }) {
			return ctx.Err()
		}
		return nil
	})
	if err != nil {
		if first := group.Wait(); first != nil && ctx.Err() != nil {
			return first
		}
		return err
	}
	close(texts)
	return group.Wait()
}

// Write writes the entries at places in any format, one part of the list after the other, and rejects behind them.
func (l *Layout) Write(ctx context.Context, out outform.Writer, index *match.Index, near *Records, places []exception.Place, rejects Rejects) error {
	var cells []record.Cell
	err := l.EachRow(ctx, index, near, places, rejects, func(row []string) error {
		cells = cells[:0]
		for _, text := range row {
			cells = append(cells, record.Cell{Text: text})
		}
		return out.Write(cells)
	})
	if err != nil {
		return err
	}
	return out.Close()
}

// EachRow visits the rows of the entries at places, one part of the list after the other, and those of rejects behind them. A row is valid
// until the next.
func (l *Layout) EachRow(ctx context.Context, index *match.Index, near *Records, places []exception.Place, rejects Rejects, visit func(row []string) error) error {
	var row []string
	rows := func(entries []exception.Entry) (err error) {
		for i := range entries {
			if row, err = l.Rows(&entries[i], row, visit); err != nil {
				return err
			}
		}
		return nil
	}
	done := int64(0)
	for some := range slices.Chunk(places, part) {
		done += int64(len(some))
		near.progress(done, int64(len(places)))
		entries, err := exception.ReadWhole(ctx, l.plan, index, near.tables, some)
		if err != nil {
			return err
		}
		if err := rows(entries); err != nil {
			return err
		}
	}
	return rejects(rows)
}

// text is entries as CSV.
func (l *Layout) text(entries []exception.Entry) ([]byte, error) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	var row []string
	for i := range entries {
		var err error
		row, err = l.Rows(&entries[i], row, func(row []string) error {
			if !l.Exact {
				for c := range row {
					row[c] = outform.Harmless(row[c])
				}
			}
			return w.Write(row)
		})
		if err != nil {
			return nil, err
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}
