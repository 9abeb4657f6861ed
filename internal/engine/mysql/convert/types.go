// Package convert knows what becomes of values when a column changes its type,
// on MariaDB and MySQL, in strict mode: which are kept whatever they are, which
// rows to ask for, and what no query tells.
package convert

import (
	"strconv"
	"strings"

	"dappermirror/internal/engine/mysql/vocab"
)

// Family groups types between which values move alike.
type Family string

// The families.
const (
	Number  Family = "number"
	Decimal Family = "decimal"
	Float   Family = "float"
	Year    Family = "year"
	Bit     Family = "bit"
	Text    Family = "text"
	Bytes   Family = "bytes"
	Time    Family = "time" // with a date
	Clock   Family = "clock"
	Choice  Family = "choice"
	Choices Family = "choices"
	UUID    Family = "uuid"
	Inet    Family = "inet"
	Shape   Family = "shape"
)

// class says where a type stands; size orders those of one family where a
// smaller one holds less, and of texts is how many bytes they hold, 0 where
// that is said with the type.
type class struct {
	family Family
	size   int
}

var classes = map[string]class{
	"tinyint": {Number, 1}, "smallint": {Number, 2}, "mediumint": {Number, 3}, "int": {Number, 4}, "bigint": {Number, 5}, "decimal": {Decimal, 1},
	"float": {Float, 1}, "double": {Float, 2}, "year": {Year, 1}, "bit": {Bit, 1},
	"char": {Text, 0}, "varchar": {Text, 0}, "tinytext": {Text, 255}, "text": {Text, 65535}, "mediumtext": {Text, 1<<24 - 1}, "longtext": {Text, 1<<32 - 1}, "json": {Text, 1<<32 - 1},
	"binary": {Bytes, 0}, "varbinary": {Bytes, 0}, "tinyblob": {Bytes, 255}, "blob": {Bytes, 65535}, "mediumblob": {Bytes, 1<<24 - 1}, "longblob": {Bytes, 1<<32 - 1},
	"date": {Time, 1}, "datetime": {Time, 3}, "timestamp": {Time, 2}, "time": {Clock, 1},
	"enum": {Choice, 1}, "set": {Choices, 1}, "uuid": {UUID, 36}, "inet4": {Inet, 15}, "inet6": {Inet, 45},
	"point": {Shape, 1}, "linestring": {Shape, 1}, "polygon": {Shape, 1}, "multipoint": {Shape, 1}, "multilinestring": {Shape, 1}, "multipolygon": {Shape, 1}, "geometrycollection": {Shape, 1}, "geomcollection": {Shape, 1}, "geometry": {Shape, 2},
}

// FamilyOf is the family of a type as it is written, "" for one not known.
func FamilyOf(typ string) Family {
	base, _, _ := Split(typ)
	return classes[base].family
}

// Split cuts "decimal(8,2) unsigned".
func Split(t string) (base string, modifier []string, unsigned bool) {
	base, rest, _ := strings.Cut(t, "(")
	if f := strings.Fields(base); len(f) > 0 {
		base = f[0]
	}
	if i := strings.LastIndex(rest, ")"); i >= 0 {
		modifier = vocab.Cursor("(" + rest[:i] + ")").Items()
	}
	return base, modifier, strings.Contains(t, "unsigned") || strings.Contains(t, "zerofill")
}

// Num is a number of a type's modifier, or what stands for it.
func Num(l []string, i, otherwise int) int {
	if i < len(l) {
		if n, err := strconv.Atoi(l[i]); err == nil {
			return n
		}
	}
	return otherwise
}

// widest is how many bytes a letter of a character set can take; 1 where it is
// not among these.
var widest = map[string]int{"utf8mb4": 4, "utf8mb3": 3, "utf8": 3, "ucs2": 2, "utf16": 4, "utf16le": 4, "utf32": 4, "big5": 2, "gbk": 2, "gb2312": 2, "sjis": 2, "cp932": 2, "euckr": 2, "ujis": 3, "eucjpms": 3, "gb18030": 4}

// Widest is how many bytes a letter of a character set can take.
func Widest(charset string) int { return max(widest[charset], 1) }

// holds tells whether one character set has all letters of another.
func holds(to, from string) bool {
	switch from {
	case to, "ascii":
		return to != "swe7"
	}
	switch to {
	case "utf8mb4", "utf16", "utf16le", "utf32", "gb18030":
		return true
	case "utf8mb3", "utf8", "ucs2":
		return Widest(from) == 1 || from == "utf8" || from == "utf8mb3" || from == "ucs2"
	}
	return false
}

// limits are the least and greatest values of the whole-number types, signed
// and unsigned.
var limits = map[string][2]string{
	"tinyint": {"-128 AND 127", "0 AND 255"}, "smallint": {"-32768 AND 32767", "0 AND 65535"}, "mediumint": {"-8388608 AND 8388607", "0 AND 16777215"},
	"int": {"-2147483648 AND 2147483647", "0 AND 4294967295"}, "bigint": {"-9223372036854775808 AND 9223372036854775807", "0 AND 18446744073709551615"},
}

// bits are how many bits the values of the whole-number types have.
var bits = map[int]int{1: 8, 2: 16, 3: 24, 4: 32, 5: 64}

// digits are how many digits they have.
var digits = map[int]int{1: 3, 2: 5, 3: 8, 4: 10, 5: 20}
