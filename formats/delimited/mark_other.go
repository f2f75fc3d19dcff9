//go:build !amd64

package delimited

// mark fills blocks of marks from text, which has at least as many bytes.
func mark(text []byte, delimiter byte, blocks []marks) { markWords(text, delimiter, blocks) }
