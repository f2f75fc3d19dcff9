package store

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"twinsieve/core/again"
	"twinsieve/core/sorted"
)

// A run keeps with it where the exceptions stand that it has found, sorted by age and by amount, in blocks: All exceptions lists by either, of all sieves together. The list by age has
// their prints in it too, by which the next run recognises those that are as they were. Only the lists of a sieve's newest run are kept.

// sortOrder is an order of [Store.Overview].
type sortOrder int

const (
	byAge sortOrder = iota
	byAmount
	sortOrders
)

// appendKey appends what exceptions are sorted by, as bytes that are ordered as they are: the oldest, or the greatest, first, and of equal ones that which was numbered first.
// opened is as the data file keeps it.
func (o sortOrder) appendKey(key []byte, opened string, size []byte, id uint) []byte {
	if o == byAge {
		key = sorted.AppendText(key, []byte(opened))
	} else {
		at := len(key)
		key = sorted.AppendText(key, size)
		for i := at; i < len(key); i++ {
			key[i] = ^key[i]
		}
	}
	return binary.BigEndian.AppendUint64(key, uint64(id))
}

// idOf is the number of the exception that has a key.
func idOf(key []byte) uint { return uint(binary.BigEndian.Uint64(key[len(key)-8:])) }

// openedOf is when the exception was opened that has a key of the order by age, as the data file keeps it.
func openedOf(key []byte) string { return string(key[:len(key)-10]) } // behind it an end of two bytes, and the number

// FoundBlock is a piece of the list of the exceptions that a run has found, in one of the orders.
type FoundBlock struct {
	RunID uint      `gorm:"primaryKey;autoIncrement:false"`
	Sort  sortOrder `gorm:"primaryKey;autoIncrement:false"`
	Block int       `gorm:"primaryKey;autoIncrement:false"`
	Last  []byte    // key of the last one in it
	Blob  []byte
}

// foundInBlock is how many exceptions are in a block, and foundPiece how many are sorted at once.
const (
	foundInBlock = 1000
	foundPiece   = 16_000
)

// foundBudget is how many bytes of the lists stay in memory, of each order, while a run is being written.
const foundBudget = 8 << 20

// foundLists are those that a run has found, while it is being written.
type foundLists struct {
	dir   string // for temporary files
	lists [sortOrders]struct {
		run    sorted.Run
		sorter *sorted.Sorter
	}
	added int // to the runs

	key, place []byte // of the one that is being added
}

// add adds the exception of an entry, if it is there.
func (u *foundLists) add(e *Entry) error {
	if !again.Change(e.Change).Here() {
		return nil
	}
	u.place = binary.AppendUvarint(u.place[:0], uint64(e.Seq))
	u.key = byAmount.appendKey(u.key[:0], e.opened, e.Size, e.ExceptionID)
	u.lists[byAmount].run.Add(u.key, u.place)
	u.key, u.place = byAge.appendKey(u.key[:0], e.opened, e.Size, e.ExceptionID), append(u.place, e.print[:]...)
	u.lists[byAge].run.Add(u.key, u.place)
	if u.added++; u.added < foundPiece {
		return nil
	}
	return u.sort()
}

// sort sorts what has been added since it did so last.
func (u *foundLists) sort() error {
	for o := range sortOrders {
		l := &u.lists[o]
		if l.sorter == nil {
			l.sorter = sorted.New(foundBudget, u.dir)
		}
		l.run.Sort()
		run := l.run
		if err := l.sorter.Add(&run); err != nil {
			return err
		}
		l.run = sorted.Run{}
	}
	u.added = 0
	return nil
}

func (u *foundLists) close() error {
	var errs []error
	for o := range sortOrders {
		if s := u.lists[o].sorter; s != nil {
			errs = append(errs, s.Close())
			u.lists[o].sorter = nil
		}
	}
	return errors.Join(errs...)
}

// foundPacker puts the exceptions of a list, one after the other, into blocks.
type foundPacker struct {
	block FoundBlock // that is being filled
	text  []byte     // what is in it, before it is packed
	n     int        // how many are in it
}

// add adds the next one, and returns the block that it has filled, if it has.
func (p *foundPacker) add(key, place []byte) (full *FoundBlock) {
	p.text = append(append(binary.AppendUvarint(p.text, uint64(len(key))), key...), place...)
	p.block.Last = append(p.block.Last[:0], key...)
	if p.n++; p.n < foundInBlock {
		return nil
	}
	return p.take()
}

// take is the block that is being filled, nil where there is nothing in it. The next one is begun.
func (p *foundPacker) take() *FoundBlock {
	if p.n == 0 {
		return nil
	}
	full := p.block
	full.Last, full.Blob = slices.Clone(p.block.Last), packText(p.text)
	p.block.Block++
	p.text, p.n = p.text[:0], 0
	return &full
}

// blocksInOneGo is how many blocks are written in one transaction.
const blocksInOneGo = 16

// writeFound writes the lists of what the run has found.
func (w *RunWriter) writeFound(ctx context.Context) (err error) {
	u := &w.found
	defer func() { err = errors.Join(err, u.close()) }()
	if err := u.sort(); err != nil {
		return err
	}
	group, ctx := errgroup.WithContext(ctx)
	for o := range sortOrders {
		group.Go(func() error { return w.writeList(ctx, o) })
	}
	return group.Wait()
}

// writeList writes the list in one of the orders.
func (w *RunWriter) writeList(ctx context.Context, o sortOrder) error {
	var pieces []piece
	put := func(b *FoundBlock) error {
		if b == nil {
			return nil
		}
		pieces = append(pieces, piece{"found_blocks", "run_id, sort, block, last, blob", [][]any{{b.RunID, int(b.Sort), b.Block, b.Last, b.Blob}}})
		if len(pieces) < blocksInOneGo {
			return nil
		}
		err := w.write(ctx, pieces)
		pieces = pieces[:0]
		return err
	}
	packer := foundPacker{block: FoundBlock{RunID: w.run.ID, Sort: o}}
	for c := w.found.lists[o].sorter.Cursor(); ; {
		more, err := c.Next()
		if err != nil {
			return err
		}
		if !more {
			break
		}
		if err := put(packer.add(c.At())); err != nil {
			return err
		}
	}
	if err := put(packer.take()); err != nil {
		return err
	}
	return w.write(ctx, pieces)
}

// listed is where an exception of All exceptions stands: an untouched one in the newest run of its sieve, any other in run 0, which is a row of its own.
type listed struct {
	key   []byte
	run   uint
	seq   int64
	print again.Print // in the list by age
}

var errFound = errors.New("the list of open exceptions is damaged in the data file; restore a copy of the file")

// unpackFound is what a block has in it.
func unpackFound(b *FoundBlock) (list []listed, err error) {
	text, err := unpackText(b.Blob)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", errFound, err)
	}
	for len(text) > 0 {
		length, n := binary.Uvarint(text)
		if n <= 0 || length < 8 || length > uint64(len(text)-n) {
			return nil, errFound
		}
		one := listed{key: text[n : n+int(length)], run: b.RunID}
		text = text[n+int(length):]
		seq, n := binary.Uvarint(text)
		if n <= 0 {
			return nil, errFound
		}
		one.seq, text = int64(seq), text[n:]
		if b.Sort == byAge {
			if len(text) < len(one.print) {
				return nil, errFound
			}
			text = text[copy(one.print[:], text):]
		}
		list = append(list, one)
	}
	return list, nil
}

// eachListed visits the exceptions that a run has found, a block at a time, in an order, from behind a key on, until visit says that it is enough.
func eachListed(tx *gorm.DB, run uint, o sortOrder, after []byte, visit func([]listed) (enough bool, err error)) error {
	if after == nil {
		after = []byte{} // all are behind it
	}
	for first := 0; ; {
		var blocks []FoundBlock
		if err := tx.Where("run_id = ? AND sort = ? AND block >= ? AND last > ?", run, o, first, after).Order("block").Limit(1).Find(&blocks).Error; err != nil || len(blocks) == 0 {
			return err
		}
		list, err := unpackFound(&blocks[0])
		if err != nil {
			return err
		}
		list = slices.DeleteFunc(list, func(u listed) bool { return bytes.Compare(u.key, after) <= 0 })
		if enough, err := visit(list); enough || err != nil {
			return err
		}
		first = blocks[0].Block + 1
	}
}
