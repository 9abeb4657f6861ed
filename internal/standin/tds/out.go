package tds

import (
	"encoding/binary"
	"math"
	"unicode/utf16"
)

// The tokens that end something ([MS-TDS], 2.2.7.6).
const (
	tokenDone, tokenDoneProc, tokenDoneInProc = 0xFD, 0xFE, 0xFF
)

// Type is the type of a result's column.
type Type byte

// The types that results have. What has none of its own goes as text, as the
// server would print it.
const (
	Int Type = iota
	Bit
	Float
	NVarChar
	VarBinary
)

// Column is one column of a result.
type Column struct {
	Name string
	Type Type
}

// Out collects the answer to a message.
type Out struct {
	b      []byte
	cols   []Column
	final  byte
	last   int // where the last DONE stands, 0 for none
	failed bool
	server string
}

// Columns begins a result.
func (o *Out) Columns(cols []Column) {
	o.cols = cols
	o.b = binary.LittleEndian.AppendUint16(append(o.b, 0x81), uint16(len(cols)))
	for _, c := range cols {
		o.b = append(o.b, 0, 0, 0, 0, 9, 0) // user type; may be NULL, may be changed
		switch c.Type {
		case Int:
			o.b = append(o.b, 0x26, 8)
		case Bit:
			o.b = append(o.b, 0x68, 1)
		case Float:
			o.b = append(o.b, 0x6D, 8)
		case NVarChar:
			o.b = append(o.b, 0xE7, 0xff, 0xff, 0x09, 0x04, 0xd0, 0x00, 0x34)
		case VarBinary:
			o.b = append(o.b, 0xA5, 0xff, 0xff)
		}
		o.b = append(o.b, short(c.Name)...)
	}
}

// Row adds a row: nil, int64, float64, string and []byte, as the columns' types
// want them.
func (o *Out) Row(vals []any) {
	o.b = append(o.b, 0xD1)
	for i, v := range vals {
		switch t := o.cols[i].Type; {
		case v == nil && t < NVarChar:
			o.b = append(o.b, 0)
		case v == nil:
			o.b = binary.LittleEndian.AppendUint64(o.b, math.MaxUint64)
		case t == Int:
			o.b = binary.LittleEndian.AppendUint64(append(o.b, 8), uint64(v.(int64)))
		case t == Bit:
			o.b = append(o.b, 1, byte(v.(int64)))
		case t == Float:
			o.b = binary.LittleEndian.AppendUint64(append(o.b, 8), math.Float64bits(v.(float64)))
		case t == NVarChar:
			o.plp(ucs(v.(string)))
		default:
			o.plp(v.([]byte))
		}
	}
}

func (o *Out) plp(v []byte) {
	o.b = binary.LittleEndian.AppendUint64(o.b, uint64(len(v)))
	if len(v) > 0 {
		o.b = append(binary.LittleEndian.AppendUint32(o.b, uint32(len(v))), v...)
	}
	o.b = append(o.b, 0, 0, 0, 0)
}

// Done ends a statement; rows < 0: it counts none.
func (o *Out) Done(rows int64) {
	kind, status := byte(tokenDone), uint16(1)
	if o.final == tokenDoneProc {
		kind = tokenDoneInProc
	}
	if rows >= 0 {
		status |= 0x10
	}
	o.done(kind, status, max(rows, 0))
}

func (o *Out) done(kind byte, status uint16, rows int64) {
	o.last = len(o.b)
	o.b = binary.LittleEndian.AppendUint16(append(o.b, kind), status)
	o.b = append(o.b, 0, 0)
	o.b = binary.LittleEndian.AppendUint64(o.b, uint64(rows))
}

// end marks the last DONE as the last.
func (o *Out) end() {
	var status uint16
	if o.failed {
		status = 2
	}
	if o.final == tokenDone && o.last > 0 && o.last+13 == len(o.b) && !o.failed {
		o.b[o.last+1] &^= 1
		return
	}
	o.done(o.final, status, 0)
}

// returned is the value of an output parameter: a handle.
func (o *Out) returned(v int64) {
	o.b = append(o.b, 0xAC, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0x26, 4, 4)
	o.b = binary.LittleEndian.AppendUint32(o.b, uint32(v))
}

// Error adds an error.
func (o *Out) Error(e *Error) { o.failed = true; o.say(0xAA, e) }

// Info adds a message.
func (o *Out) Info(text string) { o.say(0xAB, &Error{State: 1, Line: 1, Message: text}) }

func (o *Out) say(token byte, e *Error) {
	m := utf16.Encode([]rune(e.Message))
	m = m[:min(len(m), 4000)]
	var b []byte
	b = binary.LittleEndian.AppendUint32(b, uint32(e.Number))
	b = append(b, e.State, e.Class)
	b = binary.LittleEndian.AppendUint16(b, uint16(len(m)))
	for _, c := range m {
		b = binary.LittleEndian.AppendUint16(b, c)
	}
	b = append(append(b, short(o.server)...), short(e.Proc)...)
	b = binary.LittleEndian.AppendUint32(b, uint32(e.Line))
	o.b = binary.LittleEndian.AppendUint16(append(o.b, token), uint16(len(b)))
	o.b = append(o.b, b...)
}

func (o *Out) env(kind byte, now, was []byte) {
	b := append([]byte{kind, byte(len(now) / 2)}, now...)
	if kind == 7 || kind == 8 || kind == 9 || kind == 10 { // lengths in bytes
		b = append([]byte{kind, byte(len(now))}, now...)
		b = append(append(b, byte(len(was))), was...)
	} else {
		b = append(append(b, byte(len(was)/2)), was...)
	}
	o.b = binary.LittleEndian.AppendUint16(append(o.b, 0xE3), uint16(len(b)))
	o.b = append(o.b, b...)
}

// Database says that the session is in a database now.
func (o *Out) Database(now, was string) { o.env(1, ucs(now), ucs(was)) }

// Transaction says that a transaction began (8), was committed (9) or rolled back
// (10).
func (o *Out) Transaction(what byte, id uint64) {
	b := binary.LittleEndian.AppendUint64(nil, id)
	if what == 8 {
		o.env(what, b, nil)
	} else {
		o.env(what, nil, b)
	}
}
