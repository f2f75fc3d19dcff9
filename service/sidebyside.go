package service

import "golang.org/x/sync/errgroup"

// sideBySide does something for each number below n, on as many processors as a job may take.
func (v *Service) sideBySide(n int, do func(i int) error) error {
	var group errgroup.Group
	if v.options.Workers > 0 {
		group.SetLimit(v.options.Workers)
	}
	const part = 250 // so many are worth a goroutine
	for first := 0; first < n; first += part {
		group.Go(func() error {
			for i := first; i < min(first+part, n); i++ {
				if err := do(i); err != nil {
					return err
				}
			}
			return nil
		})
	}
	return group.Wait()
}
