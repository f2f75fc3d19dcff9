package lines

import "io"

// Counter passes a text on and knows on which line a place in it is.
type Counter struct {
	source io.Reader
	ends   []int64 // places of line feeds that were not asked past
	read   int64
	passed int64 // line feeds before ends
}

// NewCounter returns the text of source.
func NewCounter(source io.Reader) *Counter { return &Counter{source: source} }

// Read implements io.Reader.
func (c *Counter) Read(p []byte) (int, error) {
	n, err := c.source.Read(p)
	for i, b := range p[:n] {
		if b == '\n' {
			c.ends = append(c.ends, c.read+int64(i))
		}
	}
	c.read += int64(n)
	return n, err
}

// Line is the line, counted from 1, of the byte at a place of what has been read. Places are asked in ascending order.
func (c *Counter) Line(at int64) int64 {
	n := 0
	for n < len(c.ends) && c.ends[n] < at {
		n++
	}
	c.ends = c.ends[n:]
	c.passed += int64(n)
	return c.passed + 1
}
