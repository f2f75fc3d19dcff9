package handover

import (
	"bytes"
	"context"
	"encoding/csv"
	"io"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/formats/outform"
)

// A part of the list is read and written at a time. Where records have to be read back from a file, every part reads
// most of the file, so parts are larger.
const (
	partInMemory = 8_000
	partFromFile = 32_000
)

// WriteCSV writes the entries at places as CSV under the layout's columns, in the order of places, and rejects behind them. Parts of the list are
// read and put into text by several workers; only a few parts are in memory at once.
func (l *Layout) WriteCSV(ctx context.Context, w io.Writer, index *match.Index, tables [2]*record.Spool, places []exception.Place, rejects []exception.Entry, workers int) error {
	most := partInMemory
	if tables[0].Spilled()+tables[1].Spilled() > 0 {
		most = partFromFile
	}
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
				case part := <-text:
					if _, err := w.Write(part); err != nil {
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
	for len(places) > 0 {
		part := places[:min(len(places), most)]
		places = places[len(part):]
		if !add(func() ([]exception.Entry, error) {
			return exception.ReadWhole(ctx, l.plan, index, [2]record.Table{tables[0], tables[1]}, part)
		}) {
			return group.Wait()
		}
	}
	if len(rejects) > 0 && !add(func() ([]exception.Entry, error) { return rejects, nil }) {
		return group.Wait()
	}
	close(texts)
	return group.Wait()
}

// Write writes the entries at places in any format, one part of the list after the other, and rejects behind them.
func (l *Layout) Write(ctx context.Context, out outform.Writer, index *match.Index, tables [2]*record.Spool, places []exception.Place, rejects []exception.Entry) error {
	var row []string
	var cells []record.Cell
	for len(places)+len(rejects) > 0 {
		part := places[:min(len(places), partFromFile)]
		places = places[len(part):]
		entries, err := exception.ReadWhole(ctx, l.plan, index, [2]record.Table{tables[0], tables[1]}, part)
		if err != nil {
			return err
		}
		if len(part) == 0 {
			entries, rejects = rejects, nil
		}
		for i := range entries {
			row, err = l.Rows(&entries[i], row, func(row []string) error {
				cells = cells[:0]
				for _, text := range row {
					cells = append(cells, record.Cell{Text: text})
				}
				return out.Write(cells)
			})
			if err != nil {
				return err
			}
		}
	}
	return out.Close()
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
