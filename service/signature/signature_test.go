package signature_test

import (
	"bytes"
	"io"
	"net/http"
	"testing"
	"time"

	"twinsieve/service/signature"
)

// TestVerify signs a message, and alters everything that can be altered of it.
func TestVerify(t *testing.T) {
	const target, secret = "https://ledger.example/hooks?of=port", "4M2K"
	signed := func(at time.Time) *http.Request {
		r, err := http.NewRequest(http.MethodPost, target, bytes.NewReader([]byte(`{"event":"test"}`)))
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set(signature.DeliveryHeader, "17")
		signature.Sign(r, []byte(`{"event":"test"}`), secret, at)
		return r
	}
	for name, c := range map[string]struct {
		change         func(*http.Request)
		target, secret string
		age            time.Duration
		ok             bool
	}{
		"as it was":           {func(*http.Request) {}, target, secret, 0, true},
		"another content":     {func(r *http.Request) { r.Body = io.NopCloser(bytes.NewReader([]byte(`{"event":"Test"}`))) }, target, secret, 0, false},
		"another number":      {func(r *http.Request) { r.Header.Set(signature.DeliveryHeader, "18") }, target, secret, 0, false},
		"another method":      {func(r *http.Request) { r.Method = http.MethodPut }, target, secret, 0, false},
		"another address":     {func(*http.Request) {}, target + "&more", secret, 0, false},
		"another secret":      {func(*http.Request) {}, target, secret + "x", 0, false},
		"long ago":            {func(*http.Request) {}, target, secret, 2 * time.Hour, false},
		"from the future":     {func(*http.Request) {}, target, secret, -2 * time.Hour, false},
		"no signature":        {func(r *http.Request) { r.Header.Del("Signature") }, target, secret, 0, false},
		"no digest":           {func(r *http.Request) { r.Header.Del("Content-Digest") }, target, secret, 0, false},
		"fewer parts covered": {func(r *http.Request) { r.Header.Set("Signature-Input", `twinsieve=("@method");created=1`) }, target, secret, 0, false},
	} {
		r := signed(time.Now().Add(-c.age))
		c.change(r)
		content, err := signature.Verify(r, c.target, c.secret, time.Hour)
		if (err == nil) != c.ok || c.ok && string(content) != `{"event":"test"}` {
			t.Errorf("%s: %q, %v", name, content, err)
		}
	}
}
