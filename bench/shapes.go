package main

import (
	"bytes"
	"fmt"
	"os"

	"twinsieve/demo"
)

// shapes measures files of odd shapes, each within 512 MB.
func (b *bench) shapes() {
	const memory = "512MB"
	fmt.Printf("\nodd shapes, sift with --memory %s\n\n| | left, right | parse, s | sift, s | ratio | peak MB | exceptions |\n|---|---|---|---|---|---|---|\n", memory)
	for _, shape := range []struct {
		what  string
		large demo.Large
	}{
		{"as usual, 1,000,000 records", demo.Large{Records: 1_000_000}},
		{"in the same order on both sides", demo.Large{Records: 1_000_000, SameOrder: true}},
		{"one key on 1,000,000 records of either side", demo.Large{Records: 1_000_000, OneKey: 1_000_000, Shares: &demo.Shares{Missing: 2, Differing: 2, Repeated: 1}}},
		{"200 columns, 200,000 records", demo.Large{Records: 200_000, Columns: 200}},
		{"keys of 1 KB, 500,000 records", demo.Large{Records: 500_000, KeyBytes: 1024}},
		{"99 of 100 unkeyed, 1,000,000 records", demo.Large{Records: 1_000_000, Shares: &demo.Shares{Blank: 99}}},
		{"all missing, 1,000,000 records", demo.Large{Records: 1_000_000, Shares: &demo.Shares{Missing: 100}}},
	} {
		left, right := b.file("left.csv"), b.file("right.csv")
		shape.large.Seed = b.large.Seed
		must(shape.large.Write(left, right))
		self, err := os.Executable()
		must(err)
		p, _ := run(0, self, "-parse", left, right)
		m, said := run(1, (&bench{dir: b.dir, binary: b.binary, memory: memory, keyParts: 3}).sift(left, right, b.file("exceptions.csv"))...)
		fmt.Printf("| %s | %s, %s | %.2f | %.2f | %.2f | %d | %d |\n", shape.what, size(left), size(right), p.wall.Seconds(), m.wall.Seconds(), m.wall.Seconds()/p.wall.Seconds(), m.peak>>20, wanted(said).exceptions)
	}
}

// bounded compares the largest files within 1 GB and within 16 GB: what is found must be the same, byte for byte.
func (b *bench) bounded() {
	records := b.sizes[len(b.sizes)-1]
	left, right := b.file("left.csv"), b.file("right.csv")
	large := b.large
	large.Records = records
	must(large.Write(left, right))
	fmt.Printf("\n%d records a side within a budget\n\n| | seconds | peak MB |\n|---|---|---|\n", records)
	var outs [2][]byte
	for i, memory := range []string{"1GB", "16GB"} {
		out := b.file("within-" + memory + ".csv")
		with := *b
		with.memory = memory
		m, _ := run(1, with.sift(left, right, out)...)
		fmt.Printf("| sift --memory %s | %.2f | %d |\n", memory, m.wall.Seconds(), m.peak>>20)
		var err error
		outs[i], err = os.ReadFile(out)
		must(err)
		must(os.Remove(out))
	}
	if !bytes.Equal(outs[0], outs[1]) {
		must(fmt.Errorf("the exceptions are others within 1 GB than within 16 GB"))
	}
	fmt.Printf("\nthe same %d bytes of exceptions\n", len(outs[0]))
}
