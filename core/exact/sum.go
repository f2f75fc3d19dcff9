package exact

import (
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

// AddTerm adds a number.
func (s *Sum) AddTerm(t Term) {
	s.byPlaces[t.places].add(uint64(t.coefficient>>63), uint64(t.coefficient))
}

// AddTimes adds the number with the plain form plain so many times, which is not negative.
func (s *Sum) AddTimes(plain []byte, times int64) {
	if t, ok := NewTerm(plain); ok {
		s.AddTermTimes(t, times)
		return
	}
	s.long = s.long.Add(Decimal(plain).Mul(decimal.NewFromInt(times)))
}

// AddTermTimes adds a number so many times, which is not negative.
func (s *Sum) AddTermTimes(t Term, times int64) {
	hi, lo := bits.Mul64(uint64(max(t.coefficient, -t.coefficient)), uint64(times))
	if t.coefficient < 0 { // in two's complement
		var borrow uint64
		lo, borrow = bits.Sub64(0, lo, 0)
		hi, _ = bits.Sub64(0, hi, borrow)
	}
	s.byPlaces[t.places].add(hi, lo)
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
