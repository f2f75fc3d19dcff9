package store

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
)

// runRemoved is what Sealed is in the data file for a run that was removed: of it only what people's work on exceptions refers to is
// left. It is neither listed nor read any more.
const runRemoved = 2

// Kept says what is kept of runs and snapshots, beside the newest of each sieve and record set, which always is.
type Kept struct {
	Newest int       // so many of each; 0: any number
	Since  time.Time // those that are not older; zero: any age
}

// RemovableRun is a run that nothing refers to.
type RemovableRun struct {
	ID       uint
	SieveID  uint
	Number   int
	Finished time.Time
	Header   string
	Bytes    int64 // of its index and entries
}

// RemovableSnapshot is a snapshot that neither a run that stays nor a set needs.
type RemovableSnapshot struct {
	ID      uint
	Name    string // of its set
	Number  int
	Created time.Time
	Records int64
	Bytes   int64 // as it is stored
}

func (k Kept) values() map[string]any {
	since := time.Time{} // nothing is older
	if !k.Since.IsZero() {
		since = k.Since.UTC()
	}
	return map[string]any{"newest": k.Newest, "since": since}
}

// Removable lists what a rule lets go: of runs those that are not the newest of their sieve, neither submitted nor signed, and not the source of
// a record set; of snapshots those that are not the newest of their set, and that no run needs which stays.
func (s *Store) Removable(ctx context.Context, k Kept) (runs []RemovableRun, snapshots []RemovableSnapshot, err error) {
	return removable(s.reads.WithContext(ctx), k, true)
}

// removable lists what a rule lets go, with the room that it takes if that is asked for, which takes long.
func removable(db *gorm.DB, k Kept, sized bool) (runs []RemovableRun, snapshots []RemovableSnapshot, err error) {
	ofRun, ofSnapshot := "0", "0"
	if sized {
		const blobs = "(SELECT coalesce(sum(length(blob)), 0) FROM %s p WHERE p.%s)"
		var tables []string
		for _, table := range []string{"index_parts", "body_blocks", "entry_blocks", "carried_chunks"} {
			tables = append(tables, fmt.Sprintf(blobs, table, "run_id = r.id"))
		}
		ofRun, ofSnapshot = strings.Join(tables, " + "), fmt.Sprintf(blobs, "chunks", "snapshot_id = s.id")
	}
	values := k.values()
	err = db.Raw(`SELECT r.id, r.sieve_id, r.number, r.finished, r.header, `+ofRun+` AS bytes
		FROM (SELECT runs.*, row_number() OVER (PARTITION BY sieve_id ORDER BY id DESC) AS place FROM runs WHERE sealed = 1) r
		WHERE place > 1 AND (@newest > 0 AND place > @newest OR r.finished < @since)
		AND r.id NOT IN (SELECT run_id FROM sign_offs WHERE state <> 'draft')
		AND NOT EXISTS (SELECT 1 FROM snapshots s WHERE s.sealed = 1 AND json_valid(s.recipe) AND json_extract(s.recipe, '$.source.result.run') = r.id)
		ORDER BY r.id`, values).Scan(&runs).Error
	if err != nil {
		return nil, nil, err
	}
	gone := []uint{0}
	for _, r := range runs {
		gone = append(gone, r.ID)
	}
	values["gone"] = gone
	err = db.Raw(`SELECT s.id, s.name, s.number, s.created, s.records, `+ofSnapshot+` AS bytes
		FROM (SELECT n.id, n.number, n.created, n.records, t.name, row_number() OVER (PARTITION BY record_set_id ORDER BY number DESC) AS place
			FROM snapshots n JOIN record_sets t ON t.id = n.record_set_id WHERE n.sealed = 1) s
		WHERE place > 1 AND (@newest > 0 AND place > @newest OR s.created < @since)
		AND s.id NOT IN (SELECT left_id FROM runs WHERE sealed < `+fmt.Sprint(runRemoved)+` AND id NOT IN @gone UNION SELECT right_id FROM runs WHERE sealed < `+fmt.Sprint(runRemoved)+` AND id NOT IN @gone)
		ORDER BY s.id`, values).Scan(&snapshots).Error
	return runs, snapshots, err
}

// Remove removes runs and snapshots that a rule lets go, with the rule in words in the history. If the rule lets go of anything else by now,
// nothing is removed and the error is [ErrChanged]. Each exception keeps what it was last seen as, with its conversation.
func (s *Store) Remove(ctx context.Context, k Kept, runs []RemovableRun, snapshots []RemovableSnapshot, says string) error {
	if len(runs)+len(snapshots) == 0 {
		return nil
	}
	gone, dropped := append([]uint{0}, runIDs(runs)...), append([]uint{0}, snapshotIDs(snapshots)...)
	// First they vanish, in one transaction with the history's entry; then the room that they take is given back, bit by bit. What a crash leaves
	// of that is done by the next start.
	err := s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		now, old, err := removable(tx, k, false)
		if err != nil {
			return happened{}, err
		}
		if !slices.Equal(runIDs(now), runIDs(runs)) || !slices.Equal(snapshotIDs(old), snapshotIDs(snapshots)) {
			return happened{}, ErrChanged
		}
		for _, sql := range []string{"DELETE FROM shares WHERE run_id IN ?", "DELETE FROM sign_offs WHERE run_id IN ?", fmt.Sprintf("UPDATE runs SET sealed = %d WHERE id IN ?", runRemoved)} {
			if err := tx.Exec(sql, gone).Error; err != nil {
				return happened{}, err
			}
		}
		what := happened{"retention.applied", "run", fmt.Sprint(len(runs)), map[string]any{"rule": says, "runs": gone[1:], "snapshots": dropped[1:]}}
		return what, tx.Exec("UPDATE snapshots SET sealed = 0 WHERE id IN ?", dropped).Error
	})
	if err != nil {
		return err
	}
	for _, snap := range snapshots {
		if err := s.dropSnapshot(ctx, snap.ID); err != nil {
			return err
		}
	}
	return s.thin(ctx)
}

func runIDs(runs []RemovableRun) []uint {
	ids := make([]uint, len(runs))
	for i, r := range runs {
		ids[i] = r.ID
	}
	return ids
}

func snapshotIDs(snapshots []RemovableSnapshot) []uint {
	ids := make([]uint, len(snapshots))
	for i, snap := range snapshots {
		ids[i] = snap.ID
	}
	return ids
}

// thin deletes what is left of removed runs, but for the blocks in which stands what exceptions or other runs' entries show.
func (s *Store) thin(ctx context.Context) error {
	var ids []uint
	if err := s.reads.WithContext(ctx).Table("runs").Where("sealed = ?", runRemoved).Pluck("id", &ids).Error; err != nil || len(ids) == 0 {
		return err
	}
	shown, err := s.shownOf(ctx, ids)
	if err != nil {
		return err
	}
	for _, id := range ids {
		for _, table := range []string{"entry_blocks", "index_parts", "carried_chunks", "found_blocks"} {
			if err := s.deleteAll(ctx, table, "run_id", id); err != nil {
				return err
			}
		}
		for gone := int64(1); gone > 0; {
			err := s.write(ctx, bulk, func(tx *gorm.DB) error {
				r := tx.Exec(`DELETE FROM body_blocks WHERE run_id = @run AND block IN (SELECT block FROM body_blocks WHERE run_id = @run AND block NOT IN (
					SELECT (body_seq - 1) / @size FROM exceptions WHERE body_run = @run
					UNION SELECT value FROM json_each(@shown)) LIMIT 500)`,
					map[string]any{"run": id, "size": bodiesInBlock, "shown": numbers(shown[id])})
				gone = r.RowsAffected
				return r.Error
			})
			if err != nil {
				return err
			}
		}
	}
	return s.giveBack(ctx)
}

// shownOf is which blocks of bodies of removed runs entries of other runs show, by run.
func (s *Store) shownOf(ctx context.Context, removed []uint) (map[uint][]int64, error) {
	shown := map[uint][]int64{}
	for _, id := range removed {
		shown[id] = nil
	}
	var by []uint
	err := s.reads.WithContext(ctx).Raw("SELECT id FROM runs WHERE sealed <> ? AND sieve_id IN (SELECT sieve_id FROM runs WHERE id IN ?)", runRemoved, removed).Scan(&by).Error
	if err != nil {
		return nil, err
	}
	for _, run := range by {
		var blocks []int64
		if err := s.reads.WithContext(ctx).Raw("SELECT block FROM entry_blocks WHERE run_id = ? AND oldest < run_id ORDER BY block", run).Scan(&blocks).Error; err != nil {
			return nil, err
		}
		for some := range slices.Chunk(blocks, blocksAtOnce) {
			var list []Entry
			err := s.eachBlock(ctx, run, "block IN (SELECT value FROM json_each(?))", []any{numbers(some)}, func(b *entryBlock) (err error) {
				list, err = b.unpack(list, nil)
				return err
			})
			if err != nil {
				return nil, err
			}
			for i := range list {
				if of, is := shown[list[i].BodyRun]; is {
					shown[list[i].BodyRun] = append(of, blockOf(list[i].BodySeq))
				}
			}
		}
	}
	for id := range shown {
		slices.Sort(shown[id])
		shown[id] = slices.Compact(shown[id])
	}
	return shown, nil
}

// Header returns what a run keeps of all that it was made from, and its number, whether or not it was removed.
func (s *Store) Header(ctx context.Context, run uint) (header string, number int, err error) {
	err = s.reads.WithContext(ctx).Raw("SELECT header, number FROM runs WHERE id = ? AND sealed <> 0", run).Row().Scan(&header, &number)
	return header, number, err
}
