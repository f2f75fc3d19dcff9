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

// WriteCSV writes the entries at places as CSV under the layout's columns, in the order of places. Parts of the list are
// read and put into text by several workers; only a few parts are in memory at once.
func (l *Layout) WriteCSV(ctx context.Context, w io.Writer, index *match.Index, tables [2]*record.Spool, places []exception.Place, workers int) error {
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
	for len(places) > 0 {
		part := places[:min(len(places), most)]
		places = places[len(part):]
		text := make(chan []byte, 1)
		select {
		case texts <- text:
		case <-ctx.Done():
			return group.Wait()
		}
		group.Go(func() error {
			out, err := l.text(ctx, index, [2]record.Table{tables[0], tables[1]}, part)
			text <- out
			return err
		})
	}
	close(texts)
	return group.Wait()
}

// Write writes the entries at places in any format, one part of the list after the other.
func (l *Layout) Write(ctx context.Context, out outform.Writer, index *match.Index, tables [2]*record.Spool, places []exception.Place) error {
	var row []string
	var cells []record.Cell
	for len(places) > 0 {
		part := places[:min(len(places), partFromFile)]
		places = places[len(part):]
		entries, err := exception.ReadWhole(ctx, l.plan, index, [2]record.Table{tables[0], tables[1]}, part)
		if err != nil {
			return err
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

func (l *Layout) text(ctx context.Context, index *match.Index, tables [2]record.Table, places []exception.Place) ([]byte, error) {
	entries, err := exception.ReadWhole(ctx, l.plan, index, tables, places)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	var row []string
	for i := range entries {
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
