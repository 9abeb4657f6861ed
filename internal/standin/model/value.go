package model

import (
	"encoding/hex"
	"fmt"
	"math"
	"math/big"
	"strconv"
	"strings"
	"time"
)

// A value of a row is nil, int64 (whole numbers, bit), decimal, float64, string,
// []byte or moment.

// decimal is a number with so many places behind the point.
type decimal struct {
	n     *big.Int
	scale int
}

func (d decimal) String() string {
	s := new(big.Int).Abs(d.n).String()
	if d.scale > 0 {
		for len(s) <= d.scale {
			s = "0" + s
		}
		s = s[:len(s)-d.scale] + "." + s[len(s)-d.scale:]
	}
	if d.n.Sign() < 0 {
		return "-" + s
	}
	return s
}

func (d decimal) rat() *big.Rat {
	return new(big.Rat).SetFrac(d.n, new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(d.scale)), nil))
}

// rescaled has another number of places; what is cut off is rounded half away from
// zero, or cut where the server cuts.
func (d decimal) rescaled(scale int, cut bool) decimal {
	ten := big.NewInt(10)
	switch {
	case scale > d.scale:
		return decimal{new(big.Int).Mul(d.n, new(big.Int).Exp(ten, big.NewInt(int64(scale-d.scale)), nil)), scale}
	case scale < d.scale:
		by := new(big.Int).Exp(ten, big.NewInt(int64(d.scale-scale)), nil)
		q, r := new(big.Int).QuoRem(d.n, by, new(big.Int))
		if !cut && new(big.Int).Mul(new(big.Int).Abs(r), big.NewInt(2)).Cmp(by) >= 0 {
			q.Add(q, big.NewInt(int64(d.n.Sign())))
		}
		return decimal{q, scale}
	}
	return d
}

// parseDecimal reads a number with a point.
func parseDecimal(s string) (decimal, bool) {
	s = strings.TrimSpace(s)
	whole, part, _ := strings.Cut(s, ".")
	digits := strings.TrimLeft(whole, "+-")
	if digits == "" && part == "" || strings.Trim(digits+part, "0123456789") != "" || len(whole)-len(digits) > 1 || len(s) > 400 {
		return decimal{}, false
	}
	n, ok := new(big.Int).SetString(digits+part, 10)
	if !ok {
		return decimal{}, false
	}
	if strings.HasPrefix(whole, "-") {
		n.Neg(n)
	}
	return decimal{n, len(part)}, true
}

// moment is a date, a time or both.
type moment struct {
	t    time.Time
	kind string // date, time, datetime, smalldatetime, datetime2, datetimeoffset
	frac int    // digits of the second
}

func (m moment) String() string {
	frac := ""
	if m.frac > 0 {
		frac = "." + strings.Repeat("0", m.frac)
	}
	switch m.kind {
	case "date":
		return m.t.Format("2006-01-02")
	case "time":
		return m.t.Format("15:04:05" + frac)
	case "smalldatetime":
		return m.t.Format("2006-01-02 15:04:05")
	case "datetime":
		return m.t.Format("2006-01-02 15:04:05.000")
	case "datetimeoffset":
		return m.t.Format("2006-01-02 15:04:05" + frac + " -07:00")
	}
	return m.t.Format("2006-01-02 15:04:05" + frac)
}

var momentForms = []string{"2006-01-02 15:04:05.999999999 -07:00", "2006-01-02 15:04:05.999999999", "2006-01-02T15:04:05.999999999Z07:00", "2006-01-02T15:04:05.999999999", "2006-01-02 15:04", "2006-01-02",
	"20060102 15:04:05.999999999", "20060102", "15:04:05.999999999", "15:04", "01/02/2006", "Jan _2 2006  3:04PM", "Jan _2 2006 15:04"}

// text is a value as text, the way the server prints it.
func text(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return v
	case int64:
		return strconv.FormatInt(v, 10)
	case float64:
		return strconv.FormatFloat(v, 'g', -1, 64)
	case []byte:
		return string(v)
	case moment:
		return v.String()
	}
	return fmt.Sprint(v)
}

// number brings a value among numbers: int64, decimal or float64.
func number(v any) any {
	switch v := v.(type) {
	case string:
		if n, err := strconv.ParseInt(strings.TrimSpace(v), 10, 64); err == nil {
			return n
		}
		if strings.TrimSpace(v) == "" {
			return int64(0)
		}
		panic(fail(245, "Conversion failed when converting the varchar value '%s' to data type int.", v))
	case int64, float64, decimal:
		return v
	case []byte:
		var n int64
		for _, b := range v[max(0, len(v)-8):] {
			n = n<<8 | int64(b)
		}
		return n
	}
	panic(fail(206, "Operand type clash: a value is no number."))
}

func toDecimal(v any) decimal {
	switch v := v.(type) {
	case int64:
		return decimal{big.NewInt(v), 0}
	case decimal:
		return v
	case float64:
		d, _ := parseDecimal(strconv.FormatFloat(v, 'f', -1, 64))
		return d
	}
	return toDecimal(number(v))
}

func toFloat(v any) float64 {
	switch v := v.(type) {
	case int64:
		return float64(v)
	case float64:
		return v
	case decimal:
		f, _ := v.rat().Float64()
		return f
	}
	return toFloat(number(v))
}

// arithmetic carries out an operator between two values.
func arithmetic(op string, a, b any) any {
	if a == nil || b == nil {
		return nil
	}
	sa, okA := a.(string)
	sb, okB := b.(string)
	if op == "+" && okA && okB {
		return sa + sb
	}
	if ba, ok := a.([]byte); ok && op == "+" {
		if bb, ok := b.([]byte); ok {
			return append(append([]byte{}, ba...), bb...)
		}
	}
	if m, ok := a.(moment); ok && (op == "+" || op == "-") {
		if _, ok := b.(moment); !ok {
			days := toFloat(b)
			if op == "-" {
				days = -days
			}
			m.t = m.t.Add(time.Duration(days * 24 * float64(time.Hour)))
			return m
		}
	}
	x, y := number(a), number(b)
	if _, ok := x.(float64); ok {
		return floats(op, toFloat(x), toFloat(y))
	}
	if _, ok := y.(float64); ok {
		return floats(op, toFloat(x), toFloat(y))
	}
	i, okX := x.(int64)
	j, okY := y.(int64)
	if okX && okY {
		return whole(op, i, j)
	}
	return exact(op, toDecimal(x), toDecimal(y))
}

func floats(op string, a, b float64) any {
	switch op {
	case "+":
		return a + b
	case "-":
		return a - b
	case "*":
		return a * b
	case "/":
		if b == 0 {
			panic(fail(8134, "Divide by zero error encountered."))
		}
		return a / b
	}
	panic(fail(402, "The data types float and float are incompatible in the '%s' operator.", op))
}

func whole(op string, a, b int64) any {
	big1, big2 := big.NewInt(a), big.NewInt(b)
	var r big.Int
	switch op {
	case "+":
		r.Add(big1, big2)
	case "-":
		r.Sub(big1, big2)
	case "*":
		r.Mul(big1, big2)
	case "/", "%":
		if b == 0 {
			panic(fail(8134, "Divide by zero error encountered."))
		}
		if op == "/" {
			r.Quo(big1, big2)
		} else {
			r.Rem(big1, big2)
		}
	case "&":
		return a & b
	case "|":
		return a | b
	case "^":
		return a ^ b
	}
	if !r.IsInt64() {
		panic(fail(8115, "Arithmetic overflow error converting expression to data type bigint."))
	}
	return r.Int64()
}

func exact(op string, a, b decimal) any {
	scale := max(a.scale, b.scale)
	x, y := a.rescaled(scale, false), b.rescaled(scale, false)
	switch op {
	case "+":
		return decimal{new(big.Int).Add(x.n, y.n), scale}
	case "-":
		return decimal{new(big.Int).Sub(x.n, y.n), scale}
	case "*":
		return decimal{new(big.Int).Mul(a.n, b.n), a.scale + b.scale}
	case "/", "%":
		if y.n.Sign() == 0 {
			panic(fail(8134, "Divide by zero error encountered."))
		}
		if op == "%" {
			return decimal{new(big.Int).Rem(x.n, y.n), scale}
		}
		places := max(6, a.scale+b.scale+1)
		n := new(big.Int).Mul(x.n, new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(places)), nil))
		return decimal{n.Quo(n, y.n), places}
	}
	panic(fail(402, "The data types numeric and numeric are incompatible in the '%s' operator.", op))
}

// compareValues orders two values that are not nil. exactly tells letter cases
// apart; trailing blanks never count (SQL Server: = (Equals), string comparison).
func compareValues(a, b any, exactly bool) int {
	switch x := a.(type) {
	case string:
		switch y := b.(type) {
		case string:
			x, y := strings.TrimRight(x, " "), strings.TrimRight(y, " ")
			if !exactly {
				x, y = strings.ToLower(x), strings.ToLower(y)
			}
			return strings.Compare(x, y)
		case moment:
			return parseMoment(x, y.kind, y.frac).t.Compare(y.t)
		case []byte:
			return strings.Compare(x, string(y))
		}
	case []byte:
		if y, ok := b.([]byte); ok {
			return strings.Compare(strings.TrimRight(string(x), "\x00"), strings.TrimRight(string(y), "\x00"))
		}
	case moment:
		switch y := b.(type) {
		case moment:
			return x.t.Compare(y.t)
		case string:
			return x.t.Compare(parseMoment(y, x.kind, x.frac).t)
		}
	}
	x, y := number(a), number(b)
	i, okX := x.(int64)
	j, okY := y.(int64)
	switch {
	case okX && okY && i < j:
		return -1
	case okX && okY && i > j:
		return 1
	case okX && okY:
		return 0
	}
	_, fx := x.(float64)
	_, fy := y.(float64)
	if fx || fy {
		switch f, g := toFloat(x), toFloat(y); {
		case f < g:
			return -1
		case f > g:
			return 1
		}
		return 0
	}
	return toDecimal(x).rat().Cmp(toDecimal(y).rat())
}

// key is a text that is the same for equal values, to look them up by.
func key(v any, exactly bool) string {
	switch v := v.(type) {
	case nil:
		return "0"
	case string:
		s := strings.TrimRight(v, " ")
		if !exactly {
			s = strings.ToLower(s)
		}
		return "s" + s
	case []byte:
		return "b" + strings.TrimRight(string(v), "\x00")
	case moment:
		return "m" + v.t.UTC().Format(time.RFC3339Nano)
	case float64:
		if v == math.Trunc(v) && math.Abs(v) < 1e15 {
			return "n" + strconv.FormatInt(int64(v), 10)
		}
		return "f" + strconv.FormatFloat(v, 'g', -1, 64)
	case decimal:
		r := v.rat()
		if r.IsInt() {
			return "n" + r.Num().String()
		}
		return "n" + r.String()
	}
	return "n" + text(v)
}

func parseMoment(s, kind string, frac int) moment {
	s = strings.TrimSpace(s)
	for _, f := range momentForms {
		t, err := time.Parse(f, s)
		if err != nil {
			continue
		}
		if strings.HasPrefix(f, "15:") {
			t = time.Date(1900, 1, 1, t.Hour(), t.Minute(), t.Second(), t.Nanosecond(), time.UTC)
		}
		return settled(moment{t, kind, frac})
	}
	if s == "" {
		return settled(moment{time.Date(1900, 1, 1, 0, 0, 0, 0, time.UTC), kind, frac})
	}
	panic(fail(241, "Conversion failed when converting date and/or time from character string."))
}

// settled keeps what a moment's type has room for.
func settled(m moment) moment {
	t := m.t
	if m.kind != "datetimeoffset" {
		t = time.Date(t.Year(), t.Month(), t.Day(), t.Hour(), t.Minute(), t.Second(), t.Nanosecond(), time.UTC)
	}
	switch m.kind {
	case "date":
		t = time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.UTC)
	case "time":
		t = time.Date(1900, 1, 1, t.Hour(), t.Minute(), t.Second(), t.Nanosecond(), time.UTC)
	case "smalldatetime":
		t = t.Round(time.Minute)
	case "datetime": // in steps of 1/300 s
		ticks := (int64(t.Nanosecond())*3 + 5_000_000) / 10_000_000
		t = t.Truncate(time.Second).Add(time.Duration((ticks*10 + 1) / 3 * int64(time.Millisecond)))
	}
	if m.kind == "time" || m.kind == "datetime2" || m.kind == "datetimeoffset" {
		t = t.Round(time.Duration(math.Pow10(9 - m.frac)))
	}
	m.t = t
	return m
}

func hexText(b []byte) string { return "0x" + strings.ToUpper(hex.EncodeToString(b)) }
