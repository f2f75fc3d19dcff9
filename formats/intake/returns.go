package intake

import (
	"io"

	"twinsieve/core/record"
)

// Old programs end lines with a carriage return alone. Such a text is read with carriage returns and line feeds exchanged, and what comes of it
// is exchanged back, so that every cell is as it was.

// exchange exchanges carriage returns and line feeds.
func exchange(text []byte) {
	for i, c := range text {
		if c == '\r' || c == '\n' {
			text[i] = c ^ '\r' ^ '\n'
		}
	}
}

// exchanged is a text with its carriage returns and line feeds exchanged.
type exchanged struct{ io.Reader }

func (e exchanged) Read(p []byte) (int, error) {
	n, err := e.Reader.Read(p)
	exchange(p[:n])
	return n, err
}

// exchangedBack reads records of such a text. Nobody else has its batches yet.
type exchangedBack struct{ record.Reader }

func (e exchangedBack) Next() (*record.Batch, error) {
	b, err := e.Reader.Next()
	if err != nil {
		return nil, err
	}
	for _, col := range b.Columns {
		exchange(col.ValueBytes())
	}
	return b, nil
}
