package store

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"maps"
	"slices"

	"github.com/klauspost/compress/s2"
	"github.com/klauspost/compress/zstd"
	"gorm.io/gorm"
)

// bodiesInBlock is how many entries of a report, which stand next to each other in it, share a block of bodies. More are packed better,
// and fewer are quicker to read one of.
const bodiesInBlock = 32

// BodyBlock is what people see of some entries of a run, with copies of the cells: of those at places bodiesInBlock·Block+1 and on.
type BodyBlock struct {
	RunID uint  `gorm:"primaryKey;autoIncrement:false"`
	Block int64 `gorm:"primaryKey;autoIncrement:false"`
	Blob  []byte
}

// blockOf is the block in which what is shown of an entry stands.
func blockOf(seq int64) int64 { return (seq - 1) / bodiesInBlock }

// unpackerOfBefore cannot fail with these options.
var unpackerOfBefore, _ = zstd.NewReader(nil, zstd.WithDecoderConcurrency(0))

// packText packs text into a blob. Before it stands a zero, with which blobs do not begin that were packed before, by zstd.
func packText(text []byte) []byte {
	blob := make([]byte, 1+s2.MaxEncodedLen(len(text)))
	return blob[:1+len(s2.Encode(blob[1:], text))]
}

// unpackText gives back what packText has packed, or what was packed before.
func unpackText(blob []byte) ([]byte, error) {
	if len(blob) > 0 && blob[0] == 0 {
		return s2.Decode(nil, blob[1:])
	}
	return unpackerOfBefore.DecodeAll(blob, nil)
}

// packBodies puts bodies into a blob: each one's length and text, all of them packed. An empty body is none.
func packBodies(bodies []string) []byte {
	size := 0
	for _, b := range bodies {
		size += binary.MaxVarintLen32 + len(b)
	}
	text := make([]byte, 0, size)
	for _, b := range bodies {
		text = append(binary.AppendUvarint(text, uint64(len(b))), b...)
	}
	return packText(text)
}

var errBodies = errors.New("what is shown of an entry is damaged in the data file; restore a copy of the file")

// unpackBodies gives back what packBodies has packed.
func unpackBodies(blob []byte) (bodies []string, err error) {
	text, err := unpackText(blob)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", errBodies, err)
	}
	for len(text) > 0 {
		length, n := binary.Uvarint(text)
		if n <= 0 || length > uint64(len(text)-n) {
			return nil, errBodies
		}
		end := n + int(length)
		bodies, text = append(bodies, string(text[n:end])), text[end:]
	}
	return bodies, nil
}

// shelf puts the bodies of a run's entries, place by place, into blocks.
type shelf struct {
	run    uint
	block  int64    // that is being filled
	bodies []string // in it so far
}

// add puts up the next entry's body, empty where it has none, and returns the block that it has filled, if it has.
func (s *shelf) add(body string) (full *BodyBlock) {
	if s.bodies = append(s.bodies, body); len(s.bodies) < bodiesInBlock {
		return nil
	}
	return s.take()
}

// take is the block that is being filled, nil where there is nothing in it. The next one is begun.
func (s *shelf) take() *BodyBlock {
	bodies, block := s.bodies, s.block
	s.bodies, s.block = s.bodies[:0], s.block+1
	if !slices.ContainsFunc(bodies, func(b string) bool { return b != "" }) {
		return nil
	}
	return &BodyBlock{s.run, block, packBodies(bodies)}
}

// piece is the block's row.
func (b *BodyBlock) piece() piece {
	return piece{"body_blocks", "run_id, block, blob", [][]any{{b.RunID, b.Block, b.Blob}}}
}

// bodies reads what is shown of n entries: of each it is said in which run it stands and at which place, and it is put where it belongs.
func (s *Store) bodies(ctx context.Context, n int, of func(i int) (run uint, seq int64), put func(i int, body string)) error {
	type place struct{ i, at int } // which of them it is, and where in its block
	within := map[uint]map[int64][]place{}
	for i := range n {
		run, seq := of(i)
		if within[run] == nil {
			within[run] = map[int64][]place{}
		}
		within[run][blockOf(seq)] = append(within[run][blockOf(seq)], place{i, int(seq-1) % bodiesInBlock})
	}
	found := 0
	for run, blocks := range within {
		wanted := slices.Collect(maps.Keys(blocks))
		err := s.bulk.each(ctx, "SELECT block, blob FROM body_blocks WHERE run_id = ? AND block IN (SELECT value FROM json_each(?))", []any{run, numbers(wanted)}, func(r row) error {
			bodies, err := unpackBodies(r.bytes(1))
			if err != nil {
				return err
			}
			for _, p := range blocks[r.number(0)] {
				if p.at < len(bodies) && bodies[p.at] != "" {
					put(p.i, bodies[p.at])
					found++
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	if found < n {
		return errBodies
	}
	return nil
}

// packBodyRows packs the bodies of entries as they were kept before, each in a row of its own.
func packBodyRows(tx *gorm.DB) error {
	var runs []uint
	if err := tx.Raw("SELECT DISTINCT run_id FROM entry_bodies").Scan(&runs).Error; err != nil {
		return err
	}
	for _, run := range runs {
		for after := int64(-1); ; {
			var rows []struct {
				Seq  int64
				Body string
			}
			// Whole blocks at a time, from the next one that has an entry.
			err := tx.Raw(`SELECT seq, body FROM entry_bodies WHERE run_id = @run AND (seq - 1) / @size > @after AND seq > @after * @size ORDER BY seq LIMIT @size`,
				map[string]any{"run": run, "after": after, "size": bodiesInBlock}).Scan(&rows).Error
			if err != nil {
				return err
			}
			if len(rows) == 0 {
				break
			}
			after = blockOf(rows[0].Seq)
			bodies := make([]string, bodiesInBlock)
			for _, r := range rows {
				if blockOf(r.Seq) == after {
					bodies[(r.Seq-1)%bodiesInBlock] = r.Body
				}
			}
			if err := tx.Create(&BodyBlock{run, after, packBodies(bodies)}).Error; err != nil {
				return err
			}
		}
	}
	return tx.Exec("DROP TABLE entry_bodies").Error
}
