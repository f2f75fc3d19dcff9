package service

import (
	"context"
	"encoding/json"
	"errors"

	"twinsieve/core/pace"
	"twinsieve/core/profile"
	"twinsieve/service/view"
	"twinsieve/store"
)

// Profile returns the profile of a set's newest snapshot, where it has been made.
func (v *Service) Profile(ctx context.Context, name string) (*view.Profile, error) {
	_, snap, err := v.set(ctx, name)
	if err != nil {
		return nil, err
	}
	p := &view.Profile{Set: name, Snapshot: snap.Number, Rejects: snap.Rejects}
	row, err := v.store.Profile(ctx, snap.ID)
	if errors.Is(err, store.ErrNotFound) {
		return p, nil
	}
	if err != nil {
		return nil, err
	}
	return p, json.Unmarshal([]byte(row.Body), &p.Profile)
}

// MakeProfile begins to profile a set's newest snapshot. Where that has been done, the job ends at once.
func (v *Service) MakeProfile(ctx context.Context, name string) (view.Job, error) {
	set, snap, err := v.set(ctx, name)
	if err != nil {
		return view.Job{}, err
	}
	return v.jobs.start(ctx, "profile", name, "", func(ctx context.Context, j *job) (*view.JobResult, error) {
		of := setOf(set, snap)
		result := &view.JobResult{Set: &of}
		if _, err := v.store.Profile(ctx, snap.ID); !errors.Is(err, store.ErrNotFound) {
			return result, err
		}
		recipe, _ := recipeOf(snap)
		j.expect(pace.Leg{Stage: "profiling", Units: float64(snap.Records) * float64(len(snap.Columns))})
		p, err := profile.Of(ctx, v.store.Table(snap), profile.Options{Types: recipe.Choices.StatedTypes(), Workers: v.options.Workers, Budget: v.options.Memory / (2 * jobsAtOnce),
			Progress: func(done, total int64) { j.progress("profiling", done, total) }})
		if err != nil {
			return nil, err
		}
		text, err := json.Marshal(p)
		if err != nil {
			return nil, err
		}
		return result, v.store.PutProfile(ctx, store.Profile{SnapshotID: snap.ID, Body: string(text)})
	})
}
