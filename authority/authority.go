// Package authority makes what a place without a certificate needs to be
// reached over HTTPS on its own network: a small certificate authority of its
// own (RFC 5280), which phones and terminals come to trust once, and a
// certificate that it signs for the server.
package authority

import (
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"slices"
	"time"
)

const (
	authorityLasts = 10 * 365 * 24 * time.Hour
	// Browsers take certificates of at most 398 days.
	serverLasts = 390 * 24 * time.Hour
	renewBefore = 60 * 24 * time.Hour
)

// Local is an authority with the certificate that it signed for a server.
type Local struct {
	Server tls.Certificate
	Trust  []byte // the authority's certificate, PEM
}

// Open gives the authority that is kept in a directory and a certificate for
// some names and addresses; what is missing, or will soon be over, is made. The
// authority's key never leaves the directory.
func Open(dir string, hosts []string, now time.Time) (*Local, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("make %s: %w", dir, err)
	}
	ca, err := openPair(dir, "authority", func() (*pair, error) { return newAuthority(now) }, func(c *x509.Certificate) bool {
		return now.Before(c.NotAfter.Add(-serverLasts)) && c.IsCA
	})
	if err != nil {
		return nil, err
	}
	server, err := openPair(dir, "server", func() (*pair, error) { return ca.sign(hosts, now) }, func(c *x509.Certificate) bool {
		return now.Before(c.NotAfter.Add(-renewBefore)) && c.CheckSignatureFrom(ca.cert) == nil && holds(c, hosts)
	})
	if err != nil {
		return nil, err
	}
	return &Local{
		Server: tls.Certificate{Certificate: [][]byte{server.cert.Raw, ca.cert.Raw}, PrivateKey: server.key, Leaf: server.cert},
		Trust:  encode("CERTIFICATE", ca.cert.Raw),
	}, nil
}

// Hosts lists the names and addresses by which this machine is reached on its
// networks, with those given first.
func Hosts(given ...string) ([]string, error) {
	hosts := slices.Clone(given)
	addrs, err := net.InterfaceAddrs()
	if err != nil {
		return nil, fmt.Errorf("read this machine's addresses: %w", err)
	}
	for _, a := range addrs {
		if ip, ok := a.(*net.IPNet); ok && !ip.IP.IsLinkLocalUnicast() {
			hosts = append(hosts, ip.IP.String())
		}
	}
	if name, err := os.Hostname(); err == nil {
		hosts = append(hosts, name, name+".local")
	}
	hosts = append(hosts, "localhost")
	slices.Sort(hosts)
	return slices.Compact(hosts), nil
}

// pair is a certificate with its key.
type pair struct {
	cert *x509.Certificate
	key  *ecdsa.PrivateKey
}

// openPair reads a pair that is kept and still good, or makes and keeps one.
func openPair(dir, name string, fresh func() (*pair, error), good func(*x509.Certificate) bool) (*pair, error) {
	certPath, keyPath := filepath.Join(dir, name+".crt"), filepath.Join(dir, name+".key")
	p, err := readPair(certPath, keyPath)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("read %s: %w; move it away to begin anew", certPath, err)
	}
	if err == nil && good(p.cert) {
		return p, nil
	}
	if p, err = fresh(); err != nil {
		return nil, fmt.Errorf("make %s: %w", certPath, err)
	}
	key, err := x509.MarshalPKCS8PrivateKey(p.key)
	if err != nil {
		return nil, err
	}
	if err := os.WriteFile(keyPath, encode("PRIVATE KEY", key), 0o600); err != nil {
		return nil, fmt.Errorf("keep %s: %w", keyPath, err)
	}
	if err := os.WriteFile(certPath, encode("CERTIFICATE", p.cert.Raw), 0o644); err != nil {
		return nil, fmt.Errorf("keep %s: %w", certPath, err)
	}
	return p, nil
}

func encode(kind string, der []byte) []byte {
	var b bytes.Buffer
	_ = pem.Encode(&b, &pem.Block{Type: kind, Bytes: der}) // a buffer takes everything
	return b.Bytes()
}

func readPair(certPath, keyPath string) (*pair, error) {
	certPEM, err := os.ReadFile(certPath)
	if err != nil {
		return nil, err
	}
	keyPEM, err := os.ReadFile(keyPath)
	if err != nil {
		return nil, err
	}
	both, err := tls.X509KeyPair(certPEM, keyPEM)
	if err != nil {
		return nil, err
	}
	key, ok := both.PrivateKey.(*ecdsa.PrivateKey)
	if !ok {
		return nil, fmt.Errorf("the key is of another kind than those made here")
	}
	return &pair{both.Leaf, key}, nil
}

// serial makes a serial number of 120 bits.
func serial() *big.Int {
	var b [15]byte
	_, _ = rand.Read(b[:]) // it never fails
	return new(big.Int).SetBytes(b[:])
}

func newAuthority(now time.Time) (*pair, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	t := &x509.Certificate{
		SerialNumber: serial(), Subject: pkix.Name{CommonName: "Manudex at this place", Organization: []string{"Manudex"}},
		NotBefore: now.Add(-time.Hour), NotAfter: now.Add(authorityLasts),
		IsCA: true, BasicConstraintsValid: true, MaxPathLenZero: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign,
	}
	return make509(t, t, key, key)
}

// sign makes a certificate for a server.
func (ca *pair) sign(hosts []string, now time.Time) (*pair, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	t := &x509.Certificate{
		SerialNumber: serial(), Subject: pkix.Name{CommonName: hosts[0]}, NotBefore: now.Add(-time.Hour), NotAfter: now.Add(serverLasts),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	for _, h := range hosts {
		if ip := net.ParseIP(h); ip != nil {
			t.IPAddresses = append(t.IPAddresses, ip)
		} else {
			t.DNSNames = append(t.DNSNames, h)
		}
	}
	return make509(t, ca.cert, key, ca.key)
}

func make509(t, parent *x509.Certificate, key, signer *ecdsa.PrivateKey) (*pair, error) {
	der, err := x509.CreateCertificate(rand.Reader, t, parent, &key.PublicKey, signer)
	if err != nil {
		return nil, err
	}
	cert, err := x509.ParseCertificate(der)
	if err != nil {
		return nil, err
	}
	return &pair{cert, key}, nil
}

// holds says whether a certificate is good for all of some names.
func holds(c *x509.Certificate, hosts []string) bool {
	return !slices.ContainsFunc(hosts, func(h string) bool { return c.VerifyHostname(h) != nil })
}
