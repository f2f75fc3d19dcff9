package pairing

import "math/big"

// cost is a number that the assignment can reckon with. The zero value is zero.
type cost[T any] interface {
	plus(T) T
	minus(T) T
	less(T) bool
}

// word is a cost in 64 bits.
type word int64

func (a word) plus(b word) word  { return a + b }
func (a word) minus(b word) word { return a - b }
func (a word) less(b word) bool  { return a < b }

// long is a cost of any size. A nil number is zero.
type long struct{ n *big.Int }

func (a long) or0() *big.Int {
	if a.n == nil {
		return zero
	}
	return a.n
}
func (a long) plus(b long) long  { return long{new(big.Int).Add(a.or0(), b.or0())} }
func (a long) minus(b long) long { return long{new(big.Int).Sub(a.or0(), b.or0())} }
func (a long) less(b long) bool  { return a.or0().Cmp(b.or0()) < 0 }

// ties is one cheapest assignment, and all that is needed to find the others.
//
// An assignment is cheapest exactly when it uses tight pairs only and leaves only those records alone that may be free.
type ties struct {
	lefts, rights int
	right         []int // partner of each left record, or -1
	tight         func(l, r int) bool
	mayBeFree     func(i int) bool // for records of the larger side
}

// assign finds a cheapest way to give every record of the smaller side a partner of its own: the Hungarian method with
// potentials, in O(smaller² · larger).
func assign[T cost[T]](lefts, rights int, price func(l, r int) T) ties {
	turned := lefts > rights
	rows, columns := lefts, rights
	at := price
	if turned {
		rows, columns = rights, lefts
		at = func(row, column int) T { return price(column, row) }
	}
	// Rows and columns are counted from 1; column 0 stands for the row that is being placed.
	rowPotential, columnPotential := make([]T, rows+1), make([]T, columns+1)
	owner := make([]int, columns+1) // row of each column, 0 when free
	from := make([]int, columns+1)
	slack := make([]T, columns+1)
	for row := 1; row <= rows; row++ {
		owner[0] = row
		reached, known := make([]bool, columns+1), make([]bool, columns+1)
		column := 0
		for owner[column] != 0 {
			reached[column] = true
			next, i := 0, owner[column]
			for j := 1; j <= columns; j++ {
				if reached[j] {
					continue
				}
				s := at(i-1, j-1).minus(rowPotential[i]).minus(columnPotential[j])
				if !known[j] || s.less(slack[j]) {
					slack[j], from[j], known[j] = s, column, true
				}
				if next == 0 || slack[j].less(slack[next]) {
					next = j
				}
			}
			delta := slack[next]
			for j := range reached {
				if reached[j] {
					rowPotential[owner[j]] = rowPotential[owner[j]].plus(delta)
					columnPotential[j] = columnPotential[j].minus(delta)
				} else if known[j] {
					slack[j] = slack[j].minus(delta)
				}
			}
			column = next
		}
		for column != 0 {
			owner[column] = owner[from[column]]
			column = from[column]
		}
	}
	var none T
	isZero := func(v T) bool { return !v.less(none) && !none.less(v) }
	t := ties{lefts: lefts, rights: rights, right: make([]int, lefts)}
	t.tight = func(l, r int) bool {
		row, column := l, r
		if turned {
			row, column = r, l
		}
		return isZero(at(row, column).minus(rowPotential[row+1]).minus(columnPotential[column+1]))
	}
	t.mayBeFree = func(i int) bool { return isZero(columnPotential[i+1]) }
	for l := range t.right {
		t.right[l] = -1
	}
	for j := 1; j <= columns; j++ {
		if owner[j] != 0 {
			if turned {
				t.right[j-1] = owner[j] - 1
			} else {
				t.right[owner[j]-1] = j - 1
			}
		}
	}
	return t
}
