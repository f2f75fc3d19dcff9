package record

import "context"

// Batches is a table of batches in memory, whose First are as they follow one another. The zero value has no records.
type Batches struct {
	Names []string // of the columns
	List  []*Batch
}

// Columns implements [Table].
func (b *Batches) Columns() []string { return b.Names }

// Records implements [Table].
func (b *Batches) Records() int64 {
	if len(b.List) == 0 {
		return 0
	}
	last := b.List[len(b.List)-1]
	return last.First + int64(last.Records())
}

// Starts implements [Table].
func (b *Batches) Starts() []int64 {
	starts := make([]int64, len(b.List))
	for i := range b.List {
		starts[i] = b.List[i].First
	}
	return starts
}

// Batch implements [Table].
func (b *Batches) Batch(_ context.Context, i int) (*Batch, error) { return b.List[i], nil }
