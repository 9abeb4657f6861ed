package sqlserver

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
)

// mixture makes up a structure of which some is in memory, some is searched, and some is
// bound to it.
func mixture(r *rand.Rand) string {
	var b strings.Builder
	one := func(n int) bool { return r.IntN(n) == 0 }
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	fmt.Fprintf(&b, "CREATE FULLTEXT CATALOG words%s;\n", pick("", " AS DEFAULT", " WITH ACCENT_SENSITIVITY = OFF"))
	fmt.Fprintf(&b, "CREATE TYPE dbo.tons FROM %s;\n", pick("int", "bigint"))
	memory := map[string]bool{}
	var tables []string
	for _, name := range []string{"a", "b", "c"} {
		if one(5) {
			continue
		}
		tables = append(tables, name)
		in := one(2)
		memory[name] = in
		lines := []string{"id " + pick("int", "int", "bigint") + " NOT NULL CONSTRAINT PK_" + name + " PRIMARY KEY" + map[bool]string{true: pick(" NONCLUSTERED", " NONCLUSTERED HASH WITH (BUCKET_COUNT = "+pick("10", "1000")+")"), false: pick("", " NONCLUSTERED")}[in]}
		lines = append(lines, "n "+pick("int", "dbo.tons", "bigint", "nvarchar(9)")+pick("", " NOT NULL DEFAULT 1", " CONSTRAINT DF_"+name+" DEFAULT 2"))
		if !one(3) {
			lines = append(lines, "word nvarchar("+pick("20", "30")+")"+pick("", " NOT NULL DEFAULT N'x'"))
		} else {
			lines = append(lines, "word nvarchar(20)")
		}
		if one(3) {
			lines = append(lines, "more "+pick("money", "date"))
		}
		if one(3) {
			lines = append(lines, "CONSTRAINT CK_"+name+" CHECK (id > "+pick("0", "-1")+")")
		}
		index := ""
		if one(2) && in {
			lines = append(lines, "INDEX i "+pick("(word)", "(n, word DESC)", "HASH (n) WITH (BUCKET_COUNT = 7)"))
		} else if one(2) && !in {
			index = "CREATE INDEX i ON dbo." + name + " " + pick("(word)", "(n)", "(n) INCLUDE (word)") + ";\n"
		}
		fmt.Fprintf(&b, "CREATE TABLE dbo.%s (%s)%s;\n%s", name, strings.Join(lines, ", "), map[bool]string{true: " WITH (MEMORY_OPTIMIZED = ON, DURABILITY = SCHEMA_AND_DATA)", false: pick("", "", " ON cold")}[in], index)
		if !in && one(2) {
			fmt.Fprintf(&b, "CREATE FULLTEXT INDEX ON dbo.%s (word LANGUAGE %s) KEY INDEX PK_%s ON words;\n", name, pick("1031", "1033"), name)
		}
	}
	for _, t := range tables {
		switch bound := pick("", " WITH SCHEMABINDING"); {
		case one(3):
			fmt.Fprintf(&b, "GO\nCREATE VIEW dbo.v_%s%s AS SELECT id, %s FROM dbo.%s\n", t, bound, pick("n", "word"), t)
		case memory[t] && one(2):
			fmt.Fprintf(&b, "GO\nCREATE PROCEDURE dbo.p_%s WITH NATIVE_COMPILATION, SCHEMABINDING AS BEGIN ATOMIC WITH (TRANSACTION ISOLATION LEVEL = SNAPSHOT, LANGUAGE = N'us_english') SELECT %s FROM dbo.%s; END\n", t, pick("id", "n"), t)
		}
	}
	return b.String()
}

// TestMixtures: from any mixture to any other, what cannot run in the transaction stands
// before or behind it, what does runs in it, and every row is where it was.
func TestMixtures(t *testing.T) {
	before, behind, held := 0, 0, 0
	for seed := range uint64(120) {
		r := rand.New(rand.NewPCG(seed, 17))
		from, to := mixture(r), mixture(r)
		was, err := textOf(t, from)
		if err != nil {
			t.Fatalf("seed %d: %v\n%s", seed, err, from)
		}
		now, err := textOf(t, to)
		if err != nil {
			t.Fatalf("seed %d: %v\n%s", seed, err, to)
		}
		p := build(t, was, now, engine.WriteOptions{})
		held += len(p.Held)
		rows := ""
		for _, name := range []string{"a", "b", "c"} {
			if strings.Contains(from, "CREATE TABLE dbo."+name+" ") {
				rows += fmt.Sprintf("INSERT INTO dbo.%s (id, n, word) VALUES (7, 5, N'7'), (8, 6, N'8');\n", name)
			}
		}
		d, _ := with(t, from+"\nGO\n"+rows)
		said := ""
		run := func(steps []*order.Step) {
			for _, s := range steps {
				said += s.Title + "\n"
				for _, sql := range s.Statements() {
					if err := d.Exec(t.Context(), strings.TrimSuffix(sql, "\nGO")); err != nil {
						t.Fatalf("seed %d: %s: %v\n%s\n%s\n--- from\n%s\n--- to\n%s", seed, s.Title, err, sql, said, from, to)
					}
				}
			}
		}
		part := func(is func(*order.Step) bool) []*order.Step {
			return slices.DeleteFunc(slices.Clone(p.Steps), func(s *order.Step) bool { return !is(s) })
		}
		first, last := part(func(s *order.Step) bool { return s.Alone && !s.Later }), part(func(s *order.Step) bool { return s.Later })
		before, behind = before+len(first), behind+len(last)
		run(first)
		said += "---\n"
		run([]*order.Step{{Action: &order.Action{Title: "begin", SQL: []string{"SET XACT_ABORT ON", "BEGIN TRANSACTION"}}}})
		run(part(func(s *order.Step) bool { return !s.Alone && !s.Later }))
		run([]*order.Step{{Action: &order.Action{Title: "commit", SQL: []string{"COMMIT TRANSACTION"}}}})
		run(last)
		ends, err := d.Read(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if left := differences(now, ends); len(left) > 0 && len(p.Held) == 0 {
			t.Errorf("seed %d: left is %v\n%s\n--- from\n%s\n--- to\n%s", seed, left, said, from, to)
		}
		for _, name := range []string{"a", "b", "c"} {
			if !strings.Contains(from, "CREATE TABLE dbo."+name+" ") || !strings.Contains(to, "CREATE TABLE dbo."+name+" ") {
				continue
			}
			if got := lines(t, d, "SELECT CONCAT(id, N' ', word) FROM dbo."+name+" ORDER BY id"); strings.Join(got, ";") != "7 7;8 8" {
				t.Errorf("seed %d: the rows of %s are %v\n%s\n--- from\n%s\n--- to\n%s", seed, name, got, said, from, to)
			}
		}
	}
	t.Logf("%d before, %d behind, %d held", before, behind, held)
	if before < 20 || behind < 100 {
		t.Errorf("%d before, %d behind: little was tried", before, behind)
	}
}
