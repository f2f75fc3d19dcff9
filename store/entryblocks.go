package store

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/klauspost/compress/s2"
	"gorm.io/gorm"
)

// Entries of a report that stand next to each other in it are one row of the data file, column by column: what would take longest of a run is to write each
// into a row of its own. They never change, but for how the work on them stands, which is read from their exceptions, see [Store.standOver].

// entriesInBlock is how many places of a report share a block.
const entriesInBlock = 128

// entryBlockColumns are the columns of a block's row: how many entries are in it, the least and the greatest of their exceptions' numbers, the oldest run
// whose bodies they show, these numbers, and the rest of them.
const entryBlockColumns = "run_id, block, entries, least, most, oldest, exceptions, blob"

// entryBlockOf is the block in which an entry stands.
func entryBlockOf(seq int64) int64 { return (seq - 1) / entriesInBlock }

// packEntries makes a row of entries of one block, in the order of their places.
func packEntries(list []Entry) []any {
	first := &list[0]
	least, most, oldest := first.ExceptionID, first.ExceptionID, first.BodyRun
	var exceptions []byte
	before := int64(0)
	for i := range list {
		e := &list[i]
		least, most, oldest = min(least, e.ExceptionID), max(most, e.ExceptionID), min(oldest, e.BodyRun)
		exceptions = binary.AppendVarint(exceptions, int64(e.ExceptionID)-before)
		before = int64(e.ExceptionID)
	}
	return []any{first.RunID, entryBlockOf(first.Seq), len(list), least, most, oldest, exceptions, s2.Encode(nil, appendEntries(nil, list))}
}

// entryWords are the columns of entries that have few values, of which each is written once.
var entryWords = []func(e *Entry) *string{
	func(e *Entry) *string { return &e.Tray }, func(e *Entry) *string { return &e.Side }, func(e *Entry) *string { return &e.Change }, func(e *Entry) *string { return &e.Status },
	func(e *Entry) *string { return &e.Owner }, func(e *Entry) *string { return &e.Reason }, func(e *Entry) *string { return &e.opened }, func(e *Entry) *string { return &e.Currency },
}

// entryTexts are those that have many.
var entryTexts = []func(e *Entry) *string{
	func(e *Entry) *string { return &e.Amount }, func(e *Entry) *string { return &e.KeyText }, func(e *Entry) *string { return &e.Search },
}

// appendEntries writes entries of one block, but for their exceptions: column by column, words as their number among those of the block.
func appendEntries(to []byte, list []Entry) []byte {
	first := (entryBlockOf(list[0].Seq))*entriesInBlock + 1
	for i := range list {
		to = append(to, byte(list[i].Seq-first))
	}
	var words []string
	var numbers [entriesInBlock]byte
	for _, of := range entryWords {
		words = words[:0]
		for i := range list {
			word := *of(&list[i])
			if i > 0 && word == words[numbers[i-1]] { // as it mostly is
				numbers[i] = numbers[i-1]
				continue
			}
			at := slices.Index(words, word)
			if at < 0 {
				at, words = len(words), append(words, word)
			}
			numbers[i] = byte(at)
		}
		to = append(to, byte(len(words)))
		for _, word := range words {
			to = appendText(to, word)
		}
		to = append(to, numbers[:len(list)]...)
	}
	for _, of := range entryTexts {
		for i := range list {
			to = appendText(to, *of(&list[i]))
		}
	}
	for i := range list {
		e := &list[i]
		to = appendText(to, string(e.Size))
		to = binary.AppendUvarint(to, uint64(e.Differs))
		if e.BodyRun == e.RunID && e.BodySeq == e.Seq { // it shows what it has found itself
			to = append(to, 0)
		} else {
			to = binary.AppendUvarint(binary.AppendUvarint(to, uint64(e.BodyRun)+1), uint64(e.BodySeq))
		}
	}
	return to
}

func appendText(to []byte, text string) []byte {
	return append(binary.AppendUvarint(to, uint64(len(text))), text...)
}

var errEntries = errors.New("entries of a report are damaged in the data file; restore a copy of the file")

// unpackEntries gives back the entries of a run's block. Their texts lie in one piece of memory.
func unpackEntries(run uint, block int64, count int, exceptions, blob []byte) (list []Entry, err error) {
	text, err := s2.Decode(nil, blob)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", errEntries, err)
	}
	if count < 1 || count > entriesInBlock {
		return nil, errEntries
	}
	list = make([]Entry, count)
	ids, err := unpackExceptions(count, exceptions)
	if err != nil {
		return nil, err
	}
	r := packedText{text: string(text)}
	for i := range list {
		list[i].RunID, list[i].Seq, list[i].ExceptionID = run, block*entriesInBlock+1+int64(r.octet()), ids[i]
	}
	for _, of := range entryWords {
		words := make([]string, r.octet())
		for i := range words {
			words[i] = once(r.word())
		}
		for i := range list {
			if n := int(r.octet()); n < len(words) {
				*of(&list[i]) = words[n]
			} else {
				return nil, errEntries
			}
		}
	}
	for _, of := range entryTexts {
		for i := range list {
			*of(&list[i]) = r.word()
		}
	}
	for i := range list {
		e := &list[i]
		e.Size, e.Differs = []byte(r.word()), int64(r.number())
		if of := r.number(); of == 0 {
			e.BodyRun, e.BodySeq = run, e.Seq
		} else {
			e.BodyRun, e.BodySeq = uint(of-1), int64(r.number())
		}
	}
	if r.short || len(r.text) > 0 {
		return nil, errEntries
	}
	for i := range list {
		if i > 0 && list[i].opened == list[i-1].opened {
			list[i].Opened = list[i-1].Opened
		} else if list[i].Opened, err = time.Parse(writtenTime, list[i].opened); err != nil {
			return nil, fmt.Errorf("%w: %w", errEntries, err)
		}
	}
	return list, nil
}

// unpackExceptions gives back the numbers of a block's exceptions.
func unpackExceptions(count int, packed []byte) ([]uint, error) {
	ids := make([]uint, count)
	before := int64(0)
	for i := range ids {
		step, n := binary.Varint(packed)
		if n <= 0 {
			return nil, errEntries
		}
		packed = packed[n:]
		before += step
		ids[i] = uint(before)
	}
	return ids, nil
}

// packedText is read from its beginning. What is read behind its end is nothing, and makes it short.
type packedText struct {
	text  string
	short bool
}

func (p *packedText) octet() (b byte) {
	if len(p.text) == 0 {
		p.short = true
		return 0
	}
	b, p.text = p.text[0], p.text[1:]
	return b
}

func (p *packedText) number() (n uint64) {
	for shift := 0; shift < 64; shift += 7 {
		b := p.octet()
		n |= uint64(b&0x7f) << shift
		if b < 0x80 {
			return n
		}
	}
	p.short = true
	return 0
}

func (p *packedText) word() (word string) {
	length := p.number()
	if length > uint64(len(p.text)) {
		p.short = true
		return ""
	}
	word, p.text = p.text[:length], p.text[length:]
	return word
}

// blocksAtOnce is how many blocks are read in one go.
const blocksAtOnce = 64

// eachEntry visits all entries of a run from the block of a place on, in the order of its report, some at a time, until visit says that it is enough. How the work on them stands is
// as it was when the report was signed, or as they were written.
func (s *Store) eachEntry(ctx context.Context, run uint, from int64, visit func([]Entry) (enough bool, err error)) error {
	for block := entryBlockOf(max(from, 1)); ; {
		list, blocks, err := s.unpacked(ctx, run, "block >= ? ORDER BY block LIMIT "+fmt.Sprint(blocksAtOnce), block)
		if err != nil || blocks == 0 {
			return err
		}
		block = entryBlockOf(list[len(list)-1].Seq) + 1
		if enough, err := visit(list); enough || err != nil || blocks < blocksAtOnce {
			return err
		}
	}
}

// unpacked reads the entries of those blocks of a run that a condition names, and says how many blocks that were.
func (s *Store) unpacked(ctx context.Context, run uint, where string, values ...any) (list []Entry, blocks int, err error) {
	err = s.bulk.each(ctx, "SELECT block, entries, exceptions, blob FROM entry_blocks WHERE run_id = ? AND "+where, slices.Concat([]any{run}, values), func(r row) error {
		some, err := unpackEntries(run, r.number(0), int(r.number(1)), r.bytes(2), r.bytes(3))
		if list == nil {
			list = some
		} else {
			list = append(list, some...)
		}
		blocks++
		return err
	})
	return list, blocks, err
}

// entriesAt reads entries of a run by their places, in the order asked for. Places where there is none are left out.
func (s *Store) entriesAt(ctx context.Context, run uint, seqs []int64) ([]Entry, error) {
	at := make(map[int64]int, len(seqs))
	var blocks []int64
	for _, seq := range seqs {
		blocks = append(blocks, entryBlockOf(seq))
	}
	slices.Sort(blocks)
	list, _, err := s.unpacked(ctx, run, "block IN (SELECT value FROM json_each(?))", numbers(slices.Compact(blocks)))
	if err != nil {
		return nil, err
	}
	for i := range list {
		at[list[i].Seq] = i
	}
	page := make([]Entry, 0, len(seqs))
	for _, seq := range seqs {
		if i, is := at[seq]; is {
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
	var blocks []int64
	err = s.bulk.each(ctx, "SELECT block, entries, least, most, exceptions FROM entry_blocks WHERE run_id = ? AND most >= ? AND least <= ? ORDER BY block",
		[]any{run, wanted[0], wanted[len(wanted)-1]}, func(r row) error {
			if at, _ := slices.BinarySearch(wanted, r.id(2)); at == len(wanted) || wanted[at] > r.id(3) {
				return nil // none is between its least and its greatest
			}
			ids, err := unpackExceptions(int(r.number(1)), r.bytes(4))
			if err == nil && slices.ContainsFunc(ids, among) {
				blocks = append(blocks, r.number(0))
			}
			return err
		})
	if err != nil {
		return nil, err
	}
	for some := range slices.Chunk(blocks, blocksAtOnce) {
		list, _, err := s.unpacked(ctx, run, "block IN (SELECT value FROM json_each(?)) ORDER BY block", numbers(some))
		if err != nil {
			return nil, err
		}
		for i := range list {
			if among(list[i].ExceptionID) {
				page = append(page, list[i])
			}
		}
	}
	return page, nil
}

// packEntryRows packs entries as they were kept before, each in a row of its own.
func packEntryRows(tx *gorm.DB) error {
	var runs []uint
	if err := tx.Raw("SELECT DISTINCT run_id FROM entries").Scan(&runs).Error; err != nil {
		return err
	}
	for _, run := range runs {
		for after := int64(-1); ; {
			var rows []struct {
				Entry
				Written string
			}
			// Whole blocks at a time, from the next one that has an entry.
			err := tx.Raw(`SELECT *, CAST(opened AS TEXT) AS written FROM entries WHERE run_id = @run AND seq > (@after + 1) * @size ORDER BY seq LIMIT @size`,
				map[string]any{"run": run, "after": after, "size": entriesInBlock}).Scan(&rows).Error
			if err != nil {
				return err
			}
			if len(rows) == 0 {
				break
			}
			after = entryBlockOf(rows[0].Seq)
			var list []Entry
			for _, r := range rows {
				if entryBlockOf(r.Seq) == after {
					r.Entry.opened = r.Written
					list = append(list, r.Entry)
				}
			}
			if err := tx.Exec("INSERT INTO entry_blocks ("+entryBlockColumns+") VALUES (?, ?, ?, ?, ?, ?, ?, ?)", packEntries(list)...).Error; err != nil {
				return err
			}
		}
	}
	return tx.Exec("DROP TABLE entries").Error
}
