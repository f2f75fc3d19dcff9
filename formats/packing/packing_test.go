package packing_test

import (
	"bytes"
	"io"
	"strings"
	"testing"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"

	"twinsieve/formats/packing"
)

func pack(t *testing.T, kind, text string) []byte {
	t.Helper()
	var out bytes.Buffer
	var w io.WriteCloser = gzip.NewWriter(&out)
	if kind == packing.Zstd {
		z, err := zstd.NewWriter(&out)
		if err != nil {
			t.Fatal(err)
		}
		w = z
	}
	if _, err := io.WriteString(w, text); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// TestUnpack packs and unpacks, at a limit and beyond it, and what is damaged or cut off.
func TestUnpack(t *testing.T) {
	text := strings.Repeat("MW-04417,TUG,2313.75\n", 5000)
	for _, kind := range []string{packing.Gzip, packing.Zstd} {
		whole := pack(t, kind, text)
		damaged := bytes.Clone(whole)
		damaged[len(damaged)/2] ^= 0xFF
		for name, c := range map[string]struct {
			file  []byte
			limit int64
			err   string
		}{
			"whole":           {whole, 1 << 30, ""},
			"at the limit":    {whole, int64(len(text)), ""},
			"over the limit":  {whole, int64(len(text)) - 1, "unpacks to more than"},
			"two in one file": {append(bytes.Clone(whole), pack(t, kind, "")...), 1 << 30, ""},
			"cut off":         {whole[:len(whole)-5], 1 << 30, "is cut off"},
			"damaged":         {damaged, 1 << 30, "cannot be unpacked"},
		} {
			if got := packing.Of(c.file); got != kind {
				t.Errorf("%s, %s is taken for %q", kind, name, got)
			}
			r, err := packing.NewReader(bytes.NewReader(c.file), kind, c.limit)
			var got []byte
			if err == nil {
				got, err = io.ReadAll(r)
				if closed := r.Close(); closed != nil && c.err == "" {
					t.Error(closed)
				}
			}
			if c.err == "" && (err != nil || string(got) != text) {
				t.Errorf("%s, %s: %d bytes, %v", kind, name, len(got), err)
			}
			if c.err != "" && (err == nil || !strings.Contains(err.Error(), c.err) || !strings.Contains(err.Error(), "the "+kind+" file")) {
				t.Errorf("%s, %s: error %v, want %s", kind, name, err, c.err)
			}
		}
	}
	if packing.Of([]byte("call_no,amount\n")) != packing.None {
		t.Error("text is taken for packed")
	}
	plain, err := packing.NewReader(strings.NewReader(text), packing.None, 1)
	if err != nil {
		t.Fatal(err)
	}
	if got, err := io.ReadAll(plain); err != nil || string(got) != text {
		t.Errorf("what is not packed has no limit: %d bytes, %v", len(got), err)
	}
	if _, err := packing.NewReader(strings.NewReader(""), "rar", 1); err == nil || !strings.Contains(err.Error(), "write gzip or zstd") {
		t.Errorf("an unknown packing: %v", err)
	}
}
