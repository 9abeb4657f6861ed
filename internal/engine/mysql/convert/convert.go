package convert

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/mysql/vocab"
)

// Conversion is what becomes of the values of a column.
type Conversion struct {
	// Impossible says that the server has no way at all.
	Impossible bool
	// Loses says what can be lost or changed, "" where nothing can.
	Loses string
	// Where is the condition that values meet which would change or be refused,
	// with {} for the column; "" where no query tells.
	Where string
	// Zoned says that times become others by the session's time zone.
	Zoned bool
}

// side is one column of a conversion.
type side struct {
	base, charset string
	mod           []string
	unsigned      bool
	filled        int // to how many digits numbers are filled with zeros
	class
}

func sideOf(c *catalog.Object) side {
	s := side{charset: c.Text("charset")}
	s.base, s.mod, s.unsigned = Split(c.Text("type"))
	s.class = classes[s.base]
	if strings.Contains(c.Text("type"), "zerofill") {
		s.filled = Num(s.mod, 0, 1)
	}
	return s
}

// letters is how many letters a text, or the text of a value, can have.
func (s side) letters() int {
	switch s.family {
	case Text:
		if s.size == 0 {
			return Num(s.mod, 0, 1)
		}
		return s.size
	case Bytes:
		if s.size == 0 {
			return Num(s.mod, 0, 1)
		}
		return s.size
	case Number:
		return max(digits[s.size]+1, Num(s.mod, 0, 0))
	case Decimal:
		return Num(s.mod, 0, 10) + 3
	case Float:
		return 64
	case Year:
		return 4
	case Time:
		n := map[bool]int{true: 10, false: 19}[s.base == "date"]
		return n + fraction(s.mod)
	case Clock:
		return 10 + fraction(s.mod)
	case Choice, Choices:
		longest, all := 0, max(len(s.mod)-1, 0)
		for _, v := range s.mod {
			n := len([]rune(vocab.Unquote(v)))
			longest, all = max(longest, n), all+n
		}
		if s.family == Choices {
			return all
		}
		return longest
	}
	return s.size
}

// fraction is how many letters the fraction of a second takes.
func fraction(mod []string) int {
	if n := Num(mod, 0, 0); n > 0 {
		return n + 1
	}
	return 0
}

// whole is a column's text as letters that can be compared one by one.
const whole = "BINARY CONVERT({} USING utf8mb4)"

// comesBack is the condition that a value is not itself again after it was cast.
func comesBack(to string) string {
	return "NOT BINARY CAST(CAST({} AS " + to + ") AS CHAR CHARACTER SET utf8mb4) <=> " + whole
}

// Between finds what becomes of values on the way from one column to another.
func Between(from, to *catalog.Object) Conversion {
	f, t := sideOf(from), sideOf(to)
	if from.Text("type") == to.Text("type") && f.charset == t.charset {
		return Conversion{}
	}
	cv := Conversion{Zoned: (f.base == "timestamp") != (t.base == "timestamp") && f.base != t.base}
	lost := "values that cannot become " + to.Text("type") + " are lost"
	ask := func(loses string, conditions ...string) Conversion {
		conditions = slices.DeleteFunc(conditions, func(c string) bool { return c == "" })
		if len(conditions) > 0 {
			cv.Loses, cv.Where = loses, strings.Join(conditions, " OR ")
		}
		return cv
	}
	switch {
	case f.family == "" || t.family == "":
		cv.Loses = lost
		return cv
	case t.family == Shape:
		cv.Impossible, cv.Loses = f.family != Shape, "values that are no "+t.base+" are lost"
		if t.base == "geometry" && f.family == Shape {
			cv.Loses = ""
		}
		return cv
	case t.family == Text:
		if conditions, ok := toText(f, t); ok {
			return ask(textLoses(f, t, to), conditions...)
		}
	case t.family == Bytes:
		if conditions, ok := toBytes(f, t); ok {
			return ask("values that "+to.Text("type")+" cannot hold are cut, or filled up with zeros", conditions...)
		}
	case f.family == Text && t.family != Text:
		if condition := fromText(f, t); condition != "" {
			return ask(lost, condition)
		}
	case slices.Contains([]Family{Number, Decimal, Float, Year, Bit}, f.family):
		if conditions, ok := numbers(f, t); ok {
			return ask("values that "+to.Text("type")+" cannot hold are changed", conditions...)
		}
	case f.family == Time && t.family == Time, f.family == Clock && t.family == Clock:
		return ask(timeLoses(f, t), times(f, t)...)
	case (f.family == Choice || f.family == Choices) && (t.family == Choice || t.family == Choices):
		what := "what " + t.base + " no longer has"
		if gone := withoutThese(f.mod, t.mod); len(gone) > 0 && len(gone) <= 3 {
			what = strings.Join(gone, " or ")
		}
		return ask("rows that hold "+what+" lose it", labels(f, t))
	}
	cv.Loses = lost
	return cv
}

// toText are the conditions under which values do not become texts that say
// the same; false where no query tells.
func toText(f, t side) ([]string, bool) {
	var out []string
	set := map[bool]string{true: t.charset, false: "utf8mb4"}[t.charset != ""]
	length := "CHAR_LENGTH(CONVERT({} USING " + set + "))"
	switch f.family {
	case Text:
		if f.charset != t.charset && f.charset != "" && t.charset != "" && !holds(t.charset, f.charset) {
			out = append(out, "NOT BINARY CONVERT(CONVERT({} USING "+t.charset+") USING utf8mb4) <=> "+whole)
		}
		if t.base == "char" && f.base != "char" {
			out = append(out, "{} LIKE '% '")
		}
		length = "CHAR_LENGTH({})"
	case Bytes:
		out = append(out, "NOT BINARY CONVERT({} USING "+set+") <=> {}")
		if t.base == "char" {
			out = append(out, "CONVERT({} USING "+set+") LIKE '% '")
		}
	case Bit, Shape:
		return nil, false
	default:
		length = "CHAR_LENGTH(CAST({} AS CHAR))"
	}
	switch {
	case t.size == 0 && f.letters() > Num(t.mod, 0, 1):
		out = append(out, fmt.Sprintf("%s > %d", length, Num(t.mod, 0, 1)))
	case t.size > 0 && most(f, t.charset) > t.size:
		out = append(out, fmt.Sprintf("LENGTH(CONVERT({} USING %s)) > %d", set, t.size))
	}
	return out, true
}

// most is how many bytes the text of a value can have in a character set.
func most(f side, charset string) int {
	n := f.letters()
	if f.family == Text && f.size > 0 { // counted in bytes already
		if f.charset == charset {
			return n
		}
		return n * Widest(charset)
	}
	if f.family == Text {
		return n * Widest(charset)
	}
	return n
}

func textLoses(f, t side, to *catalog.Object) string {
	switch {
	case f.family == Text && f.charset != t.charset && t.charset != "" && !holds(t.charset, f.charset):
		return "letters that " + t.charset + " does not have become question marks"
	case f.family == Bytes:
		return "bytes that are no letters of " + t.charset + " are lost"
	case t.base == "char" && f.family == Text && f.letters() <= Num(t.mod, 0, 1):
		return "blanks at the end are cut"
	}
	return "values longer than " + to.Text("type") + " are cut"
}

// toBytes are the conditions under which values do not become bytes that are
// the same.
func toBytes(f, t side) ([]string, bool) {
	length := "LENGTH({})"
	longest := most(f, f.charset)
	switch f.family {
	case Text, Bytes:
	case Bit, Shape, UUID, Inet:
		return nil, false
	default:
		length = "LENGTH(CAST({} AS CHAR))"
	}
	n := Num(t.mod, 0, 1)
	switch {
	case t.base == "binary" && f.base == "binary" && Num(f.mod, 0, 1) == n:
		return nil, true
	case t.base == "binary":
		return []string{fmt.Sprintf("%s <> %d", length, n)}, true
	case t.size == 0 && longest > n:
		return []string{fmt.Sprintf("%s > %d", length, n)}, true
	case t.size > 0 && longest > t.size:
		return []string{fmt.Sprintf("%s > %d", length, t.size)}, true
	}
	return nil, true
}

// fromText is the condition that a text is no other way to write a value of the
// type; "" where no query tells.
func fromText(f, t side) string {
	switch t.family {
	case Number:
		pattern, between := "^(0|-?[1-9][0-9]*)$", t.between()
		if t.filled > 0 { // with zeros, to its width
			pattern = fmt.Sprintf("^([0-9]{%d}|[1-9][0-9]{%[1]d,})$", t.filled)
		}
		if t.base == "bigint" { // the server reads no text beyond the signed ones
			between = strings.Replace(between, "18446744073709551615", "9223372036854775807", 1)
		}
		return "NOT " + whole + " REGEXP '" + pattern + "' OR CAST({} AS DECIMAL(65,0)) NOT BETWEEN " + between
	case Decimal:
		return comesBack(fmt.Sprintf("DECIMAL(%d,%d)", Num(t.mod, 0, 10), Num(t.mod, 1, 0))) + t.negative()
	case Float:
		if len(t.mod) > 0 {
			return ""
		}
		return comesBack(t.base) + t.negative()
	case Year:
		return "NOT " + whole + " REGEXP '^[0-9]{4}$' OR {} + 0 NOT BETWEEN 1901 AND 2155"
	case Time:
		as := map[bool]string{true: "DATE", false: fmt.Sprintf("DATETIME(%d)", Num(t.mod, 0, 0))}[t.base == "date"]
		c := comesBack(as)
		if t.base == "timestamp" {
			c += " OR CAST({} AS DATETIME(6)) NOT BETWEEN " + epoch
		}
		return c
	case Clock:
		return comesBack(fmt.Sprintf("TIME(%d)", Num(t.mod, 0, 0)))
	case Choice:
		return "NOT " + whole + " IN (" + exactly(t.mod) + ")"
	case Choices:
		return "NOT " + whole + " REGEXP " + vocab.Literal(members(t.mod)) + " OR {} LIKE '%,'"
	case UUID, Inet:
		return comesBack(t.base)
	}
	return ""
}

// epoch is what a timestamp holds.
const epoch = "'1970-01-01 00:00:01' AND '2038-01-19 03:14:07'"

// between is what a whole-number type holds.
func (s side) between() string {
	if s.unsigned {
		return limits[s.base][1]
	}
	return limits[s.base][0]
}

// negative is the condition that a type without sign refuses a value.
func (s side) negative() string {
	if s.unsigned {
		return " OR {} < 0"
	}
	return ""
}

// exactly lists labels so that letter case and blanks count.
func exactly(labels []string) string {
	out := make([]string, len(labels))
	for i, l := range labels {
		out[i] = "BINARY " + l
	}
	return strings.Join(out, ", ")
}

// members is the pattern of what a set prints: some of its members, in order.
func members(labels []string) string {
	var b strings.Builder
	b.WriteString("^")
	for _, l := range labels {
		b.WriteString("(" + regexp.QuoteMeta(vocab.Unquote(l)) + "(,|$))?")
	}
	return b.String() + "$"
}

// numbers are the conditions under which a number becomes another.
func numbers(f, t side) ([]string, bool) {
	value := "{}"
	if f.family == Bit || f.family == Year {
		value = "({} + 0)"
	}
	wholeNumber := f.family == Number || f.family == Bit || f.family == Year
	switch t.family {
	case Number:
		var out []string
		if !fits(f, t) {
			out = append(out, value+" NOT BETWEEN "+t.between())
		}
		if !wholeNumber && !(f.family == Decimal && Num(f.mod, 1, 0) == 0) {
			out = append(out, "ROUND({}) <> {}")
		}
		return out, true
	case Decimal:
		room, scale := Num(t.mod, 0, 10)-Num(t.mod, 1, 0), Num(t.mod, 1, 0)
		var out []string
		switch {
		case f.family == Float && f.base == "double":
			out = append(out, fmt.Sprintf("NOT CAST(CAST({} AS DECIMAL(%d,%d)) AS DOUBLE) <=> {}", Num(t.mod, 0, 10), scale))
		case f.family == Float:
			out = append(out, fmt.Sprintf("NOT CAST(CAST({} AS DECIMAL(%d,%d)) AS FLOAT) <=> {}", Num(t.mod, 0, 10), scale))
		case f.family == Decimal && (Num(f.mod, 1, 0) > scale || Num(f.mod, 0, 10)-Num(f.mod, 1, 0) > room):
			out = append(out, fmt.Sprintf("ROUND({}, %d) <> {} OR ABS({}) >= 1e%d", scale, room))
		case f.family == Number && digits[f.size] > room, f.family == Bit && room < 20, f.family == Year && room < 4:
			out = append(out, fmt.Sprintf("ABS(%s + 0e0) >= 1e%d", value, room))
		}
		if t.unsigned && !f.unsigned {
			out = append(out, "{} < 0")
		}
		return out, true
	case Float:
		return floats(f, t, value), true
	case Bit:
		n := Num(t.mod, 0, 1)
		switch {
		case f.family == Bit && Num(f.mod, 0, 1) <= n, f.family == Number && f.unsigned && bits[f.size] <= n:
			return nil, true
		case wholeNumber:
			return []string{fmt.Sprintf("%s < 0 OR %s >= POW(2, %d)", value, value, n)}, true
		}
	case Year:
		if wholeNumber && f.family != Bit {
			return []string{value + " NOT BETWEEN 1901 AND 2155 AND " + value + " <> 0"}, true
		}
	}
	return nil, false
}

// fits tells whether a whole-number type holds every value of another.
func fits(f, t side) bool {
	switch f.family {
	case Number:
		return t.size > f.size && (f.unsigned || !t.unsigned) || t.size == f.size && t.unsigned == f.unsigned
	case Bit:
		return Num(f.mod, 0, 1) < bits[t.size] || t.unsigned && Num(f.mod, 0, 1) == bits[t.size]
	case Year:
		return t.size > 1
	}
	return false
}

// exact are how many bits of a whole number the floating types keep, and how
// many digits of any.
var exact = map[string]struct {
	upTo   string
	bits   int
	digits int
}{"float": {"16777216", 24, 6}, "double": {"9007199254740992", 53, 15}}

func floats(f, t side, value string) []string {
	var out []string
	e := exact[t.base]
	switch {
	case f.family == Number && bits[f.size] > e.bits, f.family == Bit && Num(f.mod, 0, 1) > e.bits:
		out = append(out, fmt.Sprintf("%s NOT BETWEEN -%s AND %[2]s", value, e.upTo))
	case f.family == Decimal && Num(f.mod, 0, 10) > e.digits:
		out = append(out, fmt.Sprintf("NOT CAST(CAST({} AS %s) AS DECIMAL(%d,%d)) <=> {}", t.base, Num(f.mod, 0, 10), Num(f.mod, 1, 0)))
	case f.base == "double" && t.base == "float":
		out = append(out, "NOT CAST(CAST({} AS FLOAT) AS DOUBLE) <=> {}")
	}
	if len(t.mod) > 1 {
		out = append(out, fmt.Sprintf("NOT CAST(ROUND(%s, %d) AS %s) <=> CAST(%s AS %s) OR ABS(%[1]s) >= 1e%[6]d", value, Num(t.mod, 1, 0), f.floating(), value, f.floating(), Num(t.mod, 0, 10)-Num(t.mod, 1, 0)))
	}
	if t.unsigned && !f.unsigned {
		out = append(out, "{} < 0")
	}
	return out
}

// floating is the floating type that a number is compared as.
func (s side) floating() string {
	if s.base == "float" {
		return "FLOAT"
	}
	return "DOUBLE"
}

// times are the conditions under which a time becomes another.
func times(f, t side) []string {
	var out []string
	if t.base == "date" && f.base != "date" {
		out = append(out, "TIME({}) <> '00:00:00'")
	} else if a, b := Num(f.mod, 0, 0), Num(t.mod, 0, 0); b < a {
		out = append(out, fmt.Sprintf("MICROSECOND({}) %% %d <> 0", pow10(6-b)))
	}
	if t.base == "timestamp" && f.base != "timestamp" {
		out = append(out, "{} NOT BETWEEN "+epoch)
	}
	return out
}

func timeLoses(f, t side) string {
	switch {
	case t.base == "date":
		return "the time of day is cut off"
	case t.base == "timestamp" && f.base != "timestamp":
		return "times before 1970 or after 2038 are lost, and fractions of seconds that do not fit"
	}
	return "fractions of seconds are rounded away"
}

// labels is the condition that a value is none of an enum's or set's.
func labels(f, t side) string {
	gone := withoutThese(f.mod, t.mod)
	for i, v := range gone {
		if gone[i] = "{} = " + v; f.family == Choices {
			gone[i] = fmt.Sprintf("FIND_IN_SET(%s, {}) > 0", v)
		}
	}
	if f.family == Choices && t.family == Choice { // one of several at most
		return "NOT BINARY CAST({} AS CHAR CHARACTER SET utf8mb4) IN (" + exactly(t.mod) + ")"
	}
	return strings.Join(gone, " OR ")
}

func withoutThese(all, these []string) []string {
	return slices.DeleteFunc(slices.Clone(all), func(v string) bool { return slices.Contains(these, v) })
}

func pow10(n int) int {
	p := 1
	for range n {
		p *= 10
	}
	return p
}

// InZone makes a conversion one in a time zone, as MariaDB names it: the
// conditions look at times as they are there, and a time that the clocks there
// skip or repeat would change.
func (cv Conversion) InZone(from, to *catalog.Object, zone string) Conversion {
	f, t := sideOf(from), sideOf(to)
	there, back := fmt.Sprintf("CONVERT_TZ({}, '+00:00', %s)", vocab.Literal(zone)), fmt.Sprintf("CONVERT_TZ({}, %s, '+00:00')", vocab.Literal(zone))
	local, again := there, strings.ReplaceAll(back, "{}", there)
	if f.base != "timestamp" {
		local, again = back, strings.ReplaceAll(there, "{}", back)
	}
	skipped := "NOT " + again + " <=> {}"
	switch {
	case f.family != Time || t.family != Time:
		if cv.Loses == "" {
			cv.Loses, cv.Where = "times are written in another zone than before", skipped
		}
		return cv
	case f.base == "date":
		skipped = "NOT DATE(" + again + ") <=> {}"
	}
	cv.Where = strings.ReplaceAll(cv.Where, "TIME({})", "TIME("+local+")")
	cv.Where = strings.ReplaceAll(cv.Where, "{} NOT BETWEEN", local+" NOT BETWEEN")
	if cv.Where != "" {
		cv.Where += " OR "
	}
	if cv.Where += skipped; cv.Loses == "" {
		cv.Loses = "a time in an hour that the clocks skip or repeat becomes another"
	}
	return cv
}
