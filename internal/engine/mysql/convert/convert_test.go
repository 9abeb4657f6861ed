package convert

import (
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
)

// TestBetween: what is kept whatever it is, what the rows are asked, and what no
// query tells.
func TestBetween(t *testing.T) {
	const kept, untold, never = "kept", "untold", "never"
	column := func(typ string) *catalog.Object {
		typ, charset, _ := strings.Cut(typ, " charset ")
		o := &catalog.Object{Kind: catalog.Column, Name: "c"}
		o.SetText("charset", charset)
		return o.Set("type", catalog.Scalar(typ))
	}
	for _, c := range []struct{ from, to, want string }{
		{"int", "bigint", kept}, {"bigint", "int", "{} NOT BETWEEN -2147483648 AND 2147483647"}, {"int", "int unsigned", "{} NOT BETWEEN 0 AND 4294967295"}, {"smallint unsigned", "int", kept},
		{"decimal(8,2)", "decimal(11,4)", kept}, {"decimal(9,2)", "decimal(6,1) unsigned", "ROUND({}, 1) <> {} OR ABS({}) >= 1e5 OR {} < 0"}, {"int", "decimal(12,2)", kept},
		{"decimal(9,2)", "int", "{} NOT BETWEEN -2147483648 AND 2147483647 OR ROUND({}) <> {}"}, {"int", "double", kept}, {"int", "float", "{} NOT BETWEEN -16777216 AND 16777216"},
		{"float", "double", kept}, {"double", "float", "NOT CAST(CAST({} AS FLOAT) AS DOUBLE) <=> {}"}, {"bit(3)", "bit(2)", "({} + 0) < 0 OR ({} + 0) >= POW(2, 2)"},
		{"varchar(40) charset latin1", "varchar(400) charset latin1", kept}, {"varchar(20) charset utf8mb4", "varchar(5) charset utf8mb4", "CHAR_LENGTH({}) > 5"}, {"varchar(9) charset utf8mb4", "char(9) charset utf8mb4", "{} LIKE '% '"},
		{"text charset latin1", "text charset utf8mb4", "LENGTH(CONVERT({} USING utf8mb4)) > 65535"}, {"varchar(60) charset latin1", "tinytext charset utf8mb4", kept}, {"text charset latin1", "tinytext charset latin1", "LENGTH(CONVERT({} USING latin1)) > 255"},
		{"varchar(9) charset utf8mb4", "varchar(9) charset utf8mb3", "NOT BINARY CONVERT(CONVERT({} USING utf8mb3) USING utf8mb4) <=> BINARY CONVERT({} USING utf8mb4)"}, {"varchar(9) charset utf8mb3", "varchar(9) charset utf8mb4", kept},
		{"int", "varchar(30) charset utf8mb4", kept}, {"int", "varchar(3) charset utf8mb4", "CHAR_LENGTH(CAST({} AS CHAR)) > 3"}, {"decimal(10,2)", "varchar(5) charset utf8mb4", "CHAR_LENGTH(CAST({} AS CHAR)) > 5"},
		{"enum('abc')", "varchar(2) charset utf8mb4", "CHAR_LENGTH(CAST({} AS CHAR)) > 2"}, {"set('a','b')", "varchar(3) charset utf8mb4", kept}, {"inet4", "varchar(15) charset utf8mb4", kept}, {"uuid", "varchar(36) charset ascii", kept},
		{"varbinary(9)", "varbinary(3)", "LENGTH({}) > 3"}, {"binary(4)", "binary(8)", "LENGTH({}) <> 8"}, {"binary(4)", "varbinary(4)", kept}, {"blob", "longblob", kept}, {"varchar(9) charset latin1", "binary(9)", "LENGTH({}) <> 9"},
		{"datetime", "date", "TIME({}) <> '00:00:00'"}, {"datetime(6)", "datetime(3)", "MICROSECOND({}) % 1000 <> 0"}, {"date", "datetime", kept}, {"timestamp", "datetime", kept}, {"datetime", "timestamp", "{} NOT BETWEEN " + epoch},
		{"enum('a','b','c')", "enum('a','b')", "{} = 'c'"}, {"enum('a','b')", "enum('b','a','c')", kept}, {"set('x','y')", "set('x')", "FIND_IN_SET('y', {}) > 0"},
		{"varchar(9) charset utf8mb4", "enum('a','B')", "NOT BINARY CONVERT({} USING utf8mb4) IN (BINARY 'a', BINARY 'B')"}, {"varchar(9) charset utf8mb4", "set('a.','b')", `NOT BINARY CONVERT({} USING utf8mb4) REGEXP '^(a\\.(,|$))?(b(,|$))?$' OR {} LIKE '%,'`},
		{"date", "int", untold}, {"enum('a')", "int", untold}, {"blob", "int", untold}, {"time", "datetime", untold}, {"bit(8)", "text charset latin1", untold}, {"frobnicate", "int", untold},
		{"longtext charset utf8mb4", "point", never}, {"point", "geometry", kept}, {"int", "geometry", never},
	} {
		cv := Between(column(c.from), column(c.to))
		got := cv.Where
		switch {
		case cv.Impossible:
			got = never
		case cv.Loses == "":
			got = kept
		case cv.Where == "":
			got = untold
		}
		if got != c.want {
			t.Errorf("%s to %s: %s, want %s", c.from, c.to, got, c.want)
		}
	}
}
