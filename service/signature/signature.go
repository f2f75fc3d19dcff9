// Package signature signs messages to other services as RFC 9421 says, with a secret that both sides know: the method, the
// address, the content's digest by RFC 9530, and the delivery's number, so that nothing of a message can be altered or sent elsewhere.
package signature

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"
)

// DeliveryHeader is the header with a delivery's number, by which a receiver knows one that comes again.
const DeliveryHeader = "Twinsieve-Delivery"

const label = "twinsieve"

// covered are the parts of a message that are signed.
const covered = `("@method" "@target-uri" "content-digest" "twinsieve-delivery")`

// Sign signs a request, whose delivery header is set, with the content that it has.
func Sign(r *http.Request, content []byte, secret string, at time.Time) {
	sum := sha256.Sum256(content)
	r.Header.Set("Content-Digest", "sha-256=:"+base64.StdEncoding.EncodeToString(sum[:])+":")
	params := fmt.Sprintf(`%s;created=%d;alg="hmac-sha256"`, covered, at.Unix())
	r.Header.Set("Signature-Input", label+"="+params)
	r.Header.Set("Signature", label+"=:"+base64.StdEncoding.EncodeToString(sum256(secret, base(r, r.URL.String(), params)))+":")
}

func sum256(secret, text string) []byte {
	mac := hmac.New(sha256.New, []byte(secret))
	mac.Write([]byte(text))
	return mac.Sum(nil)
}

// base is what is signed of a request.
func base(r *http.Request, target, params string) string {
	return fmt.Sprintf("\"@method\": %s\n\"@target-uri\": %s\n\"content-digest\": %s\n\"twinsieve-delivery\": %s\n\"@signature-params\": %s",
		r.Method, target, r.Header.Get("Content-Digest"), r.Header.Get(DeliveryHeader), params)
}

// Verify reads a request that has been received at an address, and checks that it was signed with the secret no longer ago than so
// long. It returns the content.
func Verify(r *http.Request, target, secret string, within time.Duration) ([]byte, error) {
	content, err := io.ReadAll(io.LimitReader(r.Body, 4<<20))
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(content)
	if r.Header.Get("Content-Digest") != "sha-256=:"+base64.StdEncoding.EncodeToString(sum[:])+":" {
		return nil, errors.New("the content is not the one that was signed")
	}
	params, ok := strings.CutPrefix(r.Header.Get("Signature-Input"), label+"="+covered+";created=")
	if !ok {
		return nil, errors.New("there is no signature of the parts that must be signed")
	}
	seconds, _, _ := strings.Cut(params, ";")
	at, err := strconv.ParseInt(seconds, 10, 64)
	if age := time.Since(time.Unix(at, 0)); err != nil || age > within || age < -within {
		return nil, errors.New("it was signed too long ago")
	}
	given, err := base64.StdEncoding.DecodeString(strings.TrimSuffix(strings.TrimPrefix(r.Header.Get("Signature"), label+"=:"), ":"))
	if err != nil || !hmac.Equal(given, sum256(secret, base(r, target, covered+";created="+params))) {
		return nil, errors.New("the signature is not of this secret, or something was altered on the way")
	}
	return bytes.Clone(content), nil
}
