package again

import (
	"context"
	"encoding/binary"
	"errors"
	"slices"

	"twinsieve/core/sorted"
	"twinsieve/core/tray"
)

// Recogniser does what [Recognise] does, however many exceptions there are. Only those that share a key can be the same, so it puts the marks in the order of their keys,
// beyond a budget of memory in a temporary file, and holds against each other those of one key at a time. It is not for several goroutines at once.
type Recogniser struct {
	sorting
	rekeyed bool            // see [Recognise]
	linked  map[string]bool // texts that marks share with others of which they have two, as they are sorted by
	here    map[int]bool    // those of before that were not gone
}

// NewRecogniser returns a recogniser that holds about so many bytes of marks in memory, and the rest in a temporary file in dir. It is to be closed.
// Where the key of the sieve is another than before, marks share contents as well as keys, so that nearly all of them are held in memory.
func NewRecogniser(budget int64, dir string, rekeyed bool) *Recogniser {
	return &Recogniser{sorting: newSorting(budget, dir), rekeyed: rekeyed, linked: map[string]bool{}, here: map[int]bool{}}
}

// Before adds the mark of an exception of before; they are numbered from 0, in the order in which they are added.
func (r *Recogniser) Before(m *Mark) error { return r.add(ofBefore, m) }

// Now adds the mark of an exception of the run; they are numbered likewise.
func (r *Recogniser) Now(m *Mark) error { return r.add(ofNow, m) }

// Here says of an exception of before that it was not gone, whatever its mark says.
func (r *Recogniser) Here(before int) { r.here[before] = true }

func (r *Recogniser) add(of int, m *Mark) error {
	shares := m.shares(r.rekeyed)
	for _, share := range shares {
		text := sorted.AppendText(nil, []byte(share))
		if len(shares) > 1 {
			r.linked[string(text)] = true
		}
		if err := r.sorting.add(text, of, r.counts[of], m.encode(nil)); err != nil {
			return err
		}
	}
	r.counts[of]++
	return nil
}

// shares are the texts by which exceptions are the same: of two that have none in common neither is the other. Mostly there is one, for both sides have the same key.
func (m *Mark) shares(rekeyed bool) (list []string) {
	add := func(share string) {
		if !slices.Contains(list, share) {
			list = append(list, share)
		}
	}
	for _, s := range tray.Sides {
		side := &m.Sides[s]
		if side.Here && side.Key != "" {
			add("key " + side.Key)
		}
		for content := range side.shared(rekeyed) {
			add(s.String() + content)
		}
	}
	if len(list) == 0 {
		return []string{""}
	}
	return list
}

// numbered are marks, each with its number.
type numbered struct {
	marks   []Mark
	numbers []int
}

func (n *numbered) add(number int, m Mark) {
	n.marks, n.numbers = append(n.marks, m), append(n.numbers, number)
}

// Recognise says of each exception of the run which of those before it is, as [Recognise] would of all of them, and of each of those before that is not recognised that it
// is lost. It calls back in no order that means anything, with marks that are good until it does so again. Every exception of the run that it does not call back for is new.
func (r *Recogniser) Recognise(ctx context.Context, found func(now, before int, is, was *Mark), lost func(before int, was *Mark)) error {
	settle := func(both *[2]numbered) {
		if len(both[ofBefore].marks) == 0 {
			return
		}
		taken := make([]bool, len(both[ofBefore].marks))
		recognised := Recognise(both[ofBefore].marks, both[ofNow].marks, r.rekeyed)
		Join(both[ofBefore].marks, both[ofNow].marks, recognised)
		for n, b := range recognised {
			if b >= 0 {
				taken[b] = true
				found(both[ofNow].numbers[n], both[ofBefore].numbers[b], &both[ofNow].marks[n], &both[ofBefore].marks[b])
			}
		}
		for b, is := range taken {
			if !is {
				lost(both[ofBefore].numbers[b], &both[ofBefore].marks[b])
			}
		}
	}
	var group, aside [2]numbered // of one key; and of keys that marks have in common, which are settled together
	var in [2]map[int]bool       // what is aside
	for of := range in {
		in[of] = map[int]bool{}
	}
	share := ""
	end := func() {
		if !r.linked[share] {
			settle(&group)
		} else {
			for of := range group {
				for i, number := range group[of].numbers {
					if !in[of][number] {
						in[of][number] = true
						aside[of].add(number, group[of].marks[i])
					}
				}
			}
		}
		for of := range group {
			group[of].marks, group[of].numbers = group[of].marks[:0], group[of].numbers[:0]
		}
	}
	err := r.each(ctx, func(text []byte, of, number int, payload []byte) error {
		if string(text) != share {
			end()
			share = string(text)
		}
		m, err := decodeMark(payload)
		if of == ofBefore && r.here[number] {
			m.Gone = false
		}
		group[of].add(number, m)
		return err
	})
	if err != nil {
		return err
	}
	end()
	for of := range aside { // in the order of their numbers, as if there were no others
		aside[of].sort()
	}
	settle(&aside)
	return ctx.Err()
}

// sort puts marks into the order of their numbers.
func (n *numbered) sort() {
	order := make([]int, len(n.numbers))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return n.numbers[a] - n.numbers[b] })
	var to numbered
	for _, i := range order {
		to.add(n.numbers[i], n.marks[i])
	}
	*n = to
}

// encode appends a mark.
func (m *Mark) encode(dst []byte) []byte {
	flag := func(is bool, bit byte) byte {
		if is {
			return bit
		}
		return 0
	}
	dst = append(dst, byte(m.Tray), flag(m.Gone, 1)|flag(m.Sides[0].Here, 2)|flag(m.Sides[1].Here, 4)|flag(m.Worked, 8))
	dst = binary.AppendVarint(append(dst, m.Print[:]...), m.Order)
	for _, s := range tray.Sides {
		if side := &m.Sides[s]; side.Here {
			dst = binary.AppendUvarint(dst, uint64(len(side.Fewer)))
			for _, text := range [...]string{side.Key, side.Content, side.Values} {
				dst = append(binary.AppendUvarint(dst, uint64(len(text))), text...)
			}
			for _, text := range side.Fewer {
				dst = append(binary.AppendUvarint(dst, uint64(len(text))), text...)
			}
		}
	}
	return dst
}

var errMark = errors.New("a temporary file of marks is damaged")

// decodeMark reads what encode has written.
func decodeMark(from []byte) (m Mark, err error) {
	if len(from) < 2+len(m.Print) {
		return m, errMark
	}
	m.Tray, m.Gone, m.Worked = tray.Tray(from[0]), from[1]&1 != 0, from[1]&8 != 0
	m.Sides[0].Here, m.Sides[1].Here = from[1]&2 != 0, from[1]&4 != 0
	m.Print = Print(from[2:])
	from = from[2+len(m.Print):]
	order, n := binary.Varint(from)
	if n <= 0 {
		return m, errMark
	}
	m.Order = order
	rest := string(from[n:]) // of which all texts are parts
	for _, s := range tray.Sides {
		side := &m.Sides[s]
		if !side.Here {
			continue
		}
		fewer, n := binary.Uvarint([]byte(rest[:min(len(rest), binary.MaxVarintLen64)]))
		if n <= 0 || fewer > uint64(len(rest)) {
			return m, errMark
		}
		rest = rest[n:]
		texts := []*string{&side.Key, &side.Content, &side.Values}
		if fewer > 0 {
			side.Fewer = make([]string, fewer)
		}
		for i := range side.Fewer {
			texts = append(texts, &side.Fewer[i])
		}
		for _, text := range texts {
			length, n := binary.Uvarint([]byte(rest[:min(len(rest), binary.MaxVarintLen64)]))
			if n <= 0 || length > uint64(len(rest)-n) {
				return m, errMark
			}
			*text, rest = rest[n:n+int(length)], rest[n+int(length):]
		}
	}
	return m, nil
}
