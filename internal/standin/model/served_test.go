package model

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// must runs a text that may not be refused.
func (x *session) must(t *testing.T, text string) {
	t.Helper()
	if n := x.runs(text); n != "" {
		t.Fatalf("refused with %s: %s", n, text)
	}
}

// TestHistory: what a table was at any time is what it was seen to be then, through any
// span of time what it was at some time of it, and nothing of it is lost.
func TestHistory(t *testing.T) {
	for seed := range uint64(12) {
		r := rand.New(rand.NewPCG(seed, 11))
		x := alone(t)
		x.must(t, "CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, since datetime2 GENERATED ALWAYS AS ROW START HIDDEN NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END HIDDEN NOT NULL, PERIOD FOR SYSTEM_TIME (since, until)) WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.berth_was))")
		type moment struct{ at, rows string }
		var seen []moment
		look := func() {
			at := x.value("CONVERT(nvarchar(40), SYSUTCDATETIME(), 121)")
			for x.value("CONVERT(nvarchar(40), SYSUTCDATETIME(), 121)") == at { // what comes is later
			}
			seen = append(seen, moment{at, x.value("* FROM dbo.berth ORDER BY id")})
		}
		look()
		for range 40 {
			change := []string{fmt.Sprintf("INSERT INTO dbo.berth (id, depth) VALUES (%d, %d)", r.IntN(6), r.IntN(9)), fmt.Sprintf("UPDATE dbo.berth SET depth = depth + %d WHERE id %% 2 = %d", r.IntN(2), r.IntN(2)), fmt.Sprintf("DELETE FROM dbo.berth WHERE id = %d", r.IntN(6)),
				"BEGIN TRAN; UPDATE dbo.berth SET depth = 0; DELETE FROM dbo.berth WHERE id = 1; INSERT INTO dbo.berth (id) VALUES (1); " + []string{"COMMIT", "ROLLBACK"}[r.IntN(2)], "ALTER TABLE dbo.berth ALTER COLUMN depth " + []string{"int", "bigint"}[r.IntN(2)]}[r.IntN(5)]
			x.runs(change)
			look()
		}
		for _, m := range seen {
			if got := x.value("* FROM dbo.berth FOR SYSTEM_TIME AS OF '" + m.at + "' ORDER BY id"); got != m.rows {
				t.Fatalf("seed %d: at %s it was %s, and is said to have been %s", seed, m.at, m.rows, got)
			}
		}
		for range 30 {
			i, j := r.IntN(len(seen)), r.IntN(len(seen))
			from, to := seen[min(i, j)], seen[max(i, j)]
			want := map[string]bool{}
			for _, m := range seen[min(i, j) : max(i, j)+1] {
				for _, row := range strings.Split(m.rows, ";") {
					want[row] = row != ""
				}
			}
			got := map[string]bool{}
			for _, row := range strings.Split(x.value(fmt.Sprintf("* FROM dbo.berth FOR SYSTEM_TIME BETWEEN '%s' AND '%s'", from.at, to.at)), ";") {
				got[row] = true
			}
			for row := range want {
				if want[row] && !got[row] {
					t.Errorf("seed %d: from %s to %s there was %s: %v", seed, from.at, to.at, row, got)
				}
			}
			open := x.value(fmt.Sprintf("COUNT(*) FROM dbo.berth FOR SYSTEM_TIME FROM '%s' TO '%s'", from.at, to.at))
			closed := x.value(fmt.Sprintf("COUNT(*) FROM dbo.berth FOR SYSTEM_TIME CONTAINED IN ('%s', '%s')", from.at, to.at))
			if i != j && len(open) < len(closed) {
				t.Errorf("seed %d: %s rows touch a span that %s are within", seed, open, closed)
			}
		}
		all := x.value("COUNT(*) FROM dbo.berth FOR SYSTEM_TIME ALL")
		parts := x.value("(SELECT COUNT(*) FROM dbo.berth) + (SELECT COUNT(*) FROM dbo.berth_was) AS n")
		if all != parts {
			t.Errorf("seed %d: %s rows of all time, %s now and in the history", seed, all, parts)
		}
		x.must(t, "ALTER TABLE dbo.berth SET (SYSTEM_VERSIONING = OFF); DELETE FROM dbo.berth; ALTER TABLE dbo.berth DROP PERIOD FOR SYSTEM_TIME; INSERT INTO dbo.berth VALUES (99, 1, '2020-01-01', '9999-12-31T23:59:59.9999999')")
		x.must(t, "ALTER TABLE dbo.berth ADD PERIOD FOR SYSTEM_TIME (since, until); ALTER TABLE dbo.berth SET (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.berth_was))")
		if got := x.value("id FROM dbo.berth FOR SYSTEM_TIME AS OF '2021-01-01'"); got != "99" {
			t.Errorf("seed %d: what was there before: %s", seed, got)
		}
	}
}

// TestPartitions: each row is in the partition that its boundaries say, whatever was split
// and merged before.
func TestPartitions(t *testing.T) {
	types := []struct {
		typ   string
		value func(n int) string
	}{
		{"int", func(n int) string { return fmt.Sprint(n) }}, {"decimal(9,2)", func(n int) string { return fmt.Sprintf("%d.25", n) }}, {"datetime2(0)", func(n int) string { return fmt.Sprintf("'20%02d-01-01'", n) }},
		{"date", func(n int) string { return fmt.Sprintf("'2026-01-%02d'", n+1) }}, {"nvarchar(9)", func(n int) string { return fmt.Sprintf("N'%c%c'", 'a'+n/5, 'a'+n%5) }}, {"char(3)", func(n int) string { return fmt.Sprintf("'%03d'", n) }},
		{"uniqueidentifier", nil}, {"varbinary(4)", func(n int) string { return fmt.Sprintf("0x%02X", n+1) }},
	}
	for seed := range uint64(24) {
		r := rand.New(rand.NewPCG(seed, 12))
		x := alone(t)
		typ := types[seed%uint64(len(types))]
		if typ.value == nil {
			continue
		}
		side := []string{"LEFT", "RIGHT"}[r.IntN(2)]
		bounds := map[int]bool{}
		for range 1 + r.IntN(4) {
			bounds[r.IntN(24)] = true
		}
		list := func() []string {
			var out []string
			for _, n := range slices.Sorted(maps.Keys(bounds)) {
				out = append(out, typ.value(n))
			}
			return out
		}
		said := list()
		r.Shuffle(len(said), func(i, j int) { said[i], said[j] = said[j], said[i] })
		x.must(t, fmt.Sprintf("CREATE PARTITION FUNCTION f (%s) AS RANGE %s FOR VALUES (%s); CREATE PARTITION SCHEME s AS PARTITION f ALL TO ([PRIMARY]); CREATE TABLE dbo.call (id int NOT NULL, at %s NULL, n int) ON s (at)", typ.typ, side, strings.Join(said, ", "), typ.typ))
		rows := 0
		for range 30 {
			v := typ.value(r.IntN(24))
			if r.IntN(8) == 0 {
				v = "NULL"
			}
			rows++
			x.must(t, fmt.Sprintf("INSERT INTO dbo.call VALUES (%d, %s, %d)", rows, v, r.IntN(3)))
		}
		steps := []string{"CREATE CLUSTERED INDEX cx ON dbo.call (id)", "CREATE INDEX ix ON dbo.call (n)", "CREATE UNIQUE INDEX ux ON dbo.call (id, at) ON s (at)", "DROP INDEX cx ON dbo.call"}
		for step := range 12 {
			n := r.IntN(24)
			switch {
			case step < len(steps):
				x.must(t, steps[step])
			case bounds[n]:
				delete(bounds, n)
				x.must(t, "ALTER PARTITION FUNCTION f() MERGE RANGE ("+typ.value(n)+")")
			default:
				bounds[n] = true
				x.must(t, "ALTER PARTITION SCHEME s NEXT USED [PRIMARY]; ALTER PARTITION FUNCTION f() SPLIT RANGE ("+typ.value(n)+")")
			}
			values := list()
			var want []string
			for i := range len(values) + 1 {
				low, high := "1 = 1", "1 = 1"
				op := map[string][2]string{"LEFT": {">", "<="}, "RIGHT": {">=", "<"}}[side]
				if i > 0 {
					low = "at " + op[0] + " " + values[i-1]
				}
				if i < len(values) {
					high = "at " + op[1] + " " + values[i]
				}
				if i == 0 {
					low = "1 = 1) OR (at IS NULL"
				}
				want = append(want, x.value(fmt.Sprintf("COUNT(*) FROM dbo.call WHERE (%s AND %s)", high, low)))
			}
			for _, of := range strings.Split(x.value("index_id FROM sys.indexes WHERE object_id = OBJECT_ID('dbo.call')"), ";") {
				if got := x.value("rows FROM sys.partitions WHERE object_id = OBJECT_ID('dbo.call') AND index_id = " + of + " ORDER BY partition_number"); got != strings.Join(want, ";") {
					t.Fatalf("seed %d, %s RANGE %s (%s), index %s: %s, want %s", seed, typ.typ, side, strings.Join(values, ", "), of, got, strings.Join(want, ";"))
				}
			}
		}
	}
}

// TestPolicies: with a filter, every statement does to the rows that pass it what it does to
// a table that has no others, and to the rest nothing.
func TestPolicies(t *testing.T) {
	for seed := range uint64(30) {
		r := rand.New(rand.NewPCG(seed, 13))
		x := alone(t)
		passes := []string{"@n > 3", "@n %% 2 = 0", "@n IN (1, 4, 5)", "@n IS NULL OR @n < 4", "EXISTS (SELECT 1 FROM dbo.may AS m WHERE m.n = @n)"}[r.IntN(5)]
		passes = strings.ReplaceAll(passes, "%%", "%")
		x.must(t, "CREATE TABLE dbo.may (n int); INSERT INTO dbo.may VALUES (2), (3); CREATE TABLE dbo.all_rows (id int NOT NULL PRIMARY KEY, n int, m int); CREATE TABLE dbo.seen (id int NOT NULL PRIMARY KEY, n int, m int); CREATE TABLE dbo.other (id int, m int); INSERT INTO dbo.other VALUES (1, 5), (2, 6), (7, 8)")
		x.must(t, "CREATE FUNCTION dbo.passes (@n int) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE "+passes)
		for id := range 12 {
			n := fmt.Sprint(r.IntN(7))
			if r.IntN(6) == 0 {
				n = "NULL"
			}
			x.must(t, fmt.Sprintf("INSERT INTO dbo.all_rows VALUES (%d, %s, %d)", id, n, r.IntN(5)))
		}
		x.must(t, "INSERT INTO dbo.seen SELECT a.id, a.n, a.m FROM dbo.all_rows AS a CROSS APPLY dbo.passes(a.n) AS p")
		hidden := x.value("a.id, a.n, a.m FROM dbo.all_rows AS a WHERE NOT EXISTS (SELECT 1 FROM dbo.seen AS s WHERE s.id = a.id) ORDER BY a.id")
		x.must(t, "CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.passes(n) ON dbo.all_rows")
		for range 12 {
			statement := []string{"UPDATE %s SET m = m + 1", "DELETE FROM %s WHERE m = 2", "UPDATE t SET m = o.m FROM %s AS t JOIN dbo.other AS o ON o.id = t.id", "DELETE t FROM %s AS t, dbo.other AS o WHERE o.id = t.id AND t.m > 5", "UPDATE %s SET m = m * 2 WHERE id > 4"}[r.IntN(5)]
			a, b := x.runs(fmt.Sprintf(statement, "dbo.all_rows")), x.runs(fmt.Sprintf(statement, "dbo.seen"))
			if a != b {
				t.Fatalf("seed %d: %s: %q and %q", seed, statement, a, b)
			}
			for _, q := range []string{"id, n, m FROM %s ORDER BY id", "COUNT(*), SUM(m) FROM %s", "t.id, o.m FROM %s AS t LEFT JOIN dbo.other AS o ON o.id = t.id ORDER BY t.id", "m, COUNT(*) FROM %s GROUP BY m ORDER BY m", "o.id FROM dbo.other AS o WHERE o.id NOT IN (SELECT id FROM %s) ORDER BY o.id"} {
				if a, b := x.value(fmt.Sprintf(q, "dbo.all_rows")), x.value(fmt.Sprintf(q, "dbo.seen")); a != b {
					t.Fatalf("seed %d: %s after %s: %s and %s", seed, q, statement, a, b)
				}
			}
		}
		x.must(t, "ALTER SECURITY POLICY dbo.own WITH (STATE = OFF)")
		if got := x.value("a.id, a.n, a.m FROM dbo.all_rows AS a WHERE NOT EXISTS (SELECT 1 FROM dbo.passes(a.n)) ORDER BY a.id"); got != hidden {
			t.Errorf("seed %d: what was hidden was %s and is %s", seed, hidden, got)
		}
		x.must(t, "ALTER SECURITY POLICY dbo.own DROP FILTER PREDICATE ON dbo.all_rows, ADD BLOCK PREDICATE dbo.passes(n) ON dbo.all_rows WITH (STATE = ON)")
		for n := range 7 {
			free := x.value(fmt.Sprintf("COUNT(*) FROM dbo.passes(%d)", n)) == "1"
			id := 100 + n
			if got := x.runs(fmt.Sprintf("INSERT INTO dbo.all_rows VALUES (%d, %d, 0)", id, n)); (got == "") != free || got != "" && got != "33504" {
				t.Errorf("seed %d: a row with %d comes: %q, free %v", seed, n, got, free)
			}
		}
	}
}

// TestRights: who has what is what was granted, denied and taken, one after the other.
func TestRights(t *testing.T) {
	type key struct{ on, who, what, column string }
	for seed := range uint64(20) {
		r := rand.New(rand.NewPCG(seed, 14))
		x := alone(t)
		x.must(t, "CREATE ROLE clerk; CREATE USER web WITHOUT LOGIN; CREATE TABLE dbo.berth (id int, depth int); CREATE SCHEMA yard; EXEC('CREATE PROCEDURE dbo.free AS SELECT 1')")
		have := map[key]string{}
		pick := func(list ...string) string { return list[r.IntN(len(list))] }
		for range 60 {
			on := pick("OBJECT::dbo.berth", "OBJECT::dbo.free", "SCHEMA::yard")
			k := key{on, pick("clerk", "web", "public"), pick("SELECT", "UPDATE", "EXECUTE", "CONTROL", "INSERT"), pick("", "", "depth")}
			verb, end := pick("GRANT", "DENY", "REVOKE"), pick("", "", " CASCADE", " WITH GRANT OPTION")
			text := verb + " " + k.what
			if k.column != "" {
				text += " (" + k.column + ")"
			}
			text += " ON " + k.on + map[bool]string{true: " FROM ", false: " TO "}[verb == "REVOKE"] + k.who + end
			want := ""
			fits := map[string]string{"OBJECT::dbo.berth": "SELECT UPDATE INSERT CONTROL", "OBJECT::dbo.free": "EXECUTE CONTROL", "SCHEMA::yard": "SELECT UPDATE INSERT EXECUTE CONTROL"}[k.on]
			switch {
			case end == " CASCADE" && verb == "GRANT", end == " WITH GRANT OPTION" && verb != "GRANT":
				want = "102"
			case !slices.Contains(strings.Fields(fits), k.what):
				want = "4606"
			case k.column != "" && (k.on != "OBJECT::dbo.berth" || k.what != "SELECT" && k.what != "UPDATE"):
				want = "1020"
			case have[k] == "W" && verb != "GRANT" && end == "":
				want = "4611"
			case verb == "GRANT" && end != "":
				have[k] = "W"
			case verb == "GRANT" && have[k] != "W":
				have[k] = "G"
			case verb == "DENY":
				have[k] = "D"
			case verb == "REVOKE":
				delete(have, k)
			}
			if got := x.runs(text); got != want && !(want == "102" && (got == "156" || got == "102")) {
				t.Fatalf("seed %d: %s: %q, want %q", seed, text, got, want)
			}
			var says []string
			for k, state := range have {
				says = append(says, strings.Join([]string{strings.TrimPrefix(strings.TrimPrefix(strings.TrimPrefix(k.on, "OBJECT::"), "SCHEMA::"), "dbo."), k.who, k.what, k.column, state}, ","))
			}
			slices.Sort(says)
			got := strings.Split(x.value("COALESCE(OBJECT_NAME(CASE WHEN p.class = 1 THEN p.major_id END), s.name), g.name, p.permission_name, COALESCE(c.name, ''), p.state FROM sys.database_permissions AS p JOIN sys.database_principals AS g ON g.principal_id = p.grantee_principal_id LEFT JOIN sys.columns AS c ON p.class = 1 AND c.object_id = p.major_id AND c.column_id = p.minor_id LEFT JOIN sys.schemas AS s ON p.class = 3 AND s.schema_id = p.major_id WHERE p.class IN (1, 3)"), ";")
			slices.Sort(got)
			if strings.Join(got, ";") != strings.Join(says, ";") {
				t.Fatalf("seed %d: after %s:\n%s\nwant\n%s", seed, text, strings.Join(got, ";"), strings.Join(says, ";"))
			}
		}
		x.must(t, "ALTER TABLE dbo.berth DROP COLUMN depth; DROP PROCEDURE dbo.free; ALTER AUTHORIZATION ON SCHEMA::yard TO web; DROP ROLE clerk")
		if got := x.value("COUNT(*) FROM sys.database_permissions AS p WHERE p.class = 3 OR p.minor_id > 0 OR p.class = 1 AND OBJECT_NAME(p.major_id) IS NULL OR p.grantee_principal_id NOT IN (SELECT principal_id FROM sys.database_principals)"); got != "0" {
			t.Errorf("seed %d: %s rights are left on what is gone, or of whom", seed, got)
		}
	}
}

// TestServedDDL: what a statement makes of what only this server has, or what it is refused
// with.
func TestServedDDL(t *testing.T) {
	const port = "CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY, depth int NULL, name nvarchar(20) NULL, since datetime2 GENERATED ALWAYS AS ROW START HIDDEN NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END HIDDEN NOT NULL, PERIOD FOR SYSTEM_TIME (since, until)) WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.was, HISTORY_RETENTION_PERIOD = 2 WEEKS));" +
		"INSERT INTO dbo.berth (id, depth) VALUES (1, 4); UPDATE dbo.berth SET depth = 5; CREATE TABLE dbo.crane (id int NOT NULL, lift int); INSERT INTO dbo.crane VALUES (1, 2), (11, 3);" +
		"CREATE PARTITION FUNCTION f (int) AS RANGE RIGHT FOR VALUES (10); CREATE PARTITION SCHEME s AS PARTITION f ALL TO ([PRIMARY]); CREATE ROLE clerk; CREATE USER web WITHOUT LOGIN;" +
		"EXEC('CREATE FUNCTION dbo.mine (@n int) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @n > 2')"
	for _, c := range []struct{ name, do, ask, want string }{
		{
			"a history has the columns of its table, the index that the server makes, and no key",
			"",
			"c.name, c.is_nullable, c.is_hidden FROM sys.columns AS c WHERE c.object_id = OBJECT_ID('dbo.was') ORDER BY c.column_id",
			"id,0,0;depth,1,0;name,1,0;since,0,0;until,0,0",
		},
		{
			"its index",
			"",
			"i.name, i.type_desc, p.data_compression_desc FROM sys.indexes AS i JOIN sys.partitions AS p ON p.object_id = i.object_id AND p.index_id = i.index_id WHERE i.object_id = OBJECT_ID('dbo.was')",
			"ix_was,CLUSTERED,PAGE",
		},
		{
			"how long it is kept",
			"",
			"history_retention_period, history_retention_period_unit_desc FROM sys.tables WHERE temporal_type = 2",
			"2,WEEK",
		},
		{
			"a column more is one more of the history",
			"ALTER TABLE dbo.berth ADD tide int NOT NULL CONSTRAINT d DEFAULT 7",
			"b.tide, w.tide FROM dbo.berth AS b JOIN dbo.was AS w ON w.id = b.id",
			"7,7",
		},
		{
			"one less is one less",
			"ALTER TABLE dbo.berth DROP COLUMN name",
			"COUNT(*) FROM sys.columns WHERE name = 'name'",
			"0",
		},
		{
			"another type is another type",
			"ALTER TABLE dbo.berth ALTER COLUMN depth bigint NULL",
			"DISTINCT t.name FROM sys.columns AS c JOIN sys.types AS t ON t.user_type_id = c.user_type_id WHERE c.name = 'depth'",
			"bigint",
		},
		{
			"what began and ended in one transaction was never there",
			"BEGIN TRAN; INSERT INTO dbo.berth (id) VALUES (2); UPDATE dbo.berth SET depth = 1 WHERE id = 2; DELETE dbo.berth WHERE id = 2; COMMIT",
			"COUNT(*) FROM dbo.was WHERE id = 2",
			"0",
		},
		{
			"rolled back, nothing of it was",
			"BEGIN TRAN; UPDATE dbo.berth SET depth = 9; DELETE dbo.berth; ROLLBACK",
			"b.depth, (SELECT COUNT(*) FROM dbo.was) FROM dbo.berth AS b",
			"5,1",
		},
		{
			"without versioning the period still tells when",
			"ALTER TABLE dbo.berth SET (SYSTEM_VERSIONING = OFF); UPDATE dbo.berth SET depth = 6",
			"(SELECT COUNT(*) FROM dbo.was), (SELECT COUNT(*) FROM sys.periods), temporal_type FROM sys.tables WHERE name = 'berth'",
			"1,1,0",
		},
		{
			"without the period the columns are any columns",
			"ALTER TABLE dbo.berth SET (SYSTEM_VERSIONING = OFF); ALTER TABLE dbo.berth DROP PERIOD FOR SYSTEM_TIME; UPDATE dbo.berth SET since = '2020-01-01'",
			"is_hidden, generated_always_type FROM sys.columns WHERE name = 'until' AND object_id = OBJECT_ID('dbo.berth')",
			"0,0",
		},
		{
			"a history with a column more is none",
			"ALTER TABLE dbo.berth SET (SYSTEM_VERSIONING = OFF); ALTER TABLE dbo.was ADD x int; ALTER TABLE dbo.berth SET (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.was))",
			"",
			"13523",
		},
		{
			"nor one with another type",
			"ALTER TABLE dbo.berth SET (SYSTEM_VERSIONING = OFF); ALTER TABLE dbo.was ALTER COLUMN depth bigint; ALTER TABLE dbo.berth SET (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.was))",
			"",
			"13525",
		},
		{
			"nor one with a key",
			"ALTER TABLE dbo.berth SET (SYSTEM_VERSIONING = OFF); ALTER TABLE dbo.was ADD PRIMARY KEY NONCLUSTERED (id, until, since); ALTER TABLE dbo.berth SET (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.was))",
			"",
			"13515",
		},
		{
			"a table moves onto a scheme with its clustered index",
			"CREATE CLUSTERED INDEX cx ON dbo.crane (id) ON s (id)",
			"p.rows FROM sys.partitions AS p WHERE p.object_id = OBJECT_ID('dbo.crane') ORDER BY p.partition_number",
			"1;1",
		},
		{
			"and stays there without it",
			"CREATE CLUSTERED INDEX cx ON dbo.crane (id) ON s (id); DROP INDEX cx ON dbo.crane; CREATE INDEX ix ON dbo.crane (lift)",
			"i.type_desc, d.name FROM sys.indexes AS i JOIN sys.data_spaces AS d ON d.data_space_id = i.data_space_id WHERE i.object_id = OBJECT_ID('dbo.crane') ORDER BY i.index_id",
			"HEAP,s;NONCLUSTERED,s",
		},
		{
			"the column that partitions is not altered",
			"CREATE CLUSTERED INDEX cx ON dbo.crane (lift) ON s (id); ALTER TABLE dbo.crane ALTER COLUMN id bigint NOT NULL",
			"",
			"5074 4922",
		},
		{
			"a split without a place for it",
			"ALTER PARTITION FUNCTION f() SPLIT RANGE (20); ALTER PARTITION FUNCTION f() SPLIT RANGE (30)",
			"",
			"7710",
		},
		{
			"a filtered table has the rows that pass",
			"CREATE SECURITY POLICY dbo.p ADD FILTER PREDICATE dbo.mine(lift) ON dbo.crane",
			"id FROM dbo.crane",
			"11",
		},
		{
			"its function stays as it is",
			"CREATE SECURITY POLICY dbo.p ADD FILTER PREDICATE dbo.mine(lift) ON dbo.crane; EXEC('ALTER FUNCTION dbo.mine (@n int) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok')",
			"",
			"3729",
		},
		{
			"and so does its column",
			"CREATE SECURITY POLICY dbo.p ADD FILTER PREDICATE dbo.mine(lift) ON dbo.crane; ALTER TABLE dbo.crane ALTER COLUMN lift bigint",
			"",
			"5074 4922",
		},
		{
			"and the table",
			"CREATE SECURITY POLICY dbo.p ADD FILTER PREDICATE dbo.mine(lift) ON dbo.crane; DROP TABLE dbo.crane",
			"",
			"3729",
		},
		{
			"two filters on one table",
			"CREATE SECURITY POLICY dbo.p ADD FILTER PREDICATE dbo.mine(lift) ON dbo.crane; CREATE SECURITY POLICY dbo.q ADD FILTER PREDICATE dbo.mine(id) ON dbo.crane",
			"",
			"33264",
		},
		{
			"rights go with what they are on, and with whose they are",
			"GRANT SELECT ON dbo.crane TO clerk; GRANT UPDATE (lift) ON dbo.crane TO web; GRANT SELECT ON SCHEMA::dbo TO web; ALTER TABLE dbo.crane DROP COLUMN lift; DROP ROLE clerk",
			"class, permission_name FROM sys.database_permissions WHERE permission_name <> 'CONNECT'",
			"3,SELECT",
		},
		{
			"a new owner, and nobody has rights any more",
			"GRANT SELECT ON dbo.crane TO web; ALTER AUTHORIZATION ON dbo.crane TO clerk",
			"(SELECT COUNT(*) FROM sys.database_permissions WHERE class = 1), p.name FROM sys.objects AS o JOIN sys.database_principals AS p ON p.principal_id = o.principal_id",
			"0,clerk",
		},
		{
			"who owns something stays",
			"ALTER AUTHORIZATION ON dbo.crane TO clerk; DROP ROLE clerk",
			"",
			"15183",
		},
		{
			"who has members stays",
			"ALTER ROLE clerk ADD MEMBER web; DROP ROLE clerk",
			"",
			"15144",
		},
		{
			"a circle of roles",
			"CREATE ROLE chief; ALTER ROLE clerk ADD MEMBER chief; ALTER ROLE chief ADD MEMBER clerk",
			"",
			"15413",
		},
		{
			"a trigger of the database notes what is made, and not what it does not look at",
			"CREATE TABLE dbo.noted (what nvarchar(max)); EXEC('CREATE TRIGGER n ON DATABASE FOR CREATE_INDEX, DDL_ROLE_EVENTS AS INSERT INTO dbo.noted VALUES (EVENTDATA())'); CREATE INDEX ix ON dbo.crane (id); CREATE ROLE pilot; CREATE SEQUENCE dbo.q; DROP ROLE pilot; DROP INDEX ix ON dbo.crane",
			"SUBSTRING(what, 28, 12) FROM dbo.noted",
			"CREATE_INDEX;CREATE_ROLE<;DROP_ROLE</E",
		},
		{
			"what it refuses is not done",
			"EXEC('CREATE TRIGGER n ON DATABASE FOR DDL_TABLE_EVENTS AS THROW 50001, ''no'', 1'); ALTER TABLE dbo.crane ADD x int",
			"",
			"50001",
		},
		{
			"switched off it refuses nothing",
			"EXEC('CREATE TRIGGER n ON DATABASE FOR DDL_DATABASE_LEVEL_EVENTS AS THROW 50001, ''no'', 1'); DISABLE TRIGGER ALL ON DATABASE; ALTER TABLE dbo.crane ADD x int",
			"COUNT(*) FROM sys.columns WHERE name = 'x'",
			"1",
		},
		{
			"statistics hold their columns, but for more room",
			"ALTER TABLE dbo.crane ADD name varchar(9); CREATE STATISTICS st ON dbo.crane (name); ALTER TABLE dbo.crane ALTER COLUMN name varchar(20); ALTER TABLE dbo.crane ALTER COLUMN name nvarchar(20)",
			"",
			"5074 4922",
		},
		{
			"and let them go",
			"CREATE STATISTICS st ON dbo.crane (lift); UPDATE STATISTICS dbo.crane st; DROP STATISTICS dbo.crane.st; ALTER TABLE dbo.crane ALTER COLUMN lift bigint",
			"COUNT(*) FROM sys.stats WHERE user_created = 1",
			"0",
		},
	} {
		x := alone(t)
		x.must(t, port)
		refused := x.runs(c.do)
		if c.ask == "" {
			if refused != c.want {
				t.Errorf("%s: refused with %q, want %s", c.name, refused, c.want)
			}
			continue
		}
		if refused != "" {
			t.Errorf("%s: refused with %s", c.name, refused)
			continue
		}
		if got := x.value(c.ask); got != c.want {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
	}
}
