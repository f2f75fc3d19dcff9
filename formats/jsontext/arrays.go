package jsontext

import (
	"bufio"
	"encoding/json"
	"io"
	"strings"
)

// Array is an array of a document that may hold its records.
type Array struct {
	Pointer  string // JSON Pointer to it; empty: it is the document itself
	Elements int64
	Objects  int64 // elements that are objects
}

// Arrays finds the arrays of a document that hold objects or nothing at all, and that no other array holds, in the order in which they stand
// there. A document that is broken or cut off has those that begin before.
func Arrays(text io.Reader) []Array {
	f := &arrayFinder{text: bufio.NewReaderSize(&noMark{text: text}, 64<<10)}
	f.value("")
	var all []Array
	for _, a := range f.found {
		if a.Objects > 0 || a.Elements == 0 {
			all = append(all, a)
		}
	}
	return all
}

// arrayFinder goes through a document once. Its methods report false where that ends or is broken.
type arrayFinder struct {
	text  *bufio.Reader
	depth int
	found []Array
}

// skip passes over blanks and returns the character behind them.
func (f *arrayFinder) skip() (byte, bool) {
	for {
		c, err := f.text.ReadByte()
		if err != nil {
			return 0, false
		}
		if c != ' ' && c != '\t' && c != '\n' && c != '\r' {
			return c, true
		}
	}
}

// value passes over a value at a place outside arrays, and notes the arrays in it.
func (f *arrayFinder) value(pointer string) bool {
	c, ok := f.skip()
	if !ok {
		return false
	}
	switch c {
	case '{':
		if f.depth++; f.depth > maxDepth {
			return false
		}
		defer func() { f.depth-- }()
		return f.object(pointer)
	case '[':
		f.found = append(f.found, Array{Pointer: pointer})
		return f.array(&f.found[len(f.found)-1])
	case '"':
		_, ok = f.string()
		return ok
	}
	return f.literal()
}

// object passes over an object whose brace has been read.
func (f *arrayFinder) object(pointer string) bool {
	for {
		c, ok := f.skip()
		if !ok || c == '}' {
			return ok
		}
		if c == ',' {
			continue
		}
		if c != '"' {
			return false
		}
		name, ok := f.string()
		if !ok {
			return false
		}
		if c, ok = f.skip(); !ok || c != ':' || !f.value(pointer+"/"+strings.NewReplacer("~", "~0", "/", "~1").Replace(name)) {
			return false
		}
	}
}

// array counts the elements of an array whose bracket has been read. What is in them does not matter.
func (f *arrayFinder) array(a *Array) bool {
	depth, begun := 1, false // begun: the element has begun
	for {
		c, ok := f.skip()
		if !ok {
			return false
		}
		if depth == 1 && !begun && c != ']' {
			begun = true
			if a.Elements++; c == '{' {
				a.Objects++
			}
		}
		switch c {
		case '"':
			if _, ok := f.string(); !ok {
				return false
			}
		case '{', '[':
			depth++
		case '}', ']':
			if depth--; depth == 0 {
				return true
			}
		case ',':
			begun = depth > 1
		}
	}
}

// string reads a text whose first quote has been read.
func (f *arrayFinder) string() (string, bool) {
	var raw []byte
	for {
		part, err := f.text.ReadSlice('"')
		if len(raw) <= mostName { // the rest of a long text is no name
			raw = append(raw, part...)
		} else {
			raw = append(raw[:mostName], part[max(0, len(part)-mostName):]...)
		}
		if err == bufio.ErrBufferFull {
			continue
		}
		if err != nil {
			return "", false
		}
		slashes := 0
		for n := len(raw) - 2; n >= 0 && raw[n] == '\\'; n-- {
			slashes++
		}
		if slashes%2 == 0 {
			break
		}
	}
	var text string
	if json.Unmarshal(append([]byte{'"'}, raw...), &text) != nil {
		text = string(raw[:len(raw)-1])
	}
	return text, true
}

// mostName is the most of a name that is kept.
const mostName = 4096

// literal passes over a number or a word whose first character has been read.
func (f *arrayFinder) literal() bool {
	for {
		c, err := f.text.ReadByte()
		if err != nil {
			return err == io.EOF
		}
		if strings.IndexByte(",]} \t\r\n", c) >= 0 {
			return f.text.UnreadByte() == nil
		}
	}
}
