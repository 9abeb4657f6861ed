// Package convert knows what becomes of values when a column gets another type: what
// the server converts by itself, what has room, what may be lost (SQL Server: Data
// type conversion; Precision, scale, and length).
package convert

import (
	"strconv"
	"strings"
)

// Split takes a type apart: its name, and the numbers in its brackets; -1 is max.
func Split(t string) (name string, args []int) {
	name, rest, ok := strings.Cut(t, "(")
	if !ok {
		return name, nil
	}
	for _, s := range strings.Split(strings.TrimSuffix(rest, ")"), ",") {
		n, err := strconv.Atoi(strings.TrimSpace(s))
		if err != nil {
			n = -1
		}
		args = append(args, n)
	}
	return name, args
}

// family is a group of types that hold the same kind of values.
type family byte

const (
	other family = iota
	whole
	exact
	approximate
	letters // of one byte
	national
	bytes
	date
	clock
	moment
)

var families = map[string]family{"bit": whole, "tinyint": whole, "smallint": whole, "int": whole, "bigint": whole, "decimal": exact, "numeric": exact, "money": exact, "smallmoney": exact, "float": approximate, "real": approximate,
	"char": letters, "varchar": letters, "text": letters, "nchar": national, "nvarchar": national, "ntext": national, "sysname": national, "xml": other, "binary": bytes, "varbinary": bytes, "image": bytes, "rowversion": bytes,
	"date": date, "time": clock, "datetime": moment, "smalldatetime": moment, "datetime2": moment, "datetimeoffset": moment}

// digits are those before the point that a type has room for, and behind it.
func digits(name string, args []int) (before, behind int) {
	switch name {
	case "bit":
		return 1, 0
	case "tinyint":
		return 3, 0
	case "smallint":
		return 5, 0
	case "int":
		return 10, 0
	case "bigint":
		return 19, 0
	case "money":
		return 15, 4
	case "smallmoney":
		return 6, 4
	case "decimal", "numeric":
		p, s := 18, 0
		if len(args) > 0 {
			p = args[0]
		}
		if len(args) > 1 {
			s = args[1]
		}
		return p - s, s
	}
	return 0, 0
}

// room is how many letters or bytes a type has room for; a large number for max.
func room(args []int) int {
	if len(args) == 0 {
		return 1
	}
	if args[0] < 0 {
		return 1 << 31
	}
	return args[0]
}

// Widens tells whether a type only gets room for more: what stands on the column may
// stay (SQL Server: ALTER TABLE, ALTER COLUMN).
func Widens(was, now string) bool {
	a, x := Split(was)
	b, y := Split(now)
	variable := a == "varchar" || a == "nvarchar" || a == "varbinary"
	return a == b && variable && room(y) >= room(x) && room(x) < 1<<31 && room(y) < 1<<31
}

// Same tells whether only length, precision or scale are others.
func Same(was, now string) bool {
	a, _ := Split(was)
	b, _ := Split(now)
	return a == b
}

// Safe tells whether every value of a type is one of another, the same.
func Safe(was, now string) bool {
	if was == now {
		return true
	}
	a, x := Split(was)
	b, y := Split(now)
	fa, fb := families[a], families[b]
	switch {
	case fa == other || fb == other || fa == 0 || fb == 0:
		return false
	case fa <= exact && fb <= exact:
		if a == "bit" || b == "bit" {
			return a == "bit"
		}
		i, j := digits(a, x)
		k, l := digits(b, y)
		return k >= i && l >= j && !(a == "tinyint" && b == "bit") && !(b == "tinyint" && a != "tinyint")
	case fa == approximate && fb == approximate:
		return b == "float"
	case (fa == letters || fa == national) && (fb == letters || fb == national):
		return !(fa == national && fb == letters) && (long(b) || !long(a) && room(y) >= room(x)) && !(b == "char" && a != "char") && !(b == "nchar" && a != "nchar")
	case fa == bytes && fb == bytes:
		return b != "rowversion" && (b == "image" || a != "image" && a != "rowversion" && room(y) >= room(x)) && b != "binary"
	case fa == whole && (fb == letters || fb == national):
		i, _ := digits(a, x)
		return long(b) || room(y) > i && b != "char" && b != "nchar"
	case fa == date && fb == moment:
		return b == "datetime2" || b == "datetimeoffset"
	case fa == moment && fb == moment:
		return a != "datetimeoffset" && (b == "datetime2" || b == "datetimeoffset") && fraction(b, y) >= fraction(a, x)
	case fa == clock && fb == clock:
		return fraction(b, y) >= fraction(a, x)
	}
	return false
}

func long(name string) bool { return name == "text" || name == "ntext" }

func fraction(name string, args []int) int {
	switch {
	case name == "datetime":
		return 7 // thirds of hundredths want all that there are
	case name == "smalldatetime":
		return 0
	case len(args) > 0:
		return args[0]
	}
	return 7
}
