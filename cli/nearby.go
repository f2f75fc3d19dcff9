package cli

import (
	"context"

	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/service/handover"
)

// nearby are the records of a sift's exceptions, once something has been read of them. They are read together with the records of repeated keys, which
// the match needs whole, so that the files are gone through once more, not twice.
type nearby struct {
	*sifting
	plan     *sieve.Plan
	tables   [2]record.Table
	wanted   bool // exceptions are listed
	progress *progress
	records  *handover.Records // nil as long as nothing has been read
}

// mostRepeated is the share of all records, as one in so many, that those of repeated keys may have to be kept beside the others.
const mostRepeated = 8

// bring is for [match.Options]: it brings near the records of repeated keys, and of all exceptions that are known already.
func (n *nearby) bring(ctx context.Context, index *match.Index, repeated [2][]uint32) ([2]record.Table, error) {
	keepRoomy(n.budget)
	if all := n.tables[0].Records() + n.tables[1].Records(); !n.wanted || int64(len(repeated[0])+len(repeated[1])) > all/mostRepeated {
		return n.tables, nil
	}
	if err := n.read(ctx, index, repeated); err != nil {
		return n.tables, err
	}
	return n.records.Tables(), nil
}

// of returns the records of the index's exceptions.
func (n *nearby) of(ctx context.Context, index *match.Index) (*handover.Records, error) {
	if n.records == nil {
		if err := n.read(ctx, index, [2][]uint32{}); err != nil {
			return nil, err
		}
	}
	return n.records, nil
}

func (n *nearby) read(ctx context.Context, index *match.Index, others [2][]uint32) (err error) {
	n.records, err = handover.Near(ctx, n.plan, index, n.tables, exception.Places(index, exceptionTrays()...), others, handover.Options{
		Workers: n.workers, Budget: n.budget / 2, TempDir: n.tempDir,
		Progress: func(done, total int64) { n.progress.set("writing exceptions", done, total) },
	})
	return err
}

func (n *nearby) close() {
	if n.records != nil {
		n.records.Close()
	}
}
