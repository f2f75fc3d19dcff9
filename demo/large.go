package demo

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
)

// Large is a pair of large files of one shape, for measuring and for tests of size: a three-part key of call, day and
// code, an amount, and text.
type Large struct {
	Records   int // on the left
	Seed      uint64
	Shares    *Shares // nil: [Usual]
	Columns   int     // how many there are; those beyond [LargeColumns] hold numbers. 0: LargeColumns
	KeyBytes  int     // at least so many bytes has a call number
	SameOrder bool    // the right file is in the order of the left one, not shuffled
	OneKey    int     // so many of the left records, and about as many of the right ones, have one key
}

// Shares say of how many left records in a hundred what is so. The rest are on the right as they are.
type Shares struct {
	Blank     int // they have no call number, on either side
	Missing   int // they are not on the right
	OtherKey  int // they have another call number on the right, and so are missing and orphaned
	Differing int // they have another amount on the right
	Repeated  int // they are on the right twice
}

// Usual are the shares of files as they come.
var Usual = Shares{Blank: 1, Missing: 2, OtherKey: 2, Differing: 2, Repeated: 1}

// LargeColumns is how many columns the files have at least.
const LargeColumns = 7

// Write writes the two files.
func (l Large) Write(left, right string) error {
	r := rand.New(rand.NewPCG(l.Seed, 8646))
	header := "call,day,code,vessel,quay,amount,remark"
	for c := LargeColumns; c < l.Columns; c++ {
		header += fmt.Sprintf(",figure %d", c+1)
	}
	header += "\n"
	shares := Usual
	if l.Shares != nil {
		shares = *l.Shares
	}
	pad := ""
	var rights []string
	err := writeFile(left, func(w *bufio.Writer) {
		_, _ = w.WriteString(header) // a buffered writer keeps its error for the flush
		for n := range l.Records {
			call := fmt.Sprintf("MW-%08d", n/3)
			if n < l.OneKey {
				call = "MW-ONE"
			}
			if more := l.KeyBytes - len(call); more > 0 {
				if len(pad) < more {
					pad = strings.Repeat("-berth", more/6+1)
				}
				call += pad[:more]
			}
			vessel := fmt.Sprintf("Vessel %d", r.IntN(5000))
			amount := 10_000 + r.IntN(500_000)
			day, code := fmt.Sprintf("2031-%02d-%02d", 1+n%12, 1+n%28), codes[n%5]
			if n < l.OneKey {
				day, code = "2031-01-01", codes[0]
			}
			line := func(amount int) string {
				text := fmt.Sprintf("%s,%s,%s,%s,Quay %d,%d.%02d,entry %d by hand", call, day, code, vessel, n%9, amount/100, amount%100, r.IntN(1e6))
				for c := LargeColumns; c < l.Columns; c++ {
					text += fmt.Sprintf(",%d", (n+c)*7919%100_000)
				}
				return text + "\n"
			}
			kind := r.IntN(100)
			among := func(share int) bool {
				kind -= share
				return kind < 0 && kind >= -share
			}
			blank := among(shares.Blank)
			if blank {
				call = ""
			}
			_, _ = w.WriteString(line(amount))
			switch {
			case blank:
				rights = append(rights, line(amount))
			case among(shares.Missing):
			case among(shares.OtherKey):
				call += "x"
				rights = append(rights, line(amount))
			case among(shares.Differing):
				rights = append(rights, line(amount+100))
			case among(shares.Repeated):
				rights = append(rights, line(amount), line(amount))
			default:
				rights = append(rights, line(amount))
			}
		}
	})
	if err != nil {
		return err
	}
	if !l.SameOrder {
		r.Shuffle(len(rights), func(i, j int) { rights[i], rights[j] = rights[j], rights[i] })
	}
	return writeFile(right, func(w *bufio.Writer) {
		_, _ = w.WriteString(header)
		for _, line := range rights {
			_, _ = w.WriteString(line)
		}
	})
}

func writeFile(name string, fill func(*bufio.Writer)) error {
	f, err := os.Create(name)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(f, 1<<20)
	fill(w)
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Close()
}
