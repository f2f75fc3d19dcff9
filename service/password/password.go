// Package password keeps passwords as Argon2id hashes, in the usual text form that carries its own parameters, so that they
// can be made dearer later without asking anybody for a new password.
package password

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn"
	"golang.org/x/crypto/argon2"
)

// The bounds of a password, in characters.
const (
	Least = 10
	Most  = 200
)

// A password is refused that would be found within a million guesses by whoever knows the common passwords, words and names. Only its
// beginning is judged, because judging takes longer than in proportion.
const (
	leastScore = 2
	judged     = 60
)

// What a hash costs: passes, memory in KiB, and threads.
const (
	passes  = 2
	memory  = 19 << 10
	threads = 1
	length  = 32
)

// atOnce bounds the memory that hashing takes, however many sign in at one time.
var atOnce = make(chan struct{}, 4)

// Check says what is wrong with a password that somebody wants, in a sentence; nothing is wrong with "".
func Check(text, name string) string {
	switch n := utf8.RuneCountInString(text); {
	case n < Least:
		return fmt.Sprintf("A password has at least %d characters; a few words that nobody would guess are best.", Least)
	case n > Most:
		return fmt.Sprintf("A password has at most %d characters.", Most)
	case zxcvbn.PasswordStrength(text[:min(len(text), judged)], []string{name, "twinsieve", "twin sieve"}).Score < leastScore:
		return "This password is among those that are guessed first; take a few words that nobody would guess."
	}
	return ""
}

// Hash returns what is kept of a password.
func Hash(text string) string {
	salt := make([]byte, 16)
	rand.Read(salt) //nolint:errcheck // it never fails
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, memory, passes, threads, base64.RawStdEncoding.EncodeToString(salt),
		base64.RawStdEncoding.EncodeToString(derive(text, salt, passes, memory, threads, length)))
}

// Matches reports whether a password is the one that was hashed. It takes as long where there is no hash, so that its time
// does not tell who is there.
func Matches(hash, text string) bool {
	parts := strings.Split(hash, "$")
	var version, m, t, p int
	if len(parts) != 6 || parts[1] != "argon2id" {
		derive(text, make([]byte, 16), passes, memory, threads, length)
		return false
	}
	if _, err := fmt.Sscanf(parts[2]+" "+parts[3], "v=%d m=%d,t=%d,p=%d", &version, &m, &t, &p); err != nil || version != argon2.Version || t < 1 || p < 1 || p > 255 {
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	if err != nil {
		return false
	}
	want, err := base64.RawStdEncoding.DecodeString(parts[5])
	if err != nil {
		return false
	}
	return subtle.ConstantTimeCompare(want, derive(text, salt, uint32(t), uint32(m), uint8(p), uint32(len(want)))) == 1
}

func derive(text string, salt []byte, t, m uint32, p uint8, n uint32) []byte {
	atOnce <- struct{}{}
	defer func() { <-atOnce }()
	return argon2.IDKey([]byte(text), salt, t, m, p, n)
}
