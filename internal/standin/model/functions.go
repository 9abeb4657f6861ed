package model

import (
	"crypto/md5"
	"crypto/rand"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"hash/crc32"
	"maps"
	"math"
	"slices"
	"strings"
	"time"
	"unicode/utf16"

	"dappermirror/internal/standin/tsql"
)

// call is the value of a function.
func (x *session) call(e *tsql.Call, in *env) any {
	name := strings.ToLower(e.Name[len(e.Name)-1])
	if len(e.Name) > 1 {
		return x.userFunction(e, in)
	}
	if e.Over != nil {
		return x.unread("functions with OVER", in, tsql.Parts(e)...)
	}
	if aggregateNames[name] {
		return x.aggregate(name, e, in)
	}
	if lazy := lazyFunctions[name]; lazy.run != nil {
		if len(e.Args) < lazy.least || len(e.Args) > lazy.most {
			panic(fail(174, "The %s function requires %d argument(s).", name, lazy.least))
		}
		return lazy.run(x, e.Args, in)
	}
	f, ok := functions[name]
	if !ok && slices.Contains(notComputed, name) {
		return x.unread(strings.ToUpper(name), in, e.Args...)
	}
	if name == "contains" || name == "freetext" {
		x.unread(strings.ToUpper(name), in)
		return maybe
	}
	if !ok {
		panic(fail(195, "'%s' is not a recognized built-in function name.", e.Name[0]))
	}
	if len(e.Args) < f.least || len(e.Args) > f.most {
		panic(fail(174, "The %s function requires %d argument(s).", name, f.least))
	}
	args := make([]any, len(e.Args))
	for i, a := range e.Args {
		if args[i] = x.eval(a, in); args[i] == nil && f.strict {
			return nil
		}
	}
	return bounded(f.run(x, args))
}

func (x *session) userFunction(e *tsql.Call, in *env) any {
	if m := x.methodOf(e, in); m != nil {
		return x.method(m, in)
	}
	if x.drily && (x.d.foreign(e.Name) || strings.HasPrefix(e.Name[0], "$")) {
		return x.unread("", in, e.Args...)
	}
	o := x.d.find(e.Name)
	if o == nil || o.typ != "FN" {
		panic(fail(4121, "Cannot find either column \"%s\" or the user-defined function or aggregate \"%s\", or the name is ambiguous.", e.Name[0], strings.Join(e.Name, ".")))
	}
	args := make([]any, len(e.Args))
	for i, a := range e.Args {
		args[i] = x.argument(o, i, a, in)
	}
	return x.callFunction(o, args)
}

// argument is what a function gets for a parameter: of DEFAULT, what the parameter has.
func (x *session) argument(o *object, i int, a tsql.Expr, in *env) any {
	if w, ok := a.(*tsql.Word); ok && strings.EqualFold(w.Text, "default") && i < len(o.module.ast.Params) {
		return x.eval(o.module.ast.Params[i].Default, nil)
	}
	return x.eval(a, in)
}

func (x *session) aggregate(name string, e *tsql.Call, in *env) any {
	if in == nil || in.group == nil {
		panic(fail(147, "An aggregate may not appear in the WHERE clause unless it is in a subquery contained in a HAVING clause or a select list, and the column being aggregated is an outer reference."))
	}
	if len(e.Args) == 0 {
		panic(fail(174, "The %s function requires 1 argument(s).", name))
	}
	if aggregated := []string{"count", "count_big", "sum", "min", "max", "avg", "string_agg"}; !slices.Contains(aggregated, name) {
		return x.unread(strings.ToUpper(name), in, tsql.Parts(e)...)
	}
	if len(e.Within) > 0 && !x.drily {
		panic(fail(unknown, "The stand-in does not know WITHIN GROUP."))
	}
	if _, ok := e.Args[0].(*tsql.Star); ok {
		if name != "count" && name != "count_big" {
			panic(fail(102, "Incorrect syntax near '*'."))
		}
		return int64(len(in.group))
	}
	var vals []any
	seen := map[string]bool{}
	for _, row := range in.group {
		inner := &env{scope: in.scope, row: row, outer: in.outer}
		v := x.eval(e.Args[0], inner)
		if v == nil {
			continue
		}
		if e.Distinct {
			k := key(v, x.exactly(e.Args[0], inner))
			if seen[k] {
				continue
			}
			seen[k] = true
		}
		vals = append(vals, v)
	}
	switch name {
	case "count", "count_big":
		return int64(len(vals))
	case "string_agg":
		texts := make([]string, len(vals))
		for i, v := range vals {
			texts[i] = text(v)
		}
		if len(vals) == 0 {
			return nil
		}
		return bounded(strings.Join(texts, text(x.eval(e.Args[1], in))))
	}
	if len(vals) == 0 {
		return nil
	}
	out := vals[0]
	for _, v := range vals[1:] {
		switch n := name; {
		case n == "sum" || n == "avg":
			out = arithmetic("+", out, v)
		case n == "min" && compareValues(v, out, false) < 0, n == "max" && compareValues(v, out, false) > 0:
			out = v
		}
	}
	if name == "avg" {
		return arithmetic("/", out, int64(len(vals)))
	}
	return out
}

// lazyFunctions look at some of their arguments only.
var lazyFunctions map[string]lazyFunction

type lazyFunction struct {
	least, most int
	run         func(*session, []tsql.Expr, *env) any
}

// function is one that gets its arguments' values.
type function struct {
	least, most int
	strict      bool // NULL where an argument is
	run         func(x *session, a []any) any
}

var functions map[string]function

func init() {
	lazyFunctions = map[string]lazyFunction{
		"isnull": {2, 2, coalesce}, "coalesce": {2, 254, coalesce}, "nullif": {2, 2, func(x *session, a []tsql.Expr, in *env) any {
			if v := x.eval(a[0], in); x.compare("=", a[0], a[1], in) != yes {
				return v
			}
			return nil
		}},
		"iif": {3, 3, func(x *session, a []tsql.Expr, in *env) any {
			if truth(x.eval(a[0], in)) == yes {
				return x.eval(a[1], in)
			}
			return x.eval(a[2], in)
		}},
		"datalength": {1, 1, func(x *session, a []tsql.Expr, in *env) any {
			switch v := x.eval(a[0], in).(type) {
			case nil:
				return nil
			case []byte:
				return int64(len(v))
			case string:
				return int64(len(bytesOf(v, x.national(a[0], in))))
			default:
				panic(fail(unknown, "The stand-in does not know how many bytes a number or a time has."))
			}
		}},
	}
	functions = map[string]function{}
	for _, group := range []map[string]function{textFunctions, numberFunctions, timeFunctions, catalogFunctions, sessionFunctions} {
		maps.Copy(functions, group)
	}
}

func coalesce(x *session, a []tsql.Expr, in *env) any {
	if len(a) < 2 {
		panic(fail(174, "The isnull function requires 2 argument(s)."))
	}
	for _, e := range a {
		if v := x.eval(e, in); v != nil {
			return v
		}
	}
	return nil
}

func ofText(f func(string) any) function {
	return function{1, 1, true, func(_ *session, a []any) any { return f(text(a[0])) }}
}

func runes(s string) []uint16 { return utf16.Encode([]rune(s)) }

func part(u []uint16, from, n int64) string { // from counts from 1
	end := from + n
	from, end = max(from, 1), min(end, int64(len(u))+1)
	if from >= end {
		return ""
	}
	return string(utf16.Decode(u[from-1 : end-1]))
}

var textFunctions = map[string]function{
	"len":   ofText(func(s string) any { return int64(letters(strings.TrimRight(s, " "))) }),
	"upper": ofText(func(s string) any { return strings.ToUpper(s) }), "lower": ofText(func(s string) any { return strings.ToLower(s) }),
	"ltrim": ofText(func(s string) any { return strings.TrimLeft(s, " ") }), "rtrim": ofText(func(s string) any { return strings.TrimRight(s, " ") }), "trim": ofText(func(s string) any { return strings.Trim(s, " ") }),
	"reverse":   ofText(func(s string) any { r := []rune(s); slices.Reverse(r); return string(r) }),
	"substring": {3, 3, true, func(_ *session, a []any) any { return part(runes(text(a[0])), toWhole(a[1]), toWhole(a[2])) }},
	"left":      {2, 2, true, func(_ *session, a []any) any { return part(runes(text(a[0])), 1, toWhole(a[1])) }},
	"right": {2, 2, true, func(_ *session, a []any) any {
		u := runes(text(a[0]))
		n := min(toWhole(a[1]), int64(len(u)))
		return part(u, int64(len(u))-n+1, n)
	}},
	"replace": {3, 3, true, func(_ *session, a []any) any { return replaceFold(text(a[0]), text(a[1]), text(a[2])) }},
	"charindex": {2, 3, true, func(_ *session, a []any) any {
		from := int64(1)
		if len(a) > 2 {
			from = max(1, toWhole(a[2]))
		}
		rest := part(runes(text(a[1])), from, math.MaxInt32)
		i := strings.Index(strings.ToLower(rest), strings.ToLower(text(a[0])))
		if i < 0 || text(a[0]) == "" {
			return int64(0)
		}
		return from + int64(letters(rest[:i]))
	}},
	"replicate": {2, 2, true, func(_ *session, a []any) any {
		n := toWhole(a[1])
		if n < 0 || n*int64(len(text(a[0]))) > 1<<24 {
			return nil
		}
		return strings.Repeat(text(a[0]), int(n))
	}},
	"space": {1, 1, true, func(_ *session, a []any) any { return strings.Repeat(" ", int(min(max(0, toWhole(a[0])), 8000))) }},
	"stuff": {4, 4, false, func(_ *session, a []any) any {
		u := runes(text(a[0]))
		at, n := toWhole(a[1]), toWhole(a[2])
		if a[0] == nil || at < 1 || at > int64(len(u)) || n < 0 {
			return nil
		}
		return part(u, 1, at-1) + text(a[3]) + part(u, at+n, math.MaxInt32)
	}},
	"concat": {2, 254, false, func(_ *session, a []any) any {
		var b strings.Builder
		for _, v := range a {
			b.WriteString(text(v))
		}
		return b.String()
	}},
	"quotename": {1, 2, true, func(_ *session, a []any) any {
		if len(a) > 1 && text(a[1]) == "'" {
			return "'" + strings.ReplaceAll(text(a[0]), "'", "''") + "'"
		}
		return tsql.Quote(text(a[0]))
	}},
	"char":  {1, 1, true, func(_ *session, a []any) any { return string(rune(toWhole(a[0]) & 255)) }},
	"nchar": {1, 1, true, func(_ *session, a []any) any { return string(utf16.Decode([]uint16{uint16(toWhole(a[0]))})) }},
	"ascii": ofText(firstLetter), "unicode": ofText(firstLetter),
	"string_escape": {2, 2, true, func(_ *session, a []any) any { return escapeJSON(text(a[0])) }},
	"hashbytes":     {2, 2, true, hashBytes},
	"checksum":      {1, 254, false, func(_ *session, a []any) any { return int64(int32(crc32.ChecksumIEEE([]byte(rowKey(a))))) }},
	"parsename":     {2, 2, true, parseName},
}

func firstLetter(s string) any {
	for _, r := range s {
		return int64(r)
	}
	return nil
}

func escapeJSON(s string) string {
	b, _ := json.Marshal(s)
	return strings.NewReplacer(`\u003c`, "<", `\u003e`, ">", `\u0026`, "&", "/", `\/`).Replace(string(b[1 : len(b)-1]))
}

func hashBytes(_ *session, a []any) any {
	b, ok := a[1].([]byte)
	if !ok {
		for _, c := range runes(text(a[1])) {
			b = append(b, byte(c), byte(c>>8))
		}
	}
	switch strings.ToUpper(text(a[0])) {
	case "MD5":
		h := md5.Sum(b)
		return h[:]
	case "SHA", "SHA1":
		h := sha1.Sum(b)
		return h[:]
	case "SHA2_256":
		h := sha256.Sum256(b)
		return h[:]
	case "SHA2_512":
		h := sha512.Sum512(b)
		return h[:]
	}
	return nil
}

func parseName(_ *session, a []any) any {
	parts := pathOf(text(a[0]))
	n := int(toWhole(a[1]))
	if n < 1 || n > len(parts) {
		return nil
	}
	return parts[len(parts)-n]
}

// pathOf is a name as it is written in a text.
func pathOf(s string) []string {
	list, err := tsql.Batch("TRUNCATE TABLE " + s)
	if err != nil || len(list) != 1 {
		return []string{s}
	}
	return list[0].Body.(*tsql.Truncate).Table
}

func replaceFold(s, old, now string) string {
	if old == "" {
		return s
	}
	low, lold := strings.ToLower(s), strings.ToLower(old)
	if len(low) != len(s) || len(lold) != len(old) { // letters that change their length
		return strings.ReplaceAll(s, old, now)
	}
	var b strings.Builder
	for {
		i := strings.Index(low, lold)
		if i < 0 {
			return b.String() + s
		}
		b.WriteString(s[:i] + now)
		s, low = s[i+len(old):], low[i+len(old):]
	}
}

func ofNumber(f func(float64) float64) function {
	return function{1, 1, true, func(_ *session, a []any) any { return f(toFloat(a[0])) }}
}

var numberFunctions = map[string]function{
	"abs": {1, 1, true, func(_ *session, a []any) any {
		if compareValues(a[0], int64(0), false) < 0 {
			return arithmetic("-", int64(0), a[0])
		}
		return number(a[0])
	}},
	"sign": {1, 1, true, func(_ *session, a []any) any { return int64(compareValues(a[0], int64(0), false)) }},
	"round": {2, 3, true, func(_ *session, a []any) any {
		n := int(toWhole(a[1]))
		switch v := number(a[0]).(type) {
		case decimal:
			return v.rescaled(max(0, n), false).rescaled(v.scale, false)
		case float64:
			p := math.Pow10(n)
			return math.Round(v*p) / p
		default:
			return v
		}
	}},
	"floor":   {1, 1, true, func(_ *session, a []any) any { return wholeOf(a[0], math.Floor) }},
	"ceiling": {1, 1, true, func(_ *session, a []any) any { return wholeOf(a[0], math.Ceil) }},
	"sqrt":    ofNumber(math.Sqrt), "exp": ofNumber(math.Exp), "log": ofNumber(math.Log),
	"power": {2, 2, true, func(_ *session, a []any) any {
		f := math.Pow(toFloat(a[0]), toFloat(a[1]))
		if _, ok := a[0].(int64); ok {
			return int64(f)
		}
		return f
	}},
	"isnumeric": {1, 1, false, func(_ *session, a []any) any {
		if a[0] == nil {
			return int64(0)
		}
		_, ok := parseDecimal(text(a[0]))
		return map[bool]int64{true: 1}[ok]
	}},
	"newid": {0, 0, false, newID}, "newsequentialid": {0, 0, false, newID},
}

func newID(*session, []any) any {
	b := make([]byte, 16)
	_, _ = rand.Read(b)
	h := strings.ToUpper(hex.EncodeToString(b))
	return h[:8] + "-" + h[8:12] + "-" + h[12:16] + "-" + h[16:20] + "-" + h[20:]
}

func wholeOf(v any, f func(float64) float64) any {
	if d, ok := v.(decimal); ok {
		n, _ := parseDecimal(fmt.Sprintf("%.0f", f(toFloat(d))))
		return n
	}
	if n, ok := v.(int64); ok {
		return n
	}
	return f(toFloat(v))
}

func now(kind string, frac int) function {
	return function{0, 0, false, func(*session, []any) any { return settled(moment{time.Now().UTC(), kind, frac}) }}
}

var timeFunctions = map[string]function{
	"getdate": now("datetime", 3), "getutcdate": now("datetime", 3), "sysdatetime": now("datetime2", 7), "sysutcdatetime": now("datetime2", 7), "sysdatetimeoffset": now("datetimeoffset", 7),
	"year":  {1, 1, true, func(_ *session, a []any) any { return int64(momentOf(a[0]).t.Year()) }},
	"month": {1, 1, true, func(_ *session, a []any) any { return int64(momentOf(a[0]).t.Month()) }},
	"day":   {1, 1, true, func(_ *session, a []any) any { return int64(momentOf(a[0]).t.Day()) }},
	"isdate": {1, 1, false, func(x *session, a []any) any {
		if a[0] == nil || x.tried(func() { parseMoment(text(a[0]), "datetime", 3) }) != nil {
			return int64(0)
		}
		return int64(1)
	}},
	"dateadd": {3, 3, true, func(_ *session, a []any) any {
		m, n := momentOf(a[2]), int(toWhole(a[1]))
		switch strings.ToLower(text(a[0])) {
		case "year", "yy", "yyyy":
			m.t = m.t.AddDate(n, 0, 0)
		case "month", "mm", "m":
			m.t = m.t.AddDate(0, n, 0)
		case "day", "dd", "d":
			m.t = m.t.AddDate(0, 0, n)
		case "week", "wk", "ww":
			m.t = m.t.AddDate(0, 0, 7*n)
		default:
			m.t = m.t.Add(time.Duration(n) * unitOf(text(a[0])))
		}
		return m
	}},
	"datediff": {3, 3, true, func(_ *session, a []any) any {
		f, t := momentOf(a[1]).t, momentOf(a[2]).t
		switch strings.ToLower(text(a[0])) {
		case "year", "yy", "yyyy":
			return int64(t.Year() - f.Year())
		case "month", "mm", "m":
			return int64((t.Year()-f.Year())*12 + int(t.Month()-f.Month()))
		case "day", "dd", "d":
			return int64(t.Truncate(24*time.Hour).Sub(f.Truncate(24*time.Hour)).Hours() / 24)
		}
		u := unitOf(text(a[0]))
		return int64(t.Truncate(u).Sub(f.Truncate(u)) / u)
	}},
	"datepart": {2, 2, true, func(_ *session, a []any) any {
		t := momentOf(a[1]).t
		switch strings.ToLower(text(a[0])) {
		case "year", "yy", "yyyy":
			return int64(t.Year())
		case "month", "mm", "m":
			return int64(t.Month())
		case "day", "dd", "d":
			return int64(t.Day())
		case "hour", "hh":
			return int64(t.Hour())
		case "minute", "mi", "n":
			return int64(t.Minute())
		case "second", "ss", "s":
			return int64(t.Second())
		}
		panic(fail(155, "'%s' is not a recognized datepart option.", text(a[0])))
	}},
}

func unitOf(word string) time.Duration {
	switch strings.ToLower(word) {
	case "hour", "hh":
		return time.Hour
	case "minute", "mi", "n":
		return time.Minute
	case "second", "ss", "s":
		return time.Second
	case "millisecond", "ms":
		return time.Millisecond
	}
	panic(fail(155, "'%s' is not a recognized dateadd option.", word))
}

func momentOf(v any) moment {
	switch v := v.(type) {
	case moment:
		return v
	case int64, decimal, float64:
		return systemByNameType("datetime").convert(v, false).(moment)
	}
	return parseMoment(text(v), "datetime", 3)
}

// id is the object of a name that is given as a text, 0 for none.
func (x *session) idOf(name string) int64 {
	if o := x.d.find(pathOf(name)); o != nil {
		return o.id
	}
	return 0
}

var catalogFunctions = map[string]function{
	"object_id": {1, 2, true, func(x *session, a []any) any {
		x.catalogLock()
		if path := pathOf(text(a[0])); len(path) > 2 && strings.EqualFold(path[0], "tempdb") {
			return nil // nothing is kept there
		}
		o := x.d.objects[x.idOf(text(a[0]))]
		if o == nil || len(a) > 1 && !strings.EqualFold(strings.TrimSpace(text(a[1])), o.typ) {
			return nil
		}
		return o.id
	}},
	"indexproperty": {3, 3, true, func(x *session, a []any) any {
		o := x.d.objects[toWhole(a[0])]
		if o == nil {
			return nil
		}
		i := o.index(x.d, text(a[1]))
		if i == nil {
			return nil
		}
		switch strings.ToLower(text(a[2])) {
		case "indexid":
			return int64(i.id)
		case "isunique":
			return bit(i.unique)
		case "isclustered":
			return bit(i.id == 1)
		case "isdisabled":
			return bit(i.disabled)
		}
		panic(fail(unknown, "The stand-in does not know the property %s of an index.", text(a[2])))
	}},
	"object_name": {1, 2, true, func(x *session, a []any) any {
		if o := x.d.objects[toWhole(a[0])]; o != nil {
			return o.name
		}
		return nil
	}},
	"object_schema_name": {1, 2, true, func(x *session, a []any) any {
		if o := x.d.objects[toWhole(a[0])]; o != nil {
			return o.schema.name
		}
		return nil
	}},
	"object_definition": {1, 1, true, func(x *session, a []any) any {
		switch o := x.d.objects[toWhole(a[0])]; {
		case o == nil:
			return nil
		case o.module != nil:
			return o.module.text
		case o.typ == "C" || o.typ == "D":
			return o.con.definition
		}
		return nil
	}},
	"schema_id": {0, 1, true, func(x *session, a []any) any {
		if len(a) == 0 {
			return int64(1)
		}
		if s := x.d.schema(text(a[0])); s != nil {
			return int64(s.id)
		}
		return nil
	}},
	"schema_name": {0, 1, true, func(x *session, a []any) any {
		if len(a) == 0 {
			return "dbo"
		}
		for _, s := range x.d.schemas {
			if int64(s.id) == toWhole(a[0]) {
				return s.name
			}
		}
		return nil
	}},
	"db_name": {0, 1, true, func(x *session, a []any) any { return x.d.name }},
	"db_id": {0, 1, true, func(x *session, a []any) any {
		if len(a) == 0 {
			return int64(x.d.id)
		}
		if d := x.s.dbs[strings.ToLower(text(a[0]))]; d != nil {
			return int64(d.id)
		}
		return nil
	}},
	"type_id": {1, 1, true, func(x *session, a []any) any {
		p := pathOf(text(a[0]))
		if s := systemByName[strings.ToLower(p[len(p)-1])]; s != nil {
			return int64(s.user)
		}
		sn, n := x.d.split(p)
		if t := x.d.findType(sn, n); t != nil {
			return int64(t.id)
		}
		if o := x.d.findTableType(sn, n); o != nil {
			return int64(o.userType)
		}
		return nil
	}},
	"col_name": {2, 2, true, func(x *session, a []any) any {
		if o := x.d.objects[toWhole(a[0])]; o != nil {
			if c := o.byID(int(toWhole(a[1]))); c != nil {
				return c.name
			}
		}
		return nil
	}},
	"col_length": {2, 2, true, func(x *session, a []any) any {
		if o := x.d.objects[x.idOf(text(a[0]))]; o != nil {
			if c := o.column(x.d, text(a[1])); c != nil {
				return int64(c.length)
			}
		}
		return nil
	}},
	"ident_current": {1, 1, true, func(x *session, a []any) any {
		if o := x.d.objects[x.idOf(text(a[0]))]; o != nil {
			if c := o.identityColumn(); c != nil {
				if !o.identityUsed {
					return c.seed
				}
				return o.identity
			}
		}
		return nil
	}},
	"databasepropertyex": {2, 2, true, func(x *session, a []any) any {
		d := x.s.dbs[strings.ToLower(text(a[0]))]
		if d == nil {
			return nil
		}
		switch strings.ToLower(text(a[1])) {
		case "collation":
			return d.collation
		case "updateability":
			return "READ_WRITE"
		case "status":
			return "ONLINE"
		}
		return nil
	}},
	"serverproperty": {1, 1, true, func(x *session, a []any) any {
		switch strings.ToLower(text(a[0])) {
		case "productversion":
			return Version
		case "productmajorversion":
			return "16"
		case "edition":
			return "Stand-in of dapper-mirror"
		case "engineedition":
			return int64(3)
		case "collation":
			return Collation
		case "servername":
			return "STANDIN"
		}
		return nil
	}},
}

var sessionFunctions = map[string]function{
	"user_name": {0, 1, false, func(x *session, a []any) any {
		if len(a) == 0 {
			return "dbo"
		}
		return orNull(x.d.principalName(int(toWhole(a[0]))))
	}},
	"user_id": {0, 1, false, principalID}, "database_principal_id": {0, 1, false, principalID},
	"eventdata":   {0, 0, false, func(x *session, _ []any) any { return orNull(x.told) }},
	"suser_sname": {0, 1, false, login}, "suser_name": {0, 1, false, login}, "original_login": {0, 0, false, login},
	"host_name": {0, 0, false, func(x *session, _ []any) any { return x.who.Host }}, "app_name": {0, 0, false, func(x *session, _ []any) any { return x.who.App }},
	"scope_identity": {0, 0, false, func(x *session, _ []any) any { return x.lastID }},
	"xact_state": {0, 0, false, func(x *session, _ []any) any {
		switch {
		case x.doomed:
			return int64(-1)
		case x.depth > 0:
			return int64(1)
		}
		return int64(0)
	}},
	"error_number":  {0, 0, false, func(x *session, _ []any) any { return x.ofCaught(func(f *failure) any { return int64(f.last.Number) }) }},
	"error_message": {0, 0, false, func(x *session, _ []any) any { return x.ofCaught(func(f *failure) any { return f.last.Message }) }},
	"error_state":   {0, 0, false, func(x *session, _ []any) any { return x.ofCaught(func(f *failure) any { return int64(f.last.State) }) }},
	"error_severity": {0, 0, false, func(x *session, _ []any) any {
		return x.ofCaught(func(f *failure) any { return int64(f.last.Class) })
	}},
	"has_perms_by_name":      {3, 5, false, func(*session, []any) any { return int64(1) }},
	"is_srvrolemember":       {1, 2, false, func(*session, []any) any { return int64(1) }},
	"is_member":              {1, 1, false, func(*session, []any) any { return int64(1) }},
	"current_transaction_id": {0, 0, false, func(x *session, _ []any) any { return int64(x.tran)<<16 | x.id }},
	"update":                 {1, 1, false, func(*session, []any) any { return yes }},
}

func login(x *session, _ []any) any { return x.who.User }

func (x *session) ofCaught(f func(*failure) any) any {
	if x.caught == nil {
		return nil
	}
	return f(x.caught)
}

// principalID is the number of a user or role.
func principalID(x *session, a []any) any {
	if len(a) == 0 {
		return int64(1)
	}
	if p := x.d.principal(text(a[0])); p != nil {
		return int64(p.id)
	}
	return nil
}
