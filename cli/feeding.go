package cli

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"runtime"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/formats/intake"
)

// feeding reads both files of a sift at once and gives their records to the match as they come. Of a file that can be read again
// from any place nothing is kept; the records of others go to a spool.
type feeding struct {
	*sifting
	root     *rootFlags
	result   *sifted
	progress *progress

	files   [2]*os.File
	infos   [2]os.FileInfo
	sources [2]*intake.Source
	spools  [2]*record.Spool // nil where the file is read again
	used    [2]atomic.Int64  // bytes of each file that have been read
}

// open opens both files and finds how they are read.
func (f *feeding) open() error {
	group := errgroup.Group{}
	for _, side := range tray.Sides {
		group.Go(func() error {
			file, err := openFile(f.sifting.files[side])
			if err != nil {
				return err
			}
			f.files[side] = file
			info, err := file.Stat()
			if err != nil {
				return broken("the %s file cannot be read: %s", side, err)
			}
			if f.infos[side] = info; !info.Mode().IsRegular() {
				return wrongRequest("%s is a pipe or a device; sift reads files from place to place: save it to a file first", f.sifting.files[side])
			}
			r, err := intake.Open(file, info.Size(), f.read[side], intake.Options{
				Name: f.sifting.files[side], EncodingWithin: f.lookWithin[side], Reject: func(r record.Reject) { f.reject(side, r) },
			})
			if err != nil {
				return f.unreadable(side, err)
			}
			if f.sources[side] = r; !r.Again() {
				f.spools[side] = record.NewSpool(r.Columns(), f.budget/4, f.tempDir)
			}
			return nil
		})
	}
	return group.Wait()
}

// misread is that a file was taken to be in an encoding that it proves not to be in.
type misread struct{ side tray.Side }

func (m misread) Error() string {
	return "the " + m.side.String() + " file is not in the encoding in which it begins"
}

// unreadable says what is wrong with a file: its text, or the reading of it. It is a misread where the file has not been looked at as far
// as it could be.
func (f *feeding) unreadable(side tray.Side, err error) error {
	fault, choice := new(record.Unreadable), new(intake.ChoiceError)
	switch {
	case errors.As(err, &fault) && fault.Misread && f.lookWithin[side] > 0 && f.read[side].Encoding == "":
		return misread{side}
	case errors.As(err, &choice):
		return f.choices[side].explain(err)
	case errors.As(err, &fault):
		return wrongRequest("%s: %s", f.sifting.files[side], err)
	}
	return broken("%s: %w", f.sifting.files[side], err)
}

func (f *feeding) reject(side tray.Side, r record.Reject) {
	if len(f.result.Listed[side]) < rejectsListed {
		f.result.Listed[side] = append(f.result.Listed[side], r)
	}
	if f.out != "" || f.root.output == "csv" || f.root.output == "ndjson" { // the list of exceptions has them all
		f.rejects[side].add(r)
	}
}

// bytes is the size of both files.
func (f *feeding) bytes() int64 { return f.infos[0].Size() + f.infos[1].Size() }

// expected is about how many records there are, by the size of the files and of their first lines.
func (f *feeding) expected() (records int64) {
	const cell = 10 // bytes, roughly, where lines cannot be counted
	for _, side := range tray.Sides {
		each := int64(cell * len(f.sources[side].Columns()))
		if head := make([]byte, 64<<10); f.sources[side].Again() {
			n, _ := f.files[side].ReadAt(head, 0) // a file that cannot be read says so when it is
			if lines := bytes.Count(head[:n], []byte{'\n'}); lines > 0 {
				each = int64(n / lines)
			}
		}
		records += f.infos[side].Size() / max(each, 1)
	}
	return records
}

// forMatch is what the match may take of the memory: all that is not for spools.
func (f *feeding) forMatch() int64 {
	left := f.budget
	for _, side := range tray.Sides {
		if f.spools[side] != nil {
			left -= f.budget / 4
		}
	}
	return left
}

// given are records on their way from a file to the match, as a batch or as lines.
type given struct {
	side  tray.Side
	batch *record.Batch
	lines *record.Lines
}

// give gives them to the match, and their memory back to where they come from.
func (f *feeding) give(g given, feeder *match.Feeder) error {
	if g.lines != nil {
		err := feeder.AddLines(g.side, g.lines)
		f.sources[g.side].Reuse(g.lines)
		return err
	}
	err := feeder.Add(g.side, g.batch)
	if f.spools[g.side] == nil {
		f.sources[g.side].Recycle(g.batch)
	}
	return err
}

// feed reads both files to their ends, gives their records to the match, and returns them as tables. Each worker gives what it has read itself, for
// that is still near; one at a time reads from a file.
func (f *feeding) feed(ctx context.Context, plan *sieve.Plan, matching *match.Matching) (tables [2]record.Table, err error) {
	workers := f.workers
	if workers <= 0 {
		workers = runtime.GOMAXPROCS(0)
	}
	free := make(chan tray.Side, len(tray.Sides)) // the files that nobody reads from, as far as they have not ended
	for _, side := range tray.Sides {
		if f.spools[side] == nil {
			f.sources[side].Only(plan.Reads(side))
		}
		free <- side
	}
	var ended atomic.Int32
	group, ctx := errgroup.WithContext(ctx)
	for range workers {
		feeder := matching.Feeder()
		group.Go(func() error {
			for {
				var side tray.Side
				var more bool
				select {
				case side, more = <-free:
				case <-ctx.Done():
					return ctx.Err()
				}
				if !more {
					return spillFailed(feeder.Flush())
				}
				g, err := f.next(plan, side)
				if err == io.EOF {
					if ended.Add(1) == int32(len(tray.Sides)) {
						close(free)
					}
					continue
				}
				if err != nil {
					return err
				}
				free <- side
				if err := spillFailed(f.give(g, feeder)); err != nil {
					return err
				}
			}
		})
	}
	if err := group.Wait(); err != nil {
		return tables, err
	}
	for _, side := range tray.Sides {
		if tables[side] = f.spools[side]; f.spools[side] == nil {
			tables[side] = f.sources[side].Table(f.files[side])
		}
	}
	return tables, nil
}

// spillFailed is what went wrong while records were given to the match, which only writes temporary files.
func spillFailed(err error) error {
	if err != nil {
		return broken("%w", err)
	}
	return nil
}

// next reads the next records of a file, or returns io.EOF after the last.
func (f *feeding) next(plan *sieve.Plan, side tray.Side) (g given, err error) {
	r := f.sources[side]
	g.side = side
	if f.spools[side] == nil && plan.Where[side] == nil {
		g.lines, err = r.Lines()
	}
	if g.lines == nil && err == nil {
		g.batch, err = r.Next()
	}
	if err == io.EOF {
		f.result.Rejects[side], f.result.Read[side], f.result.Footers[side] = r.Rejects(), r.Settled(), append([]intake.Footer{}, r.Footers()...)
		f.result.Totals[side], f.result.Filled[side] = append([]intake.Footer{}, r.LikeTotals()...), r.Filled()
		f.result.Merged[side] = r.Merged()
		f.result.Uncomputed[side] = r.Failures()
		return g, err
	}
	if err != nil {
		return g, f.unreadable(side, err)
	}
	if f.spools[side] != nil {
		if err := f.spools[side].Add(g.batch); err != nil {
			return g, broken("%s: %w", f.sifting.files[side], err)
		}
	}
	f.used[side].Store(r.Bytes())
	f.progress.set("reading files", f.used[0].Load()+f.used[1].Load(), f.bytes())
	return g, nil
}

// unchanged makes sure that no file has been written to since it was opened.
func (f *feeding) unchanged() error {
	for _, side := range tray.Sides {
		now, err := f.files[side].Stat()
		if err != nil {
			return broken("the %s file cannot be read: %s", side, err)
		}
		if was := f.infos[side]; now.Size() != was.Size() || !now.ModTime().Equal(was.ModTime()) {
			return broken("%s was changed at %s, while it was read; wait until it is whole, and compare again", f.sifting.files[side], now.ModTime().Format(time.TimeOnly))
		}
	}
	return nil
}

// spilled is how many bytes of records went to temporary files.
func (f *feeding) spilled() (bytes int64) {
	for _, spool := range f.spools {
		if spool != nil {
			bytes += spool.Spilled()
		}
	}
	return bytes
}

func (f *feeding) close() {
	for _, side := range tray.Sides {
		if f.sources[side] != nil {
			_ = f.sources[side].Close() // all that was wanted has been read
		}
		if f.spools[side] != nil {
			_ = f.spools[side].Close() // a temporary file, which goes in any case
		}
		if f.files[side] != nil {
			_ = f.files[side].Close() // was only read
		}
	}
}
