package similar

import "unicode/utf8"

// Exchanged reports whether two texts differ in nothing but two neighbours that are exchanged.
func Exchanged(a, b []rune) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i] == b[i] {
			continue
		}
		if i+1 == len(a) || a[i] != b[i+1] || a[i+1] != b[i] {
			return false
		}
		return string(a[i+2:]) == string(b[i+2:])
	}
	return false
}

// DropOne visits a text as it is, and with every one character dropped. Two texts that are one slip apart meet in one of these,
// though not all that meet are: the right character has been dropped from each, or from the longer one. What is visited is valid
// until visit returns.
func DropOne(text []rune, visit func([]byte)) {
	var buffer [256]byte
	whole := buffer[:0]
	for _, r := range text {
		whole = utf8.AppendRune(whole, r)
	}
	visit(whole)
	var shorter []byte
	at := 0
	for i, r := range text {
		size := utf8.RuneLen(r)
		if i == 0 || r != text[i-1] { // else it is the same again
			shorter = append(append(shorter[:0], whole[:at]...), whole[at+size:]...)
			visit(shorter)
		}
		at += size
	}
}
