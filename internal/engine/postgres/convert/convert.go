// Package convert knows the ways from one PostgreSQL type to another, and what
// values lose or fail on them.
package convert

import (
	"slices"
	"strconv"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/vocab"
)

// Conversion is the way from one column type to another.
type Conversion struct {
	Possible bool
	Via      string // USING expression, $ for the column; "" where none is needed
	// Back leads back, $ for what Via gives: a value is kept that comes back as it
	// was. It is "" where no way does.
	Back  string
	Risks []Risk
	Zone  string // the time zone that times are taken to be in; "" where none matters
}

// TimeZone is a catalog's setting: the zone in which the server's clients take
// times that name none.
const TimeZone = "TimeZone"

// zones are the ways between types with a time zone and such without: the
// expressions there and back, with the zone as @.
var zones = map[[2]string][2]string{
	{"timestamp without time zone", "timestamp with time zone"}: {"$ AT TIME ZONE @", "$ AT TIME ZONE @"},
	{"timestamp with time zone", "timestamp without time zone"}: {"$ AT TIME ZONE @", "$ AT TIME ZONE @"},
	{"date", "timestamp with time zone"}:                        {"$::timestamp AT TIME ZONE @", "($ AT TIME ZONE @)::date"},
	{"timestamp with time zone", "date"}:                        {"($ AT TIME ZONE @)::date", "$::timestamp AT TIME ZONE @"},
	{"timestamp with time zone", "time without time zone"}:      {"($ AT TIME ZONE @)::time", ""},
}

// inZone makes a conversion one in the time zone of the target, which is not
// that of the script. Where that is UTC they are the same.
func (cv Conversion) inZone(fb, tb, from, to, zone string, array bool) Conversion {
	way, ok := zones[[2]string{fb, tb}]
	if !ok {
		return cv
	}
	switch cv.Zone = zone; strings.TrimPrefix(zone, "Etc/") {
	case "", "UTC", "UCT", "GMT", "Zulu", "Universal", "Greenwich":
		cv.Zone = "UTC"
		return cv
	}
	if array {
		cv.Zone, cv.Back = "UTC", "" // no expression converts elements one by one
		cv.Risks = append(cv.Risks, Risk{order.Loss, "times are taken to be in UTC, though the target's time zone is " + zone})
		return cv
	}
	say := func(expr, typ string) string {
		if expr == "" {
			return ""
		}
		return "(" + strings.ReplaceAll(expr, "@", vocab.Literal(zone)) + ")::" + typ
	}
	cv.Via, cv.Back = say(way[0], to), say(way[1], from)
	cv.Risks = append([]Risk{{order.Loss, "a time in an hour that the clocks of " + zone + " skip or repeat becomes another"}}, slices.DeleteFunc(cv.Risks, func(r Risk) bool { return r.Kind == order.Rewrite })...)
	cv.Risks = append(cv.Risks, Risk{order.Rewrite, "the table is copied while everything on it waits"})
	return cv
}

// Risk is what can go wrong with the values on the way.
type Risk struct {
	Kind order.RiskKind
	Text string
}

// class groups types between which PostgreSQL casts (PostgreSQL: pg_cast);
// size orders those of one class where a smaller one holds less.
type class struct {
	family string
	size   int
}

var classes = map[string]class{
	"smallint": {"number", 1}, "integer": {"number", 2}, "bigint": {"number", 3}, "numeric": {"number", 6}, "real": {"number", 4}, "double precision": {"number", 5},
	"money": {"money", 1},
	"text":  {"text", 9}, "character varying": {"text", 8}, "character": {"text", 7}, "name": {"text", 1}, `"char"`: {"text", 0},
	"boolean": {"boolean", 1},
	"date":    {"time", 1}, "timestamp without time zone": {"time", 2}, "timestamp with time zone": {"time", 3},
	"time without time zone": {"clock", 1}, "time with time zone": {"clock", 2}, "interval": {"interval", 1},
	"json": {"json", 1}, "jsonb": {"json", 2},
	"inet": {"net", 2}, "cidr": {"net", 1}, "bit": {"bit", 1}, "bit varying": {"bit", 2},
	"bytea": {"bytea", 1}, "uuid": {"uuid", 1}, "xml": {"xml", 1},
	"macaddr": {"mac", 1}, "macaddr8": {"mac", 2},
}

// crossCast is a way from one family of types to another, with the types it goes
// through there and back, "" for none (PostgreSQL: pg_cast has casts for some
// types of a family only). Without a way back something is always lost.
type crossCast struct {
	through, back string
	oneway        bool
}

var crossCasts = map[[2]string]crossCast{
	{"number", "money"}: {through: "numeric", back: "numeric"}, {"money", "number"}: {through: "numeric", back: "numeric"},
	{"boolean", "number"}: {through: "integer", back: "integer"}, {"number", "boolean"}: {through: "integer", back: "integer"},
	{"time", "clock"}: {oneway: true}, {"clock", "interval"}: {}, {"interval", "clock"}: {through: "time", back: "time"},
	{"number", "bit"}: {}, {"bit", "number"}: {},
}

// cross finds the way between two families.
func cross(fb, tb, from, to string) (Conversion, bool) {
	fc, tc := classes[fb], classes[tb]
	c, ok := crossCasts[[2]string{fc.family, tc.family}]
	switch { // casts that are not there
	case !ok, (tc.family == "bit" || fc.family == "bit") && (fb != "integer" && fb != "bigint" && fb != "bit" || tb != "integer" && tb != "bigint" && tb != "bit"), fb == "date" && tc.family == "clock":
		return Conversion{}, false
	case fb == "timestamp without time zone" && tb == "time with time zone":
		c.through = "timestamp with time zone"
	case fb == "time with time zone": // what it is away from UTC goes
		c.through, c.oneway = "time", true
	}
	step := func(through, end string) string {
		if through == "" || through == end {
			return "$::" + end
		}
		return "$::" + through + "::" + end
	}
	cv := Conversion{Possible: true, Via: step(c.through, to), Risks: []Risk{{order.Loss, "values are cut to what " + to + " can hold"}, {order.MayFail, "fails when a value does not fit"}, {order.Rewrite, "the table is copied while everything on it waits"}}}
	if !c.oneway {
		cv.Back = step(c.back, from)
	}
	if _, tm, _ := SplitType(to); fc.family == "boolean" && !(tb == "numeric" && tm != "" && coarse(tm)) { // 0 and 1 fit everywhere, and lead back
		cv.Risks = cv.Risks[2:]
	}
	return cv, true
}

// SplitType cuts a type as format_type prints it: "numeric(10,2)[]".
func SplitType(t string) (base, modifier string, array bool) {
	base, array = strings.CutSuffix(t, "[]")
	for strings.HasSuffix(base, "[]") {
		base = strings.TrimSuffix(base, "[]")
	}
	if i := strings.IndexByte(base, '('); i >= 0 && !strings.HasPrefix(base, `"`) {
		j := strings.IndexByte(base, ')')
		if j > i {
			modifier = base[i+1 : j]
			base = strings.TrimSpace(base[:i]) + base[j+1:]
		}
	}
	if fields, ok := strings.CutPrefix(base, "interval "); ok { // "interval day to second(3)"
		base, modifier = "interval", strings.TrimSpace(fields+" "+modifier)
	}
	return base, modifier, array
}

// Between finds the way from one type to another. The catalogs tell what the
// database's own types are.
func Between(actual, desired *catalog.Catalog, from, to string) Conversion {
	if from == to {
		return Conversion{Possible: true, Back: "$", Risks: []Risk{{order.Lock, "the indexes on it are built anew"}}}
	}
	fb, fm, fa := SplitType(from)
	tb, tm, ta := SplitType(to)
	fd, td := domainBase(actual, fb), domainBase(desired, tb)
	if fd != "" {
		fb, fm, _ = SplitType(fd)
	}
	target := tb
	if td != "" {
		tb, tm, _ = SplitType(td)
	}
	cv := Conversion{Possible: true, Via: "$::" + to, Back: "$::" + from}
	rewrite := Risk{order.Rewrite, "the table is copied while everything on it waits"}
	if fa != ta {
		if IsText(tb) && !ta {
			return Conversion{Possible: true, Via: "$::" + to, Back: "$::" + from, Risks: []Risk{rewrite}}
		}
		return Conversion{}
	}
	fc, fok := classes[fb]
	tc, tok := classes[tb]
	fe, te := isEnum(actual, fb), isEnum(desired, tb)
	switch {
	case fb == tb:
		cv.Risks = modifierRisks(fb, fm, tm)
	case fok && tok && fc.family == tc.family:
		cv.Risks = sizeRisks(fb, tb, fm, tm, fc, tc)
	case fok && tok && !IsText(fb) && !IsText(tb):
		var ok bool
		if cv, ok = cross(fb, tb, from, to); !ok {
			return Conversion{}
		}
	case IsText(tb) || IsText(fb):
		cv.Risks = []Risk{rewrite}
		if IsText(fb) && !IsText(tb) {
			if !te { // a label is the text itself
				cv.Risks = append(cv.Risks, Risk{order.Loss, "values are written in another way than before"})
			}
			cv.Risks = append(cv.Risks, Risk{order.MayFail, "fails when a value is no " + to})
			if tb == "bytea" { // as text it would be hexadecimal
				cv.Back = "convert_from($, 'UTF8')::" + from
			}
		}
		if tm != "" && IsText(tb) {
			cv.Risks = append(cv.Risks, modifierRisks(tb, "", tm)...)
		}
	case fe && te:
		cv.Via = "$::text::" + to
		if fa {
			cv.Via = "$::text[]::" + to
		}
		cv.Risks = []Risk{{order.MayFail, "fails when a value is no " + to}, rewrite}
	case fb == target || fd != "" && fb == tb:
	case !fa && hasCast(fb, tb, actual, desired):
		cv.Risks = []Risk{{order.Loss, "values are what the cast makes of them"}, {order.MayFail, "fails when the cast does"}, rewrite}
		if !hasCast(tb, fb, actual, desired) {
			cv.Back = ""
		}
	default:
		return Conversion{}
	}
	if td != "" {
		cv.Risks = append(cv.Risks, Risk{order.MayFail, "fails when a value breaks the domain"})
	}
	if cv.Via == "$::"+to && harmless(cv.Risks) {
		cv.Via = ""
	}
	return cv.inZone(fb, tb, from, to, actual.Settings[TimeZone], fa)
}

// hasCast tells whether one of the catalogs has a cast between two types, its
// own or an extension's (PostgreSQL: CREATE CAST).
func hasCast(from, to string, in ...*catalog.Catalog) bool {
	for _, c := range in {
		for _, o := range c.Objects {
			if o.Kind == "cast" && o.Name == from+" AS "+to || slices.Contains(o.List("casts"), from+" AS "+to) {
				return true
			}
		}
	}
	return false
}

func harmless(rs []Risk) bool { return len(rs) == 0 }

// IsText tells the types that hold text.
func IsText(t string) bool { return classes[t].family == "text" }

// UserType is the type of the database's own that format_type prints so; nil
// where there is none of the kind.
func UserType(c *catalog.Catalog, name string, kind catalog.Kind) *catalog.Object {
	for _, o := range c.Objects {
		if o.Kind == kind && vocab.Qualified(o) == name {
			return o
		}
	}
	return nil
}

func isEnum(c *catalog.Catalog, name string) bool { return UserType(c, name, catalog.Enum) != nil }

// domainBase is the type under a domain, or "".
func domainBase(c *catalog.Catalog, name string) string {
	base := ""
	for range 20 { // domains over domains end somewhere
		d := UserType(c, name, vocab.Domain)
		if d == nil {
			return base
		}
		base = d.Text("type")
		name, _, _ = SplitType(base)
	}
	return base
}

// modifierRisks compare two modifiers of one type: numeric(10,2), varchar(5).
func modifierRisks(base, from, to string) []Risk {
	rewrite := Risk{order.Rewrite, "the table is copied while everything on it waits"}
	if from == to {
		return nil
	}
	switch base {
	case "numeric":
		fp, fs := precision(from)
		tp, ts := precision(to)
		switch {
		case to == "":
			return nil
		case from == "":
			return []Risk{{order.Loss, "digits beyond numeric(" + to + ") are rounded away"}, rewrite}
		case ts < fs:
			return []Risk{{order.Loss, "digits after the point are rounded away"}, rewrite}
		case tp-ts < fp-fs:
			return []Risk{{order.MayFail, "fails when a value does not fit"}, rewrite}
		case ts == fs:
			return nil // PostgreSQL: widening the precision does not rewrite
		}
		return []Risk{rewrite}
	case "character varying", "character", "bit", "bit varying":
		if to == "" || from != "" && Number(to) >= Number(from) {
			if base == "character varying" || base == "bit varying" {
				return nil
			}
			return []Risk{rewrite}
		}
		return []Risk{{order.Loss, "values longer than " + to + " are cut"}, rewrite}
	case "timestamp without time zone", "timestamp with time zone", "time without time zone", "time with time zone", "interval":
		if to == "" || from != "" && Number(from) >= 0 && Number(to) >= Number(from) {
			return nil
		}
		return []Risk{{order.Loss, "what is finer than " + to + " is rounded away"}, rewrite}
	}
	return []Risk{rewrite}
}

func precision(m string) (p, s int) {
	if m == "" {
		return 1000, 0
	}
	a, b, _ := strings.Cut(m, ",")
	if b == "" {
		b = "0"
	}
	scale, _ := strconv.Atoi(strings.TrimSpace(b)) // since 15 it can be negative
	return Number(a), scale
}

// sizeRisks compare two types of one family.
func sizeRisks(fb, tb, fm, tm string, f, t class) []Risk {
	rewrite := Risk{order.Rewrite, "the table is copied while everything on it waits"}
	loss := func(text string) []Risk { return []Risk{{order.Loss, text}, rewrite} }
	switch f.family {
	case "text":
		if tm != "" && (fm == "" || Number(tm) < Number(fm)) {
			return loss("values longer than " + tm + " are cut")
		}
		if tb == "text" && fb == "character varying" || tb == "character varying" && fb == "text" {
			return nil // PostgreSQL: binary coercible, no rewrite
		}
		if tb == "name" || tb == `"char"` {
			return loss("long values are cut")
		}
		if tb == "character" && fb != "character" {
			return loss("blanks at the end are cut")
		}
		return []Risk{rewrite}
	case "number":
		fraction := func(s string, m string) bool {
			if s == "numeric" {
				_, scale := precision(m)
				return m == "" || scale > 0
			}
			return s == "real" || s == "double precision"
		}
		switch {
		case fraction(fb, fm) && !fraction(tb, tm):
			return loss("digits after the point are rounded away")
		case tb == "real" && fb != "smallint", tb == "double precision" && (fb == "numeric" || fb == "bigint"):
			return loss("values are rounded to what " + tb + " can hold")
		case tb == "numeric" && tm == "" && (fb == "real" || fb == "double precision"):
			return loss("digits beyond those that are shown are rounded away") // PostgreSQL: 6 and 15 of them
		case tb == "numeric" && tm != "" && (fraction(fb, fm) || coarse(tm)):
			return loss("digits beyond numeric(" + tm + ") are rounded away")
		case t.size < f.size || tb == "numeric" && tm != "":
			return []Risk{{order.MayFail, "fails when a value does not fit"}, rewrite}
		}
	case "clock":
		if fb != tb && fb == "time with time zone" {
			return loss("how far values are from UTC goes")
		}
		return append(modifierRisks(fb, fm, tm), rewrite)
	case "bit":
		if tm != "" && Number(tm) < Number(fm) || tb == "bit" {
			return loss("values are cut or filled to " + tm + " bits")
		}
	case "json":
		if tb == "jsonb" {
			return loss("a key that stands twice is kept once, and the order of keys goes")
		}
	case "time":
		if tb == "date" {
			return loss("the time of day is cut off")
		}
		if f.size != t.size && fb != "date" {
			return modifierRisks(fb, fm, tm)
		}
	case "net":
		if t.size < f.size {
			return []Risk{{order.Loss, "bits beyond the mask of a value go"}, {order.Rewrite, "the table is copied while everything on it waits"}}
		}
	}
	return []Risk{rewrite}
}

// coarse tells whether a numeric rounds before the point.
func coarse(modifier string) bool { _, scale := precision(modifier); return scale < 0 }

// empties are the emptiest values of the families of types.
var empties = map[string]string{"number": "0", "money": "0", "text": "''", "boolean": "false", "time": "'epoch'", "clock": "'00:00'", "interval": "'0'", "json": "'{}'", "net": "'0.0.0.0'",
	"bytea": "''", "uuid": "'00000000-0000-0000-0000-000000000000'", "mac": "'00:00:00:00:00:00'"}

// Placeholder is SQL for the emptiest value of a column's type; "" where there
// is none.
func Placeholder(col *catalog.Object, in *catalog.Catalog) string {
	base, _, array := SplitType(col.Text("type"))
	if array {
		return "'{}'"
	}
	if e := UserType(in, base, catalog.Enum); e != nil && len(e.List("values")) > 0 {
		return vocab.Literal(e.List("values")[0])
	}
	return empties[classes[base].family]
}

// Number reads the digits of a type modifier; -1 where there is none.
func Number(s string) int {
	n, err := strconv.Atoi(strings.TrimSpace(s))
	if err != nil {
		return -1
	}
	return n
}
