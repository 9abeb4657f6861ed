package model

import (
	"encoding/hex"
	"fmt"
	"math/big"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf16"

	"dappermirror/internal/standin/tsql"
)

// system is a type of the server (SQL Server: sys.types).
type system struct {
	name             string
	system, user     int
	length           int // in bytes, of one that says nothing
	precision, scale int
	class            byte // i whole, d exact, f float, c one byte a letter, n two, b binary, t moment, x others
	unit             int  // bytes of one of its length, 0 where it has none
}

var systemTypes = []system{
	{"image", 34, 34, 16, 0, 0, 'b', 0}, {"text", 35, 35, 16, 0, 0, 'c', 0}, {"uniqueidentifier", 36, 36, 16, 0, 0, 'g', 0}, {"date", 40, 40, 3, 10, 0, 't', 0},
	{"time", 41, 41, 5, 16, 7, 't', 0}, {"datetime2", 42, 42, 8, 27, 7, 't', 0}, {"datetimeoffset", 43, 43, 10, 34, 7, 't', 0}, {"tinyint", 48, 48, 1, 3, 0, 'i', 0},
	{"smallint", 52, 52, 2, 5, 0, 'i', 0}, {"int", 56, 56, 4, 10, 0, 'i', 0}, {"smalldatetime", 58, 58, 4, 16, 0, 't', 0}, {"real", 59, 59, 4, 24, 0, 'f', 0},
	{"money", 60, 60, 8, 19, 4, 'd', 0}, {"datetime", 61, 61, 8, 23, 3, 't', 0}, {"float", 62, 62, 8, 53, 0, 'f', 0}, {"sql_variant", 98, 98, 8016, 0, 0, 'x', 0},
	{"ntext", 99, 99, 16, 0, 0, 'n', 0}, {"bit", 104, 104, 1, 1, 0, 'i', 0}, {"decimal", 106, 106, 17, 38, 38, 'd', 0}, {"numeric", 108, 108, 17, 38, 38, 'd', 0},
	{"smallmoney", 122, 122, 4, 10, 4, 'd', 0}, {"bigint", 127, 127, 8, 19, 0, 'i', 0}, {"hierarchyid", 240, 128, 892, 0, 0, 'x', 0}, {"geometry", 240, 129, -1, 0, 0, 'x', 0},
	{"geography", 240, 130, -1, 0, 0, 'x', 0}, {"varbinary", 165, 165, 8000, 0, 0, 'b', 1}, {"varchar", 167, 167, 8000, 0, 0, 'c', 1}, {"binary", 173, 173, 8000, 0, 0, 'b', 1},
	{"char", 175, 175, 8000, 0, 0, 'c', 1}, {"timestamp", 189, 189, 8, 0, 0, 'b', 0}, {"nvarchar", 231, 231, 8000, 0, 0, 'n', 2}, {"nchar", 239, 239, 8000, 0, 0, 'n', 2},
	{"xml", 241, 241, -1, 0, 0, 'n', 0}, {"sysname", 231, 256, 256, 0, 0, 'n', 0},
}

var systemByName = func() map[string]*system {
	m := map[string]*system{}
	for i := range systemTypes {
		m[systemTypes[i].name] = &systemTypes[i]
	}
	return m
}()

// dataType is the type of a column, a parameter or a variable.
type dataType struct {
	*system
	alias            *aliasType // nil where it is the server's own
	table            *object    // a table type
	length           int        // in bytes, -1 for max
	precision, scale int
}

// aliasType is a type of a database's own.
type aliasType struct {
	schema, name string
	id           int
	dataType
	null  bool
	owner int // 0 for that of the schema
}

func (t dataType) userID() int {
	switch {
	case t.alias != nil:
		return t.alias.id
	case t.table != nil:
		return t.table.userType
	}
	return t.user
}

// typeOf reads a type as it is written.
func (d *database) typeOf(t tsql.TypeName, what string) dataType {
	base := t.Name[len(t.Name)-1]
	name := tsql.Synonym(base)
	s := systemByName[name]
	if s == nil || len(t.Name) > 1 && !strings.EqualFold(t.Name[0], "sys") {
		schema := ""
		if len(t.Name) > 1 {
			schema = t.Name[len(t.Name)-2]
		}
		if a := d.findType(schema, base); a != nil {
			if len(t.Args) > 0 {
				panic(fail(2716, "%s: Cannot specify a column width on data type %s.", what, base))
			}
			out := a.dataType
			out.alias = a
			return out
		}
		if o := d.findTableType(schema, base); o != nil {
			return dataType{table: o}
		}
		panic(fail(2715, "%s: Cannot find data type %s.", what, tsql.Path(t.Name)))
	}
	return sized(s, t.Args, what)
}

// sized is a type of the server with what stands in its brackets.
func sized(s *system, args []string, what string) dataType {
	out := dataType{system: s, length: s.length, precision: s.precision, scale: s.scale}
	n := func(i, least, most int, over func(int) *failure) int {
		v, err := strconv.Atoi(args[i])
		switch {
		case err != nil || v < least:
			panic(fail(1001, "Line 1: Length or precision specification %s is invalid.", args[i]))
		case v > most:
			panic(over(v))
		}
		return v
	}
	imprecise := func(most int) func(int) *failure {
		return func(v int) *failure {
			return fail(2750, "Column or parameter #1: Specified column precision %d is greater than the maximum precision of %d.", v, most)
		}
	}
	switch {
	case s.unit > 0:
		switch {
		case len(args) == 0:
			out.length = s.unit
		case args[0] == "max" && strings.Contains(s.name, "var"):
			out.length = -1
		default:
			out.length = s.unit * n(0, 1, 8000/s.unit, func(v int) *failure {
				if v > 8000 {
					return fail(131, "The size (%d) given to the type '%s' exceeds the maximum allowed for any data type (8000).", v, s.name)
				}
				return fail(2717, "The size (%d) given to the type '%s' exceeds the maximum allowed (%d).", v, s.name, 8000/s.unit)
			})
		}
	case s.name == "decimal" || s.name == "numeric":
		out.precision, out.scale = 18, 0
		if len(args) > 0 {
			out.precision = n(0, 1, 38, imprecise(38))
		}
		if len(args) > 1 {
			out.scale = n(1, 0, out.precision, func(v int) *failure {
				if strings.HasPrefix(what, "Column") {
					return fail(183, "The scale (%d) for column must be within the range 0 to %d.", v, out.precision)
				}
				return fail(192, "The scale must be less than or equal to the precision.")
			})
		}
		out.length = decimalBytes(out.precision)
	case s.name == "float" && len(args) > 0:
		if n(0, 1, 53, imprecise(53)) <= 24 {
			return sized(systemByName["real"], nil, what)
		}
	case (s.name == "time" || s.name == "datetime2" || s.name == "datetimeoffset") && len(args) > 0:
		out.scale = n(0, 0, 7, func(v int) *failure { return fail(1002, "Line 1: Specified scale %d is invalid.", v) })
		more := map[bool]int{true: 0, false: 1}[out.scale < 3]
		if out.scale > 4 {
			more = 2
		}
		base := map[string][2]int{"time": {3, 8}, "datetime2": {6, 19}, "datetimeoffset": {8, 26}}[s.name]
		out.length, out.precision = base[0]+more, base[1]
		if out.scale > 0 {
			out.precision += 1 + out.scale
		}
	case len(args) > 0 && s.name != "xml":
		panic(fail(2716, "%s: Cannot specify a column width on data type %s.", what, s.name))
	}
	return out
}

// decimalBytes is the room a decimal takes (SQL Server: decimal and numeric).
func decimalBytes(precision int) int {
	switch {
	case precision <= 9:
		return 5
	case precision <= 19:
		return 9
	case precision <= 28:
		return 13
	}
	return 17
}

var wholeRange = map[string][2]int64{"bit": {0, 1}, "tinyint": {0, 255}, "smallint": {-32768, 32767}, "int": {-2147483648, 2147483647}, "bigint": {-9223372036854775808, 9223372036854775807}}

// convert brings a value into a type. assign tells that it goes into a column,
// where a text that is too long is an error and not cut.
func (t dataType) convert(v any, assign bool) any {
	if v == nil || t.system == nil {
		return v
	}
	switch t.class {
	case 'i':
		return t.toWhole(v, assign)
	case 'd':
		return t.toExact(v)
	case 'f':
		if s, ok := v.(string); ok {
			f, err := strconv.ParseFloat(strings.TrimSpace(s), 64)
			if err != nil {
				panic(fail(8114, "Error converting data type varchar to %s.", t.name))
			}
			return f
		}
		return toFloat(v)
	case 't':
		frac := t.scale
		switch v := v.(type) {
		case moment:
			return settled(moment{v.t, t.name, frac})
		case string:
			return parseMoment(v, t.name, frac)
		case int64, decimal, float64:
			if t.name == "datetime" || t.name == "smalldatetime" {
				return settled(moment{time.Date(1900, 1, 1, 0, 0, 0, 0, time.UTC).Add(time.Duration(toFloat(v) * 24 * float64(time.Hour))), t.name, frac})
			}
		}
		panic(fail(206, "Operand type clash: a value is incompatible with %s", t.name))
	case 'g':
		s := strings.ToUpper(strings.Trim(text(v), "{} "))
		if len(s) != 36 || strings.Count(s, "-") != 4 {
			panic(fail(8169, "Conversion failed when converting from a character string to uniqueidentifier."))
		}
		return s
	case 'b':
		return t.toBinary(v, assign)
	case 'c', 'n':
		return t.toText(v, assign)
	}
	return v
}

func (t dataType) toWhole(v any, assign bool) any {
	var n int64
	switch v := v.(type) {
	case string:
		s := strings.TrimSpace(v)
		if t.name == "bit" && (strings.EqualFold(s, "true") || strings.EqualFold(s, "false")) {
			return map[bool]int64{true: 1}[strings.EqualFold(s, "true")]
		}
		if s == "" {
			return int64(0)
		}
		i, err := strconv.ParseInt(s, 10, 64)
		if err != nil {
			if d, ok := parseDecimal(s); ok && d.scale == 0 {
				panic(fail(248, "The conversion of the varchar value '%s' overflowed an %s column.", s, t.name))
			}
			panic(fail(245, "Conversion failed when converting the varchar value '%s' to data type %s.", v, t.name))
		}
		n = i
	case moment:
		if assign || v.kind != "datetime" && v.kind != "smalldatetime" {
			panic(fail(206, "Operand type clash: %s is incompatible with %s", v.kind, t.name))
		}
		n = int64(v.t.Add(12*time.Hour).Sub(time.Date(1900, 1, 1, 0, 0, 0, 0, time.UTC)).Hours() / 24)
	default:
		switch x := number(v).(type) {
		case int64:
			n = x
		default:
			if t.name == "bit" {
				return bit(compareValues(x, int64(0), true) != 0)
			}
			n = t.fits(toDecimal(x).rescaled(0, true).n)
		}
	}
	if t.name == "bit" {
		return map[bool]int64{true: 1}[n != 0]
	}
	if r := wholeRange[t.name]; n < r[0] || n > r[1] {
		if _, ok := v.(string); ok {
			panic(fail(248, "The conversion of the varchar value '%s' overflowed an %s column.", v, t.name))
		}
		panic(fail(8115, "Arithmetic overflow error converting expression to data type %s.", t.name))
	}
	return n
}

func (t dataType) fits(n *big.Int) int64 {
	if !n.IsInt64() {
		panic(fail(8115, "Arithmetic overflow error converting expression to data type %s.", t.name))
	}
	return n.Int64()
}

func (t dataType) toExact(v any) any {
	var d decimal
	if s, ok := v.(string); ok {
		x, good := parseDecimal(strings.TrimLeft(strings.TrimSpace(s), "$"))
		if !good {
			panic(fail(8114, "Error converting data type varchar to %s.", t.name))
		}
		d = x
	} else {
		d = toDecimal(v)
	}
	d = d.rescaled(t.scale, false)
	digits := len(new(big.Int).Abs(d.n).String())
	if digits > t.precision {
		panic(fail(8115, "Arithmetic overflow error converting expression to data type %s.", t.name))
	}
	return d
}

// uniqueBytes are the bytes of a uniqueidentifier that is to become bytes, its first three
// groups from the last byte to the first, and the other way (SQL Server: uniqueidentifier).
func uniqueBytes(v any, from, to dataType) any {
	if from.system == nil || to.system == nil {
		return v
	}
	swapped := func(b []byte) []byte {
		return []byte{b[3], b[2], b[1], b[0], b[5], b[4], b[7], b[6], b[8], b[9], b[10], b[11], b[12], b[13], b[14], b[15]}
	}
	switch s := v.(type) {
	case string:
		b, err := hex.DecodeString(strings.ReplaceAll(s, "-", ""))
		if from.class == 'g' && to.class == 'b' && err == nil && len(b) == 16 {
			return swapped(b)
		}
	case []byte:
		if to.class == 'g' && from.class == 'b' {
			b := swapped(append(slices.Clone(s), make([]byte, 16)...)[:16])
			return fmt.Sprintf("%X-%X-%X-%X-%X", b[:4], b[4:6], b[6:8], b[8:10], b[10:])
		}
	}
	return v
}

func (t dataType) toBinary(v any, assign bool) any {
	var b []byte
	switch v := v.(type) {
	case []byte:
		b = slices.Clone(v)
	case string:
		if assign && t.name != "image" {
			panic(fail(257, "Implicit conversion from data type varchar to %s is not allowed. Use the CONVERT function to run this query.", t.name))
		}
		b = bytesOf(v, false)
	case int64:
		b = []byte{byte(v >> 24), byte(v >> 16), byte(v >> 8), byte(v)}
	default:
		b = []byte(text(v))
	}
	if t.unit > 0 && t.length >= 0 {
		if len(b) > t.length {
			if assign {
				panic(errTooLong)
			}
			b = b[:t.length]
		}
		for t.name == "binary" && len(b) < t.length {
			b = append(b, 0)
		}
	}
	return b
}

// errTooLong says that a text does not fit; who knows the column makes a failure
// with its name of it.
var errTooLong = fail(2628, "String or binary data would be truncated.")

func (t dataType) toText(v any, assign bool) any {
	var s string
	switch v := v.(type) {
	case string:
		s = v
	case float64:
		s = strconv.FormatFloat(v, 'g', 6, 64)
	case moment:
		if s = v.String(); v.kind == "datetime" || v.kind == "smalldatetime" {
			s = v.t.Format("Jan _2 2006  3:04PM") // style 0
		}
	case []byte:
		s = lettersOf(v, t.class == 'n')
	default:
		s = text(v)
	}
	if t.unit == 0 || t.length < 0 {
		return s
	}
	room := t.length / t.unit
	if n := letters(s); n > room {
		switch v.(type) {
		case int64, decimal:
			if !assign {
				return "*"
			}
			panic(fail(8115, "Arithmetic overflow error converting numeric to data type %s.", t.name))
		}
		if assign && len(strings.TrimRight(s, " ")) > 0 && letters(strings.TrimRight(s, " ")) > room {
			panic(errTooLong)
		}
		s = cutLetters(s, room)
	}
	if t.name == "char" || t.name == "nchar" {
		s += strings.Repeat(" ", max(0, room-letters(s)))
	}
	return s
}

// letters is how long a text is: in pairs of bytes of UTF-16.
func letters(s string) int {
	n := 0
	for _, r := range s {
		n += utf16.RuneLen(r)
	}
	return n
}

func cutLetters(s string, n int) string {
	for i, r := range s {
		if n -= utf16.RuneLen(r); n < 0 {
			return s[:i]
		}
	}
	return s
}

// bytesOf is a text in the bytes that the server keeps it in: national ones in UTF-16,
// others in the code page, of which the first 256 letters are known here.
func bytesOf(s string, national bool) []byte {
	var out []byte
	if national {
		for _, u := range utf16.Encode([]rune(s)) {
			out = append(out, byte(u), byte(u>>8))
		}
		return out
	}
	for _, r := range s {
		if r > 255 {
			r = '?'
		}
		out = append(out, byte(r))
	}
	return out
}

// lettersOf is the text that bytes are.
func lettersOf(b []byte, national bool) string {
	if national {
		u := make([]uint16, len(b)/2)
		for i := range u {
			u[i] = uint16(b[2*i]) | uint16(b[2*i+1])<<8
		}
		return string(utf16.Decode(u))
	}
	r := make([]rune, len(b))
	for i, c := range b {
		r[i] = rune(c)
	}
	return string(r)
}
