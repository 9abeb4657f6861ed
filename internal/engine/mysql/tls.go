package mysql

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net/url"
	"os"

	driver "github.com/go-sql-driver/mysql"

	"dappermirror/internal/engine"
)

// modes are those of TLS in the client's own words.
var modes = map[string]string{"off": "disabled", "prefer": "preferred", "require": "required", "verify-ca": "verify_ca", "verify": "verify_identity"}

// Secure implements engine.Secured.
func (Engine) Secure(address, password string, t engine.TLS) (string, error) {
	u, err := url.Parse(address)
	if err != nil {
		return "", fmt.Errorf("%w: the address is not understood", engine.ErrConnect)
	}
	if password != "" {
		u.User = url.UserPassword(u.User.Username(), password)
	}
	q := u.Query()
	for name, value := range map[string]string{"ssl-mode": modes[t.Mode], "ssl-ca": t.CA, "ssl-cert": t.Cert, "ssl-key": t.Key} {
		if value != "" {
			q.Set(name, value)
		}
	}
	u.RawQuery = q.Encode()
	return u.String(), nil
}

// Describe implements engine.Describer.
func (d *database) Describe(ctx context.Context) (engine.About, error) {
	var a engine.About
	var version string
	if err := d.conn.QueryRowContext(ctx, "SELECT VERSION(), CURRENT_USER()").Scan(&version, &a.Account); err != nil {
		return a, explain(err)
	}
	if a.Server = "MySQL " + version; d.maria {
		a.Server = "MariaDB " + version
	}
	var name, tls, cipher string
	err := d.conn.QueryRowContext(ctx, "SHOW SESSION STATUS LIKE 'Ssl_version'").Scan(&name, &tls)
	if err == nil {
		err = d.conn.QueryRowContext(ctx, "SHOW SESSION STATUS LIKE 'Ssl_cipher'").Scan(&name, &cipher)
	}
	if a.TLS = tls + ", " + cipher; err != nil || tls == "" {
		a.TLS = "not encrypted"
	}
	return a, nil
}

// certificates reads those that an address names, as the client's options
// ssl-ca, ssl-cert and ssl-key do.
func certificates(cfg *driver.Config, q url.Values, host string) error {
	mode := q.Get("ssl-mode")
	if q.Get("ssl-ca") == "" && q.Get("ssl-cert") == "" && mode != "verify_ca" {
		return nil
	}
	c := &tls.Config{ServerName: host, MinVersion: tls.VersionTLS12}
	if path := q.Get("ssl-ca"); path != "" {
		pem, err := os.ReadFile(path)
		if err != nil {
			return fmt.Errorf("%w: the certificates of ssl-ca cannot be read: %w", engine.ErrConnect, err)
		}
		c.RootCAs = x509.NewCertPool()
		if !c.RootCAs.AppendCertsFromPEM(pem) {
			return fmt.Errorf("%w: no certificate is in %s", engine.ErrConnect, path)
		}
	}
	if path := q.Get("ssl-cert"); path != "" {
		pair, err := tls.LoadX509KeyPair(path, q.Get("ssl-key"))
		if err != nil {
			return fmt.Errorf("%w: the certificate of ssl-cert and ssl-key cannot be used: %w", engine.ErrConnect, err)
		}
		c.Certificates = []tls.Certificate{pair}
	}
	switch mode {
	case "required", "preferred", "":
		c.InsecureSkipVerify = true // it is encrypted, and whose it is was not asked
	case "verify_ca":
		c.InsecureSkipVerify, c.VerifyConnection = true, func(s tls.ConnectionState) error { return signed(s, c.RootCAs) }
	}
	cfg.TLS, cfg.TLSConfig = c, ""
	return nil
}

// signed tells whether a server's certificate is signed by one that is known,
// whatever name it is for.
func signed(s tls.ConnectionState, roots *x509.CertPool) error {
	if len(s.PeerCertificates) == 0 {
		return errors.New("the server has shown no certificate")
	}
	between := x509.NewCertPool()
	for _, c := range s.PeerCertificates[1:] {
		between.AddCert(c)
	}
	_, err := s.PeerCertificates[0].Verify(x509.VerifyOptions{Roots: roots, Intermediates: between})
	return err
}
