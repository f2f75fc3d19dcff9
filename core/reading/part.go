package reading

import (
	"bytes"
	"fmt"
	"regexp"
	"strconv"
	"unicode/utf8"
)

func characters(argument string) (int, error) {
	n, err := strconv.Atoi(argument)
	if err != nil || n < 1 {
		return 0, fmt.Errorf("%q is not a number of characters; write 1 or more", argument)
	}
	return n, nil
}

// compileFirst keeps so many characters (Unicode's code points) from the beginning; a shorter text stays.
func compileFirst(argument string) (step, error) {
	n, err := characters(argument)
	return func(dst, src []byte) ([]byte, bool) {
		end := 0
		for range n {
			_, size := utf8.DecodeRune(src[end:])
			end += size
		}
		return append(dst, src[:end]...), true
	}, err
}

// compileLast keeps so many characters from the end.
func compileLast(argument string) (step, error) {
	n, err := characters(argument)
	return func(dst, src []byte) ([]byte, bool) {
		start := len(src)
		for range n {
			_, size := utf8.DecodeLastRune(src[:start])
			start -= size
		}
		return append(dst, src[start:]...), true
	}, err
}

func compileDropBeginning(text string) (step, error) {
	return func(dst, src []byte) ([]byte, bool) { return append(dst, bytes.TrimPrefix(src, []byte(text))...), true }, nil
}

func compileDropEnding(text string) (step, error) {
	return func(dst, src []byte) ([]byte, bool) { return append(dst, bytes.TrimSuffix(src, []byte(text))...), true }, nil
}

// compileCapture keeps what the pattern's groups take, one after the other, or all that it takes where it has no group. A
// text in which the pattern is not found is unreadable. The time is linear in the text's length.
func compileCapture(pattern string) (step, error) {
	re, err := regexp.Compile(pattern)
	if err != nil {
		return nil, fmt.Errorf("the pattern %q is no regular expression: %w", pattern, err)
	}
	first := min(1, re.NumSubexp()) // 0 is the whole
	return func(dst, src []byte) ([]byte, bool) {
		at := re.FindSubmatchIndex(src)
		if at == nil {
			return dst, false
		}
		for g := first; g <= re.NumSubexp(); g++ {
			if at[2*g] >= 0 {
				dst = append(dst, src[at[2*g]:at[2*g+1]]...)
			}
		}
		return dst, true
	}, nil
}
