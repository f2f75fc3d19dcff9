package service

import (
	"context"
	"encoding/json"

	"twinsieve/core/record"
	"twinsieve/core/typing"
	"twinsieve/service/view"
	"twinsieve/store"
)

// writing is a snapshot that is being written, from the first batch to its seal.
type writing struct {
	*store.SnapshotWriter
	set    string
	kinds  finders
	looked int // records in which the types of columns have been looked for
}

// newWriting begins a snapshot of a set, of which columns and source are given.
func (v *Service) newWriting(ctx context.Context, set string, snap store.Snapshot, recipe view.Recipe) (*writing, error) {
	text, err := json.Marshal(recipe)
	if err != nil {
		return nil, err
	}
	snap.Recipe = string(text)
	w, err := v.store.NewSnapshot(ctx, set, snap)
	if err != nil {
		return nil, err
	}
	return &writing{SnapshotWriter: w, set: set, kinds: recipe.Choices.Finders(snap.Columns)}, nil
}

// add writes a batch. The types of columns are found in the first records.
func (w *writing) add(ctx context.Context, b *record.Batch) error {
	if w.looked < record.BatchRecords {
		w.kinds.add(b, record.BatchRecords-w.looked)
		w.looked += b.Records()
	}
	return w.Add(ctx, b)
}

// seal makes the snapshot visible, with what was found.
func (w *writing) seal(ctx context.Context, bytes int64, findings view.Findings) (*view.JobResult, error) {
	findings.Types = []typing.Type{}
	for _, k := range w.kinds {
		findings.Types = append(findings.Types, k.Find().Type)
	}
	text, err := json.Marshal(findings)
	if err != nil {
		return nil, err
	}
	snap, err := w.Seal(ctx, bytes, string(text))
	if err != nil {
		return nil, err
	}
	written := setOf(store.RecordSet{Name: w.set}, snap)
	return &view.JobResult{Set: &written}, nil
}

// drop removes what was written of a snapshot that will not be sealed.
func (v *Service) drop(w *writing) {
	if err := w.Drop(); err != nil {
		v.options.Log.Error("the remains of a load could not be removed", "set", w.set, "error", err)
	}
}
