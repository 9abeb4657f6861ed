package tds

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"net"
	"strings"
	"sync"
	"testing"
	"time"
	"unicode/utf16"
)

// echo is a session that notes what it is asked, and answers with it.
type echo struct {
	mu    sync.Mutex
	asked []string
}

func (e *echo) note(s string) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.asked = append(e.asked, s)
}

func (e *echo) said() string {
	e.mu.Lock()
	defer e.mu.Unlock()
	return strings.Join(e.asked, "|")
}

func (e *echo) Batch(ctx context.Context, sql string, params []Param, out *Out) {
	e.note(sql + fmt.Sprint(params))
	switch sql {
	case "panic":
		panic("a session that breaks")
	case "wait":
		<-ctx.Done()
		return
	case "fail":
		out.Error(&Error{Number: 547, Class: 16, State: 1, Line: 3, Message: "no"})
		return
	}
	out.Columns([]Column{{"n", Int}, {"b", Bit}, {"f", Float}, {"t", NVarChar}, {"x", VarBinary}})
	out.Row([]any{int64(-7), int64(1), 1.5, "ä€😀", []byte{1, 2}})
	out.Row([]any{nil, nil, nil, nil, nil})
	out.Done(2)
}
func (e *echo) Begin(out *Out)    { e.note("begin"); out.Transaction(8, 5) }
func (e *echo) Commit(out *Out)   { e.note("commit"); out.Transaction(9, 5) }
func (e *echo) Rollback(out *Out) { e.note("rollback"); out.Transaction(10, 5) }
func (e *echo) Reset()            { e.note("reset") }
func (e *echo) Close()            { e.note("close") }

// wire is the client's side of a connection, without encryption.
type wire struct {
	net.Conn
	t *testing.T
}

func dialled(t *testing.T, e *echo) wire {
	t.Helper()
	s, err := New(func(l Login) (Session, *Error) {
		if l.User == "nobody" {
			return nil, &Error{Number: 18456, Class: 14, State: 1, Line: 1, Message: "Login failed."}
		}
		return e, nil
	})
	if err != nil {
		t.Fatal(err)
	}
	ours, theirs := net.Pipe()
	go s.Client(theirs)
	t.Cleanup(func() { ours.Close(); s.Close() })
	_ = ours.SetDeadline(time.Now().Add(10 * time.Second))
	return wire{ours, t}
}

func (w wire) send(kind, status byte, data []byte) {
	w.t.Helper()
	p := append([]byte{kind, status, 0, 0, 0, 0, 1, 0}, data...)
	binary.BigEndian.PutUint16(p[2:], uint16(len(p)))
	if _, err := w.Write(p); err != nil {
		w.t.Log(err) // the server has gone, which some want
	}
}

// reply is the whole of the next answer; nil where the server has gone.
func (w wire) reply() []byte {
	var out []byte
	for {
		var h [8]byte
		if _, err := io.ReadFull(w, h[:]); err != nil {
			return nil
		}
		part := make([]byte, int(binary.BigEndian.Uint16(h[2:]))-8)
		if _, err := io.ReadFull(w, part); err != nil {
			return nil
		}
		out = append(out, part...)
		if h[1]&1 != 0 {
			return out
		}
	}
}

func wide(s string) []byte {
	var b []byte
	for _, u := range utf16.Encode([]rune(s)) {
		b = binary.LittleEndian.AppendUint16(b, u)
	}
	return b
}

// headed puts the headers before a message that requests have.
func headed(data []byte) []byte {
	return append(binary.LittleEndian.AppendUint32(nil, 4), data...)
}

// login is LOGIN7 of a user.
func login(user, database string) []byte {
	d := make([]byte, 94)
	put := func(at int, s string) {
		binary.LittleEndian.PutUint16(d[at:], uint16(len(d)))
		binary.LittleEndian.PutUint16(d[at+2:], uint16(len(utf16.Encode([]rune(s)))))
		d = append(d, wide(s)...)
	}
	put(36, "host")
	put(40, user)
	put(44, "")
	put(48, "test")
	put(68, database)
	binary.LittleEndian.PutUint32(d, uint32(len(d)))
	return d
}

var plainHello = []byte{1, 0, 6, 0, 1, 0xff, 2} // encryption is not supported

func (w wire) enter(user string) []byte {
	w.send(msgPrelogin, 1, plainHello)
	w.reply()
	w.send(msgLogin, 1, login(user, "port"))
	return w.reply()
}

// TestRequests: what a client asks in each kind of message reaches the session, and what
// that answers comes back.
func TestRequests(t *testing.T) {
	e := &echo{}
	w := dialled(t, e)
	if r := w.enter("sa"); !strings.Contains(string(r), string(wide("Microsoft SQL Server"))) || r[len(r)-13] != tokenDone {
		t.Fatalf("no login: %x", r)
	}
	w.send(msgBatch, 1, headed(wide("SELECT 1")))
	r := w.reply()
	for _, part := range [][]byte{{0x81, 5, 0}, {8, 0xf9, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff}, wide("ä€😀")} {
		if !strings.Contains(string(r), string(part)) {
			t.Errorf("the answer lacks %x: %x", part, r)
		}
	}
	w.send(msgBatch, 0, headed(wide("SELECT ")))
	w.send(msgBatch, 1, wide("2"))
	w.reply()
	w.send(msgBatch, 9, headed(wide("fail")))
	if r := w.reply(); r[0] != 0xAA || binary.LittleEndian.Uint32(r[3:]) != 547 || r[len(r)-12]&2 == 0 {
		t.Errorf("an error: %x", r)
	}
	for _, what := range []uint16{5, 7, 8} {
		w.send(msgTransaction, 1, headed(binary.LittleEndian.AppendUint16(nil, what)))
		if r := w.reply(); r[0] != 0xE3 {
			t.Errorf("transaction %d: %x", what, r)
		}
	}
	w.send(msgAttention, 1, nil)
	if r := w.reply(); r[0] != tokenDone || r[1] != 0x20 {
		t.Errorf("attention: %x", r)
	}
	w.send(msgBatch, 1, headed(wide("wait")))
	w.send(msgAttention, 1, nil)
	w.reply()
	if r := w.reply(); r == nil || r[1] != 0x20 {
		t.Errorf("a batch that is cancelled: %x", r)
	}
	w.Close()
	for range 200 {
		if strings.HasSuffix(e.said(), "close") {
			break
		}
		time.Sleep(5 * time.Millisecond)
	}
	if got, want := e.said(), "SELECT 1[]|SELECT 2[]|reset|fail[]|begin|commit|rollback|wait[]|close"; got != want {
		t.Errorf("the session was asked %s, want %s", got, want)
	}
}

// param is a parameter of a call as it goes over the wire.
func param(name string, typ []byte, value []byte) []byte {
	b := append([]byte{byte(len(utf16.Encode([]rune(name))))}, wide(name)...)
	return append(append(append(b, 0), typ...), value...)
}

func nvarchar(name, s string) []byte {
	v := wide(s)
	return param(name, []byte{0xE7, 0x40, 0x1f, 9, 4, 0xd0, 0, 0x34}, append(binary.LittleEndian.AppendUint16(nil, uint16(len(v))), v...))
}

func integer(name string, n int64) []byte {
	return param(name, []byte{0x26, 8, 8}, binary.LittleEndian.AppendUint64(nil, uint64(n)))
}

func call(number uint16, params ...[]byte) []byte {
	b := binary.LittleEndian.AppendUint16([]byte{0xff, 0xff}, number)
	b = append(b, 0, 0)
	for _, p := range params {
		b = append(b, p...)
	}
	return headed(b)
}

func calledByName(name string, params ...[]byte) []byte {
	b := binary.LittleEndian.AppendUint16(nil, uint16(len(name)))
	b = append(append(b, wide(name)...), 0, 0)
	for _, p := range params {
		b = append(b, p...)
	}
	return headed(b)
}

// TestCalls: calls by number and by name, prepared ones, and every type of parameter.
func TestCalls(t *testing.T) {
	for _, c := range []struct {
		name string
		msg  []byte
		want string
	}{
		{"a text", call(procExecutesql, nvarchar("", "SELECT @p1")), "SELECT @p1[]"},
		{
			"a text with parameters",
			call(procExecutesql, nvarchar("", "SELECT @a"), nvarchar("", "@a int, @b nvarchar(9)"), integer("@a", -5), nvarchar("@b", "x")),
			"SELECT @a[{@a -5} {@b x}]",
		},
		{
			"parameters without names",
			call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a decimal(5,2), @b int"), integer("", 1), integer("", 2)),
			"q[{@a 1} {@b 2}]",
		},
		{"by name", calledByName("sp_executesql", nvarchar("", "q")), "q[]"},
		{"a procedure", calledByName("dbo.p", integer("@n", 3), nvarchar("", "x")), "EXEC dbo.p @n = @dm_arg0, @dm_arg1[{@dm_arg0 3} {@dm_arg1 x}]"},
		{"one byte", call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a tinyint"), param("", []byte{0x26, 1, 1}, []byte{200})), "q[{@a 200}]"},
		{
			"two bytes",
			call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a smallint"), param("", []byte{0x26, 2, 2}, []byte{0xfe, 0xff})),
			"q[{@a -2}]",
		},
		{"four bytes", call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a int"), param("", []byte{0x26, 4, 4}, []byte{1, 0, 0, 0})), "q[{@a 1}]"},
		{"NULL", call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a int"), param("", []byte{0x26, 8, 0}, nil)), "q[{@a <nil>}]"},
		{"a bit", call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a bit"), param("", []byte{0x68, 1, 1}, []byte{1})), "q[{@a 1}]"},
		{
			"a float",
			call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a float"), param("", []byte{0x6D, 8, 8}, binary.LittleEndian.AppendUint64(nil, math.Float64bits(1.5)))),
			"q[{@a 1.5}]",
		},
		{
			"a real",
			call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a real"), param("", []byte{0x6D, 4, 4}, binary.LittleEndian.AppendUint32(nil, math.Float32bits(0.25)))),
			"q[{@a 0.25}]",
		},
		{
			"bytes",
			call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a varbinary(9)"), param("", []byte{0xA5, 9, 0}, []byte{2, 0, 7, 8})),
			"q[{@a [7 8]}]",
		},
		{
			"letters of one byte",
			call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a varchar(9)"), param("", []byte{0xA7, 9, 0, 9, 4, 0xd0, 0, 0x34}, []byte{2, 0, 'a', 'b'})),
			"q[{@a ab}]",
		},
		{
			"a text without an end",
			call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a nvarchar(max)"), param("", []byte{0xE7, 0xff, 0xff, 9, 4, 0xd0, 0, 0x34}, append(append([]byte{4, 0, 0, 0, 0, 0, 0, 0, 2, 0, 0, 0, 'a', 0, 2, 0, 0, 0}, 'b', 0), 0, 0, 0, 0))),
			"q[{@a ab}]",
		},
		{
			"a NULL without an end",
			call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a nvarchar(max)"), param("", []byte{0xE7, 0xff, 0xff, 9, 4, 0xd0, 0, 0x34}, []byte{255, 255, 255, 255, 255, 255, 255, 255})),
			"q[{@a <nil>}]",
		},
		{"a type that is not known", call(procExecutesql, nvarchar("", "q"), nvarchar("", "@a xml"), param("", []byte{0xF1, 0}, nil)), ""},
		{"a procedure number that is not known", call(99), ""},
		{"a call that ends in the middle", call(procExecutesql, nvarchar("", "q"))[:20], ""},
		{"nothing", headed(nil), ""},
		{"headers longer than the message", []byte{255, 0, 0, 0}, ""},
	} {
		e := &echo{}
		w := dialled(t, e)
		w.enter("sa")
		w.send(msgRPC, 1, c.msg)
		r := w.reply()
		if r == nil {
			t.Errorf("%s: the connection is gone", c.name)
			continue
		}
		if got := e.said(); got != c.want {
			t.Errorf("%s: asked %s, want %s", c.name, got, c.want)
		}
		if refused := r[0] == 0xAA; refused != (c.want == "") {
			t.Errorf("%s: answered %x", c.name, r)
		}
		w.send(msgBatch, 1, headed(wide("after")))
		if w.reply() == nil {
			t.Errorf("%s: nothing is answered afterwards", c.name)
		}
	}
	e := &echo{}
	w := dialled(t, e)
	w.enter("sa")
	for _, m := range [][]byte{call(procPrepare, integer("", 0), nvarchar("", "@a int"), nvarchar("", "SELECT @a")), call(procExecute, integer("", 1), integer("", 4)), call(procPrepexec, integer("", 0), nvarchar("", "@b int"), nvarchar("", "SELECT @b"), integer("", 6)),
		call(procExecute, integer("", 2), integer("", 7)), call(procUnprepare, integer("", 1)), call(procExecute, integer("", 1), integer("", 8))} {
		w.send(msgRPC, 1, m)
		if w.reply() == nil {
			t.Fatal("the connection is gone")
		}
	}
	if got, want := e.said(), "SELECT @a[{@a 4}]|SELECT @b[{@b 6}]|SELECT @b[{@b 7}]"; got != want {
		t.Errorf("prepared: %s, want %s", got, want)
	}
}

// TestBrokenClients: whatever a client sends, the server answers the next one.
func TestBrokenClients(t *testing.T) {
	hello := func(w wire) { w.send(msgPrelogin, 1, plainHello); w.reply() }
	for _, c := range []struct {
		name string
		send func(wire)
	}{
		{"nothing", func(wire) {}},
		{"another protocol", func(w wire) { _, _ = w.Write([]byte("GET / HTTP/1.1\r\n\r\n")) }},
		{"a packet shorter than its head", func(w wire) { _, _ = w.Write([]byte{msgPrelogin, 1, 0, 3, 0, 0, 1, 0}) }},
		{"no prelogin", func(w wire) { w.send(msgBatch, 1, headed(wide("SELECT 1"))) }},
		{"an empty prelogin", func(w wire) { w.send(msgPrelogin, 1, nil); w.reply(); w.send(msgLogin, 1, nil) }},
		{"a prelogin that points beyond itself", func(w wire) { w.send(msgPrelogin, 1, []byte{1, 255, 255, 0, 1, 0xff}); w.reply() }},
		{"a login that is too short", func(w wire) { hello(w); w.send(msgLogin, 1, make([]byte, 20)) }},
		{"a login that points beyond itself", func(w wire) { hello(w); d := login("sa", "port"); d[40], d[41] = 255, 255; w.send(msgLogin, 1, d) }},
		{"a batch before the login", func(w wire) { hello(w); w.send(msgBatch, 1, headed(wide("SELECT 1"))) }},
		{"a refused login", func(w wire) { w.enter("nobody") }},
		{"a message that nobody knows", func(w wire) { w.enter("sa"); w.send(99, 1, nil) }},
		{"a transaction request of one byte", func(w wire) { w.enter("sa"); w.send(msgTransaction, 1, headed([]byte{5})) }},
		{"a transaction request that nobody knows", func(w wire) { w.enter("sa"); w.send(msgTransaction, 1, headed([]byte{77, 0})) }},
		{"a session that breaks", func(w wire) { w.enter("sa"); w.send(msgBatch, 1, headed(wide("panic"))) }},
		{"half a packet", func(w wire) { w.enter("sa"); _, _ = w.Write([]byte{msgBatch, 1, 0, 200, 0, 0, 1, 0, 4}) }},
	} {
		e := &echo{}
		w := dialled(t, e)
		c.send(w)
		w.Close()
		next := dialled(t, e)
		if r := next.enter("sa"); r == nil || r[len(r)-13] != tokenDone {
			t.Errorf("after %s nobody is answered", c.name)
		}
	}
}

// TestServe: a listener is served until it is closed, and the clients are sent away.
func TestServe(t *testing.T) {
	e := &echo{}
	s, err := New(func(Login) (Session, *Error) { return e, nil })
	if err != nil {
		t.Fatal(err)
	}
	if !strings.HasPrefix(string(s.Certificate()), "-----BEGIN CERTIFICATE-----") {
		t.Errorf("no certificate: %s", s.Certificate())
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	done := make(chan error, 1)
	go func() { done <- s.Serve(l) }()
	c, err := net.Dial("tcp", l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	_ = c.SetDeadline(time.Now().Add(10 * time.Second))
	w := wire{c, t}
	if w.enter("sa") == nil {
		t.Fatal("no login")
	}
	s.Close()
	if w.reply() != nil {
		t.Error("a client stays when the server goes")
	}
	l.Close()
	if err := <-done; !errors.Is(err, net.ErrClosed) {
		t.Errorf("served until: %v", err)
	}
	ours, theirs := net.Pipe()
	s.Client(theirs)
	if _, err := ours.Write([]byte{1}); err == nil {
		t.Error("a server that is closed takes clients")
	}
}

// FuzzCall: no call that a client can send makes the reading of it panic or grow.
func FuzzCall(f *testing.F) {
	f.Add(call(procExecutesql, nvarchar("", "SELECT @a"), nvarchar("", "@a int"), integer("@a", 5)))
	f.Add(calledByName("sp_help"))
	f.Add([]byte{4, 0, 0, 0})
	f.Fuzz(func(t *testing.T, data []byte) {
		h := &handles{texts: map[int64]string{}}
		out := &Out{}
		if err := h.call(t.Context(), &echo{}, body(data), out); err == nil && len(out.b) == 0 {
			t.Error("a call that is answered by nothing")
		}
		_, _ = parseLogin(data)
	})
}
