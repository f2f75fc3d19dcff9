package exact

import (
	"cmp"
	"math/bits"

	"github.com/shopspring/decimal"
)

// Sum adds numbers exactly. The zero value is an empty sum. The order of additions never matters.
//
// Numbers of up to 18 digits are added in 128 bits for each count of places after the point, which cannot overflow
// below 2^64 additions; the others are added one by one.
type Sum struct {
	byPlaces [19]wide
	long     decimal.Decimal
}

// wide is a signed 128-bit integer in two's complement.
type wide struct{ hi, lo uint64 }

func (w *wide) add(hi, lo uint64) {
	var carry uint64
	w.lo, carry = bits.Add64(w.lo, lo, 0)
	w.hi, _ = bits.Add64(w.hi, hi, carry)
}

// Add adds the number with the plain form plain.
func (s *Sum) Add(plain []byte) {
	if t, ok := NewTerm(plain); ok {
		s.AddTerm(t)
		return
	}
	s.long = s.long.Add(Decimal(plain))
}

// Term is a number of up to 18 digits that is added to several sums, or compared with several numbers, and so read only once.
type Term struct {
	coefficient int64
	places      int
}

// NewTerm reads a number in its plain form. It reports false where that is too long for a term; [Sum.Add] adds it then.
func NewTerm(plain []byte) (t Term, ok bool) {
	t.coefficient, t.places, ok = small(plain)
	return t, ok
}

// Negative is the number with the other sign.
func (t Term) Negative() Term { return Term{-t.coefficient, t.places} }

// Decimal is the number.
func (t Term) Decimal() decimal.Decimal { return decimal.New(t.coefficient, int32(-t.places)) }

// Compare says whether t is less than o (-1), equal to it (0) or greater (1).
func (t Term) Compare(o Term) int {
	if t.places == o.places {
		return cmp.Compare(t.coefficient, o.coefficient)
	}
	if t.places > o.places {
		return -o.Compare(t)
	}
	negative := t.coefficient < 0
	if negative != (o.coefficient < 0) || t.coefficient == 0 || o.coefficient == 0 {
		return cmp.Compare(t.coefficient, o.coefficient)
	}
	// Of 18 digits each, both have room in 128 bits as units of the finer one's last place.
	power := uint64(1)
	for range o.places - t.places {
		power *= 10
	}
	high, low := bits.Mul64(uint64(max(t.coefficient, -t.coefficient)), power)
	by := cmp.Or(cmp.Compare(high, 0), cmp.Compare(low, uint64(max(o.coefficient, -o.coefficient))))
	if negative {
		return -by
	}
	return by
}

// AddTerm adds a number.
func (s *Sum) AddTerm(t Term) {
	s.byPlaces[t.places].add(uint64(t.coefficient>>63), uint64(t.coefficient))
}

// AddTimes adds the number with the plain form plain so many times.
func (s *Sum) AddTimes(plain []byte, times int64) {
	c, places, ok := small(plain)
	if !ok {
		s.long = s.long.Add(Decimal(plain).Mul(decimal.NewFromInt(times)))
		return
	}
	hi, lo := bits.Mul64(uint64(max(c, -c)), uint64(times))
	if c < 0 { // in two's complement
		var borrow uint64
		lo, borrow = bits.Sub64(0, lo, 0)
		hi, _ = bits.Sub64(0, hi, borrow)
	}
	s.byPlaces[places].add(hi, lo)
}

// Merge adds all that other has.
func (s *Sum) Merge(other *Sum) {
	for i, w := range other.byPlaces {
		s.byPlaces[i].add(w.hi, w.lo)
	}
	s.long = s.long.Add(other.long)
}

// Total is the exact sum.
func (s *Sum) Total() decimal.Decimal {
	total := s.long
	for places, w := range s.byPlaces {
		if w.hi|w.lo != 0 {
			high := decimal.New(int64(w.hi), int32(-places)).Mul(two64)
			low := decimal.NewFromUint64(w.lo).Shift(int32(-places))
			total = total.Add(high).Add(low)
		}
	}
	return total
}

var two64 = decimal.NewFromUint64(1 << 63).Mul(decimal.NewFromInt(2))
