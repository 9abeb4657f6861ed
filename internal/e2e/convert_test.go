package e2e

import (
	"encoding/json"
	"fmt"
	"path/filepath"
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
