package authority

import (
	"bytes"
	"crypto/tls"
	"crypto/x509"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"
)

// Whoever trusts the authority reaches the server by every name it was made
// for, and nobody else does.
func TestWhoTrustsTheAuthorityReachesTheServer(t *testing.T) {
	local, err := Open(t.TempDir(), []string{"hours.works.example", "127.0.0.1"}, time.Now())
	if err != nil {
		t.Fatal(err)
	}
	server := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { io.WriteString(w, "ok") }))
	server.TLS = &tls.Config{Certificates: []tls.Certificate{local.Server}}
	server.StartTLS()
	defer server.Close()
	trust := x509.NewCertPool()
	if !trust.AppendCertsFromPEM(local.Trust) {
		t.Fatal("the authority's certificate can't be read")
	}
	get := func(pool *x509.CertPool, name string) error {
		c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool, ServerName: name}}}
		res, err := c.Get(server.URL)
		if err == nil {
			res.Body.Close()
		}
		return err
	}
	for _, name := range []string{"127.0.0.1", "hours.works.example"} {
		if err := get(trust, name); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	if err := get(trust, "elsewhere.example"); err == nil {
		t.Error("another name is taken")
	}
	if err := get(x509.NewCertPool(), "127.0.0.1"); err == nil {
		t.Error("who doesn't trust the authority takes it")
	}
}

func TestWhatIsKept(t *testing.T) {
	dir, now := t.TempDir(), time.Now()
	open := func(at time.Time, hosts ...string) *Local {
		t.Helper()
		l, err := Open(dir, hosts, at)
		if err != nil {
			t.Fatal(err)
		}
		return l
	}
	first := open(now, "a.example")
	for _, name := range []string{"authority.key", "server.key"} {
		if info, err := os.Stat(filepath.Join(dir, name)); err != nil || info.Mode().Perm() != 0o600 {
			t.Errorf("%s: %v, %v", name, info.Mode(), err)
		}
	}
	again := open(now, "a.example")
	if !bytes.Equal(first.Server.Certificate[0], again.Server.Certificate[0]) {
		t.Error("a good certificate was made anew")
	}
	for name, l := range map[string]*Local{"another name": open(now, "a.example", "b.example"),
		"nearly over": open(now.Add(340*24*time.Hour), "a.example")} {
		if bytes.Equal(first.Server.Certificate[0], l.Server.Certificate[0]) {
			t.Errorf("%s: the certificate stayed", name)
		}
		if !bytes.Equal(first.Trust, l.Trust) {
			t.Errorf("%s: phones would have to come to trust another authority", name)
		}
	}
	if err := os.WriteFile(filepath.Join(dir, "authority.crt"), []byte("x"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(dir, []string{"a.example"}, now); err == nil {
		t.Error("a broken authority is replaced without a word")
	}
}
