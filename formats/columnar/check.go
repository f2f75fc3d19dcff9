package columnar

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"io"

	"github.com/apache/arrow-go/v18/parquet/metadata"
	flatbuffers "github.com/google/flatbuffers/go"
)

// Arrow's decoder believes the lengths that a file states, and a damaged one can state terabytes, which no program comes
// back from. So the frame of the file is checked first: that every vector of its metadata lies within the metadata, and
// every body within the file.

// errFrame is that a length leads out of what holds it.
var errFrame = errors.New("a length in it leads out of the file")

// The metadata of a file is read whole, so it is bounded, too.
const mostMetadata = 64 << 20

// Fields of Arrow's tables, by their places in Message.fbs, Schema.fbs and File.fbs.
const (
	messageHeaderType, messageHeader, messageBody = 1, 2, 3
	schemaFields, schemaMetadata                  = 1, 2
	fieldName, fieldTypeType, fieldType           = 0, 2, 3
	fieldDictionary, fieldChildren, fieldMetadata = 4, 5, 6
	batchNodes, batchBuffers                      = 1, 2
	dictionaryBatch                               = 1
	footerSchema, footerDictionaries, footerBatch = 1, 2, 3
	footerMetadata                                = 4
	keyKey, keyValue                              = 0, 1

	headerSchema, headerDictionary, headerBatch = 1, 2, 3
	blockSize, nodeSize, bufferSize             = 24, 16, 16
)

// checkStream checks the frame of an Arrow stream: a message's size, its metadata, its body, and so on to the end.
func checkStream(source io.ReaderAt, size int64) error {
	for at := int64(0); at < size; {
		var head [4]byte
		if _, err := source.ReadAt(head[:], at); err != nil {
			return io.ErrUnexpectedEOF
		}
		at += 4
		n := int64(binary.LittleEndian.Uint32(head[:]))
		if n == continuation { // which older streams have not
			if _, err := source.ReadAt(head[:], at); err != nil {
				return io.ErrUnexpectedEOF
			}
			at += 4
			n = int64(binary.LittleEndian.Uint32(head[:]))
		}
		if n == 0 {
			return nil // the end of the stream
		}
		body, err := checkMessage(source, size, at, n)
		if err != nil {
			return err
		}
		at += n + body
	}
	return nil
}

// continuation stands before the size of a message.
const continuation = 0xFFFFFFFF

// checkStoredSchema checks the Arrow schema that a Parquet file may keep, in base 64, among its metadata.
func checkStoredSchema(pairs metadata.KeyValueMetadata) error {
	text := pairs.FindValue("ARROW:schema")
	if text == nil {
		return nil
	}
	schema, err := base64.StdEncoding.DecodeString(*text)
	if err != nil || len(schema) == 0 { // it may be without padding
		if schema, err = base64.RawStdEncoding.DecodeString(*text); err != nil {
			return fmt.Errorf("the Arrow schema that it keeps cannot be read: %w", err)
		}
	}
	return checkStream(bytes.NewReader(schema), int64(len(schema)))
}

// checkFile checks the frame of an Arrow file: its footer, and the messages that the footer lists.
func checkFile(source io.ReaderAt, size int64) (err error) {
	var tail [10]byte
	if size < 18 {
		return io.ErrUnexpectedEOF
	}
	if _, err := source.ReadAt(tail[:], size-10); err != nil {
		return err
	}
	n := int64(binary.LittleEndian.Uint32(tail[:4]))
	if string(tail[4:]) != "ARROW1" {
		return io.ErrUnexpectedEOF
	}
	if n > mostMetadata || n > size-18 {
		return errFrame
	}
	footer, err := section(source, size-10-n, n)
	if err != nil {
		return err
	}
	defer outOfBounds(&err)
	t := root(footer)
	if err := checkSchema(t, footerSchema, 0); err != nil {
		return err
	}
	if err := checkPairs(t, footerMetadata); err != nil {
		return err
	}
	for _, list := range []int{footerDictionaries, footerBatch} {
		start, blocks, err := vector(t, list, blockSize)
		if err != nil {
			return err
		}
		for i := range blocks {
			b := footer[start+i*blockSize:]
			at, n, body := int64(binary.LittleEndian.Uint64(b)), int64(binary.LittleEndian.Uint32(b[8:])), int64(binary.LittleEndian.Uint64(b[16:]))
			if at < 0 || n < 8 || body < 0 || at > size || n > size-at || body > size-at-n {
				return errFrame
			}
			if _, err := checkMessage(source, size, at+8, n-8); err != nil {
				return err
			}
		}
	}
	return nil
}

func section(source io.ReaderAt, at, n int64) ([]byte, error) {
	if n < 4 {
		return nil, errFrame
	}
	b := make([]byte, n)
	if _, err := source.ReadAt(b, at); err != nil {
		return nil, io.ErrUnexpectedEOF
	}
	return b, nil
}

// outOfBounds turns the panic over an offset that leads out of the metadata into an error.
func outOfBounds(err *error) {
	if p := recover(); p != nil {
		*err = errFrame
	}
}

func root(b []byte) *flatbuffers.Table {
	return &flatbuffers.Table{Bytes: b, Pos: flatbuffers.GetUOffsetT(b)}
}

// field is where a table's field is, 0 for none. Fields are counted from 0.
func field(t *flatbuffers.Table, n int) flatbuffers.UOffsetT {
	o := t.Offset(flatbuffers.VOffsetT(4 + 2*n))
	if o == 0 {
		return 0
	}
	return flatbuffers.UOffsetT(o) + t.Pos
}

// checkMessage checks a message's metadata, and returns the length of its body.
func checkMessage(source io.ReaderAt, size, at, n int64) (body int64, err error) {
	if n > mostMetadata || n > size-at {
		return 0, errFrame
	}
	b, err := section(source, at, n)
	if err != nil {
		return 0, err
	}
	defer outOfBounds(&err)
	t := root(b)
	if o := field(t, messageBody); o != 0 {
		body = t.GetInt64(o)
	}
	if body < 0 || body > size-at-n {
		return 0, io.ErrUnexpectedEOF
	}
	kind := byte(0)
	if o := field(t, messageHeaderType); o != 0 {
		kind = t.GetByte(o)
	}
	switch kind {
	case headerSchema:
		return body, checkSchema(t, messageHeader, 0)
	case headerDictionary:
		header := table(t, messageHeader)
		if header == nil {
			return 0, errFrame
		}
		return body, checkBatch(table(header, dictionaryBatch))
	case headerBatch:
		return body, checkBatch(table(t, messageHeader))
	}
	return 0, fmt.Errorf("it has a message of a kind %d, which is not known", kind)
}

// table is a table within a table, or nil.
func table(t *flatbuffers.Table, n int) *flatbuffers.Table {
	o := field(t, n)
	if o == 0 {
		return nil
	}
	return &flatbuffers.Table{Bytes: t.Bytes, Pos: t.Indirect(o)}
}

// vector is where a vector's first element is, and how many it has. All of them lie within the metadata.
func vector(t *flatbuffers.Table, n, element int) (start, length int, err error) {
	o := field(t, n)
	if o == 0 {
		return 0, 0, nil
	}
	o -= t.Pos
	start, length = int(t.Vector(o)), t.VectorLen(o)
	if length < 0 || start < 0 || start > len(t.Bytes) || length > (len(t.Bytes)-start)/element {
		return 0, 0, errFrame
	}
	return start, length, nil
}

// tables checks each table of a vector of them.
func tables(t *flatbuffers.Table, n int, check func(*flatbuffers.Table) error) error {
	start, length, err := vector(t, n, flatbuffers.SizeUOffsetT)
	for i := range length {
		if err := check(&flatbuffers.Table{Bytes: t.Bytes, Pos: t.Indirect(flatbuffers.UOffsetT(start + i*flatbuffers.SizeUOffsetT))}); err != nil {
			return err
		}
	}
	return err
}

// mostNested is how deep fields may lie in one another. Nested ones are refused later on, with their names.
const mostNested = 64

func checkSchema(t *flatbuffers.Table, n, depth int) error {
	schema := table(t, n)
	if schema == nil {
		return errFrame
	}
	if err := checkPairs(schema, schemaMetadata); err != nil {
		return err
	}
	return tables(schema, schemaFields, func(f *flatbuffers.Table) error { return checkField(f, depth) })
}

func checkField(f *flatbuffers.Table, depth int) error {
	if depth > mostNested {
		return errors.New("its fields lie too deep in one another")
	}
	if _, _, err := vector(f, fieldName, 1); err != nil {
		return err
	}
	if err := checkPairs(f, fieldMetadata); err != nil {
		return err
	}
	if t := table(f, fieldType); t != nil {
		// Of all types, the union has a vector (which kinds it holds), and the timestamp a text, both second.
		if kind := field(f, fieldTypeType); kind != 0 {
			switch f.GetByte(kind) {
			case 14:
				if _, _, err := vector(t, 1, 4); err != nil {
					return err
				}
			case 10:
				if _, _, err := vector(t, 1, 1); err != nil {
					return err
				}
			}
		}
	}
	return tables(f, fieldChildren, func(child *flatbuffers.Table) error { return checkField(child, depth+1) })
}

// checkPairs checks a vector of keys and values.
func checkPairs(t *flatbuffers.Table, n int) error {
	return tables(t, n, func(pair *flatbuffers.Table) error {
		for _, text := range []int{keyKey, keyValue} {
			if _, _, err := vector(pair, text, 1); err != nil {
				return err
			}
		}
		return nil
	})
}

func checkBatch(b *flatbuffers.Table) error {
	if b == nil {
		return errFrame
	}
	if _, _, err := vector(b, batchNodes, nodeSize); err != nil {
		return err
	}
	_, _, err := vector(b, batchBuffers, bufferSize)
	return err
}
