package textcode_test

import (
	"errors"
	"io"
	"strings"
	"testing"
	"testing/iotest"

	"twinsieve/core/record"
	"twinsieve/formats/textcode"
)

// TestFind is one table of texts and the encoding that is found in them.
func TestFind(t *testing.T) {
	wide := func(s string, order int) string {
		var out strings.Builder
		for _, c := range []byte(s) {
			if order == 0 {
				out.Write([]byte{c, 0})
			} else {
				out.Write([]byte{0, c})
			}
		}
		return out.String()
	}
	long := strings.Repeat("plain text\n", textcode.Sample/4) // several samples of ASCII
	for name, c := range map[string]struct {
		text, want string
		sure       bool
	}{
		"nothing":                        {"", textcode.UTF8, false},
		"ASCII":                          {"call_no,amount\n", textcode.UTF8, false},
		"UTF-8":                          {"Żuraw, Île", textcode.UTF8, false},
		"UTF-8 with mark":                {"\xEF\xBB\xBFa", textcode.UTF8, true},
		"UTF-16LE with mark":             {"\xFF\xFEa\x00", textcode.UTF16LE, true},
		"UTF-16BE with mark":             {"\xFE\xFF\x00a", textcode.UTF16BE, true},
		"UTF-16LE":                       {wide("call_no,amount\nMW-1,5\n", 0), textcode.UTF16LE, false},
		"UTF-16BE":                       {wide("call_no,amount\nMW-1,5\n", 1), textcode.UTF16BE, false},
		"windows-1252":                   {"M\xfcller", textcode.CP1252, false},
		"windows-1252 by its quotes":     {"\x93so\x94 5 \xa4", textcode.CP1252, false},
		"ISO-8859-15 by its euro":        {"\xcele 5 \xa4", textcode.Latin9, false},
		"late UTF-8":                     {long + "Żuraw", textcode.UTF8, false},
		"late windows-1252":              {long + "M\xfcller", textcode.CP1252, false},
		"a character across two samples": {strings.Repeat("x", textcode.Sample-1) + "Ż and more", textcode.UTF8, false},
		"a character cut by the sample":  {"Ż" + strings.Repeat("x", textcode.Sample-3) + "Ż and more", textcode.UTF8, false},
		"binary zeros":                   {"a\x00\x00\x00b\x00\x00\x00", textcode.UTF8, false},
	} {
		t.Run(name, func(t *testing.T) {
			found, err := textcode.Find(strings.NewReader(c.text), textcode.SampleMost)
			if err != nil || found.Name != c.want || found.Sure != c.sure || found.Why == "" {
				t.Errorf("%+v, %v; want %s, certain %t", found, err, c.want, c.sure)
			}
		})
	}
	if _, err := textcode.Find(iotest.ErrReader(io.ErrClosedPipe), textcode.SampleMost); !errors.Is(err, io.ErrClosedPipe) {
		t.Errorf("a text that cannot be read: %v", err)
	}
}

// TestNewReader brings texts into UTF-8, however they come in pieces, and refuses bytes that are no text, by line.
func TestNewReader(t *testing.T) {
	for name, c := range map[string]struct{ encoding, text, want, err string }{
		"UTF-8 as it is":         {textcode.UTF8, "\xEF\xBB\xBFŻ\xff", "\xEF\xBB\xBFŻ\xff", ""},
		"windows-1252":           {textcode.CP1252, "M\xfcller \x80 \x93so\x94", "Müller € “so”", ""},
		"ISO-8859-15":            {textcode.Latin9, "\xcele \xa4 \xbd", "Île € œ", ""},
		"UTF-16LE, mark is left": {textcode.UTF16LE, "\xFF\xFE\x7b\x01a\x00", "Ża", ""},
		"UTF-16BE":               {textcode.UTF16BE, "\x01\x7b\x00a", "Ża", ""},
		"beyond 16 bits":         {textcode.UTF16BE, "\xd8\x3d\xde\xa2", "\U0001F6A2", ""},
		"undefined byte":         {textcode.CP1252, "a\nb\nM\x81", "", "line 3: bytes stand here that are no text in windows-1252; state another encoding"},
		"half a pair":            {textcode.UTF16LE, "a\x00\n\x00\x3d\xd8b\x00", "", "line 2: bytes stand here that are no text in UTF-16LE; state another encoding"},
		"an odd byte at the end": {textcode.UTF16LE, "a\x00b", "", "line 1: bytes stand here that are no text in UTF-16LE; state another encoding"},
	} {
		t.Run(name, func(t *testing.T) {
			for _, source := range []io.Reader{strings.NewReader(c.text), iotest.OneByteReader(strings.NewReader(c.text))} {
				r, err := textcode.NewReader(source, c.encoding)
				if err != nil {
					t.Fatal(err)
				}
				got, err := io.ReadAll(iotest.OneByteReader(r))
				if c.err == "" && (err != nil || string(got) != c.want) {
					t.Errorf("%q, %v; want %q", got, err, c.want)
				}
				if own := new(record.Unreadable); c.err != "" && (!errors.As(err, &own) || err.Error() != c.err) {
					t.Errorf("error %v, want %s", err, c.err)
				}
			}
		})
	}
	if _, err := textcode.NewReader(strings.NewReader(""), "EBCDIC"); err == nil {
		t.Error("an unknown encoding is read")
	}
}

// TestFindMostly: bytes that are not UTF-8 make no other encoding of a text whose other characters are UTF-8, wherever they stand.
func TestFindMostly(t *testing.T) {
	plain := strings.Repeat("plain text\n", textcode.Sample/4)
	for text, want := range map[string]string{
		strings.Repeat("M\xc3\xbcller\n", 500) + "Andr\xc3\n":               textcode.UTF8,
		"Andr\xc3\n" + plain + strings.Repeat("M\xc3\xbcller\n", 2):         textcode.UTF8,
		"M\xfcller\n" + plain + "Ren\xe9\n":                                 textcode.CP1252,
		"5 \xa4\n" + plain + "\xcele\n":                                     textcode.Latin9,
		"5 \xa4\n" + plain + "\x93so\x94\n":                                 textcode.CP1252,
		strings.Repeat("M\xfcller\n", 3000) + strings.Repeat("\xc3\xbc", 9): textcode.CP1252,
	} {
		found, err := textcode.Find(strings.NewReader(text), textcode.Sample)
		if err != nil || found.Name != want || found.Open {
			t.Errorf("%.20q: %+v, %v, want %s", text, found, err, want)
		}
	}
}

func TestNamed(t *testing.T) {
	for _, n := range textcode.Names {
		if got, err := textcode.Named(strings.ToLower(n)); got != n || err != nil {
			t.Errorf("%s: %s, %v", strings.ToLower(n), got, err)
		}
	}
}

// TestFindWithin: a text that is ASCII as far as it is looked at is taken as UTF-8, and it is said how far that was.
func TestFindWithin(t *testing.T) {
	text := strings.Repeat("plain text\n", textcode.Sample/4) + "M\xfcller"
	for within, why := range map[int64]string{textcode.Sample: "nothing but ASCII in its first 64 KiB", 2 * textcode.Sample: "nothing but ASCII in its first 128 KiB"} {
		found, err := textcode.Find(strings.NewReader(text), within)
		if err != nil || found != (textcode.Found{Name: textcode.UTF8, Why: why, Open: true}) {
			t.Errorf("within %d bytes: %+v, %v", within, found, err)
		}
	}
}
