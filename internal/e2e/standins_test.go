package e2e

import (
	"bufio"
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/base64"
	"encoding/pem"
	"fmt"
	"io"
	"math/big"
	"net"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"
)

// certificate is one of our own for this machine, with the file that vouches for it.
func certificate(t testing.TB, dir, name string) (tls.Certificate, string) {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	c := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "Quillhaven"}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
		IsCA: true, BasicConstraintsValid: true, DNSNames: []string{"localhost"}, IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign}
	der, err := x509.CreateCertificate(rand.Reader, c, c, &key.PublicKey, key)
	if err != nil {
		t.Fatal(err)
	}
	path := write(t, dir, name, string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der})))
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key}, path
}

// post is a mail server that keeps what it is given: as much of SMTP (RFC 5321, 3207,
// 4954) as a client needs.
type post struct {
	cert        *tls.Certificate // for STARTTLS; nil where it has none
	tls         bool             // from the beginning
	password    string           // "" lets everybody send
	refuses     bool             // every mail
	mu          sync.Mutex
	mails, said []string // what came, and all that clients said
	at          string
}

func (p *post) start(t testing.TB) *post {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	p.at = l.Addr().String()
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go p.serve(c)
		}
	}()
	return p
}

func (p *post) got() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return append([]string{}, p.mails...)
}

func (p *post) serve(c net.Conn) {
	defer func() { c.Close() }()
	_ = c.SetDeadline(time.Now().Add(time.Minute))
	secure := p.tls
	if secure {
		c = tls.Server(c, &tls.Config{Certificates: []tls.Certificate{*p.cert}})
	}
	in := bufio.NewReader(c)
	say := func(s string) { fmt.Fprintf(c, "%s\r\n", s) }
	say("220 quillhaven")
	known := p.password == ""
	for {
		line, err := in.ReadString('\n')
		if err != nil {
			return
		}
		p.mu.Lock()
		p.said = append(p.said, line)
		p.mu.Unlock()
		line = strings.TrimSpace(line)
		verb, rest, _ := strings.Cut(line, " ")
		switch strings.ToUpper(verb) {
		case "EHLO", "HELO":
			say("250-quillhaven")
			if p.cert != nil && !secure {
				say("250-STARTTLS")
			}
			if p.password != "" {
				say("250-AUTH PLAIN")
			}
			say("250 8BITMIME")
		case "STARTTLS":
			say("220 go on")
			c = tls.Server(c, &tls.Config{Certificates: []tls.Certificate{*p.cert}})
			in, secure = bufio.NewReader(c), true
		case "AUTH":
			_, word, _ := strings.Cut(rest, " ")
			data, _ := base64.StdEncoding.DecodeString(word)
			if known = secure && strings.HasSuffix(string(data), "\x00"+p.password); known {
				say("235 welcome")
			} else {
				say("535 no")
			}
		case "MAIL":
			if !known || p.refuses {
				say("550 not from you")
				continue
			}
			say("250 ok")
		case "DATA":
			say("354 go on")
			var b strings.Builder
			for {
				l, err := in.ReadString('\n')
				if err != nil {
					return
				}
				if strings.TrimRight(l, "\r\n") == "." {
					break
				}
				b.WriteString(l)
			}
			p.mu.Lock()
			p.mails = append(p.mails, b.String())
			p.mu.Unlock()
			say("250 kept")
		case "QUIT":
			say("221 bye")
			return
		default:
			say("250 ok")
		}
	}
}

// called is a request that a web server got.
type called struct {
	header http.Header
	body   []byte
}

// web is a web server that answers a status and keeps what it was sent.
type web struct {
	mu     sync.Mutex
	status int
	to     string // where it redirects
	calls  []called
	at     string
}

func (w *web) start(t testing.TB, cert *tls.Certificate) *web {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	w.at = "http://" + l.Addr().String()
	if cert != nil {
		w.at = "https://" + l.Addr().String()
		l = tls.NewListener(l, &tls.Config{Certificates: []tls.Certificate{*cert}})
	}
	s := &http.Server{Handler: w, ErrorLog: nil, ReadHeaderTimeout: time.Minute}
	go func() { _ = s.Serve(l) }()
	t.Cleanup(func() { s.Close() })
	return w
}

// ServeHTTP implements http.Handler.
func (w *web) ServeHTTP(out http.ResponseWriter, r *http.Request) {
	var b bytes.Buffer
	_, _ = io.Copy(&b, r.Body)
	w.mu.Lock()
	defer w.mu.Unlock()
	w.calls = append(w.calls, called{r.Header, b.Bytes()})
	if w.to != "" {
		out.Header().Set("Location", w.to)
	}
	out.WriteHeader(w.status)
}

func (w *web) got() []called {
	w.mu.Lock()
	defer w.mu.Unlock()
	return append([]called{}, w.calls...)
}

func (w *web) answer(status int) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.status = status
}
