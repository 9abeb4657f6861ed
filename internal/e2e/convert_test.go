package e2e

import (
	"encoding/json"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/report"
)

// samples are types with values that are hard to keep.
var samples = []struct {
	typ    string
	values []string
}{
	{"smallint", []string{"0", "-32768", "32767"}}, {"integer", []string{"16777217", "-2147483648", "7"}}, {"bigint", []string{"9007199254740993", "-9223372036854775808", "1"}},
	{"numeric", []string{"1.005", "12345678901234567890.123", "-0.1", "NaN"}}, {"numeric(10,4)", []string{"1.0005", "-2.5000"}}, {"numeric(4,-2)", []string{"1200"}}, {"real", []string{"0.1", "16777216", "1e30"}},
	{"double precision", []string{"0.1", "1e300", "123456.789"}}, {"money", []string{"12.34", "-0.01"}}, {"boolean", []string{"true", "false"}},
	{"text", []string{"007", " 7 ", "7", "yes", "2024-02-29", "0.10", `a\\b`, "long enough to be cut somewhere", "Ⅻ"}}, {"text", []string{"1", "2"}}, {"text", []string{"2024-02-29", "2024-03-01"}}, {"character varying(20)", []string{"trailing  ", "short"}}, {"character(8)", []string{"ab", "12345678"}},
	{"date", []string{"2024-02-29", "0044-03-15 BC"}}, {"timestamp(6) without time zone", []string{"2024-02-29 12:34:56.789012", "2024-03-31 02:30:00"}}, {"timestamp(0) with time zone", []string{"2024-02-29 12:34:56+03"}}, {"timestamp(6) with time zone", []string{"2024-10-27 01:30:00.5+00"}},
	{"time(6) without time zone", []string{"12:34:56.789012", "24:00:00"}}, {"time(6) with time zone", []string{"12:34:56.789012+05:30"}}, {"time(0) with time zone", []string{"12:34:56-08"}},
	{"interval", []string{"1 year 2 mons 3 days 04:05:06.7", "25:00:00"}}, {"interval year to month", []string{"1 year 2 mons"}},
	{"bit(8)", []string{"10101010", "00000001"}}, {"bit varying(8)", []string{"101", "10101010"}}, {"bit varying(4)", []string{"101"}},
	{"json", []string{`{"b": 1, "a": 2, "a": 3}`, `[1.0, 2]`}}, {"jsonb", []string{`{"a": 1.0}`}}, {"bytea", []string{`\x00ff`, `\x61`}}, {"uuid", []string{"00000000-0000-0000-0000-00000000000f"}},
	{"inet", []string{"10.0.0.5/24"}}, {"cidr", []string{"10.0.0.0/24"}}, {"macaddr", []string{"08:00:2b:01:02:03"}}, {"xml", []string{"<a/>"}}, {"name", []string{"berth"}},
}

// TestEveryConversion converts every type into every other, on a server and with
// rows: what runs without permission changes no value, and what is held back
// for its values would change one, or is refused.
func TestEveryConversion(t *testing.T) {
	t.Parallel()
	p := pgPlaces{postgres(t)}
	dir := t.TempDir()
	for n, from := range samples {
		var now, was []string
		for i, to := range samples {
			now, was = append(now, fmt.Sprintf("c%d %s", i, to.typ)), append(was, fmt.Sprintf("c%d %s", i, from.typ))
		}
		rows := ""
		for id, v := range from.values {
			rows += fmt.Sprintf("INSERT INTO t VALUES (%d%s);", id, strings.Repeat(", '"+strings.ReplaceAll(v, "'", "''")+"'", len(samples)))
		}
		source, target := p.make(t, "CREATE TABLE t (id int, "+strings.Join(now, ", ")+")"), p.make(t, "CREATE TABLE t (id int, "+strings.Join(was, ", ")+");"+rows+"CREATE TABLE was AS SELECT * FROM t")
		r := run(t, dir, "script", source, target, "--only", "table:t", "--format", "json")
		var answer struct{ Script *report.JSONScript }
		if err := json.Unmarshal([]byte(r.out), &answer); err != nil || answer.Script == nil {
			t.Fatalf("%s: %s", from.typ, r.errout)
		}
		held := map[string]string{}
		for _, s := range answer.Script.Held {
			for _, k := range s.Risks {
				if k.On.Part != "" {
					held[k.On.Part] += k.Sentence() + "; "
				}
			}
		}
		file := filepath.Join(dir, fmt.Sprintf("up%d.sql", n))
		run(t, dir, "script", source, target, "--only", "table:t", "-o", file)
		if out, err := p.client(target, file); err != nil {
			t.Errorf("from %s: the script fails: %s", from.typ, out)
			continue
		}
		for i, to := range samples {
			c := fmt.Sprintf("c%d", i)
			same := func(there, back string) string { // of each value whether it is itself again, or why it is not to be had
				return fmt.Sprintf("SELECT count(*) FROM t JOIN was USING (id) WHERE (%s)%s::text IS DISTINCT FROM was.%s::text", there, back, c)
			}
			if to.typ == from.typ {
				continue
			}
			there, back := "t."+c, "::"+from.typ
			switch { // ways back that are not the usual one
			case to.typ == "bytea":
				there = "convert_from(t." + c + ", 'UTF8')"
			case from.typ == "boolean" && strings.Contains("smallint bigint numeric(10,4) real double precision", to.typ):
				back = "::integer::boolean"
			case to.typ == "money" || from.typ == "money" && strings.Contains("smallint integer bigint numeric numeric(10,4) numeric(4,-2) real double precision", to.typ):
				back = "::numeric" + back
			}
			if held[c] == "" {
				if changed, err := tryCommand(same(there, back), filepath.Join(p.s.clients, "psql"), "-X", "-q", "-At", "-v", "ON_ERROR_STOP=1", "-h", p.s.dir, "-U", "postgres", "-d", p.name(target), "-f", "-"); err != nil || strings.TrimSpace(changed) != "0" {
					t.Errorf("from %s to %s: it ran, and %s of %d values are others now", from.typ, to.typ, strings.TrimSpace(changed), len(from.values))
				}
			}
		}
	}
}

// mariaSamples are types of MariaDB with values that are hard to keep, as SQL.
var mariaSamples = []struct {
	typ    string
	values []string
}{
	{"tinyint", []string{"0", "-128", "127"}}, {"smallint unsigned", []string{"0", "65535"}}, {"int", []string{"-2147483648", "2147483647", "16777217"}}, {"int(6) unsigned zerofill", []string{"7"}}, {"bigint", []string{"9007199254740993", "-9223372036854775808"}}, {"bigint unsigned", []string{"18446744073709551615", "1"}},
	{"decimal(10,4)", []string{"1.0005", "-2.5", "100"}}, {"decimal(30,2) unsigned", []string{"1234567890123456789012345678.25"}}, {"float", []string{"0.1", "1e30", "16777216"}}, {"float(7,2)", []string{"12.25"}}, {"double", []string{"0.1", "1e300", "123456.789"}}, {"double unsigned", []string{"3"}}, {"bit(8)", []string{"b'10101010'", "1"}}, {"year", []string{"2024", "0"}},
	{"varchar(20) character set utf8mb4", []string{"'007'", "'7'", "'yes'", "'2024-02-29'", "'trail  '", "'🚤'", "'10'", "'A'"}}, {"varchar(21) character set utf8mb4", []string{"'1'", "'2'"}}, {"varchar(22) character set utf8mb4", []string{"'2024-02-29'", "'2024-03-01'"}}, {"varchar(23) character set utf8mb4", []string{"'a'", "'10'"}},
	{"char(8) character set latin1", []string{"'ab'", "'é'"}}, {"text character set latin1", []string{"'x'", "repeat('é', 200)"}}, {"varchar(20) character set utf8mb3", []string{"'Ⅻ'"}}, {"tinytext character set utf8mb4", []string{"'b'"}}, {"varchar(30) character set ucs2", []string{"'b'"}},
	{"binary(4)", []string{"'ab'", "0x00ff00ff"}}, {"binary(8)", []string{"'ab'"}}, {"varbinary(8)", []string{"'ab'", "0xff"}}, {"blob", []string{"0x00ff", "'a'"}},
	{"date", []string{"'2024-02-29'", "'1969-01-01'"}}, {"datetime(6)", []string{"'2024-03-31 02:30:00.5'", "'1960-01-01 00:00:00'"}}, {"datetime", []string{"'2024-02-29 00:00:00'"}}, {"timestamp null", []string{"'2024-02-29 12:34:56'"}}, {"timestamp(3) null", []string{"'2024-02-29 12:34:56.5'"}}, {"time(3)", []string{"'12:34:56.789'", "'-838:59:59'"}}, {"time", []string{"'12:34:56'"}},
	{"enum('a','b','10')", []string{"'a'", "'10'"}}, {"enum('b','a')", []string{"'a'"}}, {"set('a','b','c')", []string{"'a,c'", "''"}}, {"uuid", []string{"'00000000-0000-0000-0000-00000000000f'"}}, {"inet6", []string{"'::1'", "'::ffff:10.0.0.5'"}}, {"inet4", []string{"'10.0.0.5'"}},
	{"longtext character set utf8mb4", []string{`'{"a": 1}'`}}, {"point", []string{"ST_GeomFromText('POINT(1 2)')"}}, {"geometry", []string{"ST_GeomFromText('POINT(1 2)')"}},
}

// another tells the conversions that make something else of a value, though it
// comes back: a time's digits, a label's place, bits as letters, bytes filled up
// with zeros. They want permission, whatever the rows hold.
func another(from, to string) bool {
	kind := func(typ string) string {
		base, _, _ := strings.Cut(strings.ReplaceAll(typ, "(", " "), " ")
		for name, kinds := range map[string]string{"number": "tinyint smallint int bigint decimal float double year bit", "time": "date datetime timestamp", "clock": "time", "label": "enum set", "inet": "uuid inet4 inet6", "shape": "point geometry"} {
			if slices.Contains(strings.Fields(kinds), base) {
				return name
			}
		}
		return base
	}
	f, t := kind(from), kind(to)
	switch f {
	case "number":
		return t == "time" || t == "clock" || t == "label" || t == "binary" || strings.HasPrefix(from, "bit") || strings.HasPrefix(to, "bit") || strings.HasPrefix(to, "float(")
	case "time", "clock":
		return t == "number" || t == "time" || t == "clock"
	case "label":
		return t == "number"
	case "inet", "shape":
		return true
	}
	return t == "inet" || t == "binary" || strings.HasPrefix(to, "bit")
}

// TestEveryMariaConversion is TestEveryConversion on MariaDB: a value is kept
// that is itself again when the column gets its old type back; and what is held
// back would change a value, or the server refuses it.
func TestEveryMariaConversion(t *testing.T) {
	t.Parallel()
	p := mariaPlaces{mariadb(t)}
	dir := t.TempDir()
	for n, from := range mariaSamples {
		var now, was []string
		for i, to := range mariaSamples {
			now, was = append(now, fmt.Sprintf("c%d %s", i, to.typ)), append(was, fmt.Sprintf("c%d %s", i, from.typ))
		}
		rows := ""
		for id, v := range from.values {
			rows += fmt.Sprintf("INSERT INTO t VALUES (%d%s);", id, strings.Repeat(", "+v, len(mariaSamples)))
		}
		source, target := p.make(t, "CREATE TABLE t (id int, "+strings.Join(now, ", ")+")"), p.make(t, "CREATE TABLE t (id int, "+strings.Join(was, ", ")+");"+rows+"CREATE TABLE was AS SELECT * FROM t; CREATE TABLE lone AS SELECT * FROM t")
		file := filepath.Join(dir, fmt.Sprintf("up%d.sql", n))
		r := run(t, dir, "script", source, target, "--only", "table:t", "-o", file, "--format", "json")
		var answer struct{ Script *report.JSONScript }
		if err := json.Unmarshal([]byte(r.out), &answer); err != nil || answer.Script == nil {
			t.Fatalf("%s: %s %s", from.typ, r.out, r.errout)
		}
		held := map[string]string{}
		for _, s := range answer.Script.Held {
			for _, k := range s.Risks {
				if k.On.Part != "" {
					held[k.On.Part] += k.Sentence() + "; "
				}
			}
		}
		if out, err := p.client(target, file); err != nil {
			t.Errorf("from %s: the script fails: %s", from.typ, out)
			continue
		}
		const strict, loose = "SET sql_mode = 'STRICT_ALL_TABLES', time_zone = '+00:00'; ", "SET sql_mode = '', time_zone = '+00:00'; "
		for i, to := range mariaSamples {
			c := fmt.Sprintf("c%d", i)
			if to.typ == from.typ {
				continue
			}
			ask := func(query string) (string, error) {
				out, err := tryCommand(loose+query, "mariadb", p.s.args(p.name(target))...)
				return strings.TrimSpace(out), err
			}
			changed := func(table string) (string, error) { // how many are neither said the same way nor themselves again
				if n, err := ask(fmt.Sprintf("SELECT coalesce(sum(NOT BINARY CAST(x.%[1]s AS CHAR) <=> BINARY CAST(was.%[1]s AS CHAR)), 0) FROM %[2]s AS x JOIN was USING (id)", c, table)); err == nil && n == "0" {
					return n, nil
				}
				return ask(fmt.Sprintf("ALTER TABLE %s MODIFY %s %s; SELECT coalesce(sum(NOT BINARY x.%[2]s <=> BINARY was.%[2]s), 0) FROM %[1]s AS x JOIN was USING (id)", table, c, from.typ))
			}
			if held[c] == "" {
				if n, err := changed("t"); err != nil || n != "0" {
					t.Errorf("from %s to %s: it ran, and %s of %d values are others now", from.typ, to.typ, n, len(from.values))
				}
				continue
			}
			if _, err := tryCommand(fmt.Sprintf("%sALTER TABLE lone MODIFY %s %s", strict, c, to.typ), "mariadb", p.s.args(p.name(target))...); err != nil {
				continue
			}
			if n, err := changed("lone"); err == nil && n == "0" && !another(from.typ, to.typ) {
				t.Errorf("from %s to %s: held back, though every value would stay: %s", from.typ, to.typ, held[c])
			}
		}
	}
}
