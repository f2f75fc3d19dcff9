package service

import (
	"context"
	"sync"

	"twinsieve/service/view"
)

// live tells those who look at a sieve's reports what changes in them.
type live struct {
	mu    sync.Mutex
	subs  map[uint]map[chan view.ReportChange]bool // by sieve
	quit  chan struct{}
	begin sync.Once
	end   sync.Once
}

func (l *live) over() chan struct{} {
	l.begin.Do(func() { l.quit = make(chan struct{}) })
	return l.quit
}

// close lets all who follow go.
func (l *live) close() { l.end.Do(func() { close(l.over()) }) }

// behind is how many changes a follower may be behind. One who is further behind hears that something has changed, not what.
const behind = 64

// tell tells the followers of a sieve's reports of a change. It never waits for them.
func (l *live) tell(sieveID uint, c view.ReportChange) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for sub := range l.subs[sieveID] {
		select {
		case sub <- c:
		default:
			<-sub // only this function sends, so there is room afterwards
			c.Exceptions = []uint{}
			sub <- c
		}
	}
}

// follow calls hear with each change until the context ends or hear fails. begun is called once changes are heard of.
func (l *live) follow(ctx context.Context, sieveID uint, begun func() error, hear func(view.ReportChange) error) error {
	sub := make(chan view.ReportChange, behind)
	l.mu.Lock()
	if l.subs == nil {
		l.subs = map[uint]map[chan view.ReportChange]bool{}
	}
	if l.subs[sieveID] == nil {
		l.subs[sieveID] = map[chan view.ReportChange]bool{}
	}
	l.subs[sieveID][sub] = true
	l.mu.Unlock()
	defer func() {
		l.mu.Lock()
		delete(l.subs[sieveID], sub)
		l.mu.Unlock()
	}()
	if err := begun(); err != nil {
		return err
	}
	for {
		select {
		case c := <-sub:
			if err := hear(c); err != nil {
				return err
			}
		case <-ctx.Done():
			return nil
		case <-l.over():
			return nil
		}
	}
}

// FollowReport calls hear with each change in a run's report, first with an empty one, until the context ends.
func (v *Service) FollowReport(ctx context.Context, run uint, hear func(view.ReportChange) error) error {
	row, err := v.store.Run(ctx, run)
	if err != nil {
		return problem(err, runName(run))
	}
	newest, err := v.store.NewestEvent(ctx)
	if err != nil {
		return err
	}
	return v.live.follow(ctx, row.SieveID, func() error { return hear(view.ReportChange{Seq: newest.Seq, Exceptions: []uint{}}) }, hear)
}
