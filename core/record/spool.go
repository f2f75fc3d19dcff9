package record

import (
	"context"
	"fmt"
	"sync"

	"twinsieve/core/spill"
)

// Spool is a [Table] that is filled once, batch by batch, and then read. It keeps batches in memory up to its budget and
// the others in a temporary file. The zero value is not useful: see [NewSpool].
type Spool struct {
	columns []string
	budget  int64  // bytes that may stay in memory
	dir     string // where the temporary file goes
	held    int64
	records int64
	starts  []int64
	parts   []spoolPart

	mu     sync.Mutex
	file   *spill.File
	recent [4]recentBatch // the last batches read back, so that neighbouring reads decode once
	turn   int
}

type spoolPart struct {
	batch *Batch // nil when spilled
	at    int64
	size  int
}

type recentBatch struct {
	part  int
	batch *Batch
}

// NewSpool returns an empty table. Batches beyond budget bytes go to a temporary file in dir ("": the system's place).
func NewSpool(columns []string, budget int64, dir string) *Spool {
	return &Spool{columns: columns, budget: budget, dir: dir}
}

// Add appends a batch. It may not be called while the table is being read.
func (s *Spool) Add(b *Batch) error {
	if s.records+int64(b.Records()) > MaxRecords {
		return fmt.Errorf("a record set holds at most %d records", int64(MaxRecords))
	}
	part := spoolPart{batch: b}
	if size := b.Bytes(); s.held+size <= s.budget {
		s.held += size
	} else {
		if s.file == nil {
			f, err := spill.Create(s.dir)
			if err != nil {
				return err
			}
			s.file = f
		}
		blob, err := encodeBatch(b)
		if err != nil {
			return err
		}
		at, err := s.file.Append(blob)
		if err != nil {
			return err
		}
		part = spoolPart{at: at, size: len(blob)}
	}
	s.starts = append(s.starts, s.records)
	s.parts = append(s.parts, part)
	s.records += int64(b.Records())
	return nil
}

// Columns implements [Table].
func (s *Spool) Columns() []string { return s.columns }

// Records implements [Table].
func (s *Spool) Records() int64 { return s.records }

// Starts implements [Table].
func (s *Spool) Starts() []int64 { return s.starts }

// Held is the number of bytes that the table keeps in memory.
func (s *Spool) Held() int64 { return s.held }

// Spilled is the number of bytes that the table has written to its temporary file.
func (s *Spool) Spilled() int64 { return s.file.Size() }

// Batch implements [Table].
func (s *Spool) Batch(ctx context.Context, i int) (*Batch, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	p := s.parts[i]
	if p.batch != nil {
		return p.batch, nil
	}
	s.mu.Lock()
	for _, r := range s.recent {
		if r.batch != nil && r.part == i {
			s.mu.Unlock()
			return r.batch, nil
		}
	}
	s.mu.Unlock()
	blob := make([]byte, p.size)
	if err := s.file.ReadAt(blob, p.at); err != nil {
		return nil, err
	}
	b, err := decodeBatch(blob, s.starts[i])
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	s.recent[s.turn] = recentBatch{i, b}
	s.turn = (s.turn + 1) % len(s.recent)
	s.mu.Unlock()
	return b, nil
}

// Close gives the temporary file's space back.
func (s *Spool) Close() error { return s.file.Close() }
