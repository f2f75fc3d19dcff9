package demo

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
)

// Large is a pair of large files of one shape, for measuring and for tests of size: a three-part key of call, day and
// code, an amount, and text. Of 100 records about one has no call number, two are missing, two have another call number
// on the right and are missing and orphaned, two differ in the amount, and one is on the right twice. The right file is
// shuffled.
type Large struct {
	Records int // on the left
	Seed    uint64
}

// LargeColumns is how many columns the files have.
const LargeColumns = 7

// Write writes the two files.
func (l Large) Write(left, right string) error {
	r := rand.New(rand.NewPCG(l.Seed, 8646))
	const header = "call,day,code,vessel,quay,amount,remark\n"
	var rights []string
	err := writeFile(left, func(w *bufio.Writer) {
		_, _ = w.WriteString(header) // a buffered writer keeps its error for the flush
		for n := range l.Records {
			call := fmt.Sprintf("MW-%08d", n/3)
			vessel := fmt.Sprintf("Vessel %d", r.IntN(5000))
			amount := 10_000 + r.IntN(500_000)
			line := func(amount int) string {
				return fmt.Sprintf("%s,2031-%02d-%02d,%s,%s,Quay %d,%d.%02d,entry %d by hand\n", call, 1+n%12, 1+n%28, codes[n%5], vessel, n%9, amount/100, amount%100, r.IntN(1e6))
			}
			kind := r.IntN(100)
			if kind == 0 {
				call = ""
			}
			_, _ = w.WriteString(line(amount))
			switch kind {
			case 1, 2:
			case 3, 4:
				call += "x"
				rights = append(rights, line(amount))
			case 5, 6:
				rights = append(rights, line(amount+100))
			case 7:
				rights = append(rights, line(amount), line(amount))
			default:
				rights = append(rights, line(amount))
			}
		}
	})
	if err != nil {
		return err
	}
	r.Shuffle(len(rights), func(i, j int) { rights[i], rights[j] = rights[j], rights[i] })
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
