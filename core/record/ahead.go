package record

import (
	"context"
	"runtime"
	"sync"
)

// readAhead visits some batches of a table, the kth of them in the kth visit. While one is visited, those behind it are read, as many at once as there are processors.
func readAhead(ctx context.Context, t Table, batches []int, visit func(k int, b *Batch)) error {
	if len(batches) == 1 { // as for most pages
		b, err := t.Batch(ctx, batches[0])
		if err == nil {
			visit(0, b)
		}
		return err
	}
	type answer struct {
		batch *Batch
		err   error
	}
	asked := make(chan chan answer, runtime.GOMAXPROCS(0)) // in the order in which they are visited
	ctx, stop := context.WithCancel(ctx)
	var reading sync.WaitGroup
	defer reading.Wait()
	defer stop()
	reading.Go(func() {
		defer close(asked)
		for _, i := range batches {
			answers := make(chan answer, 1)
			select {
			case asked <- answers:
			case <-ctx.Done():
				return
			}
			reading.Go(func() {
				b, err := t.Batch(ctx, i)
				answers <- answer{b, err}
			})
		}
	})
	k := 0
	for answers := range asked {
		a := <-answers
		if a.err != nil {
			return a.err
		}
		visit(k, a.batch)
		k++
	}
	if k < len(batches) {
		return ctx.Err()
	}
	return nil
}
