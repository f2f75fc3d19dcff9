package sourcetest

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"testing"
	"time"
)

// certificate writes a certificate that the server has made itself, which proves nothing to whoever asks who it is.
func (s *Server) certificate(t testing.TB) (cert, key string) {
	t.Helper()
	secret, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	about := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "harbour"}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, BasicConstraintsValid: true}
	signed, err := x509.CreateCertificate(rand.Reader, about, about, &secret.PublicKey, secret)
	if err != nil {
		t.Fatal(err)
	}
	private, err := x509.MarshalPKCS8PrivateKey(secret)
	if err != nil {
		t.Fatal(err)
	}
	put := func(name, kind string, b []byte) string {
		file := filepath.Join(s.dir, name)
		if err := os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: b}), 0o600); err != nil {
			t.Fatal(err)
		}
		if s.as != nil {
			if err := os.Chown(file, int(s.as.Uid), int(s.as.Gid)); err != nil {
				t.Fatal(err)
			}
		}
		return file
	}
	return put("cert.pem", "CERTIFICATE", signed), put("key.pem", "PRIVATE KEY", private)
}
