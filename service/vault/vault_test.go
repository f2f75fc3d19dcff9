package vault_test

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"twinsieve/service/vault"
)

func TestVault(t *testing.T) {
	file := filepath.Join(t.TempDir(), "key")
	v := vault.New(file)
	if _, err := v.Open("harbour", []byte("whatever it is")); err == nil || !strings.Contains(err.Error(), "cannot be read") {
		t.Errorf("opened without a key: %v", err)
	}
	a, err := v.Seal("harbour", "gr33n")
	if err != nil {
		t.Fatal(err)
	}
	b, err := v.Seal("harbour", "gr33n")
	if err != nil || bytes.Equal(a, b) || bytes.Contains(a, []byte("gr33n")) {
		t.Errorf("sealed twice to %x and %x, %v", a, b, err)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the key's file: %v, %v", info, err)
	}
	again := vault.New(file)
	if got, err := again.Open("harbour", a); err != nil || got != "gr33n" {
		t.Errorf("%q, %v", got, err)
	}
	if got, err := again.Open("agency", a); err == nil {
		t.Errorf("a secret opened for another owner: %q", got)
	}
	a[len(a)-1] ^= 1
	if got, err := again.Open("harbour", a); err == nil || !strings.Contains(err.Error(), "another key") {
		t.Errorf("a damaged secret: %q, %v", got, err)
	}
	for _, text := range []string{"", "abc", strings.Repeat("z", 64), strings.Repeat("a", 62)} {
		bad := filepath.Join(t.TempDir(), "bad")
		if err := os.WriteFile(bad, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		if _, err := vault.New(bad).Seal("harbour", "x"); err == nil || !strings.Contains(err.Error(), "64 hexadecimal digits") {
			t.Errorf("key %q: %v", text, err)
		}
	}
}
