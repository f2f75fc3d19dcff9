package delimited

import "golang.org/x/sys/cpu"

var hasAVX2 = cpu.X86.HasAVX2

// mark fills blocks of marks from text, which has at least as many bytes.
func mark(text []byte, delimiter byte, blocks []marks) {
	if len(blocks) == 0 {
		return
	}
	if _ = text[len(blocks)*step-1]; hasAVX2 {
		markVectors(&text[0], delimiter, &blocks[0], len(blocks))
		return
	}
	markWords(text, delimiter, blocks)
}

// markVectors is [markWords] with AVX2, 32 bytes at a time: four times as fast, which makes a fifth of all reading.
//
//go:noescape
func markVectors(text *byte, delimiter byte, blocks *marks, n int)
