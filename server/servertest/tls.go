package servertest

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"testing"
	"time"

	"jauntylark/standin"
)

// Certificate makes a certificate of this machine's loopback, and gives its files.
func Certificate(t testing.TB) (certFile, keyFile string) {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	template := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "test"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true}
	cert, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	if err != nil {
		t.Fatal(err)
	}
	der, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	write := func(name, kind string, content []byte) string {
		file := filepath.Join(dir, name)
		if err := os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: content}), 0o600); err != nil {
			t.Fatal(err)
		}
		return file
	}
	return write("cert.pem", "CERTIFICATE", cert), write("key.pem", "PRIVATE KEY", der)
}

// SecureSink runs a mail server that wants TLS and a sign-in, and gives its address and the file with its certificate.
func SecureSink(t testing.TB, fromStart bool, user, password string) (in *standin.Inbox, address, certFile string) {
	t.Helper()
	certFile, keyFile := Certificate(t)
	pair, err := tls.LoadX509KeyPair(certFile, keyFile)
	if err != nil {
		t.Fatal(err)
	}
	if in, err = standin.OpenInbox("", nil); err != nil {
		t.Fatal(err)
	}
	sink, err := standin.StartSecureMailSink(in, standin.Secure{TLS: &tls.Config{Certificates: []tls.Certificate{pair}},
		FromStart: fromStart, User: user, Password: password})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { sink.Close() })
	return in, sink.Addr, certFile
}
