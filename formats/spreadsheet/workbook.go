package spreadsheet

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"twinsieve/core/record"
)

// The limits of what unpacks into memory.
const (
	mostText  = 128 << 20 // the texts that cells share
	mostOther = 16 << 20  // the workbook's list of sheets, its relations, its styles
	mostCell  = 1 << 20   // what may stand between two marks of a sheet
)

// workbook is what a file says about its sheets.
type workbook struct {
	files    map[string]*zip.File
	sheets   []sheetRef
	date1904 bool // days are counted from 1904-01-01 rather than from 1900-01-01
	texts    texts
	formats  []numberFormat // by cell style
}

type sheetRef struct {
	name   string
	file   *zip.File
	hidden bool
}

func openWorkbook(source io.ReaderAt, size int64) (*workbook, error) {
	head := make([]byte, 8)
	if n, err := source.ReadAt(head, 0); err != nil && err != io.EOF {
		return nil, err
	} else if bytes.Equal(head[:n], []byte("\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1")) {
		return nil, &record.Unreadable{What: "the workbook is protected with a password, or is of the old binary kind; save it as an .xlsx workbook without a password"}
	}
	z, err := zip.NewReader(source, size)
	if err != nil {
		return nil, &record.Unreadable{What: "the workbook is damaged or cut off: " + strings.TrimPrefix(err.Error(), "zip: ")}
	}
	w := &workbook{files: map[string]*zip.File{}}
	for _, f := range z.File {
		w.files[strings.TrimPrefix(f.Name, "/")] = f
	}
	if err := w.readSheets(); err != nil {
		return nil, err
	}
	if err := w.readTexts(); err != nil {
		return nil, err
	}
	return w, w.readStyles()
}

// part decodes a small part of the workbook whole.
func (w *workbook) part(name string, into any) (bool, error) {
	f, ok := w.files[name]
	if !ok {
		return false, nil
	}
	in, err := f.Open()
	if err != nil {
		return false, damaged(name, err)
	}
	defer in.Close()
	if err := xml.NewDecoder(&bounded{in, name, mostOther}).Decode(into); err != nil {
		return false, damaged(name, err)
	}
	return true, nil
}

func damaged(name string, err error) error {
	if own := new(record.Unreadable); errors.As(err, &own) {
		return err
	}
	return &record.Unreadable{What: fmt.Sprintf("the workbook is damaged: %s cannot be read: %s", name, err)}
}

// bounded ends a part that unpacks to more than it may.
type bounded struct {
	io.Reader
	name string
	left int64
}

func (b *bounded) Read(p []byte) (int, error) {
	if b.left <= 0 {
		return 0, &record.Unreadable{What: fmt.Sprintf("%s in the workbook unpacks to more than can be held; save the sheet as delimited text instead", b.name)}
	}
	n, err := b.Reader.Read(p)
	b.left -= int64(n)
	return n, err
}

func (w *workbook) readSheets() error {
	var relations struct {
		Relationship []struct {
			ID     string `xml:"Id,attr"`
			Target string `xml:"Target,attr"`
			Type   string `xml:"Type,attr"`
		}
	}
	main := "xl/workbook.xml"
	if ok, err := w.part("_rels/.rels", &relations); err != nil {
		return err
	} else if ok {
		for _, r := range relations.Relationship {
			if strings.HasSuffix(r.Type, "/officeDocument") {
				main = strings.TrimPrefix(r.Target, "/")
			}
		}
	}
	var book struct {
		Properties struct {
			Date1904 string `xml:"date1904,attr"`
		} `xml:"workbookPr"`
		Sheets struct {
			Sheet []struct {
				Name  string     `xml:"name,attr"`
				State string     `xml:"state,attr"`
				Attr  []xml.Attr `xml:",any,attr"`
			} `xml:"sheet"`
		} `xml:"sheets"`
	}
	if ok, err := w.part(main, &book); err != nil {
		return err
	} else if !ok {
		return &record.Unreadable{What: "this is an archive, but no spreadsheet: it has no workbook in it"}
	}
	w.date1904 = book.Properties.Date1904 == "1" || book.Properties.Date1904 == "true"
	relations.Relationship = nil
	folder := path.Dir(main)
	if _, err := w.part(path.Join(folder, "_rels", path.Base(main)+".rels"), &relations); err != nil {
		return err
	}
	for _, s := range book.Sheets.Sheet {
		id := ""
		for _, a := range s.Attr { // its name space ends so in the transitional and in the strict form of the format
			if a.Name.Local == "id" && strings.HasSuffix(a.Name.Space, "/relationships") {
				id = a.Value
			}
		}
		for _, r := range relations.Relationship {
			if r.ID != id || !strings.HasSuffix(r.Type, "/worksheet") {
				continue
			}
			target := strings.TrimPrefix(r.Target, "/")
			if !strings.HasPrefix(r.Target, "/") {
				target = path.Join(folder, r.Target)
			}
			if f, ok := w.files[target]; ok {
				w.sheets = append(w.sheets, sheetRef{s.Name, f, s.State == "hidden" || s.State == "veryHidden"})
			}
		}
	}
	if len(w.sheets) == 0 {
		return &record.Unreadable{What: "the workbook has no sheet with cells"}
	}
	return nil
}

// texts are the texts that cells share, in one piece of memory.
type texts struct {
	text []byte
	ends []int
}

func (t *texts) at(i int) ([]byte, bool) {
	if i < 0 || i >= len(t.ends) {
		return nil, false
	}
	start := 0
	if i > 0 {
		start = t.ends[i-1]
	}
	return t.text[start:t.ends[i]], true
}

func (w *workbook) readTexts() error {
	name := ""
	for n := range w.files {
		if strings.EqualFold(path.Base(n), "sharedStrings.xml") {
			name = n
		}
	}
	if name == "" {
		return nil
	}
	in, err := w.files[name].Open()
	if err != nil {
		return damaged(name, err)
	}
	defer in.Close()
	w.texts.text = make([]byte, 0, min(w.files[name].UncompressedSize64, mostText)) // at once, for growing would hold it twice
	marks := newMarks(&bounded{in, name, mostText})
	within, phonetic := false, 0
	for {
		token, err := marks.next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return damaged(name, err)
		}
		switch t := token.(type) {
		case xml.StartElement:
			switch t.Name.Local {
			case "t":
				within = phonetic == 0
			case "rPh": // how it is spoken, which is no part of the text
				phonetic++
			}
		case xml.EndElement:
			switch t.Name.Local {
			case "t":
				within = false
			case "rPh":
				phonetic--
			case "si":
				w.texts.ends = append(w.texts.ends, len(w.texts.text))
			}
		case xml.CharData:
			if within {
				w.texts.text = append(w.texts.text, unescape(t)...)
			}
		}
	}
}

// unescape puts characters back that XML cannot hold, which stand as _x000D_: four hexadecimal digits, two such for a surrogate pair. Anything
// else of that kind, such as _x10mm_ or half a pair, is text.
func unescape(b []byte) []byte {
	if !bytes.Contains(b, []byte("_x")) {
		return b
	}
	var out []byte
	for len(b) > 0 {
		first, ok := escaped(b)
		if second, pair := escaped(b[min(len(b), escapedSize):]); ok && utf16.IsSurrogate(first) {
			if first = utf16.DecodeRune(first, second); !pair || first == utf8.RuneError {
				ok = false
			} else {
				b = b[escapedSize:]
			}
		}
		if ok {
			out = utf8.AppendRune(out, first)
			b = b[escapedSize:]
			continue
		}
		out = append(out, b[0])
		b = b[1:]
	}
	return out
}

// escapedSize is the length of an escaped unit.
const escapedSize = len("_x000D_")

// escaped is the unit that is escaped at the beginning of a text.
func escaped(b []byte) (unit rune, ok bool) {
	if len(b) < escapedSize || b[0] != '_' || b[1] != 'x' || b[6] != '_' {
		return 0, false
	}
	n, err := strconv.ParseUint(string(b[2:6]), 16, 16) // which takes no sign and no blank
	return rune(n), err == nil
}

// marks reads XML mark by mark, without ever holding more than a little of it.
type marks struct {
	decoder *xml.Decoder
	left    *tokenLimit
}

func newMarks(in io.Reader) *marks {
	left := &tokenLimit{in: in}
	d := xml.NewDecoder(left)
	d.Entity = nil
	return &marks{d, left}
}

func (m *marks) next() (xml.Token, error) {
	m.left.left = mostCell
	return m.decoder.RawToken()
}

type tokenLimit struct {
	in   io.Reader
	left int
}

func (l *tokenLimit) Read(p []byte) (int, error) {
	if l.left <= 0 {
		return 0, &record.Unreadable{What: fmt.Sprintf("a cell of more than %d KiB is in the workbook", mostCell>>10)}
	}
	n, err := l.in.Read(p)
	l.left -= n
	return n, err
}
