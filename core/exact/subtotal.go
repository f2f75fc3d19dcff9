package exact

import "github.com/shopspring/decimal"

// Subtotal is what a few numbers come to, exactly: it is small, and quick while they are short. Of many numbers it is [Sum] that is quick. The zero value is
// what no numbers come to.
type Subtotal struct {
	short Term
	long  decimal.Decimal // what is too long for a term
}

// Add adds the number with the plain form plain.
func (s *Subtotal) Add(plain []byte) {
	t, ok := NewTerm(plain)
	if !ok {
		s.long = s.long.Add(Decimal(plain))
		return
	}
	s.addTerm(t)
}

// Subtract takes the number with the plain form plain away.
func (s *Subtotal) Subtract(plain []byte) {
	t, ok := NewTerm(plain)
	if !ok {
		s.long = s.long.Sub(Decimal(plain))
		return
	}
	s.addTerm(t.Negative())
}

func (s *Subtotal) addTerm(t Term) {
	if sum, ok := s.short.Minus(t.Negative()); ok {
		s.short = sum
		return
	}
	s.long, s.short = s.long.Add(s.short.Decimal()), t
}

// Decimal is what they come to.
func (s Subtotal) Decimal() decimal.Decimal { return s.long.Add(s.short.Decimal()) }

// Text is its plain form.
func (s Subtotal) Text() string {
	if s.long.IsZero() {
		return s.short.Text()
	}
	return Text(s.Decimal())
}
