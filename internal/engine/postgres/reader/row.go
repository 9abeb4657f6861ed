package reader

import "encoding/binary"

// row hands out the values of one result row from left to right, straight
// from the bytes the server sent: a catalog has many more rows than a general
// way of scanning them is quick for. NULL is the zero value.
type row struct {
	vals  [][]byte
	at    int
	names map[string]string // texts seen, so that one is kept once
	ints  []int             // for vectors to come
}

func (r *row) next() []byte {
	v := r.vals[r.at]
	r.at++
	return v
}

// int is an int2, int4, int8 or oid.
func (r *row) int() int64 { return number(r.next()) }

func number(b []byte) int64 {
	switch len(b) {
	case 1:
		return int64(b[0])
	case 2:
		return int64(int16(binary.BigEndian.Uint16(b)))
	case 4:
		return int64(int32(binary.BigEndian.Uint32(b)))
	case 8:
		return int64(binary.BigEndian.Uint64(b))
	}
	return 0
}

func (r *row) oid() uint32 {
	if b := r.next(); len(b) == 4 {
		return binary.BigEndian.Uint32(b)
	}
	return 0
}

func (r *row) bool() bool { return r.int() != 0 }

func (r *row) text() string { return string(r.next()) }

// name is a text that many rows share.
func (r *row) name() string {
	b := r.next()
	if s, ok := r.names[string(b)]; ok {
		return s
	}
	s := string(b)
	r.names[s] = s
	return s
}

// isNull looks at the next value without taking it.
func (r *row) isNull() bool { return r.vals[r.at] == nil }

// elements cuts an array into its items (PostgreSQL: array_send). It answers
// nil for NULL, and an empty list for an empty array.
func (r *row) elements() [][]byte {
	b := r.next()
	if len(b) < 12 {
		return nil
	}
	out := [][]byte{}
	if binary.BigEndian.Uint32(b) == 0 {
		return out
	}
	for b = b[20:]; len(b) >= 4; {
		n := int(int32(binary.BigEndian.Uint32(b)))
		b = b[4:]
		if n < 0 || n > len(b) {
			out = append(out, nil)
			continue
		}
		out = append(out, b[:n])
		b = b[n:]
	}
	return out
}

// numbers is an int2[], int4[] or oid[].
func (r *row) numbers() []int {
	l := r.elements()
	if l == nil {
		return nil
	}
	out := make([]int, len(l))
	for i, b := range l {
		out[i] = int(number(b))
	}
	return out
}

// vector is an int2vector or oidvector as text: "1 2 3".
func (r *row) vector() []int {
	b := r.next()
	if len(b) == 0 {
		return nil
	}
	if cap(r.ints)-len(r.ints) < len(b) { // at most so many
		r.ints = make([]int, 0, 1024+len(b))
	}
	start, n := len(r.ints), 0
	for _, c := range b {
		if c == ' ' {
			r.ints = append(r.ints, n)
			n = 0
			continue
		}
		n = n*10 + int(c-'0')
	}
	r.ints = append(r.ints, n)
	return r.ints[start:len(r.ints):len(r.ints)]
}

func (r *row) texts() []string {
	l := r.elements()
	if l == nil {
		return nil
	}
	out := make([]string, len(l))
	for i, b := range l {
		out[i] = string(b)
	}
	return out
}
