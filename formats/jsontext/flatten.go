package jsontext

import (
	"bytes"
	"fmt"
	"strconv"
	"unicode/utf16"
	"unicode/utf8"
)

// field is a field of a record: its dotted name, and what stands there.
type field struct {
	name string
	text []byte
	null bool
}

// maxDepth is how deep objects and lists may lie in one another.
const maxDepth = 100

// flattener turns an object into fields. Fields of an object within it have its name and a dot in front; a list within it is one field, whose
// text is the list in JSON, as is an object with nothing in it. It takes JSON that is known to be well formed, and its texts are valid until it
// is given the next object.
type flattener struct {
	fields []field
	half   bool // a text had half of a surrogate pair

	text  []byte
	at    int
	path  []byte            // of the field being read
	names map[string]string // that have been seen
	made  []byte            // texts that do not stand in the source as they are
}

// begin takes an object, and reports whether it is one.
func (f *flattener) begin(text []byte) bool {
	f.fields, f.half, f.text, f.at, f.path, f.made = f.fields[:0], false, text, 0, f.path[:0], f.made[:0]
	if f.names == nil {
		f.names = map[string]string{}
	}
	return f.peek() == '{'
}

// peek is the next character that is not blank.
func (f *flattener) peek() byte {
	for f.at < len(f.text) {
		switch c := f.text[f.at]; c {
		case ' ', '\t', '\n', '\r':
			f.at++
		default:
			return c
		}
	}
	return 0
}

// flatten reads the object that is next.
func (f *flattener) flatten(depth int) error {
	if depth > maxDepth {
		return fmt.Errorf("objects lie more than %d deep in one another", maxDepth)
	}
	f.at++ // its brace
	prefix := len(f.path)
	for f.peek() != '}' {
		if f.text[f.at] == ',' {
			f.at++
			f.peek()
		}
		f.path = append(f.path[:prefix], f.string()...)
		f.peek()
		f.at++ // the colon
		switch c := f.peek(); {
		case c == '{' && !f.empty():
			f.path = append(f.path, '.')
			if err := f.flatten(depth + 1); err != nil {
				return err
			}
		case c == '{' || c == '[':
			from := len(f.made)
			if err := f.copy(depth + 1); err != nil {
				return err
			}
			f.add(f.made[from:len(f.made):len(f.made)], false)
		case c == '"':
			f.add(f.string(), false)
		default:
			word := f.word()
			f.add(word, word[0] == 'n')
		}
	}
	f.at++
	return nil
}

// add keeps a field with the name that has been read.
func (f *flattener) add(text []byte, null bool) {
	name, known := f.names[string(f.path)]
	if !known {
		name = string(f.path)
		if len(f.names) < mostNames {
			f.names[name] = name
		}
	}
	f.fields = append(f.fields, field{name: name, text: text, null: null})
}

// mostNames is how many names are kept, so that no document fills the memory with them.
const mostNames = 10_000

// empty reports whether the object that is next has nothing in it.
func (f *flattener) empty() bool {
	rest := bytes.TrimLeft(f.text[f.at+1:], " \t\r\n")
	return rest[0] == '}'
}

// word reads a number, true, false or null.
func (f *flattener) word() []byte {
	from := f.at
	for f.at < len(f.text) {
		switch f.text[f.at] {
		case ',', ']', '}', ' ', '\t', '\n', '\r':
			return f.text[from:f.at]
		}
		f.at++
	}
	return f.text[from:]
}

// string reads a text, without its quotes and escapes.
func (f *flattener) string() []byte {
	f.at++
	rest := f.text[f.at:]
	n := bytes.IndexByte(rest, '"')
	if bytes.IndexByte(rest[:n], '\\') < 0 {
		f.at += n + 1
		return rest[:n:n]
	}
	from := len(f.made)
	for {
		switch c := f.text[f.at]; c {
		case '"':
			f.at++
			return f.made[from:len(f.made):len(f.made)]
		case '\\':
			f.escape()
		default:
			f.made = append(f.made, c)
			f.at++
		}
	}
}

// escape reads what is escaped.
func (f *flattener) escape() {
	c := f.text[f.at+1]
	f.at += 2
	switch c {
	case 'b':
		c = '\b'
	case 'f':
		c = '\f'
	case 'n':
		c = '\n'
	case 'r':
		c = '\r'
	case 't':
		c = '\t'
	case 'u':
		f.made = utf8.AppendRune(f.made, f.character())
		return
	}
	f.made = append(f.made, c)
}

// character reads a character whose \u has been read, and the second half of its surrogate pair.
func (f *flattener) character() rune {
	first := f.unit()
	if !utf16.IsSurrogate(first) {
		return first
	}
	if bytes.HasPrefix(f.text[f.at:], []byte(`\u`)) {
		at := f.at
		f.at += 2
		if whole := utf16.DecodeRune(first, f.unit()); whole != utf8.RuneError {
			return whole
		}
		f.at = at
	}
	f.half = true
	return utf8.RuneError
}

func (f *flattener) unit() rune {
	n, _ := strconv.ParseUint(string(f.text[f.at:f.at+4]), 16, 16) // four hexadecimal digits
	f.at += 4
	return rune(n)
}

// copy writes the list or object that is next as JSON: without blanks, and each character as itself where JSON lets it stand.
func (f *flattener) copy(depth int) error {
	if depth > maxDepth {
		return fmt.Errorf("lists lie more than %d deep in one another", maxDepth)
	}
	f.made = append(f.made, f.text[f.at])
	f.at++
	for {
		switch c := f.peek(); c {
		case ']', '}':
			f.made = append(f.made, c)
			f.at++
			return nil
		case '{', '[':
			if err := f.copy(depth + 1); err != nil {
				return err
			}
		case ',', ':':
			f.made = append(f.made, c)
			f.at++
		case '"':
			from := len(f.made)
			text := f.string()
			f.made = appendQuoted(f.made[:from], bytes.Clone(text))
		default:
			f.made = append(f.made, f.word()...)
		}
	}
}

// appendQuoted writes a text in quotes. Only what cannot stand in them is escaped.
func appendQuoted(out, text []byte) []byte {
	out = append(out, '"')
	for _, c := range text {
		switch {
		case c == '"' || c == '\\':
			out = append(out, '\\', c)
		case c == '\n':
			out = append(out, `\n`...)
		case c == '\r':
			out = append(out, `\r`...)
		case c == '\t':
			out = append(out, `\t`...)
		case c < ' ':
			out = fmt.Appendf(out, `\u%04x`, c)
		default:
			out = append(out, c)
		}
	}
	return append(out, '"')
}
