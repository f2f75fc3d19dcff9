package reading

import (
	"bytes"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"twinsieve/core/lookalike"
)

// mapped changes a text character by character; -1 drops one. A byte that is no character becomes the one that stands for it,
// U+FFFD, so that no two of them become a character when what was between them is dropped.
func mapped(dst, src []byte, change func(rune) rune) []byte {
	for len(src) > 0 {
		r, size := rune(src[0]), 1
		if r >= utf8.RuneSelf {
			r, size = utf8.DecodeRune(src)
		}
		if c := change(r); c >= 0 {
			dst = utf8.AppendRune(dst, c)
		}
		src = src[size:]
	}
	return dst
}

func dropInvisible(dst, src []byte) ([]byte, bool) {
	return mapped(dst, src, func(r rune) rune {
		if lookalike.Invisible(r) {
			return -1
		}
		return r
	}), true
}

func plainMarks(dst, src []byte) ([]byte, bool) { return mapped(dst, src, lookalike.Mark), true }

func plainLetters(dst, src []byte) ([]byte, bool) { return mapped(dst, src, lookalike.Latin), true }

// valid puts U+FFFD in place of bytes that are no character, for the normal forms take them for what they are not.
func valid(src []byte) []byte { return bytes.ToValidUTF8(src, []byte("\uFFFD")) }

var normalForms = map[string]norm.Form{"NFC": norm.NFC, "NFD": norm.NFD, "NFKC": norm.NFKC, "NFKD": norm.NFKD}

func compileNormalForm(name string) (step, error) {
	form, ok := normalForms[strings.ToUpper(name)]
	if !ok {
		return nil, fmt.Errorf("%q is no Unicode normal form; write NFC, NFD, NFKC or NFKD", name)
	}
	return func(dst, src []byte) ([]byte, bool) {
		if form.QuickSpan(src) == len(src) && utf8.Valid(src) { // nearly always
			return append(dst, src...), true
		}
		return append(dst, form.Bytes(valid(src))...), true
	}, nil
}

// strokes are letters whose stroke or dot is part of them in Unicode, and an accent to who reads them.
var strokes = map[rune]rune{'Ø': 'O', 'ø': 'o', 'Ł': 'L', 'ł': 'l', 'Đ': 'D', 'đ': 'd', 'Ħ': 'H', 'ħ': 'h', 'Ŧ': 'T', 'ŧ': 't', 'Ɨ': 'I', 'ɨ': 'i', 'ı': 'i', 'ȷ': 'j'}

// dropAccents takes a text apart into letters and accents, drops the accents, and joins what is left.
func dropAccents(dst, src []byte) ([]byte, bool) {
	start := len(dst)
	for _, c := range src {
		if c >= utf8.RuneSelf {
			bare := mapped(nil, norm.NFD.Bytes(valid(src)), func(r rune) rune {
				if unicode.Is(unicode.Mn, r) {
					return -1
				}
				if s, ok := strokes[r]; ok {
					return s
				}
				return r
			})
			return append(dst[:start], norm.NFC.Bytes(bare)...), true
		}
		dst = append(dst, c)
	}
	return dst, true
}

func isLetterOrDigit(r rune) bool {
	return unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r)
}

// keep keeps the characters that wanted names.
func keep(wanted func(rune) bool) step {
	return func(dst, src []byte) ([]byte, bool) {
		for len(src) > 0 {
			r, size := utf8.DecodeRune(src)
			if wanted(r) {
				dst = append(dst, src[:size]...)
			}
			src = src[size:]
		}
		return dst, true
	}
}
