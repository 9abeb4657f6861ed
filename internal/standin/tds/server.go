// Package tds answers clients in the Tabular Data Stream protocol, 7.4 and, with TLS
// from the first byte, 8.0. It knows no SQL: what is asked goes to a Session
// (Microsoft: [MS-TDS]).
package tds

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/binary"
	"encoding/pem"
	"errors"
	"fmt"
	"io"
	"math/big"
	"net"
	"sync"
	"sync/atomic"
	"time"
)

// The kinds of message ([MS-TDS], 2.2.3.1.1).
const (
	msgBatch, msgRPC, msgReply, msgAttention, msgTransaction, msgLogin, msgPrelogin = 1, 3, 4, 6, 14, 16, 18
)

const (
	packet      = 4096
	largest     = 256 << 20        // of a message, in bytes
	handshaking = 15 * time.Second // until a client has logged in
)

// Param is a parameter of a call.
type Param struct {
	Name  string
	Value any
}

// Login is what a client says of itself.
type Login struct{ User, Password, App, Host, Database string }

// Session is one client's session of whatever stands behind the wire.
type Session interface {
	// Batch runs a text. It never fails: it writes errors to out.
	Batch(ctx context.Context, sql string, params []Param, out *Out)
	// Begin, Commit and Rollback are those that drivers ask for without words.
	Begin(out *Out)
	Commit(out *Out)
	Rollback(out *Out)
	// Reset brings the session back to how it began.
	Reset()
	Close()
}

// Error is an error as the server says it.
type Error struct {
	Number, Line int32
	State, Class byte
	Message      string
	Proc         string
}

func (e *Error) Error() string {
	return fmt.Sprintf("Msg %d, Level %d, State %d, Line %d: %s", e.Number, e.Class, e.State, e.Line, e.Message)
}

// Server answers clients.
type Server struct {
	// Open makes a session, or says why not.
	Open func(Login) (Session, *Error)
	// Name is the server's.
	Name string

	cert    tls.Certificate
	mu      sync.Mutex
	clients map[net.Conn]bool
	closed  bool
}

// New makes a server with a certificate of its own, for this machine's names.
func New(open func(Login) (Session, *Error)) (*Server, error) {
	s := &Server{Open: open, Name: "STANDIN", clients: map[net.Conn]bool{}}
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	t := &x509.Certificate{SerialNumber: big.NewInt(time.Now().UnixNano()), Subject: pkix.Name{CommonName: "localhost"}, DNSNames: []string{"localhost"}, IsCA: true, BasicConstraintsValid: true,
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1), net.IPv6loopback}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().AddDate(1, 0, 0),
		KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	der, err := x509.CreateCertificate(rand.Reader, t, t, &key.PublicKey, key)
	if err != nil {
		return nil, err
	}
	s.cert = tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key}
	return s, nil
}

// Certificate is the server's, in PEM, for clients that verify it.
func (s *Server) Certificate() []byte {
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: s.cert.Certificate[0]})
}

// Serve answers the clients of a listener until that is closed.
func (s *Server) Serve(l net.Listener) error {
	for {
		c, err := l.Accept()
		if err != nil {
			return err
		}
		go s.Client(c)
	}
}

// Client answers one client, until it goes.
func (s *Server) Client(raw net.Conn) {
	s.mu.Lock()
	if s.closed {
		s.mu.Unlock()
		raw.Close()
		return
	}
	s.clients[raw] = true
	s.mu.Unlock()
	defer func() {
		_ = recover() // what a broken client sends must not end the others
		raw.Close()
		s.mu.Lock()
		delete(s.clients, raw)
		s.mu.Unlock()
	}()
	_ = (&conn{raw: raw, server: s}).run()
}

// Close sends all clients away.
func (s *Server) Close() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.closed = true
	for c := range s.clients {
		c.Close()
	}
}

type conn struct {
	raw    net.Conn
	rw     io.ReadWriter // raw, or TLS over it
	server *Server
}

type message struct {
	kind  byte
	reset bool
	data  []byte
	err   error
}

func (c *conn) read() (m message) {
	for {
		var h [8]byte
		if _, m.err = io.ReadFull(c.rw, h[:]); m.err != nil {
			return m
		}
		n := int(binary.BigEndian.Uint16(h[2:]))
		if n < 8 || len(m.data)+n > largest {
			m.err = errors.New("a packet of a length that cannot be")
			return m
		}
		part := make([]byte, n-8)
		if _, m.err = io.ReadFull(c.rw, part); m.err != nil {
			return m
		}
		m.kind, m.data, m.reset = h[0], append(m.data, part...), m.reset || h[1]&0x18 != 0
		if h[1]&1 != 0 {
			return m
		}
	}
}

func (c *conn) write(kind byte, data []byte) error {
	for id := byte(1); ; id++ {
		n := min(len(data), packet-8)
		p := make([]byte, 8, n+8)
		p[0], p[6] = kind, id
		if n == len(data) {
			p[1] = 1
		}
		binary.BigEndian.PutUint16(p[2:], uint16(n+8))
		if _, err := c.rw.Write(append(p, data[:n]...)); err != nil {
			return err
		}
		if data = data[n:]; len(data) == 0 {
			return nil
		}
	}
}

// shake carries the TLS handshake inside PRELOGIN packets, then steps aside.
type shake struct {
	net.Conn
	c    *conn
	buf  bytes.Buffer
	done bool
}

func (s *shake) Read(p []byte) (int, error) {
	if s.done {
		return s.Conn.Read(p)
	}
	for s.buf.Len() == 0 {
		m := s.c.read()
		if m.err != nil {
			return 0, m.err
		}
		s.buf.Write(m.data)
	}
	return s.buf.Read(p)
}

func (s *shake) Write(p []byte) (int, error) {
	if s.done {
		return s.Conn.Write(p)
	}
	return len(p), s.c.write(msgPrelogin, p)
}

// peeked gives back a first byte that was looked at.
type peeked struct {
	net.Conn
	first []byte
}

func (p *peeked) Read(b []byte) (int, error) {
	if len(p.first) > 0 {
		n := copy(b, p.first)
		p.first = p.first[n:]
		return n, nil
	}
	return p.Conn.Read(b)
}

func (c *conn) run() error {
	if err := c.raw.SetDeadline(time.Now().Add(handshaking)); err != nil {
		return err
	}
	m, plain, err := c.hello()
	if err != nil {
		return err
	}
	if m.err != nil || m.kind != msgLogin {
		return errors.Join(m.err, errors.New("no login"))
	}
	if plain != nil { // the login alone was to be hidden
		c.rw = plain
	}
	login, err := parseLogin(m.data)
	if err != nil {
		return err
	}
	out := &Out{server: c.server.Name}
	session, refusal := c.server.Open(login)
	if refusal != nil {
		out.Error(refusal)
		out.done(tokenDone, 2, 0)
		return c.write(msgReply, out.b)
	}
	defer session.Close()
	out.Database(login.Database, "")
	out.env(7, []byte{0x09, 0x04, 0xd0, 0x00, 0x34}, nil)
	out.env(4, ucs("4096"), ucs("4096"))
	ack := append([]byte{1, 0x74, 0, 0, 4}, short("Microsoft SQL Server")...)
	ack = append(ack, 16, 0, 0x10, 0x27)
	out.b = binary.LittleEndian.AppendUint16(append(out.b, 0xAD), uint16(len(ack)))
	out.b = append(out.b, ack...)
	out.done(tokenDone, 0, 0)
	if err := c.write(msgReply, out.b); err != nil {
		return err
	}
	if err := c.raw.SetDeadline(time.Time{}); err != nil {
		return err
	}
	return c.serve(session)
}

// hello answers the client's first words, in TLS where it wants that, and reads
// its login. plain is what follows the login where that alone is encrypted.
func (c *conn) hello() (m message, plain io.ReadWriter, err error) {
	first := make([]byte, 1)
	if _, err := io.ReadFull(c.raw, first); err != nil {
		return m, nil, err
	}
	c.raw = &peeked{c.raw, first}
	c.rw = c.raw
	// No later TLS is spoken inside PRELOGIN; session tickets would come outside of
	// the wrapping.
	conf := &tls.Config{Certificates: []tls.Certificate{c.server.cert}, SessionTicketsDisabled: true, MaxVersion: tls.VersionTLS12, MinVersion: tls.VersionTLS12}
	strict := first[0] == 0x16
	if strict {
		conf.MaxVersion, conf.NextProtos = tls.VersionTLS13, []string{"tds/8.0"}
		c.rw = tls.Server(c.raw, conf)
	}
	if m = c.read(); m.err != nil || m.kind != msgPrelogin {
		return m, nil, errors.Join(m.err, errors.New("no prelogin"))
	}
	want := byte(2) // not supported
	for i := 0; i+5 <= len(m.data) && m.data[i] != 0xff; i += 5 {
		if at := int(binary.BigEndian.Uint16(m.data[i+1:])); m.data[i] == 1 && at < len(m.data) {
			want = m.data[at]
		}
	}
	if err := c.write(msgReply, prelogin(want)); err != nil {
		return m, nil, err
	}
	before := c.rw
	if want != 2 && !strict {
		s := &shake{Conn: c.raw, c: c}
		t := tls.Server(s, conf)
		if err := t.Handshake(); err != nil {
			return m, nil, err
		}
		s.done = true
		c.rw = t
	}
	if want == 0 {
		plain = before
	}
	return c.read(), plain, nil
}

func prelogin(encrypt byte) []byte {
	opts := []struct {
		token byte
		data  []byte
	}{{0, []byte{16, 0, 0x10, 0x27, 0, 0}}, {1, []byte{encrypt}}, {2, []byte{0}}, {3, nil}, {4, []byte{0}}}
	var head, body []byte
	for _, o := range opts {
		head = append(head, o.token)
		head = binary.BigEndian.AppendUint16(head, uint16(len(opts)*5+1+len(body)))
		head = binary.BigEndian.AppendUint16(head, uint16(len(o.data)))
		body = append(body, o.data...)
	}
	return append(append(head, 0xff), body...)
}

// parseLogin reads LOGIN7 ([MS-TDS], 2.2.6.4).
func parseLogin(d []byte) (Login, error) {
	if len(d) < 94 {
		return Login{}, errors.New("a login that is too short")
	}
	var bad bool
	field := func(at int) []byte {
		off, n := int(binary.LittleEndian.Uint16(d[at:])), 2*int(binary.LittleEndian.Uint16(d[at+2:]))
		if off+n > len(d) {
			bad = true
			return nil
		}
		return d[off : off+n]
	}
	pw := bytes.Clone(field(44))
	for i, b := range pw {
		b ^= 0xA5
		pw[i] = b<<4 | b>>4
	}
	l := Login{Host: text(field(36)), User: text(field(40)), Password: text(pw), App: text(field(48)), Database: text(field(68))}
	if bad {
		return l, errors.New("a login that reaches beyond its end")
	}
	return l, nil
}

// serve answers one message after the other; an attention stops the one that runs.
func (c *conn) serve(s Session) error {
	var running atomic.Pointer[context.CancelFunc]
	in := make(chan message)
	go func() {
		defer close(in)
		for {
			m := c.read()
			if m.kind == msgAttention || m.err != nil {
				if stop := running.Load(); stop != nil {
					(*stop)()
				}
			}
			in <- m
			if m.err != nil {
				return
			}
		}
	}()
	defer func() {
		c.raw.Close()
		for range in {
		}
	}()
	prepared := &handles{texts: map[int64]string{}}
	for m := range in {
		if m.err != nil {
			return m.err
		}
		if m.reset {
			s.Reset()
		}
		ctx, cancel := context.WithCancel(context.Background())
		running.Store(&cancel)
		out := &Out{final: tokenDone, server: c.server.Name}
		err := answer(ctx, s, m, prepared, out)
		running.Store(nil)
		cancel()
		if err != nil {
			return err
		}
		if err := c.write(msgReply, out.b); err != nil {
			return err
		}
	}
	return nil
}

func answer(ctx context.Context, s Session, m message, prepared *handles, out *Out) error {
	switch m.kind {
	case msgBatch:
		s.Batch(ctx, text(body(m.data)), nil, out)
		out.end()
	case msgRPC:
		if err := prepared.call(ctx, s, body(m.data), out); err != nil {
			out.Error(&Error{Number: 8009, Class: 16, State: 1, Line: 1, Message: err.Error()})
			out.end()
		}
	case msgTransaction:
		d := body(m.data)
		if len(d) < 2 {
			return errors.New("a transaction request that is too short")
		}
		switch binary.LittleEndian.Uint16(d) {
		case 5:
			s.Begin(out)
		case 7:
			s.Commit(out)
		case 8:
			s.Rollback(out)
		default:
			return errors.New("a transaction request that is not known")
		}
		out.end()
	case msgAttention:
		out.done(tokenDone, 0x20, 0)
	default:
		return fmt.Errorf("message %d", m.kind)
	}
	return nil
}

// body is what follows the headers of a message.
func body(d []byte) []byte {
	if len(d) < 4 || int(binary.LittleEndian.Uint32(d)) > len(d) {
		return nil
	}
	return d[binary.LittleEndian.Uint32(d):]
}
