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
const entriesInBlock = 64

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

// entryBlock is a block as it stands in the data file.
type entryBlock struct {
	run              uint
	block            int64
	entries          int
	exceptions, blob []byte
}

// unpack appends those of the block's entries that are wanted by their places and exceptions; nil: all. Their texts lie in one piece of memory.
func (b *entryBlock) unpack(list []Entry, wanted func(seq int64, exception uint) bool) ([]Entry, error) {
	text, err := s2.Decode(nil, b.blob)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", errEntries, err)
	}
	ids, err := b.unpackExceptions()
	if err != nil {
		return nil, err
	}
	r := packedText{text: string(text)}
	places := r.octets(b.entries)
	if r.short {
		return nil, errEntries
	}
	begin := len(list)
	var of [entriesInBlock]int // which of the list each is, or none
	for i := range places {
		of[i] = -1
		if seq := b.block*entriesInBlock + 1 + int64(places[i]); wanted == nil || wanted(seq, ids[i]) {
			of[i] = len(list)
			list = append(list, Entry{RunID: b.run, Seq: seq, ExceptionID: ids[i]})
		}
	}
	rows := of[:b.entries]
	var words []string
	for _, field := range entryWords {
		words = words[:0]
		for range r.octet() {
			words = append(words, once(r.word()))
		}
		for i, n := range []byte(r.octets(b.entries)) {
			if int(n) >= len(words) {
				return nil, errEntries
			}
			if rows[i] >= 0 {
				*field(&list[rows[i]]) = words[n]
			}
		}
	}
	for _, field := range entryTexts {
		for _, at := range rows {
			if word := r.word(); at >= 0 {
				*field(&list[at]) = word
			}
		}
	}
	for _, at := range rows {
		size, differs, bodyOf, bodySeq := r.word(), r.number(), r.number(), uint64(0)
		if bodyOf > 0 {
			bodySeq = r.number()
		}
		if at < 0 {
			continue
		}
		e := &list[at]
		e.Size, e.Differs, e.BodyRun, e.BodySeq = []byte(size), int64(differs), b.run, e.Seq
		if bodyOf > 0 {
			e.BodyRun, e.BodySeq = uint(bodyOf-1), int64(bodySeq)
		}
	}
	if r.short || len(r.text) > 0 {
		return nil, errEntries
	}
	for i := begin; i < len(list); i++ {
		if i > begin && list[i].opened == list[i-1].opened {
			list[i].Opened = list[i-1].Opened
		} else if list[i].Opened, err = time.Parse(writtenTime, list[i].opened); err != nil {
			return nil, fmt.Errorf("%w: %w", errEntries, err)
		}
	}
	return list, nil
}

// unpackExceptions gives back the numbers of the block's exceptions.
func (b *entryBlock) unpackExceptions() ([]uint, error) {
	if b.entries < 1 || b.entries > entriesInBlock {
		return nil, errEntries
	}
	ids, packed := make([]uint, b.entries), b.exceptions
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

func (p *packedText) octets(n int) (text string) {
	if n > len(p.text) {
		p.short = true
		return ""
	}
	text, p.text = p.text[:n], p.text[n:]
	return text
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

func (p *packedText) word() string {
	length := p.number()
	if length > uint64(len(p.text)) {
		p.short = true
		return ""
	}
	return p.octets(int(length))
}

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
		return visit(&entryBlock{run, r.number(0), int(r.number(1)), r.bytes(2), r.bytes(3)})
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

// packEntryRows packs entries as they were kept before, each in a row of its own.
func packEntryRows(tx *gorm.DB) error {
	var runs []uint
	if err := tx.Raw("SELECT DISTINCT run_id FROM entries").Scan(&runs).Error; err != nil {
		return err
	}
	for _, run := range runs {
		var list []Entry
		for more := true; more; {
			last := int64(0)
			if len(list) > 0 {
				last = list[len(list)-1].Seq
			}
			read, err := entryRows(tx, run, last)
			if err != nil {
				return err
			}
			list, more = append(list, read...), len(read) == rowsReadAtOnce
			for len(list) > 0 {
				n := slices.IndexFunc(list, func(e Entry) bool { return entryBlockOf(e.Seq) != entryBlockOf(list[0].Seq) })
				if n < 0 && more {
					break // the block may go on
				}
				if n < 0 {
					n = len(list)
				}
				if err := tx.Exec("INSERT INTO entry_blocks ("+entryBlockColumns+") VALUES (?, ?, ?, ?, ?, ?, ?, ?)", packEntries(list[:n])...).Error; err != nil {
					return err
				}
				list = list[n:]
			}
		}
	}
	return tx.Exec("DROP TABLE entries").Error
}

// rowsReadAtOnce is how many entries are read of those that have rows.
const rowsReadAtOnce = 10_000

// entryRows reads entries that have rows, of a run, behind a place.
func entryRows(tx *gorm.DB, run uint, after int64) (list []Entry, err error) {
	rows, err := tx.Raw(`SELECT seq, tray, side, change, status, owner, reason, exception_id, CAST(opened AS TEXT), amount, currency, size, differs, key_text, body_run, body_seq, search
		FROM entries WHERE run_id = ? AND seq > ? ORDER BY seq LIMIT ?`, run, after, rowsReadAtOnce).Rows()
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, rows.Close()) }()
	for rows.Next() {
		e := Entry{RunID: run}
		if err := rows.Scan(&e.Seq, &e.Tray, &e.Side, &e.Change, &e.Status, &e.Owner, &e.Reason, &e.ExceptionID, &e.opened, &e.Amount, &e.Currency, &e.Size, &e.Differs, &e.KeyText, &e.BodyRun,
			&e.BodySeq, &e.Search); err != nil {
			return nil, err
		}
		list = append(list, e)
	}
	return list, rows.Err()
}
