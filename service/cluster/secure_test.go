package cluster

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
	"strings"
	"testing"
	"time"

	"github.com/nats-io/jwt/v2"
	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nkeys"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
)

// authority makes certificates into files of a folder.
type authority struct {
	dir  string
	cert *x509.Certificate
	key  *ecdsa.PrivateKey
}

func newAuthority(t *testing.T, name string) *authority {
	t.Helper()
	a := &authority{dir: t.TempDir()}
	a.cert, a.key = a.sign(t, name, &x509.Certificate{IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign})
	return a
}

// sign makes a certificate, by itself for the authority's own.
func (a *authority) sign(t *testing.T, name string, as *x509.Certificate) (*x509.Certificate, *ecdsa.PrivateKey) {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	as.SerialNumber, as.Subject = big.NewInt(time.Now().UnixNano()), pkix.Name{CommonName: name}
	as.NotBefore, as.NotAfter = time.Now().Add(-time.Hour), time.Now().Add(time.Hour)
	parent, by := a.cert, a.key
	if parent == nil {
		parent, by = as, key
	}
	der, err := x509.CreateCertificate(rand.Reader, as, parent, &key.PublicKey, by)
	require.NoError(t, err)
	cert, err := x509.ParseCertificate(der)
	require.NoError(t, err)
	own, err := x509.MarshalPKCS8PrivateKey(key)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(a.file(name, "cert"), pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600))
	require.NoError(t, os.WriteFile(a.file(name, "key"), pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: own}), 0o600))
	return cert, key
}

func (a *authority) file(name, what string) string {
	return filepath.Join(a.dir, name+"-"+what+".pem")
}

// A cluster that speaks TLS and asks for the client's certificate: with both a bake goes through, and without either
// the connection is refused with a reason.
func TestTLSWithCertificatesOfClients(t *testing.T) {
	ca, other := newAuthority(t, "keepers"), newAuthority(t, "strangers")
	ca.sign(t, "server", &x509.Certificate{IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}})
	ca.sign(t, "client", &x509.Certificate{ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageClientAuth}})
	other.sign(t, "client", &x509.Certificate{ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageClientAuth}})
	o := startServer(t, func(so *server.Options) {
		pair, err := tls.LoadX509KeyPair(ca.file("server", "cert"), ca.file("server", "key"))
		require.NoError(t, err)
		pool := x509.NewCertPool()
		pool.AddCert(ca.cert)
		so.TLSConfig = &tls.Config{Certificates: []tls.Certificate{pair}, ClientCAs: pool, ClientAuth: tls.RequireAndVerifyClientCert, MinVersion: tls.VersionTLS13}
		so.TLS, so.TLSVerify, so.TLSTimeout = true, true, 5
	})
	o.URL = strings.Replace(o.URL, "nats://", "tls://", 1)
	with := func(ca, cert, key string) Options {
		own := o
		own.CA, own.Cert, own.Key = ca, cert, key
		return own
	}
	good := with(ca.file("keepers", "cert"), ca.file("client", "cert"), ca.file("client", "key"))
	c := startCaller(t, good)
	startWorker(t, good, "one")
	p, sources := room(t)
	_, err := c.Bake(t.Context(), p, sources, bake.Draft, nil)
	require.NoError(t, err)

	for what, bad := range map[string]Options{
		"a server of an authority that is not trusted": with(other.file("strangers", "cert"), ca.file("client", "cert"), ca.file("client", "key")),
		"no certificate":                  with(ca.file("keepers", "cert"), "", ""),
		"a certificate of somebody else":  with(ca.file("keepers", "cert"), other.file("client", "cert"), other.file("client", "key")),
		"a certificate that is not there": with(ca.file("keepers", "cert"), ca.file("nobody", "cert"), ca.file("nobody", "key")),
	} {
		_, err := Call(t.Context(), bad)
		require.Error(t, err, what)
		assert.NotContains(t, err.Error(), "let-me-in", what)
		t.Logf("%s: %v", what, err)
	}
}

// A cluster of an operator, whose users have credentials files: the file names account and user.
func TestCredentialsFiles(t *testing.T) {
	operator, err := nkeys.CreateOperator()
	require.NoError(t, err)
	account, err := nkeys.CreateAccount()
	require.NoError(t, err)
	system, err := nkeys.CreateAccount()
	require.NoError(t, err)
	public := func(k nkeys.KeyPair) string { p, err := k.PublicKey(); require.NoError(t, err); return p }
	claims := jwt.NewAccountClaims(public(account))
	claims.Limits.JetStreamLimits = jwt.JetStreamLimits{MemoryStorage: -1, DiskStorage: -1, Streams: -1, Consumer: -1}
	accountJWT, err := claims.Encode(operator)
	require.NoError(t, err)
	systemJWT, err := jwt.NewAccountClaims(public(system)).Encode(operator)
	require.NoError(t, err)
	o := startServer(t, func(so *server.Options) {
		of := jwt.NewOperatorClaims(public(operator))
		of.SystemAccount = public(system)
		so.Username, so.Password, so.TrustedOperators, so.SystemAccount = "", "", []*jwt.OperatorClaims{of}, public(system)
		resolver := &server.MemAccResolver{}
		require.NoError(t, resolver.Store(public(account), accountJWT))
		require.NoError(t, resolver.Store(public(system), systemJWT))
		so.AccountResolver = resolver
	})
	o.URL = strings.Replace(o.URL, "grotta:let-me-in@", "", 1)
	credentials := func(name string, by nkeys.KeyPair) string {
		user, err := nkeys.CreateUser()
		require.NoError(t, err)
		text, err := jwt.NewUserClaims(public(user)).Encode(by)
		require.NoError(t, err)
		seed, err := user.Seed()
		require.NoError(t, err)
		file, err := jwt.FormatUserConfig(text, seed)
		require.NoError(t, err)
		path := filepath.Join(t.TempDir(), name+".creds")
		require.NoError(t, os.WriteFile(path, file, 0o600))
		return path
	}
	good := o
	good.Credentials = credentials("maren", account)
	c := startCaller(t, good)
	startWorker(t, good, "one")
	p, sources := room(t)
	_, err = c.Bake(t.Context(), p, sources, bake.Draft, nil)
	require.NoError(t, err)

	stranger, err := nkeys.CreateAccount()
	require.NoError(t, err)
	for what, file := range map[string]string{"none": "", "of an account that the cluster does not know": credentials("olga", stranger), "a file that is not there": "/nobody.creds"} {
		bad := o
		bad.Credentials = file
		_, err := Call(t.Context(), bad)
		require.Error(t, err, what)
		t.Logf("%s: %v", what, err)
	}
}
