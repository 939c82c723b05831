package ops

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"io"
	"log/slog"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// certify writes a certificate with a name and its key into a folder.
func certify(t *testing.T, dir, name string, changed time.Time) (certificate, key string) {
	t.Helper()
	secret, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	of := x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: name}, DNSNames: []string{name},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
	}
	der, err := x509.CreateCertificate(rand.Reader, &of, &of, &secret.PublicKey, secret)
	if err != nil {
		t.Fatal(err)
	}
	private, err := x509.MarshalPKCS8PrivateKey(secret)
	if err != nil {
		t.Fatal(err)
	}
	certificate, key = filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")
	for file, block := range map[string]*pem.Block{
		certificate: {Type: "CERTIFICATE", Bytes: der}, key: {Type: "PRIVATE KEY", Bytes: private},
	} {
		if err := os.WriteFile(file, pem.EncodeToMemory(block), 0o600); err != nil {
			t.Fatal(err)
		}
		if err := os.Chtimes(file, changed, changed); err != nil {
			t.Fatal(err)
		}
	}
	return certificate, key
}

// TestCertificateIsReadAgain uses a renewed certificate without a restart, and keeps the one before if it is broken.
func TestCertificateIsReadAgain(t *testing.T) {
	dir, log := t.TempDir(), slog.New(slog.DiscardHandler)
	certificate, key := certify(t, dir, "one.example", time.Now().Add(-time.Hour))
	p, err := newPair(certificate, key, log)
	if err != nil {
		t.Fatal(err)
	}
	shown := func() string {
		t.Helper()
		p.looked = time.Time{} // as if time had passed
		is, err := p.get(&tls.ClientHelloInfo{})
		if err != nil {
			t.Fatal(err)
		}
		return is.Leaf.Subject.CommonName
	}
	if got := shown(); got != "one.example" {
		t.Errorf("it shows %s", got)
	}
	if err := os.WriteFile(certificate, []byte("half written"), 0o600); err != nil {
		t.Fatal(err)
	}
	if got := shown(); got != "one.example" {
		t.Errorf("with a broken file it shows %s", got)
	}
	certify(t, dir, "two.example", time.Now())
	if got := shown(); got != "two.example" {
		t.Errorf("once renewed it shows %s", got)
	}
	if _, err := newPair(filepath.Join(dir, "none.pem"), key, log); err == nil {
		t.Error("it starts without a certificate")
	}
}

// TestBeside serves metrics at their own address, and redirects plain HTTP.
func TestBeside(t *testing.T) {
	free := func() string {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		defer l.Close()
		return l.Addr().String()
	}
	s := &Settings{Listen: "127.0.0.1:8443", Certificate: "x", Metrics: free(), Redirect: free()}
	b, err := openBeside(s, http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		_, _ = io.WriteString(w, "dtally_change 7") // the test reads it
	}), slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	defer b.close()
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	get := func(at, host string) (status int, to, body string) {
		t.Helper()
		r, err := http.NewRequestWithContext(t.Context(), "GET", "http://"+at, nil)
		if err != nil {
			t.Fatal(err)
		}
		if host != "" {
			r.Host = host
		}
		res, err := client.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		text, err := io.ReadAll(res.Body)
		if err != nil {
			t.Fatal(err)
		}
		return res.StatusCode, res.Header.Get("Location"), string(text)
	}
	if status, _, body := get(s.Metrics+"/metrics", ""); status != 200 || body != "dtally_change 7" {
		t.Errorf("metrics: %d %s", status, body)
	}
	if status, _, _ := get(s.Metrics+"/api/v1/ranking", ""); status != 404 {
		t.Errorf("something else beside the metrics: %d", status)
	}
	if status, to, _ := get(s.Redirect+"/reports/a%2Fb?x=1", "bench.example:80"); status != 308 ||
		to != "https://bench.example:8443/reports/a%2Fb?x=1" {
		t.Errorf("led on: %d %s", status, to)
	}
	s.Address = "https://bench.example.org"
	if _, to, _ := get(s.Redirect+"/x", "evil.example"); to != "https://bench.example.org/x" {
		t.Errorf("led to %s", to)
	}
}

// TestDatabasePassword reads the password from a file or the environment, separate from the address.
func TestDatabasePassword(t *testing.T) {
	secret := file(t, "s3cret@:/word\n")
	const at = "me@tcp(127.0.0.1:3306)/dtally"
	database := func(args ...string) (*Settings, error) {
		cmd := settingsCommand()
		if err := cmd.ParseFlags(append([]string{"--database", at}, args...)); err != nil {
			t.Fatal(err)
		}
		return loadSettings(cmd.Flags())
	}
	s, err := database("--database-password-file", secret)
	if err != nil || !strings.HasPrefix(s.Database, "me:s3cret@:/word@tcp(127.0.0.1:3306)/dtally") || len(s.Warnings) > 0 {
		t.Errorf("%+v, %v", s, err)
	}
	if err := os.Chmod(secret, 0o644); err != nil {
		t.Fatal(err)
	}
	if s, err := database("--database-password-file", secret); err != nil || len(s.Warnings) != 1 {
		t.Errorf("a file that everybody reads: %v, %v", s.Warnings, err)
	}
	t.Setenv("DTALLY_DATABASE_PASSWORD", "other")
	if s, err := database(); err != nil || !strings.HasPrefix(s.Database, "me:other@tcp") {
		t.Errorf("%+v, %v", s, err)
	}
	for _, args := range [][]string{
		{"--database-password-file", secret}, // and the environment
		{"--database", "me:one@tcp(127.0.0.1:3306)/dtally"},
		{"--database", "nonsense"},
	} {
		if s, err := database(args...); err == nil {
			t.Errorf("%v: %s", args, s.Database)
		}
	}
	t.Setenv("DTALLY_DATABASE_PASSWORD", "")
	if _, err := database("--database-password-file", file(t, "\n")); err == nil {
		t.Error("an empty file is taken")
	}
	if _, err := database("--redirect", "127.0.0.1:80"); err == nil || !strings.Contains(err.Error(), "HTTPS") {
		t.Errorf("a redirect to nowhere: %v", err)
	}
}
