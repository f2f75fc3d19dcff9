package service

import "golang.org/x/sync/errgroup"

// sideBySide does something for each number below n, on as many processors as a job may take.
func (v *Service) sideBySide(n int, do func(i int) error) error {
	return v.inParts(n, func(from, to int) error {
		for i := from; i < to; i++ {
			if err := do(i); err != nil {
				return err
			}
		}
		return nil
	})
}

// inParts does something for parts of the numbers below n, on as many processors as a job may take.
func (v *Service) inParts(n int, do func(from, to int) error) error {
	var group errgroup.Group
	if v.options.Workers > 0 {
		group.SetLimit(v.options.Workers)
	}
	const part = 250 // so many are worth a goroutine
	for first := 0; first < n; first += part {
		group.Go(func() error { return do(first, min(first+part, n)) })
	}
	return group.Wait()
}
