package tsql

import (
	"errors"
	"strings"
	"testing"
)

// TestServedStatements: statements about histories, policies, partitions, rights,
// statistics and triggers of the database, as they are read.
func TestServedStatements(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{
			"CREATE TABLE a (s datetime2 GENERATED ALWAYS AS ROW START HIDDEN NOT NULL, e datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (s, [e])) WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = [b].[c d], DATA_CONSISTENCY_CHECK = OFF, HISTORY_RETENTION_PERIOD = 3 MONTHS))",
			"period [s e], row start hidden s, row end e, DATA_CONSISTENCY_CHECK=OFF HISTORY_RETENTION_PERIOD=3 MONTH HISTORY_TABLE=[b].[c d] SYSTEM_VERSIONING=ON",
		},
		{
			"CREATE TABLE a (i int) ON [my scheme] ([i]) WITH (DATA_COMPRESSION = PAGE)",
			"on my scheme by i, DATA_COMPRESSION=PAGE",
		},
		{
			"ALTER TABLE a ADD s datetime2(0) GENERATED ALWAYS AS ROW START NOT NULL DEFAULT GETDATE(), e datetime2(0) GENERATED ALWAYS AS ROW END NOT NULL DEFAULT '9999-12-31', PERIOD FOR SYSTEM_TIME (s, e)",
			"ADD period [s e], row start s, row end e",
		},
		{"ALTER TABLE a DROP PERIOD FOR SYSTEM_TIME", "DROP period []"},
		{"ALTER TABLE a SET (SYSTEM_VERSIONING = OFF)", "SET SYSTEM_VERSIONING=OFF"},
		{"ALTER TABLE a SET (SYSTEM_VERSIONING = ON (HISTORY_RETENTION_PERIOD = INFINITE))", "SET HISTORY_RETENTION_PERIOD=INFINITE SYSTEM_VERSIONING=ON"},
		{"ALTER TABLE a ALTER COLUMN e ADD HIDDEN", "ALTER COLUMN ADD HIDDEN"},
		{"CREATE SECURITY POLICY a.p ADD FILTER PREDICATE a.f([b], 3) ON c.d", "policy p ADD filter f(2) on d"},
		{
			"CREATE SECURITY POLICY p ADD BLOCK PREDICATE a.f(b) ON c AFTER INSERT, ADD BLOCK PREDICATE a.f(b) ON c BEFORE DELETE WITH (STATE = OFF, SCHEMABINDING = OFF) NOT FOR REPLICATION",
			"policy p ADD block f(1) on c AFTER INSERT ADD block f(1) on c BEFORE DELETE state OFF unbound not for replication",
		},
		{"ALTER SECURITY POLICY p DROP FILTER PREDICATE ON c, ALTER BLOCK PREDICATE a.f(b) ON c AFTER UPDATE", "policy p DROP filter on c ALTER block f(1) on c AFTER UPDATE"},
		{"ALTER SECURITY POLICY p WITH (STATE = ON)", "policy p state ON"},
		{"DROP SECURITY POLICY IF EXISTS a.p", "drop SECURITY POLICY p"},
		{"CREATE PARTITION FUNCTION f (datetime2(3)) AS RANGE RIGHT FOR VALUES ('2024-01-01', '2025-01-01')", "function f datetime2(3) right 2"},
		{"CREATE PARTITION FUNCTION f (int) AS RANGE FOR VALUES ()", "function f int left 0"},
		{"CREATE PARTITION SCHEME s AS PARTITION f ALL TO ([PRIMARY])", "scheme s of f all [PRIMARY]"},
		{"CREATE PARTITION SCHEME s AS PARTITION f TO (a, [b c], d)", "scheme s of f [a b c d]"},
		{"ALTER PARTITION SCHEME s NEXT USED [PRIMARY]", "alter s next PRIMARY"},
		{"ALTER PARTITION FUNCTION f() SPLIT RANGE (-5)", "alter f split"},
		{"ALTER PARTITION FUNCTION f() MERGE RANGE ('x')", "alter f merge"},
		{"DROP PARTITION SCHEME s", "drop PARTITION SCHEME s"},
		{"CREATE STATISTICS s ON a.b (c, [d]) WHERE c > 1 WITH SAMPLE 5 PERCENT, NORECOMPUTE, INCREMENTAL = OFF", "CREATE statistics s on b [c d] filtered fixed"},
		{"UPDATE STATISTICS a.b", "UPDATE statistics on b"},
		{"UPDATE STATISTICS a.b s WITH FULLSCAN, ALL", "UPDATE statistics s on b"},
		{"DROP STATISTICS a.b.s, c.t", "DROP statistics 2"},
		{"CREATE PRIMARY XML INDEX p ON a.b ([c]) WITH (PAD_INDEX = ON)", "PRIMARY XML index p on b c PAD_INDEX=ON"},
		{"CREATE XML INDEX s ON b (c) USING XML INDEX [p q] FOR PROPERTY", "XML index s on b c using p q for PROPERTY"},
		{
			"CREATE SPATIAL INDEX s ON b (c) USING GEOMETRY_GRID WITH (BOUNDING_BOX = (XMIN = 0, YMIN = -1, XMAX = 5, YMAX = 7), GRIDS = (LEVEL_1 = LOW), CELLS_PER_OBJECT = 64) ON [fg]",
			"SPATIAL index s on b c using GEOMETRY_GRID BOUNDING_BOX=(XMIN = 0, YMIN = -1, XMAX = 5, YMAX = 7) CELLS_PER_OBJECT=64 GRIDS=(LEVEL_1 = LOW)",
		},
		{"CREATE FULLTEXT CATALOG c WITH ACCENT_SENSITIVITY = OFF AS DEFAULT AUTHORIZATION dbo", "CREATE catalog c default ACCENT_SENSITIVITY=OFF"},
		{"ALTER FULLTEXT CATALOG c REBUILD WITH ACCENT_SENSITIVITY = ON", "ALTER catalog c REBUILD ACCENT_SENSITIVITY=ON"},
		{"DROP FULLTEXT CATALOG IF EXISTS [c d]", "DROP catalog c d"},
		{
			"CREATE FULLTEXT INDEX ON a.b (c TYPE COLUMN d LANGUAGE 1033, e LANGUAGE N'German', f) KEY INDEX k ON w WITH (CHANGE_TRACKING = MANUAL, STOPLIST SYSTEM)",
			"CREATE words on b c/d/1033 e//N'German' f// by k in w CHANGE_TRACKING=MANUAL STOPLIST=SYSTEM",
		},
		{"CREATE FULLTEXT INDEX ON b KEY INDEX k ON (w) WITH CHANGE_TRACKING OFF, NO POPULATION", "CREATE words on b by k in w CHANGE_TRACKING=OFF POPULATION=NO"},
		{"ALTER FULLTEXT INDEX ON b ADD (c LANGUAGE 0) WITH NO POPULATION", "ALTER words on b ADD c//0 POPULATION=NO"},
		{"ALTER FULLTEXT INDEX ON b SET STOPLIST [my words]", "ALTER words on b SET STOPLIST=my words"},
		{"ALTER FULLTEXT INDEX ON b START UPDATE POPULATION", "ALTER words on b START"},
		{"DROP FULLTEXT INDEX ON a.b", "DROP words on b"},
		{"ALTER TABLE a ADD INDEX i UNIQUE NONCLUSTERED HASH (b) WITH (BUCKET_COUNT = 9)", "ADD hash i"},
		{"ALTER TABLE a DROP INDEX i", "DROP index i"},
		{"ALTER TABLE a ALTER INDEX i REBUILD NONCLUSTERED HASH WITH (BUCKET_COUNT = 9)", "ALTER INDEX BUCKET_COUNT=9 of i"},
		{"INSERT INTO a WITH (SNAPSHOT) (b) SELECT c FROM d WITH (HOLDLOCK, TABLOCKX)", "insert into a SNAPSHOT"},
		{"ALTER ROLE r WITH NAME = [new one]", "ALTER ROLE r to new one"},
		{"DROP USER IF EXISTS [a user]", "DROP USER a user"},
	} {
		list, err := Batch(c.text)
		if err != nil || len(list) != 1 {
			t.Errorf("%s: %d statements, %v", c.text, len(list), err)
			continue
		}
		if got := served(list[0].Body); got != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.text, got, c.want)
		}
		if list[0].End != len(c.text) {
			t.Errorf("%s: it ends at %d of %d", c.text, list[0].End, len(c.text))
		}
	}
}

// served says what was read, as far as it is about what only this server has.
func served(body any) string {
	var out []string
	say := func(words ...string) {
		for _, w := range words {
			if w != "" {
				out = append(out, w)
			}
		}
	}
	last := func(path []string) string { return path[len(path)-1] }
	generated := func(cols []Column) {
		for _, c := range cols {
			if c.Generated != 0 {
				say(", row", map[byte]string{'s': "start", 'e': "end"}[c.Generated], map[bool]string{true: "hidden"}[c.Hidden], c.Name)
			}
		}
	}
	list := func(l []string) string { return "[" + strings.Join(l, " ") + "]" }
	switch b := body.(type) {
	case *CreateTable:
		if b.Period != nil {
			say("period", list(b.Period))
		}
		if b.On.Column != "" {
			say("on", b.On.Name, "by", b.On.Column)
		}
		generated(b.Columns)
		say(",", strings.TrimSpace(toldOptions(b.Options)))
	case *AlterTable:
		say(b.Action)
		if b.Period != nil {
			say("period", list(b.Period))
		}
		generated(b.Columns)
		say(strings.TrimSpace(toldOptions(b.Options)), b.Flag)
		for _, i := range b.Indexes {
			say(map[bool]string{true: "hash"}[i.Hash], i.Name)
		}
		for _, d := range b.Drops {
			say(map[bool]string{true: "index"}[d.Index], d.Name)
		}
		if b.Action == "ALTER INDEX" {
			say("of", b.Names[0])
		}
	case *SecurityPolicy:
		say("policy", last(b.Name))
		for _, p := range b.Changes {
			call := ""
			if p.Call != nil {
				call = last(p.Call.Name) + "(" + string(rune('0'+len(p.Call.Args))) + ")"
			}
			say(p.Verb, map[bool]string{true: "block", false: "filter"}[p.Block], call, "on", last(p.On), p.Operation)
		}
		if b.State != "" {
			say("state", b.State)
		}
		say(map[bool]string{true: "unbound"}[b.Unbound], map[bool]string{true: "not for replication"}[b.NotRepl])
	case *Drop:
		say("drop", b.Kind, last(b.Names[0]))
	case *PartitionFunction:
		typ := b.Type.Name[0]
		if len(b.Type.Args) > 0 {
			typ += "(" + strings.Join(b.Type.Args, ",") + ")"
		}
		say("function", b.Name, typ, map[bool]string{true: "right", false: "left"}[b.Right], string(rune('0'+len(b.Values))))
	case *PartitionScheme:
		say("scheme", b.Name, "of", b.Function, map[bool]string{true: "all"}[b.All], list(b.Groups))
	case *AlterPartition:
		say("alter", b.Name)
		if b.Next != "" {
			say("next", b.Next)
		}
		say(map[bool]string{true: "split"}[b.Split != nil], map[bool]string{true: "merge"}[b.Merge != nil])
	case *Statistics:
		say(b.Verb, "statistics", b.Name)
		if b.On != nil {
			say("on", last(b.On))
		}
		if b.Columns != nil {
			say(list(b.Columns))
		}
		if b.Names != nil {
			say(string(rune('0' + len(b.Names))))
		}
		say(map[bool]string{true: "filtered"}[b.Where != nil], map[bool]string{true: "fixed"}[b.NoRecompute])
	case *Index:
		say(b.Special.Kind, "index", b.Name, "on", last(b.On), b.Columns[0].Name)
		if b.Special.Using != "" {
			say("using", b.Special.Using)
		}
		if b.Special.For != "" {
			say("for", b.Special.For)
		}
		say(strings.TrimSpace(toldOptions(b.Options)))
	case *Fulltext:
		if say(b.Verb, map[bool]string{true: "catalog", false: "words"}[b.On == nil], b.Catalog); b.On != nil {
			say("on", last(b.On))
		}
		say(b.Action, map[bool]string{true: "default"}[b.IsDefault])
		for _, c := range b.Columns {
			say(c.Name + "/" + c.TypeColumn + "/" + c.Language)
		}
		if b.Key != "" {
			say("by", b.Key, "in", b.In)
		}
		say(strings.TrimSpace(toldOptions(b.Options)))
	case *Insert:
		say("insert", "into", last(b.Into), strings.Join(b.Hints, " "))
	case *Principal:
		say(b.Verb, b.Kind, b.Name)
		if b.NewName != "" {
			say("to", b.NewName)
		}
	}
	return strings.ReplaceAll(strings.TrimPrefix(strings.Join(out, " "), ", "), " , ", ", ")
}

// TestServedRefused: what is no statement is refused where it stops being one.
func TestServedRefused(t *testing.T) {
	for _, c := range []struct{ text, at string }{
		{"CREATE TABLE a (s datetime2 GENERATED ALWAYS AS ROW NOT NULL)", "NOT NULL)"},
		{"CREATE TABLE a (i int, PERIOD FOR SYSTEM_TIME (s))", "))"},
		{"ALTER TABLE a SET (SYSTEM_VERSIONING = ON (HISTORY = b))", "HISTORY = b))"},
		{"CREATE SECURITY POLICY p ADD PREDICATE a.f(b) ON c", "PREDICATE"},
		{"CREATE SECURITY POLICY p ADD FILTER PREDICATE a.f ON c", "ON c"},
		{"CREATE SECURITY POLICY p ADD FILTER PREDICATE a.f(b) c", "c"},
		{"CREATE PARTITION FUNCTION f int AS RANGE LEFT FOR VALUES (1)", "int"},
		{"CREATE PARTITION SCHEME s PARTITION f ALL TO (a)", "PARTITION f"},
		{"ALTER PARTITION FUNCTION f SPLIT RANGE (1)", "SPLIT"},
		{"ALTER PARTITION FUNCTION f() GROW RANGE (1)", "GROW"},
		{"CREATE STATISTICS s ON a", ""},
		{"DROP STATISTICS s", ""},
		{"GRANT ON a TO b", "ON a"},
		{"GRANT SELECT ON a b", "b"},
		{"REVOKE SELECT ON a", ""},
		{"GRANT SELECT ON SCHEMA::a.b TO", ""},
		{"ALTER ROLE r", ""},
		{"ALTER ROLE r ADD m", "ADD m"},
		{"CREATE ROLE", ""},
		{"ALTER AUTHORIZATION ON a", ""},
		{"ALTER AUTHORIZATION a TO b", "a TO"},
		{"CREATE PRIMARY INDEX p ON a (b)", "p ON"},
		{"CREATE XML INDEX s ON a (b) USING XML INDEX p", ""},
		{"CREATE XML INDEX s ON a (b, c)", ", c)"},
		{"CREATE XML INDEX s ON a (b) USING XML INDEX p FOR NOTHING", "NOTHING"},
		{"CREATE SPATIAL INDEX s ON a", ""},
		{"CREATE FULLTEXT TABLE a", "TABLE a"},
		{"CREATE FULLTEXT CATALOG c IN PATH 'x'", "IN PATH"},
		{"CREATE FULLTEXT INDEX ON a (b)", ""},
		{"CREATE FULLTEXT INDEX ON a (b) KEY INDEX k WITH SEARCH = ON", "= ON"},
		{"ALTER FULLTEXT INDEX ON a GROW", ""},
		{"ALTER TABLE a ALTER INDEX i DISABLE", "DISABLE"},
		{"SELECT a FROM b FOR SYSTEM_TIME", ""},
		{"SELECT a FROM b FOR SYSTEM_TIME UNTIL '2020-01-01'", "UNTIL"},
		{"SELECT a FROM b FOR SYSTEM_TIME BETWEEN '2020-01-01' TO '2021-01-01'", "TO"},
	} {
		list, err := Batch(c.text)
		var e *Error
		if !errors.As(err, &e) {
			t.Errorf("%s: %v is read, %v", c.text, list, err)
			continue
		}
		if rest := c.text[min(e.Pos, len(c.text)):]; !strings.HasPrefix(rest, c.at) || c.at == "" && rest != "" {
			t.Errorf("%s: refused at %q, want %q", c.text, rest, c.at)
		}
	}
}
