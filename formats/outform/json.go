package outform

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"

	"twinsieve/core/record"
)

type jsonWriter struct {
	out     *bufio.Writer
	lines   bool
	columns []Column
	names   [][]byte
	rows    int
	text    bytes.Buffer
	enc     *json.Encoder
}

func newJSON(w io.Writer, lines bool, columns []Column) (Writer, error) {
	j := &jsonWriter{out: bufio.NewWriterSize(w, 64<<10), lines: lines, columns: columns}
	j.enc = json.NewEncoder(&j.text)
	j.enc.SetEscapeHTML(false)
	for _, c := range columns {
		if err := j.encode(c.Name); err != nil {
			return nil, err
		}
		j.names = append(j.names, append(bytes.Clone(j.text.Bytes()), ':'))
	}
	return j, nil
}

// encode puts a text into j.text as JSON.
func (j *jsonWriter) encode(text string) error {
	j.text.Reset()
	if err := j.enc.Encode(text); err != nil {
		return err
	}
	j.text.Truncate(j.text.Len() - 1) // the line end
	return nil
}

// Write writes an object; errors of the buffered writer stay with it until Close.
func (j *jsonWriter) Write(cells []record.Cell) error {
	between := "[\n{"
	switch {
	case j.lines:
		between = "{"
	case j.rows > 0:
		between = ",\n{"
	}
	j.rows++
	_, _ = j.out.WriteString(between)
	for i, c := range cells {
		if i > 0 {
			_ = j.out.WriteByte(',')
		}
		_, _ = j.out.Write(j.names[i])
		if c.Null && c.Text == "" {
			_, _ = j.out.WriteString("null")
			continue
		}
		if _, _, number := plainNumber(c.Text); number && j.columns[i].Number {
			_, _ = j.out.WriteString(c.Text)
			continue
		}
		if err := j.encode(c.Text); err != nil {
			return err
		}
		_, _ = j.out.Write(j.text.Bytes())
	}
	end := "}"
	if j.lines {
		end = "}\n"
	}
	_, err := j.out.WriteString(end)
	return err
}

func (j *jsonWriter) Close() error {
	if !j.lines {
		end := "\n]\n"
		if j.rows == 0 {
			end = "[]\n"
		}
		_, _ = j.out.WriteString(end)
	}
	return j.out.Flush()
}
