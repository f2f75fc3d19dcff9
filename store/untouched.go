package store

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"twinsieve/core/again"
	"twinsieve/core/sorted"
)

// An exception is untouched while nobody has worked on it and no later run has found something else of it. All that there is to say of it then stands
// in an entry of its sieve's newest run, which has found it first or found it again as it was: it is open, has no owner, and nothing has been said about
// it. So it has no row of its own, which would take longer to write than its entry, and most are never touched.
//
// What touches an exception gives it a row first, see [touch] and [follow]. Every exception of a sieve is either a row, or is said to be new or still
// open by the newest run. So how many are untouched is how many that run has found, less the rows that are there.
//
// All exceptions lists them sorted by age or by amount, of all sieves together. So a run keeps with it where those stand that it has found, in
// either order, in blocks; which of them have rows is looked up for a page. The list by age has their prints in it too, by which the next run recognises those that
// are as they were.

// sortOrder is an order of [Store.Overview].
type sortOrder int

const (
	byAge sortOrder = iota
	byAmount
	sortOrders
)

// key is what exceptions are sorted by, as bytes that are ordered as they are: the oldest, or the greatest, first, and of equal ones that which was numbered first.
// opened is as the data file keeps it.
func (o sortOrder) key(opened string, size []byte, id uint) []byte {
	key := make([]byte, 0, 48)
	if o == byAge {
		key = sorted.AppendText(key, []byte(opened))
	} else {
		key = sorted.AppendText(key, size)
		for i := range key {
			key[i] = ^key[i]
		}
	}
	return binary.BigEndian.AppendUint64(key, uint64(id))
}

// idOf is the number of the exception that has a key.
func idOf(key []byte) uint { return uint(binary.BigEndian.Uint64(key[len(key)-8:])) }

// openedOf is when the exception was opened that has a key of the order by age, as the data file keeps it.
func openedOf(key []byte) string { return string(key[:len(key)-10]) } // behind it an end of two bytes, and the number

// UntouchedBlock is a piece of the list of the exceptions that a run has found, in one of the orders.
type UntouchedBlock struct {
	RunID uint      `gorm:"primaryKey;autoIncrement:false"`
	Sort  sortOrder `gorm:"primaryKey;autoIncrement:false"`
	Block int       `gorm:"primaryKey;autoIncrement:false"`
	Last  []byte    // key of the last one in it
	Blob  []byte
}

// untouchedInBlock is how many exceptions are in a block, and untouchedPiece how many are sorted at once.
const (
	untouchedInBlock = 1000
	untouchedPiece   = 16_000
)

// untouchedBudget is how many bytes of the lists stay in memory, of each order, while a run is being written.
const untouchedBudget = 8 << 20

// untouchedLists are those that a run has found, while it is being written.
type untouchedLists struct {
	dir   string // for temporary files
	lists [sortOrders]struct {
		run    sorted.Run
		sorter *sorted.Sorter
	}
	added int // to the runs
}

// add adds the exception of an entry, if it is there.
func (u *untouchedLists) add(e *Entry) error {
	if !again.Change(e.Change).Here() {
		return nil
	}
	seq := binary.AppendUvarint(make([]byte, 0, binary.MaxVarintLen64+len(e.print)), uint64(e.Seq))
	u.lists[byAmount].run.Add(byAmount.key(e.opened, e.Size, e.ExceptionID), seq)
	u.lists[byAge].run.Add(byAge.key(e.opened, e.Size, e.ExceptionID), append(seq, e.print[:]...))
	if u.added++; u.added < untouchedPiece {
		return nil
	}
	return u.sort()
}

// sort sorts what has been added since it did so last.
func (u *untouchedLists) sort() error {
	for o := range sortOrders {
		l := &u.lists[o]
		if l.sorter == nil {
			l.sorter = sorted.New(untouchedBudget, u.dir)
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

func (u *untouchedLists) close() error {
	var errs []error
	for o := range sortOrders {
		if s := u.lists[o].sorter; s != nil {
			errs = append(errs, s.Close())
			u.lists[o].sorter = nil
		}
	}
	return errors.Join(errs...)
}

// untouchedPacker puts the exceptions of a list, one after the other, into blocks.
type untouchedPacker struct {
	block UntouchedBlock // that is being filled
	text  []byte         // what is in it, before it is packed
	n     int            // how many are in it
}

// add adds the next one, and returns the block that it has filled, if it has.
func (p *untouchedPacker) add(key, place []byte) (full *UntouchedBlock) {
	p.text = append(append(binary.AppendUvarint(p.text, uint64(len(key))), key...), place...)
	p.block.Last = append(p.block.Last[:0], key...)
	if p.n++; p.n < untouchedInBlock {
		return nil
	}
	return p.take()
}

// take is the block that is being filled, nil where there is nothing in it. The next one is begun.
func (p *untouchedPacker) take() *UntouchedBlock {
	if p.n == 0 {
		return nil
	}
	full := p.block
	full.Last, full.Blob = slices.Clone(p.block.Last), bodyPacker.EncodeAll(p.text, nil)
	p.block.Block++
	p.text, p.n = p.text[:0], 0
	return &full
}

// blocksInOneGo is how many blocks are written in one transaction.
const blocksInOneGo = 16

// writeUntouched writes the lists of what the run has found.
func (w *RunWriter) writeUntouched(ctx context.Context) (err error) {
	u := &w.untouched
	defer func() { err = errors.Join(err, u.close()) }()
	if err := u.sort(); err != nil {
		return err
	}
	var rows [][]any
	write := func() error {
		err := w.store.writeRows(ctx, func(to *rowWriter) error {
			return to.insert("untouched_blocks", "run_id, sort, block, last, blob", rows)
		})
		rows = nil
		return err
	}
	put := func(b *UntouchedBlock) error {
		if b == nil {
			return nil
		}
		if rows = append(rows, []any{b.RunID, int(b.Sort), b.Block, b.Last, b.Blob}); len(rows) < blocksInOneGo {
			return nil
		}
		return write()
	}
	for o := range sortOrders {
		packer := untouchedPacker{block: UntouchedBlock{RunID: w.run.ID, Sort: o}}
		for c := u.lists[o].sorter.Cursor(); ; {
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
	}
	return write()
}

// listed is where an exception of All exceptions stands: an untouched one in the newest run of its sieve, any other in run 0, which is a row of its own.
type listed struct {
	key   []byte
	run   uint
	seq   int64
	print again.Print // in the list by age
}

var errUntouched = errors.New("the list of open exceptions is damaged in the data file; restore a copy of the file")

// unpackUntouched is what a block has in it.
func unpackUntouched(b *UntouchedBlock) (list []listed, err error) {
	text, err := bodyUnpacker.DecodeAll(b.Blob, nil)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", errUntouched, err)
	}
	for len(text) > 0 {
		length, n := binary.Uvarint(text)
		if n <= 0 || length < 8 || length > uint64(len(text)-n) {
			return nil, errUntouched
		}
		one := listed{key: text[n : n+int(length)], run: b.RunID}
		text = text[n+int(length):]
		seq, n := binary.Uvarint(text)
		if n <= 0 {
			return nil, errUntouched
		}
		one.seq, text = int64(seq), text[n:]
		if b.Sort == byAge {
			if len(text) < len(one.print) {
				return nil, errUntouched
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
		var blocks []UntouchedBlock
		if err := tx.Where("run_id = ? AND sort = ? AND block >= ? AND last > ?", run, o, first, after).Order("block").Limit(1).Find(&blocks).Error; err != nil || len(blocks) == 0 {
			return err
		}
		list, err := unpackUntouched(&blocks[0])
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

// eachUntouched visits those of the exceptions that a run has found that have no rows meanwhile, likewise.
func eachUntouched(tx *gorm.DB, run uint, o sortOrder, after []byte, visit func(listed) (enough bool)) error {
	return eachListed(tx, run, o, after, func(list []listed) (bool, error) {
		ids := make([]uint, len(list))
		for i := range list {
			ids[i] = idOf(list[i].key)
		}
		var rows []uint
		if err := tx.Raw("SELECT id FROM exceptions WHERE id IN (SELECT value FROM json_each(?))", numbers(ids)).Scan(&rows).Error; err != nil {
			return false, err
		}
		touched := make(map[uint]bool, len(rows))
		for _, id := range rows {
			touched[id] = true
		}
		for i := range list {
			if !touched[ids[i]] && visit(list[i]) {
				return true, nil
			}
		}
		return false, nil
	})
}

// touch gives those exceptions rows that have none. ids is a query for their numbers; all of them are in a run's report.
func touch(tx *gorm.DB, run uint, ids string, values ...any) error {
	var sieve uint
	if err := tx.Raw("SELECT sieve_id FROM runs WHERE id = ?", run).Scan(&sieve).Error; err != nil {
		return err
	}
	return tx.Exec(`INSERT INTO exceptions (id, sieve_id, side, tray, status, owner, reason, version, opened, presence, amount, currency, size, key_text, body_run, body_seq,
			changed_seq, changed_by, comments, attachments)
		SELECT e.exception_id, ?, e.side, e.tray, 'open', '', '', 1, e.opened, 'here', e.amount, e.currency, e.size, e.key_text, e.body_run, e.body_seq, 0, '', 0, 0
		FROM (`+ids+`) c CROSS JOIN entries e INDEXED BY entries_of_exception ON e.exception_id = c.id
		WHERE e.run_id = (SELECT max(id) FROM runs WHERE sealed = 1 AND sieve_id = ?) AND e.change IN ('new', 'still-open')
		ON CONFLICT (id) DO NOTHING`, slices.Concat([]any{sieve}, values, []any{sieve})...).Error
}
