// Package packing unpacks what was packed with gzip or zstd.
package packing

import (
	"bytes"
	"errors"
	"fmt"
	"io"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"

	"twinsieve/core/record"
)

// The packings, None of them for what is not packed.
const (
	None = ""
	Gzip = "gzip"
	Zstd = "zstd"
)

// Of finds the packing from the first bytes of a file. It is certain: packed files say so themselves.
func Of(head []byte) string {
	switch {
	case bytes.HasPrefix(head, []byte{0x1F, 0x8B}):
		return Gzip
	case bytes.HasPrefix(head, []byte{0x28, 0xB5, 0x2F, 0xFD}):
		return Zstd
	}
	return None
}

// maxWindow is the most memory that unpacking zstd may take for what it looks back at.
const maxWindow = 64 << 20

// NewReader unpacks a file, or returns it as it is where it is not packed. What comes out is limited to limit bytes, so that
// a small file cannot unpack without end. Close gives back what the reader holds, and does not close the file.
func NewReader(file io.Reader, packing string, limit int64) (io.ReadCloser, error) {
	var unpacked io.ReadCloser
	switch packing {
	case None:
		return io.NopCloser(file), nil
	case Gzip:
		z, err := gzip.NewReader(file)
		if err != nil {
			return nil, damaged(packing, err)
		}
		unpacked = z
	case Zstd:
		z, err := zstd.NewReader(file, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxWindow(maxWindow))
		if err != nil {
			return nil, damaged(packing, err)
		}
		unpacked = z.IOReadCloser()
	default:
		return nil, fmt.Errorf("%q is not a packing that is read; write %s or %s", packing, Gzip, Zstd)
	}
	return &limited{unpacked, packing, limit, limit}, nil
}

func damaged(packing string, err error) error {
	if errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
		return &record.Unreadable{What: "the " + packing + " file is cut off; it did not arrive whole"}
	}
	return &record.Unreadable{What: fmt.Sprintf("the %s file cannot be unpacked: %s; pack it anew", packing, err)}
}

type limited struct {
	io.ReadCloser
	packing string
	limit   int64
	left    int64
}

func (l *limited) Read(p []byte) (int, error) {
	n, err := l.ReadCloser.Read(p)
	if l.left -= int64(n); l.left < 0 {
		return 0, &record.Unreadable{What: fmt.Sprintf("the %s file unpacks to more than %d bytes, which is the limit here; unpack it and load it in parts", l.packing, l.limit)}
	}
	if err != nil && err != io.EOF {
		return n, damaged(l.packing, err)
	}
	return n, err
}
