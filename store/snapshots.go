package store

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"hash"
	"sync/atomic"
	"time"

	"github.com/apache/arrow-go/v18/arrow"
	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"twinsieve/core/record"
)

// SetNames lists the names of the record sets.
func (s *Store) SetNames(ctx context.Context) (names []string, err error) {
	err = s.reads.WithContext(ctx).Model(&RecordSet{}).Order("name").Pluck("name", &names).Error
	return names, err
}

// Sets lists the record sets by name, each with its newest snapshot.
func (s *Store) Sets(ctx context.Context) ([]RecordSet, []Snapshot, error) {
	var sets []RecordSet
	if err := s.reads.WithContext(ctx).Order("name").Find(&sets).Error; err != nil {
		return nil, nil, err
	}
	newest := make([]Snapshot, 0, len(sets))
	visible := sets[:0]
	for _, set := range sets {
		snap, err := s.newest(ctx, set.ID)
		if err == ErrNotFound {
			continue // its first load is still under way
		}
		if err != nil {
			return nil, nil, err
		}
		visible = append(visible, set)
		newest = append(newest, snap)
	}
	return visible, newest, nil
}

// Set returns a record set and its newest snapshot. A set whose first load is not sealed is not found.
func (s *Store) Set(ctx context.Context, name string) (RecordSet, Snapshot, error) {
	var set RecordSet
	if err := s.reads.WithContext(ctx).Where("name = ?", name).Take(&set).Error; err != nil {
		return set, Snapshot{}, plainError(err)
	}
	snap, err := s.newest(ctx, set.ID)
	return set, snap, err
}

func (s *Store) newest(ctx context.Context, set uint) (snap Snapshot, err error) {
	err = s.reads.WithContext(ctx).Where("record_set_id = ? AND sealed = 1", set).Order("number DESC").Take(&snap).Error
	return snap, plainError(err)
}

// Snapshot returns a sealed snapshot.
func (s *Store) Snapshot(ctx context.Context, id uint) (snap Snapshot, err error) {
	err = s.reads.WithContext(ctx).Where("sealed = 1").Take(&snap, id).Error
	return snap, plainError(err)
}

// SnapshotWriter writes a snapshot batch by batch. Nothing of it is visible before [SnapshotWriter.Seal].
type SnapshotWriter struct {
	store *Store
	snap  Snapshot
	hash  hash.Hash
	under errgroup.Group // batches that are being written
	last  chan struct{}  // closed once all batches before the next are in the hash
	wrong atomic.Bool    // one of them could not be

	follows int // number of the snapshot that must be the newest; 0: any; -1: there must be none
}

// NewSnapshot begins a snapshot, of which columns, source, delimiter and recipe are given, of the record set with the given
// name, which is made where it is not there.
func (s *Store) NewSnapshot(ctx context.Context, name string, snap Snapshot) (*SnapshotWriter, error) {
	w := &SnapshotWriter{store: s, hash: sha256.New(), snap: snap, last: make(chan struct{})}
	close(w.last)
	w.under.SetLimit(batchesUnder)
	w.snap.Starts, w.snap.Created = []int64{}, time.Now().UTC()
	head, err := json.Marshal(snap.Columns)
	if err != nil {
		return nil, err
	}
	w.hash.Write(head)
	err = s.write(ctx, bulk, func(tx *gorm.DB) error {
		set := RecordSet{Name: name, Created: w.snap.Created}
		if err := tx.Where("name = ?", name).FirstOrCreate(&set).Error; err != nil {
			return err
		}
		w.snap.RecordSetID = set.ID
		return tx.Create(&w.snap).Error
	})
	return w, err
}

// batchesUnder is how many batches are encoded and written at once.
const batchesUnder = 3

// Add writes a batch, in one short transaction, while the next is being made: that it could not be is said by a later call, [SnapshotWriter.Seal] at the latest.
func (w *SnapshotWriter) Add(ctx context.Context, b *record.Batch) error {
	if w.wrong.Load() {
		return w.under.Wait()
	}
	number, first := len(w.snap.Starts), w.snap.Records
	w.snap.Starts = append(w.snap.Starts, first)
	w.snap.Records += int64(b.Records())
	before, hashed := w.last, make(chan struct{})
	w.last = hashed
	w.under.Go(func() error {
		<-before // each batch goes into the hash after the one before it
		w.digest(b)
		close(hashed)
		if err := w.write(ctx, number, b); err != nil {
			w.wrong.Store(true)
			return err
		}
		if b.Built() && b.First == first { // it will be profiled next
			w.store.near.put(batchKey{w.snap.ID, number}, b, false)
		}
		return nil
	})
	return ctx.Err()
}

// digest puts a batch into the hash: of each column the places of its cells, their text, and which of them are null.
func (w *SnapshotWriter) digest(b *record.Batch) {
	for _, col := range b.Columns {
		w.hash.Write(arrow.Int32Traits.CastToBytes(col.ValueOffsets()))
		w.hash.Write(col.ValueBytes())
		if col.NullN() > 0 {
			for i := range col.Len() {
				if col.IsNull(i) {
					w.hash.Write(binary.LittleEndian.AppendUint32(nil, uint32(i)))
				}
			}
		}
	}
}

// write writes a batch, as the one of the given number.
func (w *SnapshotWriter) write(ctx context.Context, number int, b *record.Batch) error {
	chunks := make([][]any, 0, len(b.Columns)+1)
	for c, col := range b.Columns {
		blob, err := record.EncodeColumn(col)
		if err != nil {
			return err
		}
		chunks = append(chunks, []any{w.snap.ID, number, c, blob})
	}
	lines, err := record.EncodeLines(b.Lines)
	if err != nil {
		return err
	}
	chunks = append(chunks, []any{w.snap.ID, number, linesColumn, lines})
	return w.store.writeRows(ctx, func(to *rowWriter) error { return to.insert("chunks", `snapshot_id, batch, "column", blob`, chunks) })
}

// AddRejects writes rejected lines.
func (w *SnapshotWriter) AddRejects(ctx context.Context, rejects []Reject) error {
	for i := range rejects {
		w.snap.Rejects++
		rejects[i].SnapshotID, rejects[i].Seq = w.snap.ID, w.snap.Rejects
	}
	return w.store.write(ctx, bulk, func(tx *gorm.DB) error { return tx.CreateInBatches(rejects, 200).Error })
}

// Hash is the hash of what has been added so far.
func (w *SnapshotWriter) Hash() string {
	<-w.last
	return hex.EncodeToString(w.hash.Sum(nil))
}

// MadeFrom says that the snapshot is made from one of its set, which must still be the newest when it is sealed.
func (w *SnapshotWriter) MadeFrom(number int) { w.follows = number }

// First says that the snapshot is the first of its set, which must still have none when it is sealed.
func (w *SnapshotWriter) First() { w.follows = -1 }

// Describe replaces what was said when the snapshot was begun about how it is made, in JSON.
func (w *SnapshotWriter) Describe(recipe string) { w.snap.Recipe = recipe }

// Seal makes the snapshot visible, as the newest of its set. findings is JSON. Where another has become the newest than the
// one that it follows, the error is [ErrChanged].
func (w *SnapshotWriter) Seal(ctx context.Context, bytes int64, findings string) (Snapshot, error) {
	if err := w.under.Wait(); err != nil {
		return Snapshot{}, err
	}
	w.snap.Bytes = bytes
	w.snap.Findings = findings
	w.snap.Hash = w.Hash()
	w.snap.Sealed = true
	err := w.store.recorded(ctx, bulk, func(tx *gorm.DB) (happened, error) {
		var last int
		if err := tx.Model(&Snapshot{}).Select("coalesce(max(number), 0)").Where("record_set_id = ? AND sealed = 1", w.snap.RecordSetID).Scan(&last).Error; err != nil {
			return happened{}, err
		}
		if w.follows > 0 && w.follows != last || w.follows < 0 && last > 0 {
			return happened{}, ErrChanged
		}
		w.snap.Number = last + 1
		var set RecordSet
		if err := tx.Take(&set, w.snap.RecordSetID).Error; err != nil {
			return happened{}, err
		}
		what := happened{"set.loaded", "set", set.Name, map[string]any{"snapshot": w.snap.Number, "hash": w.snap.Hash, "records": w.snap.Records, "rejects": w.snap.Rejects, "source": w.snap.Source}}
		return what, tx.Save(&w.snap).Error
	})
	return w.snap, err
}

// Snapshots lists the sealed snapshots of a set, the newest first.
func (s *Store) Snapshots(ctx context.Context, set uint) (list []Snapshot, err error) {
	err = s.reads.WithContext(ctx).Where("record_set_id = ? AND sealed = 1", set).Order("number DESC").Find(&list).Error
	return list, err
}

// SameContent returns a sealed snapshot with a hash, and its set's name.
func (s *Store) SameContent(ctx context.Context, hash string) (set string, snap Snapshot, err error) {
	if err = s.reads.WithContext(ctx).Where("hash = ? AND sealed = 1", hash).Order("id").Take(&snap).Error; err != nil {
		return "", snap, plainError(err)
	}
	err = s.reads.WithContext(ctx).Model(&RecordSet{}).Where("id = ?", snap.RecordSetID).Pluck("name", &set).Error
	return set, snap, err
}

// PutProfile keeps the profile of a snapshot.
func (s *Store) PutProfile(ctx context.Context, p Profile) error {
	return s.write(ctx, bulk, func(tx *gorm.DB) error { return tx.Save(&p).Error })
}

// Profile returns the profile of a snapshot.
func (s *Store) Profile(ctx context.Context, snapshot uint) (p Profile, err error) {
	err = s.reads.WithContext(ctx).Take(&p, snapshot).Error
	return p, plainError(err)
}

// Drop removes what was written of a snapshot that will not be sealed. It does so whatever has become of the context
// that the snapshot was written under.
func (w *SnapshotWriter) Drop() error {
	_ = w.under.Wait() // what has gone wrong has been said
	return w.store.dropSnapshot(context.Background(), w.snap.ID)
}

// dropSnapshot removes a snapshot some rows at a time, then its set where nothing else is in it.
func (s *Store) dropSnapshot(ctx context.Context, id uint) error {
	s.near.forget(id)
	for _, table := range []string{"chunks", "rejects", "profiles"} {
		if err := s.deleteAll(ctx, table, "snapshot_id", id); err != nil {
			return err
		}
	}
	err := s.write(ctx, bulk, func(tx *gorm.DB) error {
		var snap Snapshot
		if err := tx.Take(&snap, id).Error; err != nil {
			return err
		}
		if err := tx.Delete(&snap).Error; err != nil {
			return err
		}
		return tx.Exec("DELETE FROM record_sets WHERE id = ? AND NOT EXISTS (SELECT 1 FROM snapshots WHERE record_set_id = record_sets.id)", snap.RecordSetID).Error
	})
	if err != nil {
		return err
	}
	return s.giveBack(ctx)
}

// DeleteSet removes a record set with all its snapshots. One of which a submitted or signed report, or a run that is under way, needs a snapshot
// stays: the error is [ErrNeeded], and by says which run it is.
func (s *Store) DeleteSet(ctx context.Context, name string) (by Run, err error) {
	set, _, err := s.Set(ctx, name)
	if err != nil {
		return by, err
	}
	// Unsealed first, in one transaction, so that nobody sees half of it.
	err = s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		const needed = `SELECT r.* FROM runs r JOIN snapshots n ON n.id IN (r.left_id, r.right_id) WHERE n.record_set_id = ?
			AND (r.sealed = 0 OR r.sealed = 1 AND r.id IN (SELECT run_id FROM sign_offs WHERE state <> ?)) ORDER BY r.sealed DESC, r.id DESC LIMIT 1`
		if err := tx.Raw(needed, set.ID, ReportDraft).Scan(&by).Error; err != nil {
			return happened{}, err
		}
		if by.ID != 0 {
			return happened{}, ErrNeeded
		}
		return happened{"set.deleted", "set", name, nil}, tx.Model(&Snapshot{}).Where("record_set_id = ?", set.ID).Update("sealed", false).Error
	})
	if err != nil {
		return by, err
	}
	var ids []uint
	if err := s.reads.WithContext(ctx).Model(&Snapshot{}).Where("record_set_id = ?", set.ID).Pluck("id", &ids).Error; err != nil {
		return by, err
	}
	for _, id := range ids {
		if err := s.dropSnapshot(ctx, id); err != nil {
			return by, err
		}
	}
	return by, nil
}

// deletedAtOnce is how many rows are deleted before it is seen whether a person's change waits, and deletions how often that is so in one
// transaction.
const (
	deletedAtOnce = 500
	deletions     = 20
)

// deleteAll deletes a parent's rows from a table, so that nobody waits long for the writer.
func (s *Store) deleteAll(ctx context.Context, table, parent string, id uint) error {
	key := map[string]string{"chunks": "batch, \"column\"", "rejects": "seq", "profiles": "snapshot_id", "entry_blocks": "block", "turned": "exception_id", "body_blocks": "block",
		"index_parts": "side, part", "carried_chunks": "side, batch, \"column\"", "found_blocks": "sort, block"}[table]
	statement := fmt.Sprintf("DELETE FROM %[1]s WHERE %[2]s = ? AND (%[3]s) IN (SELECT %[3]s FROM %[1]s WHERE %[2]s = ? LIMIT %[4]d)", table, parent, key, deletedAtOnce)
	for gone := deletedAtOnce; gone > 0; {
		err := s.writeRows(ctx, func(to *rowWriter) (err error) {
			for range deletions {
				if gone, err = to.change(statement, id, id); err != nil || gone == 0 || s.queue.urgentWaits() {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// Rejects returns rejects of a snapshot behind the one with the given number.
func (s *Store) Rejects(ctx context.Context, snapshot uint, after int64, limit int) (rejects []Reject, err error) {
	err = s.reads.WithContext(ctx).Where("snapshot_id = ? AND seq > ?", snapshot, after).Order("seq").Limit(limit).Find(&rejects).Error
	return rejects, err
}
