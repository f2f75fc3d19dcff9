package spreadsheet

import (
	"bufio"
	"bytes"
	"io"
)

// tags goes through the tags of a sheet without reading what is between them. It takes a tenth of the time of [marks], and serves where a
// whole sheet is passed over to find something about it before it is read.
type tags struct {
	in   *bufio.Reader
	name []byte
	more bool // the tag that was given last has not ended yet
}

func newTags(in io.Reader) *tags { return &tags{in: bufio.NewReaderSize(in, 64<<10)} }

// next gives the name of the next tag that begins an element, without its prefix. It returns io.EOF behind the last; a name is valid until
// the next one is asked for.
func (t *tags) next() ([]byte, error) {
	for {
		if err := t.skip('<'); err != nil {
			return nil, err
		}
		first, err := t.in.ReadByte()
		if err != nil {
			return nil, err
		}
		switch first {
		case '/', '?':
			continue
		case '!':
			if err := t.skipText(); err != nil {
				return nil, err
			}
			continue
		}
		t.name = append(t.name[:0], first)
		for t.more = true; t.more; {
			c, err := t.in.ReadByte()
			switch {
			case err != nil:
				return nil, err
			case c == ':':
				t.name = t.name[:0]
			case c == '>' || c == '/':
				t.more = false
			case c == ' ' || c == '\t' || c == '\r' || c == '\n':
				return t.name, nil
			default:
				t.name = append(t.name, c)
			}
		}
		return t.name, nil
	}
}

// attribute gives an attribute of the tag that was given last, "" where it has none. It can be asked for once.
func (t *tags) attribute(name string) (string, error) {
	if !t.more {
		return "", nil
	}
	text, err := t.in.ReadSlice('>')
	if t.more = false; err != nil {
		return "", err
	}
	for _, quote := range []string{`"`, `'`} {
		if _, value, ok := bytes.Cut(text, []byte(name+"="+quote)); ok {
			value, _, _ = bytes.Cut(value, []byte(quote))
			return string(value), nil
		}
	}
	return "", nil
}

// skip passes over everything up to a character, and that.
func (t *tags) skip(to byte) error {
	for {
		if _, err := t.in.ReadSlice(to); err != bufio.ErrBufferFull {
			return err
		}
	}
}

// skipText passes over a comment, or over a text that is marked as one, in which tags mean nothing. Whatever else begins with an exclamation
// mark holds none.
func (t *tags) skipText() error {
	head, err := t.in.Peek(2)
	if err != nil {
		return err
	}
	end := map[string]string{"--": "-->", "[C": "]]>"}[string(head)]
	for seen := ""; end != "" && seen != end; {
		c, err := t.in.ReadByte()
		if err != nil {
			return err
		}
		seen += string([]byte{c})
		seen = seen[max(0, len(seen)-len(end)):]
	}
	return nil
}
