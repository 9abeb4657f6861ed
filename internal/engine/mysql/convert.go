package mysql

import (
	"slices"
	"strconv"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/mysql/vocab"
)

// class says where a type stands among those values move between; size orders
// those of one family where a smaller one holds less.
type class struct {
	family string
	size   int
}

var classes = map[string]class{
	"tinyint": {"number", 1}, "smallint": {"number", 2}, "mediumint": {"number", 3}, "int": {"number", 4}, "bigint": {"number", 5}, "decimal": {"decimal", 1},
	"float": {"float", 1}, "double": {"float", 2}, "year": {"year", 1}, "bit": {"bit", 1},
	"char": {"text", 1}, "varchar": {"text", 1}, "tinytext": {"text", 255}, "text": {"text", 65535}, "mediumtext": {"text", 1 << 24}, "longtext": {"text", 1 << 32}, "json": {"text", 1 << 32},
	"binary": {"bytes", 1}, "varbinary": {"bytes", 1}, "tinyblob": {"bytes", 255}, "blob": {"bytes", 65535}, "mediumblob": {"bytes", 1 << 24}, "longblob": {"bytes", 1 << 32},
	"date": {"time", 1}, "datetime": {"time", 3}, "timestamp": {"time", 2}, "time": {"clock", 1},
	"enum": {"choice", 1}, "set": {"choices", 1}, "uuid": {"uuid", 1}, "inet4": {"inet4", 1}, "inet6": {"inet6", 1},
}

// split cuts "decimal(8,2) unsigned".
func split(t string) (base string, modifier []string, unsigned bool) {
	base, rest, _ := strings.Cut(t, "(")
	if f := strings.Fields(base); len(f) > 0 {
		base = f[0]
	}
	if i := strings.LastIndex(rest, ")"); i >= 0 {
		modifier = vocab.Cursor("(" + rest[:i] + ")").Items()
	}
	return base, modifier, strings.Contains(t, "unsigned")
}

func num(l []string, i, otherwise int) int {
	if i < len(l) {
		if n, err := strconv.Atoi(l[i]); err == nil {
			return n
		}
	}
	return otherwise
}

// loses says what values can be lost or changed from one column to another,
// or "" where none can. The server converts what fits.
func loses(from, to *catalog.Object) string {
	ft, tt := from.Text("type"), to.Text("type")
	if a, b := from.Text("charset"), to.Text("charset"); a != b && a != "" && b != "" && !strings.HasPrefix(b, "utf8") && b != "binary" {
		return "letters that " + b + " does not have become question marks"
	}
	if ft == tt {
		return ""
	}
	fb, fm, fu := split(ft)
	tb, tm, tu := split(tt)
	f, t := classes[fb], classes[tb]
	length := func(b string, m []string, c class) int {
		if c.size > 1 {
			return c.size
		}
		return num(m, 0, 1)
	}
	digits := map[int]int{1: 3, 2: 5, 3: 8, 4: 10, 5: 20}
	switch {
	case f.family == "" || t.family == "":
		return "values that cannot become " + tt + " are lost"
	case f.family == "number" && t.family == "number":
		if t.size < f.size || fu && !tu && t.size == f.size || !fu && tu {
			return "values that " + tt + " cannot hold are changed"
		}
		return ""
	case f.family == "number" && t.family == "decimal":
		if num(tm, 0, 10)-num(tm, 1, 0) < digits[f.size] || !fu && tu {
			return "values that " + tt + " cannot hold are changed"
		}
		return ""
	case f.family == "decimal" && t.family == "decimal":
		if num(tm, 1, 0) < num(fm, 1, 0) || num(tm, 0, 10)-num(tm, 1, 0) < num(fm, 0, 10)-num(fm, 1, 0) || !fu && tu {
			return "digits that " + tt + " has no room for are lost"
		}
		return ""
	case f.family == "float" && t.family == "float":
		if t.size < f.size || len(tm) > 0 {
			return "digits are rounded away"
		}
		return ""
	case f.family == t.family && (f.family == "text" || f.family == "bytes"):
		if length(tb, tm, t) < length(fb, fm, f) {
			return "values longer than " + tt + " are cut"
		}
		return ""
	case t.family == "text" && f.family != "bytes" && f.family != "bit":
		if need := textLength(f, fm); length(tb, tm, t) < need {
			return "values longer than " + tt + " are cut"
		}
		return ""
	case f.family == "time" && t.family == "time" || f.family == "clock" && t.family == "clock":
		if t.size < f.size && tb != "timestamp" {
			return "the time of day is cut off"
		}
		if num(tm, 0, 0) < num(fm, 0, 0) {
			return "fractions of seconds are rounded away"
		}
		if tb == "timestamp" && fb != "timestamp" {
			return "times before 1970 or after 2038 are lost"
		}
		return ""
	case fb == tb && (fb == "enum" || fb == "set"):
		for _, v := range fm {
			if !slices.Contains(tm, v) {
				return "rows that hold " + v + " lose it"
			}
		}
		return ""
	case fb == tb && fb == "bit":
		if num(tm, 0, 1) < num(fm, 0, 1) {
			return "bits are cut off"
		}
		return ""
	}
	return "values that cannot become " + tt + " are lost"
}

// textLength is how many letters a value of the type can take.
func textLength(c class, m []string) int {
	switch c.family {
	case "number", "decimal":
		return 22
	case "time", "clock", "year":
		return 19 + num(m, 0, 0)
	case "uuid":
		return 36
	case "inet4":
		return 15
	case "inet6":
		return 39
	case "choice":
		n := 0
		for _, v := range m {
			n = max(n, len(vocab.Unquote(v)))
		}
		return n
	}
	return 64
}
