package service

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"sync"
	"time"
	_ "time/tzdata" // zones are known wherever the service runs

	"github.com/robfig/cron/v3"

	"twinsieve/service/view"
	"twinsieve/store"
)

// clock runs sieves by themselves.
type clock struct {
	ended sync.WaitGroup
	wake  chan struct{}
	looks sync.Mutex          // one look at the schedules at a time
	seen  map[string]sighting // files of the folder, as they were looked at last
	busy  sync.Map            // sieves whose run is under way, by number
}

// sighting is a file as it was seen, and since when it stands still.
type sighting struct {
	size     int64
	modified time.Time
	since    time.Time
}

// stillFor is how long a file's size and time stand still before it counts as having come, in looks.
const stillFor = 3

// parseCron reads five fields of cron text in a zone. A time that the clocks skip in spring does not fire on that day; one that comes twice in
// autumn fires once, the first time.
func parseCron(text, zone string) (cron.Schedule, *time.Location, error) {
	if strings.TrimSpace(zone) == "" {
		return nil, nil, view.Invalid.New("State the time zone of the schedule, such as Europe/Stockholm or UTC.")
	}
	where, err := time.LoadLocation(zone)
	if err != nil {
		return nil, nil, view.Invalid.New(fmt.Sprintf("%q is no time zone; write one such as Europe/Stockholm or UTC.", zone))
	}
	if strings.HasPrefix(strings.TrimSpace(text), "@") || strings.Contains(text, "TZ=") || len(strings.Fields(text)) != 5 {
		return nil, nil, view.Invalid.New(fmt.Sprintf("%q is no schedule; write five fields: minute, hour, day of the month, month and day of the week, such as 30 6 * * 1-5.", text))
	}
	schedule, err := cron.ParseStandard(text)
	if err != nil {
		return nil, nil, view.Invalid.New(fmt.Sprintf("%q is no schedule: %s. Write five fields: minute, hour, day of the month, month and day of the week, such as 30 6 * * 1-5.", text, err))
	}
	return schedule, where, nil
}

const clockFace = "2006-01-02 15:04"

// next is the first firing behind a time; the zero time where there is none.
func next(schedule cron.Schedule, where *time.Location, after time.Time) time.Time {
	at := after
	for {
		at = schedule.Next(at.In(where))
		if at.IsZero() {
			return at
		}
		// What the wall clock shows a second time has fired already.
		_, offset := at.Zone()
		_, before := at.Add(-time.Hour).Zone()
		if set := time.Duration(before-offset) * time.Second; set > 0 && at.Add(-set).Format(clockFace) == at.Format(clockFace) {
			continue
		}
		return at
	}
}

func (v *Service) scheduleOf(one store.Schedule) *view.Schedule {
	out := &view.Schedule{Cron: one.Cron, Zone: one.Zone, Watch: one.Watch, Both: one.Both, Active: one.Active, By: one.Person, Version: one.Version, Says: one.Says}
	if one.Says != "" {
		out.At = &one.At
	}
	if one.Active && one.Cron != "" {
		if schedule, where, err := parseCron(one.Cron, one.Zone); err == nil {
			if at := next(schedule, where, time.Now()); !at.IsZero() {
				out.Next = &at
			}
		}
	}
	return out
}

// Schedule says when a sieve runs by itself.
func (v *Service) Schedule(ctx context.Context, name string) (*view.Schedule, error) {
	row, _, err := v.store.Sieve(ctx, name)
	if err != nil {
		return nil, v.sieveProblem(ctx, err, name)
	}
	one, err := v.store.Schedule(ctx, row.ID)
	if one.Version == 0 {
		one.Both = true
	}
	return v.scheduleOf(one), err
}

// SetSchedule says when a sieve runs by itself, where version is still the newest. It runs on behalf of who says so.
func (v *Service) SetSchedule(ctx context.Context, name string, version int, n view.NewSchedule) (*view.Schedule, error) {
	row, _, err := v.store.Sieve(ctx, name)
	if err != nil {
		return nil, v.sieveProblem(ctx, err, name)
	}
	if n.Cron != "" {
		schedule, where, err := parseCron(n.Cron, n.Zone)
		if err != nil {
			return nil, err
		}
		if next(schedule, where, time.Now()).IsZero() {
			return nil, view.Invalid.New(fmt.Sprintf("%q never comes.", n.Cron))
		}
	}
	if n.Active && n.Cron == "" && !n.Watch {
		return nil, view.Invalid.New("Say when it runs: by the clock, or when files have come.")
	}
	if n.Watch && v.options.Folder == "" {
		return nil, view.Invalid.New("The service reads no folder, so no files come; start it with serve --folder.")
	}
	sides, err := v.sidesOf(ctx, row.ID)
	if err != nil {
		return nil, err
	}
	marks, err := v.marks(ctx, sides)
	if err != nil {
		return nil, problem(err, "such record set")
	}
	one, err := v.store.PutSchedule(ctx, store.Schedule{SieveID: row.ID, Marks: marks, Cron: n.Cron, Zone: n.Zone, Watch: n.Watch, Both: n.Both, Active: n.Active}, version)
	if errors.Is(err, store.ErrChanged) {
		return nil, view.Changed.New("Somebody has changed the schedule meanwhile; look at it again.")
	}
	if err != nil {
		return nil, problem(err, "")
	}
	select {
	case v.clock.wake <- struct{}{}:
	default:
	}
	return v.scheduleOf(one), nil
}

func (v *Service) startClock() {
	v.clock.wake = make(chan struct{}, 1)
	v.clock.seen = map[string]sighting{}
	v.clock.ended.Go(func() {
		ctx := v.jobs.all
		for ctx.Err() == nil {
			if err := v.tick(ctx, time.Now()); err != nil && ctx.Err() == nil {
				v.options.Log.Error("schedules cannot be looked at", "error", err)
			}
			select {
			case <-ctx.Done():
			case <-v.clock.wake:
			case <-time.After(v.options.LookEvery):
			}
		}
	})
}

// tick looks at all schedules once, and begins the runs that are due. However many firings were missed while the service was down, they are
// caught up by one.
func (v *Service) tick(ctx context.Context, now time.Time) error {
	v.clock.looks.Lock()
	defer v.clock.looks.Unlock()
	list, err := v.store.Schedules(ctx)
	if err != nil {
		return err
	}
	var files map[string]bool
	for _, one := range list {
		if !one.Active {
			continue
		}
		due := time.Time{}
		if one.Cron != "" {
			schedule, where, err := parseCron(one.Cron, one.Zone)
			if err != nil {
				return err
			}
			for at := next(schedule, where, one.Fired); !at.IsZero() && !at.After(now); at = next(schedule, where, at) {
				due = at
			}
		}
		came := false
		if one.Watch {
			if files == nil {
				if files, err = v.arrived(ctx, now); err != nil {
					return err
				}
			}
			if came, err = v.cameFor(ctx, one, files); err != nil {
				return err
			}
		}
		if due.IsZero() && !came {
			continue
		}
		if one.Marks == nil {
			one.Marks = map[string]string{}
		}
		if _, busy := v.clock.busy.LoadOrStore(one.SieveID, true); busy {
			continue
		}
		v.clock.ended.Go(func() {
			defer v.clock.busy.Delete(one.SieveID)
			says := v.fire(store.As(ctx, store.Actor{ID: one.PersonID, Name: one.Person}), one)
			if err := v.store.SaySchedule(context.WithoutCancel(ctx), one.SieveID, due, says, one.Marks); err != nil && ctx.Err() == nil {
				v.options.Log.Error("the outcome of a scheduled run could not be written", "error", err)
			}
		})
	}
	return nil
}

// arrived are the files of the folder whose size and time stand still.
func (v *Service) arrived(ctx context.Context, now time.Time) (map[string]bool, error) {
	list, err := v.Folder(ctx)
	if err != nil {
		return nil, err
	}
	still := map[string]bool{}
	for _, f := range list.Files {
		before, known := v.clock.seen[f.Path]
		if !known || before.size != f.Bytes || !before.modified.Equal(f.Modified) {
			v.clock.seen[f.Path] = sighting{f.Bytes, f.Modified, now}
			continue
		}
		still[f.Path] = now.Sub(before.since) >= stillFor*v.options.LookEvery
	}
	return still, nil
}

// arrival is the files of the folder that a set is loaded from: one, or those of a stack.
type arrival struct {
	paths    []string
	mark     string    // their sizes and times; "": one is not there, or the set comes from elsewhere
	modified time.Time // the newest
}

// filesOf are the files that a set is loaded from.
func (v *Service) filesOf(ctx context.Context, set string) (a arrival, err error) {
	_, snap, err := v.store.Set(ctx, set)
	if err != nil {
		return a, err
	}
	r, ok := recipeOf(snap)
	if !ok || sent(r.Source) {
		return a, nil
	}
	for _, p := range placesOf(r.Source) {
		if p.Path != "" {
			a.paths = append(a.paths, p.Path)
		}
	}
	root, err := os.OpenRoot(v.options.Folder)
	if err != nil {
		return a, nil //nolint:nilerr // then no file has come
	}
	defer root.Close()
	var marks []string
	for _, path := range a.paths {
		info, err := root.Stat(path)
		if err != nil {
			return a, nil //nolint:nilerr // as before
		}
		marks = append(marks, fmt.Sprintf("%d %s", info.Size(), info.ModTime().UTC().Format(time.RFC3339Nano)))
		if info.ModTime().After(a.modified) {
			a.modified = info.ModTime()
		}
	}
	a.mark = strings.Join(marks, "; ")
	return a, nil
}

// placesOf are where a set comes from: one place, or those of a stack.
func placesOf(source view.SourceRef) (places []view.Place) {
	for _, part := range source.Stack {
		places = append(places, part.Place)
	}
	if len(source.Stack) == 0 {
		places = append(places, source.Place)
	}
	return places
}

// marks are the files that a sieve's sets have been loaded from: those that are no newer than their sets.
func (v *Service) marks(ctx context.Context, sides [2]string) (map[string]string, error) {
	marks := map[string]string{}
	for _, set := range sides {
		_, snap, err := v.store.Set(ctx, set)
		if err != nil {
			return nil, err
		}
		a, err := v.filesOf(ctx, set)
		if err != nil {
			return nil, err
		}
		if a.mark != "" && !a.modified.After(snap.Created) {
			marks[set] = a.mark
		}
	}
	return marks, nil
}

// cameFor reports whether files that a sieve's sets are loaded from have come anew, all that come at this time stand still, and this was not
// found before.
func (v *Service) cameFor(ctx context.Context, one store.Schedule, still map[string]bool) (bool, error) {
	sides, err := v.sidesOf(ctx, one.SieveID)
	if err != nil {
		return false, err
	}
	came := false
	for _, set := range sides {
		a, err := v.filesOf(ctx, set)
		newer := a.mark != "" && a.mark != one.Marks[set]
		if err != nil || newer && slices.ContainsFunc(a.paths, func(path string) bool { return !still[path] }) {
			return false, err
		}
		came = came || newer
	}
	return came, nil
}

func (v *Service) sidesOf(ctx context.Context, sieveID uint) (sides [2]string, err error) {
	row, text, err := v.store.SieveNow(ctx, sieveID)
	if err != nil {
		return sides, err
	}
	s, err := sieveOf(row, text)
	if err != nil {
		return sides, err
	}
	return [2]string{s.Definition.Left, s.Definition.Right}, nil
}

// fire brings a sieve's sides up to date and runs it, where both are newer than those of its last run, or whatever they are if it does not wait
// for that. It returns how it went, in plain words.
func (v *Service) fire(ctx context.Context, one store.Schedule) string {
	if who, err := v.store.PersonByID(ctx, one.PersonID); one.PersonID > 0 && (err != nil || !who.Active || !view.Role(who.Role).Allows(view.Analyst)) {
		return fmt.Sprintf("It did not run: %s, in whose name it runs, may not run sieves any more; let somebody else save the schedule.", one.Person)
	}
	sides, err := v.sidesOf(ctx, one.SieveID)
	if err != nil {
		return "It could not run: " + err.Error()
	}
	for _, set := range sides {
		if err := v.reloadNewer(ctx, one, set); err != nil {
			return fmt.Sprintf("It did not run: %s could not be loaded again: %s", set, err)
		}
	}
	last, err := v.store.NewestOf(ctx, one.SieveID)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return "It could not run: " + err.Error()
	}
	if one.Both && last.ID != 0 {
		var old []string
		for s, set := range sides {
			_, snap, err := v.store.Set(ctx, set)
			if err != nil {
				return "It could not run: " + err.Error()
			}
			switch before := [2]uint{last.LeftID, last.RightID}[s]; {
			case snap.ID == before:
				old = append(old, fmt.Sprintf("%s is still snapshot %d", set, snap.Number))
			case v.sameRows(ctx, snap, before):
				old = append(old, fmt.Sprintf("%s has the rows that it had", set))
			}
		}
		if len(old) > 0 {
			return "It waits until both sides are newer than in its last run: " + strings.Join(old, ", and ") + "."
		}
	}
	row, err := v.store.SieveByID(ctx, one.SieveID)
	if err != nil {
		return "It could not run: " + err.Error()
	}
	job, err := v.Run(ctx, row.Name)
	if err != nil {
		return "It could not run: " + err.Error()
	}
	end, err := v.await(ctx, job)
	switch {
	case err != nil:
		return "It could not be followed: " + err.Error()
	case end.Problem != nil:
		return "It did not get there: " + end.Problem.Detail
	}
	return fmt.Sprintf("It ran: report %d.", end.Result.Run)
}

// sameRows reports whether a snapshot of a database's rows has the content of an earlier one: it is read anew at each firing, and not newer for that.
func (v *Service) sameRows(ctx context.Context, snap store.Snapshot, before uint) bool {
	r, ok := recipeOf(snap)
	if !ok || !slices.ContainsFunc(placesOf(r.Source), func(p view.Place) bool { return p.Connection != "" }) {
		return false
	}
	was, err := v.store.Snapshot(ctx, before)
	return err == nil && was.Hash == snap.Hash
}

// reloadNewer loads a set again that comes from the folder or a database, or a stack that does: files only where one is newer than the set.
func (v *Service) reloadNewer(ctx context.Context, one store.Schedule, set string) error {
	_, snap, err := v.store.Set(ctx, set)
	if err != nil {
		return err
	}
	r, ok := recipeOf(snap)
	if !ok || sent(r.Source) {
		return nil
	}
	a, err := v.filesOf(ctx, set)
	if err != nil {
		return err
	}
	fromDatabase := slices.ContainsFunc(placesOf(r.Source), func(p view.Place) bool { return p.Connection != "" })
	if !fromDatabase && a.mark == one.Marks[set] {
		return nil
	}
	job, err := v.Reload(ctx, set, view.SourceRef{}, false)
	if err != nil {
		return err
	}
	end, err := v.await(ctx, job)
	if err == nil && end.Problem != nil {
		err = end.Problem
	}
	if err == nil && a.mark != "" {
		one.Marks[set] = a.mark // the files as they were before it was read; what is written to them since counts as coming anew
	}
	return err
}

// await follows a job to its end.
func (v *Service) await(ctx context.Context, job view.Job) (end view.Job, err error) {
	err = v.Follow(ctx, job.ID, func(j view.Job) error {
		end = j
		return nil
	})
	return end, err
}
