// Package ahead lets what comes next be read, or made, while what came before is worked on.
package ahead

import (
	"context"

	"golang.org/x/sync/errgroup"
)

// Each visits what read passes on, in that order, one at a time: read goes on until it has the next one ready, and waits with that. It may pass on from several
// goroutines. Each ends when both have ended, with the error of the one that failed first. The context of read ends with that, and pass then returns an error.
func Each[T any](ctx context.Context, read func(ctx context.Context, pass func(T) error) error, visit func(T) error) error {
	ready := make(chan T)
	group, ctx := errgroup.WithContext(ctx)
	group.Go(func() error {
		defer close(ready)
		return read(ctx, func(one T) error {
			select {
			case ready <- one:
				return nil
			case <-ctx.Done():
				return ctx.Err()
			}
		})
	})
	group.Go(func() error {
		for one := range ready {
			if err := visit(one); err != nil {
				return err
			}
		}
		return nil
	})
	return group.Wait()
}
