package jsontext

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strconv"
)

// field is a field of a record: its dotted name, and what stands there.
type field struct {
	name string
	text []byte
	null bool
}

// maxDepth is how deep objects and lists may lie in one another.
const maxDepth = 100

// flattener turns an object into fields. Fields of an object within it have its name and a dot in front; a list within it
// is one field, whose text is the list in JSON.
type flattener struct {
	fields []field
}

// flatten reads the object that decoding has just entered, up to and with its end.
func (f *flattener) flatten(dec *json.Decoder, prefix string, depth int) error {
	if depth > maxDepth {
		return fmt.Errorf("objects lie more than %d deep in one another", maxDepth)
	}
	for dec.More() {
		token, err := dec.Token()
		if err != nil {
			return err
		}
		name := prefix + token.(string) // the decoder allows nothing else as a name
		if token, err = dec.Token(); err != nil {
			return err
		}
		switch v := token.(type) {
		case json.Delim:
			if v == '{' {
				err = f.flatten(dec, name+".", depth+1)
			} else {
				var list bytes.Buffer
				if err = copyList(dec, &list, depth+1); err == nil {
					f.fields = append(f.fields, field{name: name, text: list.Bytes()})
				}
			}
			if err != nil {
				return err
			}
		case nil:
			f.fields = append(f.fields, field{name: name, null: true})
		default:
			f.fields = append(f.fields, field{name: name, text: scalar(v)})
		}
	}
	_, err := dec.Token() // the end of the object
	return err
}

// scalar is the text of a value: a number as it stands, a text without its quotes.
func scalar(token json.Token) []byte {
	switch v := token.(type) {
	case string:
		return []byte(v)
	case json.Number:
		return []byte(v)
	case bool:
		return strconv.AppendBool(nil, v)
	}
	return nil
}

// copyList writes the list that decoding has just entered as JSON, up to and with its end.
func copyList(dec *json.Decoder, out *bytes.Buffer, depth int) error {
	return copyRest(dec, out, ']', depth)
}

func copyRest(dec *json.Decoder, out *bytes.Buffer, end byte, depth int) error {
	if depth > maxDepth {
		return fmt.Errorf("lists lie more than %d deep in one another", maxDepth)
	}
	if end == ']' {
		out.WriteByte('[')
	} else {
		out.WriteByte('{')
	}
	for n := 0; dec.More(); n++ {
		if n > 0 {
			out.WriteByte(',')
		}
		if end == '}' {
			name, err := dec.Token()
			if err != nil {
				return err
			}
			text, err := json.Marshal(name)
			if err != nil {
				return err
			}
			out.Write(append(text, ':'))
		}
		token, err := dec.Token()
		if err != nil {
			return err
		}
		switch v := token.(type) {
		case json.Delim:
			err = copyRest(dec, out, byte(v)+2, depth+1) // in ASCII, a bracket's end is two behind its beginning
		case json.Number:
			out.WriteString(v.String())
		default:
			var text []byte
			text, err = json.Marshal(v)
			out.Write(text)
		}
		if err != nil {
			return err
		}
	}
	out.WriteByte(end)
	_, err := dec.Token()
	return err
}
