// Package address reads the addresses of MariaDB and MySQL servers as their own
// client understands them.
package address

import (
	"cmp"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net/url"
	"os"
	"strings"
	"time"

	driver "github.com/go-sql-driver/mysql"

	"dappermirror/internal/engine"
)

// modes are those of TLS in the client's own words.
var modes = map[string]string{"off": "disabled", "prefer": "preferred", "require": "required", "verify-ca": "verify_ca", "verify": "verify_identity"}

// Secure adds a password, where it is not empty, and TLS to an address.
func Secure(address, password string, t engine.TLS) (string, error) {
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

// ClientWords are the client's arguments for an address, without secrets. Where the address has a password
// the client asks for it.
func ClientWords(address string) []string {
	u, err := url.Parse(address)
	if err != nil {
		return []string{"DATABASE"}
	}
	q := u.Query()
	var words []string
	for _, o := range [][2]string{{"-h", u.Hostname()}, {"-P", u.Port()}, {"-S", cmp.Or(q.Get("socket"), q.Get("unix_socket"))}, {"-u", cmp.Or(u.User.Username(), q.Get("user"))}} {
		if o[1] != "" {
			words = append(words, o[0], o[1])
		}
	}
	if _, has := u.User.Password(); has {
		words = append(words, "-p")
	}
	return append(words, strings.TrimPrefix(u.Path, "/"))
}

// Config makes the driver's configuration of a URL: user, password, host and
// database, `socket`, `ssl-mode`, `ssl-ca`, `ssl-cert` and `ssl-key` as
// parameters, and what the environment and the option file of the engine's
// client say where the URL is silent.
func Config(address string) (*driver.Config, error) {
	u, err := url.Parse(address)
	if err != nil {
		return nil, fmt.Errorf("%w: the address is not understood", engine.ErrConnect)
	}
	cfg := driver.NewConfig()
	cfg.User = u.User.Username()
	cfg.Passwd, _ = u.User.Password()
	q := u.Query()
	file := optionFile()
	cfg.User = cmp.Or(cfg.User, q.Get("user"), file["user"], os.Getenv("USER"))
	cfg.Passwd = cmp.Or(cfg.Passwd, os.Getenv("MYSQL_PWD"), file["password"])
	cfg.DBName = strings.TrimPrefix(u.Path, "/")
	if cfg.DBName == "" {
		return nil, fmt.Errorf("%w: the address names no database (mariadb://user@host/DATABASE)", engine.ErrConnect)
	}
	socket := cmp.Or(q.Get("socket"), q.Get("unix_socket"))
	host, port := u.Hostname(), cmp.Or(u.Port(), os.Getenv("MYSQL_TCP_PORT"), file["port"], "3306")
	if host == "" && socket == "" {
		socket = cmp.Or(file["socket"], os.Getenv("MYSQL_UNIX_PORT"))
		host = cmp.Or(os.Getenv("MYSQL_HOST"), file["host"], "localhost")
	}
	if socket == "" && host == "localhost" && u.Port() == "" {
		if _, err := os.Stat("/run/mysqld/mysqld.sock"); err == nil {
			socket = "/run/mysqld/mysqld.sock"
		}
	}
	cfg.Net, cfg.Addr = "tcp", host+":"+port
	if strings.Contains(host, ":") {
		cfg.Addr = "[" + host + "]:" + port
	}
	if socket != "" {
		cfg.Net, cfg.Addr = "unix", socket
	}
	switch m := strings.ToLower(cmp.Or(q.Get("ssl-mode"), q.Get("tls"), file["ssl-mode"])); m {
	case "", "preferred":
		if cfg.Net == "tcp" {
			cfg.TLSConfig = "preferred"
		}
	case "disabled", "false":
		cfg.TLSConfig = "false"
	case "required", "skip-verify":
		cfg.TLSConfig = "skip-verify"
	case "verify_ca", "verify_identity", "true":
		cfg.TLSConfig = "true"
	default:
		return nil, fmt.Errorf("%w: ssl-mode=%s: it is one of disabled, preferred, required, verify_identity", engine.ErrConnect, m)
	}
	if err := certificates(cfg, q, u.Hostname()); err != nil {
		return nil, err
	}
	cfg.AllowNativePasswords, cfg.MultiStatements, cfg.AllowCleartextPasswords = true, true, false
	cfg.Timeout = 15 * time.Second
	cfg.Collation = "utf8mb4_general_ci"
	cfg.ConnectionAttributes = "program_name:dapper-mirror"
	return cfg, nil
}

// optionFile reads the groups [client] and [mysql] of ~/.my.cnf.
func optionFile() map[string]string {
	out := map[string]string{}
	home, err := os.UserHomeDir()
	if err != nil {
		return out
	}
	data, err := os.ReadFile(home + "/.my.cnf")
	if err != nil {
		return out
	}
	group := ""
	for _, line := range strings.Split(string(data), "\n") {
		line = strings.TrimSpace(line)
		switch {
		case line == "" || line[0] == '#' || line[0] == ';':
		case line[0] == '[':
			group = strings.Trim(line, "[]")
		case group == "client" || group == "mysql" || group == "mariadb" || group == "client-mariadb":
			k, v, _ := strings.Cut(line, "=")
			out[strings.ReplaceAll(strings.TrimSpace(k), "_", "-")] = strings.Trim(strings.TrimSpace(v), `"'`)
		}
	}
	return out
}
