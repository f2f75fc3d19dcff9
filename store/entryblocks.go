package store

import (
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/klauspost/compress/s2"
)

// Entries of a report that stand next to each other in it are one row of the data file, column by column: what would take longest of a run is to write each
// into a row of its own. They never change, but for how the work on them stands, which is read from their exceptions, see [Store.standOver].

// entriesInBlock is how many places of a report share a block.
const entriesInBlock = 64

// entryBlockOf is the block in which an entry stands.
func entryBlockOf(seq int64) int64 { return (seq - 1) / entriesInBlock }

// entryBlock is a block as it stands in the data file: how many entries are in it, the least and the greatest of their exceptions' numbers, the oldest run
// whose bodies they show, these numbers, and the rest of them.
type entryBlock struct {
	run                 uint
	block               int64
	entries             int
	least, most, oldest uint
	exceptions, blob    []byte
}

// piece is the block's row.
func (b *entryBlock) piece() piece {
	return piece{"entry_blocks", "run_id, block, entries, least, most, oldest, exceptions, blob",
		[][]any{{b.run, b.block, b.entries, b.least, b.most, b.oldest, b.exceptions, b.blob}}}
}

// packEntries makes a block of entries that share one, in the order of their places.
func packEntries(list []Entry) *entryBlock {
	first := &list[0]
	b := &entryBlock{run: first.RunID, block: entryBlockOf(first.Seq), entries: len(list), least: first.ExceptionID, most: first.ExceptionID, oldest: first.BodyRun}
	before, size := int64(0), entriesInBlock*64
	for i := range list {
		e := &list[i]
		size += len(e.Amount) + len(e.KeyText) + len(e.Search) + len(e.Size)
		b.least, b.most, b.oldest = min(b.least, e.ExceptionID), max(b.most, e.ExceptionID), min(b.oldest, e.BodyRun)
		b.exceptions = binary.AppendVarint(b.exceptions, int64(e.ExceptionID)-before)
		before = int64(e.ExceptionID)
	}
	b.blob = s2.Encode(nil, appendEntries(make([]byte, 0, size), list))
	return b
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
	first := entryBlockOf(list[0].Seq)*entriesInBlock + 1
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
