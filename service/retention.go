package service

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"twinsieve/service/summary"
	"twinsieve/service/view"
	"twinsieve/store"
)

// kept gives a rule the form in which the store knows it, and says it in words.
func kept(r view.Retention) (store.Kept, string, error) {
	var k store.Kept
	var parts []string
	if r.Newest < 0 || r.Days < 0 || r.Newest == 0 && r.Days == 0 {
		return k, "", view.Invalid.New("Say what is kept: so many of each, or those of so many days. The newest of each is kept in any case.")
	}
	if r.Newest > 0 {
		k.Newest = r.Newest
		parts = append(parts, fmt.Sprintf("the newest %d of each", r.Newest))
	}
	if r.Days > 0 {
		k.Since = time.Now().UTC().AddDate(0, 0, -r.Days)
		parts = append(parts, fmt.Sprintf("those of the last %s", summary.Count(int64(r.Days), "day")))
	}
	return k, "kept were " + strings.Join(parts, ", and of these "), nil
}

// Removable says what a rule would let go, and removes nothing.
func (v *Service) Removable(ctx context.Context, r view.Retention) (*view.Removable, error) {
	k, _, err := kept(r)
	if err != nil {
		return nil, err
	}
	runs, snapshots, err := v.store.Removable(ctx, k)
	if err != nil {
		return nil, err
	}
	return removable(runs, snapshots)
}

// removable says what runs and snapshots go.
func removable(runs []store.RemovableRun, snapshots []store.RemovableSnapshot) (*view.Removable, error) {
	list := sha256.New()
	out := &view.Removable{Runs: []view.RemovableRun{}, Snapshots: []view.RemovableSnapshot{}}
	for _, run := range runs {
		var h header
		if err := json.Unmarshal([]byte(run.Header), &h); err != nil {
			return nil, err
		}
		fmt.Fprintln(list, "run", run.ID)
		out.Bytes += run.Bytes
		out.Runs = append(out.Runs, view.RemovableRun{Run: run.ID, Sieve: h.Sieve, Number: run.Number, Finished: run.Finished, Bytes: run.Bytes})
	}
	for _, s := range snapshots {
		fmt.Fprintln(list, "snapshot", s.ID)
		out.Bytes += s.Bytes
		out.Snapshots = append(out.Snapshots, view.RemovableSnapshot{Set: s.Name, Number: s.Number, Created: s.Created, Records: s.Records, Bytes: s.Bytes})
	}
	out.List = hex.EncodeToString(list.Sum(nil)[:16])
	out.Says = fmt.Sprintf("%s and %s go. Exceptions, what people have done about them, and reports that are submitted or signed stay.", summary.Count(int64(len(runs)), "run"), summary.Count(int64(len(snapshots)), "snapshot"))
	return out, nil
}

// Remove removes what a rule lets go, where that is still what was listed, and returns it.
func (v *Service) Remove(ctx context.Context, r view.Removal) (*view.Removable, error) {
	k, says, err := kept(r.Retention)
	if err != nil {
		return nil, err
	}
	runs, snapshots, err := v.store.Removable(ctx, k)
	if err != nil {
		return nil, err
	}
	out, err := removable(runs, snapshots)
	if err != nil {
		return nil, err
	}
	if out.List != r.List {
		err = store.ErrChanged
	} else {
		err = v.store.Remove(ctx, k, runs, snapshots, says)
	}
	if errors.Is(err, store.ErrChanged) {
		return nil, view.Changed.New("This rule selects other runs and snapshots now than the ones that were listed. Nothing was removed. List them again.")
	}
	if err != nil {
		return nil, problem(err, "")
	}
	for _, run := range out.Runs {
		v.desks.drop(run.Run)
	}
	out.Says = strings.Replace(out.Says, " go.", " are gone.", 1)
	return out, nil
}
