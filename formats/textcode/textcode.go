// Package textcode brings text of other encodings into UTF-8.
//
// An encoding can be stated or found. What is found is a guess wherever the text does not say it by a byte-order mark:
// text that is valid UTF-8 is taken as UTF-8, text with a zero in every other byte as UTF-16, and any other text as one of
// the two single-byte encodings, ISO-8859-15 only where the euro sign is the one thing that could tell.
package textcode

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"github.com/dustin/go-humanize"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"twinsieve/core/record"
)

// The encodings, by the names that IANA has registered.
const (
	UTF8    = "UTF-8"
	UTF16LE = "UTF-16LE"
	UTF16BE = "UTF-16BE"
	CP1252  = "windows-1252"
	Latin9  = "ISO-8859-15"
)

// Names are the encodings that can be stated.
var Names = []string{UTF8, UTF16LE, UTF16BE, CP1252, Latin9}

// Named returns the encoding's name as it is written here, from any letter case.
func Named(name string) (string, error) {
	for _, n := range Names {
		if strings.EqualFold(n, name) {
			return n, nil
		}
	}
	return "", fmt.Errorf("%q is not an encoding that is read; write one of %s", name, strings.Join(Names, ", "))
}

// Found is an encoding that was found, and why it was taken.
type Found struct {
	Name string
	Sure bool   // the text says it itself
	Why  string // in plain words
	Open bool   // it is nothing but ASCII, which reads in the same way in most encodings
}

// Sample is how much of a text is looked at. Text that is ASCII for longer is looked at further, as a rule up to [SampleMost].
const (
	Sample     = 64 << 10
	SampleMost = 64 << 20
)

// enough is how many characters that are not ASCII are looked at where some are no UTF-8.
const enough = 1000

// Find finds the encoding of a text from its beginning. Where that is ASCII, or has bytes that are not UTF-8 and few others, it looks at so many
// bytes at most, in whole samples; in the second case at [SampleMost]. A text with bytes that are not UTF-8 is UTF-8 all the same where more of its characters are.
func Find(text io.Reader, most int64) (Found, error) {
	buf := make([]byte, Sample)
	head := true
	var seen tally
	for read := int64(0); read < most || seen.wrong > 0 && read < SampleMost; {
		n, err := io.ReadFull(text, buf)
		read += int64(n)
		if head {
			if f, told := tell(buf[:n]); told {
				return f, nil
			}
		}
		if !ascii(buf[:n]) {
			seen.add(buf[:n], head, err != nil)
			if seen.wrong == 0 || seen.right+seen.wrong >= enough {
				return seen.found(), nil
			}
		}
		head = false
		switch err {
		case nil:
		case io.EOF, io.ErrUnexpectedEOF:
			if seen.wrong > 0 {
				return seen.found(), nil
			}
			return Found{Name: UTF8, Sure: false, Why: "nothing but ASCII", Open: true}, nil
		default:
			return Found{}, err
		}
	}
	if seen.wrong > 0 {
		return seen.found(), nil
	}
	return Found{Name: UTF8, Sure: false, Why: "nothing but ASCII in its first " + humanize.IBytes(uint64(most)), Open: true}, nil
}

// tally counts what is not ASCII.
type tally struct {
	right, wrong  int // characters in UTF-8, and bytes that are none
	control, euro int // bytes that tell windows-1252 from ISO-8859-15
}

// add counts a sample. Pieces of a character at its edges do not count.
func (t *tally) add(b []byte, head, whole bool) {
	if !head {
		b = fromStart(b)
	}
	if !whole {
		b = toEnd(b)
	}
	for i := 0; i < len(b); {
		if b[i] < utf8.RuneSelf {
			i++
			continue
		}
		c, size := utf8.DecodeRune(b[i:])
		if c == utf8.RuneError && size == 1 {
			t.wrong++
		} else {
			t.right++
		}
		for _, c := range b[i : i+size] {
			switch {
			case c < 0xA0:
				t.control++
			case c == 0xA4:
				t.euro++
			}
		}
		i += size
	}
}

// found is the encoding that the counts speak for.
func (t *tally) found() Found {
	switch {
	case t.wrong == 0:
		return Found{Name: UTF8, Why: "it is valid UTF-8"}
	case t.right >= t.wrong:
		return Found{Name: UTF8, Why: fmt.Sprintf("it is UTF-8 but for %d of its %d characters that are not ASCII", t.wrong, t.right+t.wrong)}
	case t.euro > 0 && t.control == 0:
		return Found{Name: Latin9, Why: "it is not UTF-8, and has the byte that is the euro sign in ISO-8859-15"}
	}
	return Found{Name: CP1252, Why: "it is not UTF-8"}
}

// tell finds what a text says itself: a byte-order mark, or the zeros of UTF-16.
func tell(b []byte) (Found, bool) {
	switch {
	case bytes.HasPrefix(b, []byte("\xEF\xBB\xBF")):
		return Found{Name: UTF8, Sure: true, Why: "it begins with UTF-8's byte-order mark"}, true
	case bytes.HasPrefix(b, []byte("\xFF\xFE")):
		return Found{Name: UTF16LE, Sure: true, Why: "it begins with UTF-16's byte-order mark"}, true
	case bytes.HasPrefix(b, []byte("\xFE\xFF")):
		return Found{Name: UTF16BE, Sure: true, Why: "it begins with UTF-16's byte-order mark"}, true
	}
	even, odd := 0, 0
	for i, c := range b {
		if c == 0 && i%2 == 0 {
			even++
		} else if c == 0 {
			odd++
		}
	}
	if odd > len(b)/5 && even < odd/8 {
		return Found{Name: UTF16LE, Sure: false, Why: "every other byte is zero"}, true
	}
	if even > len(b)/5 && odd < even/8 {
		return Found{Name: UTF16BE, Sure: false, Why: "every other byte is zero"}, true
	}
	return Found{}, false
}

// ascii looks at many bytes at a time, for whole files may be gone through.
func ascii(b []byte) bool {
	word := binary.LittleEndian.Uint64
	for ; len(b) >= 64; b = b[64:] {
		some := b[:64:64]
		if (word(some)|word(some[8:])|word(some[16:])|word(some[24:])|word(some[32:])|word(some[40:])|word(some[48:])|word(some[56:]))&0x8080808080808080 != 0 {
			return false
		}
	}
	for ; len(b) >= 8; b = b[8:] {
		if word(b)&0x8080808080808080 != 0 {
			return false
		}
	}
	for _, c := range b {
		if c >= utf8.RuneSelf {
			return false
		}
	}
	return true
}

// fromStart and toEnd leave off what may be pieces of a character at the edges of a sample.
func fromStart(b []byte) []byte {
	for n := 0; n < utf8.UTFMax && len(b) > 0 && !utf8.RuneStart(b[0]); n++ {
		b = b[1:]
	}
	return b
}

func toEnd(b []byte) []byte {
	for n := 1; n <= utf8.UTFMax && n <= len(b); n++ {
		if c := b[len(b)-n]; utf8.RuneStart(c) {
			if !utf8.FullRune(b[len(b)-n:]) {
				return b[:len(b)-n]
			}
			break
		}
	}
	return b
}

// NewReader returns the text in UTF-8, without a byte-order mark. Bytes that are no text in the encoding end the reading
// with an [*record.Unreadable] that names the line; they are never replaced in silence. UTF-8 comes as it is, for who
// reads it checks it.
func NewReader(text io.Reader, name string) (io.Reader, error) {
	var e encoding.Encoding
	switch name {
	case UTF8:
		return text, nil
	case UTF16LE:
		e = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)
	case UTF16BE:
		e = unicode.UTF16(unicode.BigEndian, unicode.UseBOM)
	case CP1252:
		e = charmap.Windows1252
	case Latin9:
		e = charmap.ISO8859_15
	default:
		return nil, fmt.Errorf("%q is not an encoding that is read", name)
	}
	return &checked{text: transform.NewReader(text, e.NewDecoder()), name: name, line: 1}, nil
}

// checked refuses replacement characters, which is what a decoder gives for bytes that are no text.
type checked struct {
	text io.Reader
	name string
	line int64
	tail [2]byte // the last bytes that were given, for a replacement character may come in pieces
}

var replacement = []byte(string(utf8.RuneError))

func (c *checked) Read(p []byte) (int, error) {
	n, err := c.text.Read(p)
	seen := append(c.tail[:len(c.tail):len(c.tail)], p[:n]...)
	if at := bytes.Index(seen, replacement); at >= 0 {
		line := c.line + int64(bytes.Count(seen[len(c.tail):max(at, len(c.tail))], []byte{'\n'}))
		return 0, &record.Unreadable{Line: line, What: fmt.Sprintf("bytes stand here that are no text in %s; state another encoding", c.name)}
	}
	copy(c.tail[:], seen[len(seen)-len(c.tail):])
	c.line += int64(bytes.Count(p[:n], []byte{'\n'}))
	return n, err
}
