package exact

import (
	"bytes"
	"cmp"
	"math/bits"
	"slices"
	"strconv"

	"github.com/shopspring/decimal"
)

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

// TermOf is a decimal as a term. It reports false where that has too many digits.
func TermOf(d decimal.Decimal) (t Term, ok bool) {
	if places := -d.Exponent(); places >= 0 && places <= 18 && d.NumDigits() <= 18 {
		return Term{d.CoefficientInt64(), int(places)}, true
	}
	return Term{}, false
}

// Minus is t less o. It reports false where that is too long for a term.
func (t Term) Minus(o Term) (Term, bool) {
	t, ok := t.to(o.places)
	o, too := o.to(t.places)
	if !ok || !too {
		return Term{}, false
	}
	t.coefficient -= o.coefficient // of 18 digits each, so that 64 bits hold it
	return t, t.coefficient > -longest && t.coefficient < longest
}

// longest is the least number that is too long for a coefficient.
const longest = 1_000_000_000_000_000_000

// to is the number with so many places at least. It reports false where that is too long for a term.
func (t Term) to(places int) (Term, bool) {
	for ; t.places < places; t.places++ {
		if t.coefficient *= 10; t.coefficient <= -longest || t.coefficient >= longest {
			return t, false
		}
	}
	return t, true
}

// Magnitude is the number without its sign.
func (t Term) Magnitude() Term { return Term{max(t.coefficient, -t.coefficient), t.places} }

// Text is the plain form.
func (t Term) Text() string {
	var room [24]byte
	text := strconv.AppendInt(room[:0], t.Magnitude().coefficient, 10)
	if t.places > 0 {
		for len(text) <= t.places {
			text = slices.Insert(text, 0, '0')
		}
		text = slices.Insert(text, len(text)-t.places, '.')
		text = bytes.TrimSuffix(bytes.TrimRight(text, "0"), []byte{'.'})
	}
	if t.coefficient < 0 {
		text = slices.Insert(text, 0, '-')
	}
	return string(text)
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
