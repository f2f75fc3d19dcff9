// Package vault keeps secrets: encrypted, with a key that lies in a file of its own, so that the data file alone, or a copy
// of it, gives none of them away.
//
// The encryption is AES-256 in Galois/Counter Mode with a random nonce for each secret. What a secret belongs to is
// authenticated with it, so that a secret moved to another place in the data file does not open there.
package vault

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"strings"
	"sync"
)

// Vault encrypts and decrypts secrets with the key in a file. Its methods may be called from several goroutines at once.
type Vault struct {
	file string
	mu   sync.Mutex
	gcm  cipher.AEAD
}

// KeySize is the length of a key in bytes; its file has it in hexadecimal digits.
const KeySize = 32

// New returns a vault with its key in the given file. The file is looked at when it is first needed, and made, for its
// owner alone, when the first secret is to be kept.
func New(file string) *Vault { return &Vault{file: file} }

// Seal encrypts a secret that belongs to owner.
func (v *Vault) Seal(owner, secret string) ([]byte, error) {
	gcm, err := v.key(true)
	if err != nil {
		return nil, err
	}
	return gcm.Seal(nil, nil, []byte(secret), []byte(owner)), nil
}

// Open decrypts a secret that belongs to owner.
func (v *Vault) Open(owner string, sealed []byte) (string, error) {
	gcm, err := v.key(false)
	if err != nil {
		return "", err
	}
	secret, err := gcm.Open(nil, nil, sealed, []byte(owner))
	if err != nil {
		return "", fmt.Errorf("the secret was encrypted with another key than the one in %s", v.file)
	}
	return string(secret), nil
}

// key reads the key, or makes one.
func (v *Vault) key(fresh bool) (cipher.AEAD, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.gcm != nil {
		return v.gcm, nil
	}
	text, err := os.ReadFile(v.file)
	if errors.Is(err, fs.ErrNotExist) && fresh {
		text, err = v.makeKey()
	}
	if err != nil {
		return nil, fmt.Errorf("the key of the secrets cannot be read: %w", err)
	}
	key, err := hex.DecodeString(strings.TrimSpace(string(text)))
	if err != nil || len(key) != KeySize {
		return nil, fmt.Errorf("the file %s does not hold a key, which is %d hexadecimal digits", v.file, 2*KeySize)
	}
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	v.gcm, err = cipher.NewGCMWithRandomNonce(block)
	return v.gcm, err
}

func (v *Vault) makeKey() ([]byte, error) {
	key := make([]byte, KeySize)
	_, _ = rand.Read(key) // it never fails
	text := []byte(hex.EncodeToString(key) + "\n")
	f, err := os.OpenFile(v.file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return nil, err
	}
	_, err = f.Write(text)
	if err == nil {
		err = f.Sync()
	}
	return text, errors.Join(err, f.Close())
}
