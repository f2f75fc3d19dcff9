package store

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/apache/arrow-go/v18/arrow/array"
	"gorm.io/gorm"

	"twinsieve/core/record"
)

// table is a snapshot's records, read chunk by chunk.
type table struct {
	store *Store
	snap  Snapshot
}

// Table returns the records of a sealed snapshot.
func (s *Store) Table(snap Snapshot) record.Table { return &table{s, snap} }

func (t *table) Columns() []string { return t.snap.Columns }
func (t *table) Records() int64    { return t.snap.Records }
func (t *table) Starts() []int64   { return t.snap.Starts }

// Batch implements [record.Table].
func (t *table) Batch(ctx context.Context, i int) (*record.Batch, error) {
	key := batchKey{t.snap.ID, i}
	if b, ok := t.store.near.get(key); ok {
		return b, nil
	}
	var chunks []Chunk
	err := t.store.reads.WithContext(ctx).Where(`snapshot_id = ? AND batch = ?`, t.snap.ID, i).Order(`"column"`).Find(&chunks).Error
	if err != nil {
		return nil, err
	}
	if len(chunks) != len(t.snap.Columns)+1 {
		return nil, fmt.Errorf("%w: the records of snapshot %d of this set are no longer kept", ErrNotFound, t.snap.Number)
	}
	b := &record.Batch{First: t.snap.Starts[i], Columns: make([]*array.String, 0, len(t.snap.Columns))}
	for _, c := range chunks {
		if c.Column == linesColumn {
			b.Lines, err = record.DecodeLines(c.Blob)
		} else {
			var col *array.String
			col, err = record.DecodeColumn(c.Blob)
			b.Columns = append(b.Columns, col)
		}
		if err != nil {
			return nil, err
		}
	}
	t.store.near.put(key, b, goesThrough(ctx))
	return b, nil
}

// Column reads one column of a batch. It goes past the cache, for who reads columns reads them all from end to end, unless the batch is in it.
func (t *table) Column(ctx context.Context, i, c int) (*array.String, error) {
	if b, ok := t.store.near.get(batchKey{t.snap.ID, i}); ok {
		return b.Columns[c], nil
	}
	var chunk Chunk
	err := t.store.reads.WithContext(ctx).Where(`snapshot_id = ? AND batch = ? AND "column" = ?`, t.snap.ID, i, c).Take(&chunk).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, fmt.Errorf("%w: the records of snapshot %d of this set are no longer kept", ErrNotFound, t.snap.Number)
	}
	if err != nil {
		return nil, err
	}
	return record.DecodeColumn(chunk.Blob)
}

// Some reads some columns of a batch at once. It goes past the cache, as [table.Column] does, unless the batch is in it.
func (t *table) Some(ctx context.Context, i int, columns []int) (*record.Batch, error) {
	if b, ok := t.store.near.get(batchKey{t.snap.ID, i}); ok {
		return b, nil
	}
	var chunks []Chunk
	err := t.store.reads.WithContext(ctx).Where(`snapshot_id = ? AND batch = ? AND "column" IN ?`, t.snap.ID, i, append(slices.Clone(columns), linesColumn)).Find(&chunks).Error
	if err != nil {
		return nil, err
	}
	b := &record.Batch{First: t.snap.Starts[i], Columns: make([]*array.String, len(t.snap.Columns))}
	for _, c := range chunks {
		if c.Column == linesColumn {
			b.Lines, err = record.DecodeLines(c.Blob)
		} else {
			b.Columns[c.Column], err = record.DecodeColumn(c.Blob)
		}
		if err != nil {
			return nil, err
		}
	}
	if len(chunks) != len(columns)+1 {
		return nil, fmt.Errorf("%w: the records of snapshot %d of this set are no longer kept", ErrNotFound, t.snap.Number)
	}
	return b, nil
}
