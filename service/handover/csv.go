package handover

import (
	"context"
	"io"
	"sync"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/formats/outform"
)

// WriteCSV writes the entries at places as CSV under the layout's columns, in the order of places, and rejects behind them. Parts of the list are
// read and put into text by several workers; only a few parts are in memory at once.
func (l *Layout) WriteCSV(ctx context.Context, w io.Writer, index *match.Index, near *Records, places []exception.Place, rejects Rejects) error {
	workers := near.workers
	if _, err := w.Write(outform.AppendLine(nil, l.Columns(), ',', l.Exact)); err != nil {
		return err
	}
	// Each part's text comes through a channel of its own; the channels are read in the order of the parts.
	texts := make(chan chan *[]byte, workers)
	readers := sync.Pool{New: func() any { return exception.NewReader(l.plan, index, near.tables) }}
	rooms := sync.Pool{New: func() any { return new([]byte) }}
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
					if _, err := w.Write(*written); err != nil {
						return err
					}
					rooms.Put(written)
				case <-ctx.Done():
					return ctx.Err()
				}
			case <-ctx.Done():
				return ctx.Err()
			}
		}
	})
	// add lets the next part of the list be put into text; it reports false where the list is not to be finished.
	add := func(read func(*exception.Reader) ([]exception.Entry, error)) bool {
		text := make(chan *[]byte, 1)
		select {
		case texts <- text:
		case <-ctx.Done():
			return false
		}
		group.Go(func() error {
			reader, out := readers.Get().(*exception.Reader), rooms.Get().(*[]byte)
			entries, err := read(reader)
			if err != nil {
				return err
			}
			*out = l.text((*out)[:0], entries)
			readers.Put(reader)
			text <- out
			return nil
		})
		return true
	}
	done, total := int64(0), int64(len(places))
	for len(places) > 0 {
		some := places[:min(len(places), part)]
		places = places[len(some):]
		done += int64(len(some))
		near.progress(done, total)
		if !add(func(r *exception.Reader) ([]exception.Entry, error) { return r.Read(ctx, some) }) {
			return group.Wait()
		}
	}
	err := rejects(func(some []exception.Entry) error {
		if !add(func(*exception.Reader) ([]exception.Entry, error) { return some, nil }) {
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

// text appends entries to text as CSV.
func (l *Layout) text(text []byte, entries []exception.Entry) []byte {
	var row []string
	for i := range entries {
		row, _ = l.Rows(&entries[i], row, func(row []string) error { // which never fails
			text = outform.AppendLine(text, row, ',', l.Exact)
			return nil
		})
	}
	return text
}
