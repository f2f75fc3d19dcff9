package store

import (
	"context"
	"slices"
)

// blocksAtOnce is how many blocks are read in one go.
const blocksAtOnce = 32

// eachEntry visits all entries of a run from the block of a place on, in the order of its report, some at a time, until visit says that it is enough. How the work on them stands is
// as it was when the report was signed, or as they were written. The list is used again for those that come next.
func (s *Store) eachEntry(ctx context.Context, run uint, from int64, visit func([]Entry) (enough bool, err error)) error {
	list := make([]Entry, 0, blocksAtOnce*entriesInBlock)
	for block := entryBlockOf(max(from, 1)); ; {
		list = list[:0]
		blocks := 0
		err := s.eachBlock(ctx, run, "block >= ? ORDER BY block LIMIT ?", []any{block, blocksAtOnce}, func(b *entryBlock) (err error) {
			blocks++
			list, err = b.unpack(list, nil)
			return err
		})
		if err != nil || blocks == 0 {
			return err
		}
		block = entryBlockOf(list[len(list)-1].Seq) + 1
		if enough, err := visit(list); enough || err != nil || blocks < blocksAtOnce {
			return err
		}
	}
}

// eachBlock visits the blocks of a run that a condition names.
func (s *Store) eachBlock(ctx context.Context, run uint, where string, values []any, visit func(*entryBlock) error) error {
	return s.bulk.each(ctx, "SELECT block, entries, exceptions, blob FROM entry_blocks WHERE run_id = ? AND "+where, slices.Concat([]any{run}, values), func(r row) error {
		return visit(&entryBlock{run: run, block: r.number(0), entries: int(r.number(1)), exceptions: r.bytes(2), blob: r.bytes(3)})
	})
}

// entriesAt reads entries of a run by their places, in the order asked for. Places where there is none are left out.
func (s *Store) entriesAt(ctx context.Context, run uint, seqs []int64) ([]Entry, error) {
	at := make(map[int64]int, len(seqs)) // first where it is asked for, then where it is
	blocks := make([]int64, len(seqs))
	for i, seq := range seqs {
		at[seq], blocks[i] = -1, entryBlockOf(seq)
	}
	slices.Sort(blocks)
	asked := func(seq int64, _ uint) bool { _, is := at[seq]; return is }
	list := make([]Entry, 0, len(at))
	err := s.eachBlock(ctx, run, "block IN (SELECT value FROM json_each(?))", []any{numbers(slices.Compact(blocks))}, func(b *entryBlock) (err error) {
		list, err = b.unpack(list, asked)
		return err
	})
	if err != nil {
		return nil, err
	}
	for i := range list {
		at[list[i].Seq] = i
	}
	page := make([]Entry, 0, len(seqs))
	for _, seq := range seqs {
		if i := at[seq]; i >= 0 {
			page = append(page, list[i])
		}
	}
	return page, nil
}

// entriesOf reads a run's entries of exceptions, in the order of its report. Only blocks that have some of them are unpacked.
func (s *Store) entriesOf(ctx context.Context, run uint, exceptions []uint) (page []Entry, err error) {
	if len(exceptions) == 0 {
		return nil, nil
	}
	wanted := slices.Compact(slices.Sorted(slices.Values(exceptions)))
	among := func(id uint) bool { _, is := slices.BinarySearch(wanted, id); return is }
	// First those that may have some, by an index; of these, those that have; and of these, those that are asked for.
	var blocks []int64
	err = s.bulk.each(ctx, "SELECT block, least, most FROM entry_blocks WHERE run_id = ? AND most >= ? AND least <= ?", []any{run, wanted[0], wanted[len(wanted)-1]}, func(r row) error {
		if at, _ := slices.BinarySearch(wanted, r.id(1)); at < len(wanted) && wanted[at] <= r.id(2) {
			blocks = append(blocks, r.number(0))
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	slices.Sort(blocks)
	for some := range slices.Chunk(blocks, blocksAtOnce) {
		err := s.eachBlock(ctx, run, "block IN (SELECT value FROM json_each(?)) ORDER BY block", []any{numbers(some)}, func(b *entryBlock) error {
			ids, err := b.unpackExceptions()
			if err == nil && slices.ContainsFunc(ids, among) {
				page, err = b.unpack(page, func(_ int64, id uint) bool { return among(id) })
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	return page, nil
}
