package sqlserver

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// TestStatementsOfSearch: the fewest and gentlest statements for indexes on XML, in space
// and of words, for filegroups and for what is in memory. One that runs before the
// transaction has < before it, one behind it >.
func TestStatementsOfSearch(t *testing.T) {
	const (
		berth = "CREATE FULLTEXT CATALOG words AS DEFAULT; CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_b PRIMARY KEY, name nvarchar(9), cargo xml, outline geometry); "
		fast  = " WITH (MEMORY_OPTIMIZED = ON)"
		gone  = "IF (SELECT COUNT(*) FROM sys.fulltext_indexes AS i WHERE i.object_id = OBJECT_ID(N'[dbo].[berth]')) = 0 "
	)
	for _, c := range []struct {
		name, from, to string
		want           []string
		risks          string
	}{
		{
			"another secondary XML index",
			berth + "CREATE PRIMARY XML INDEX p ON dbo.berth (cargo); CREATE XML INDEX s ON dbo.berth (cargo) USING XML INDEX p FOR PATH",
			berth + "CREATE PRIMARY XML INDEX p ON dbo.berth (cargo); CREATE XML INDEX s ON dbo.berth (cargo) USING XML INDEX p FOR VALUE",
			[]string{"DROP INDEX [s] ON [dbo].[berth];", "CREATE XML INDEX [s] ON [dbo].[berth] ([cargo]) USING XML INDEX [p] FOR VALUE;"},
			"",
		},
		{
			"another primary one takes its secondary one along",
			berth + "CREATE PRIMARY XML INDEX p ON dbo.berth (cargo); CREATE XML INDEX s ON dbo.berth (cargo) USING XML INDEX p FOR PATH",
			berth + "CREATE PRIMARY XML INDEX p ON dbo.berth (cargo) WITH (PAD_INDEX = ON); CREATE XML INDEX s ON dbo.berth (cargo) USING XML INDEX p FOR PATH",
			[]string{"DROP INDEX [s] ON [dbo].[berth];", "DROP INDEX [p] ON [dbo].[berth];", "CREATE PRIMARY XML INDEX [p] ON [dbo].[berth] ([cargo]) WITH (PAD_INDEX = ON);", "CREATE XML INDEX [s] ON [dbo].[berth] ([cargo]) USING XML INDEX [p] FOR PATH;"},
			"",
		},
		{
			"an index in space gets another name",
			berth + "CREATE SPATIAL INDEX s ON dbo.berth (outline) WITH (BOUNDING_BOX = (0, 0, 1, 1))",
			berth + "CREATE SPATIAL INDEX t ON dbo.berth (outline) USING GEOMETRY_AUTO_GRID WITH (BOUNDING_BOX = (0, 0, 1, 1), CELLS_PER_OBJECT = 8)",
			[]string{"EXEC sp_rename N'[dbo].[berth].[s]', N't', N'INDEX';"},
			"",
		},
		{
			"words of one more column",
			berth + "CREATE FULLTEXT INDEX ON dbo.berth (name) KEY INDEX PK_b",
			berth + "CREATE FULLTEXT INDEX ON dbo.berth (name, cargo LANGUAGE 0) KEY INDEX PK_b",
			[]string{"<DROP FULLTEXT INDEX ON [dbo].[berth];", ">" + gone + "CREATE FULLTEXT INDEX ON [dbo].[berth] ([name] LANGUAGE 1033, [cargo] LANGUAGE 0) KEY INDEX [PK_b] ON [words] WITH (CHANGE_TRACKING = AUTO);"},
			"",
		},
		{
			"words are gathered another way",
			berth + "CREATE FULLTEXT INDEX ON dbo.berth (name) KEY INDEX PK_b",
			berth + "CREATE FULLTEXT INDEX ON dbo.berth (name) KEY INDEX PK_b WITH (CHANGE_TRACKING OFF, STOPLIST = OFF)",
			[]string{">ALTER FULLTEXT INDEX ON [dbo].[berth] SET CHANGE_TRACKING = OFF;", ">ALTER FULLTEXT INDEX ON [dbo].[berth] SET STOPLIST = OFF;"},
			"",
		},
		{
			"a catalog minds accents",
			"CREATE FULLTEXT CATALOG words WITH ACCENT_SENSITIVITY = OFF",
			"CREATE FULLTEXT CATALOG words AS DEFAULT",
			[]string{">ALTER FULLTEXT CATALOG [words] REBUILD WITH ACCENT_SENSITIVITY = ON;", ">ALTER FULLTEXT CATALOG [words] AS DEFAULT;"},
			"",
		},
		{
			"a table moves with its key, which stays",
			"CREATE TABLE dbo.a (id int NOT NULL CONSTRAINT PK_a PRIMARY KEY WITH (FILLFACTOR = 70), n int); CREATE TABLE dbo.b (a int REFERENCES dbo.a (id))",
			"CREATE TABLE dbo.a (id int NOT NULL CONSTRAINT PK_a PRIMARY KEY WITH (FILLFACTOR = 70), n int) ON cold; CREATE TABLE dbo.b (a int REFERENCES dbo.a (id))",
			[]string{"CREATE UNIQUE CLUSTERED INDEX [PK_a] ON [dbo].[a] ([id]) WITH (FILLFACTOR = 70, DROP_EXISTING = ON) ON [cold];"},
			"rewrite may-fail",
		},
		{
			"and back",
			"CREATE TABLE dbo.a (id int) ON cold; CREATE CLUSTERED INDEX i ON dbo.a (id)",
			"CREATE TABLE dbo.a (id int); CREATE CLUSTERED INDEX i ON dbo.a (id)",
			[]string{"CREATE CLUSTERED INDEX [i] ON [dbo].[a] ([id]) WITH (DROP_EXISTING = ON) ON [default];"},
			"rewrite",
		},
		{
			"indexes that lie where their table does move with it, and are what they were",
			"CREATE TABLE dbo.a (id int NOT NULL CONSTRAINT PK_a PRIMARY KEY, n int, m int); CREATE INDEX i ON dbo.a (n); CREATE INDEX j ON dbo.a (m) ON warm; ALTER INDEX i ON dbo.a DISABLE",
			"CREATE TABLE dbo.a (id int NOT NULL CONSTRAINT PK_a PRIMARY KEY, n int, m int) ON cold; CREATE INDEX i ON dbo.a (n); CREATE INDEX k ON dbo.a (m) ON warm; ALTER INDEX i ON dbo.a DISABLE",
			[]string{"CREATE UNIQUE CLUSTERED INDEX [PK_a] ON [dbo].[a] ([id]) WITH (DROP_EXISTING = ON) ON [cold];", "CREATE INDEX [i] ON [dbo].[a] ([n]) WITH (DROP_EXISTING = ON) ON [cold];", "ALTER INDEX [i] ON [dbo].[a] DISABLE;", "EXEC sp_rename N'[dbo].[a].[j]', N'k', N'INDEX';"},
			"rewrite may-fail",
		},
		{
			"the key is another one, and takes the table with it",
			"CREATE TABLE dbo.a (id int NOT NULL, n int NOT NULL); CREATE CLUSTERED INDEX i ON dbo.a (n)",
			"CREATE TABLE dbo.a (id int NOT NULL CONSTRAINT PK_a PRIMARY KEY, n int NOT NULL) ON cold",
			[]string{"DROP INDEX [i] ON [dbo].[a];", "ALTER TABLE [dbo].[a] ADD CONSTRAINT [PK_a] PRIMARY KEY CLUSTERED ([id]) ON [cold];"},
			"may-fail",
		},
		{
			"more room for hashes",
			"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY NONCLUSTERED, n int, INDEX i HASH (n) WITH (BUCKET_COUNT = 100))" + fast,
			"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY NONCLUSTERED, n int, INDEX i HASH (n) WITH (BUCKET_COUNT = 200))" + fast,
			[]string{">ALTER TABLE [dbo].[a] ALTER INDEX [i] REBUILD WITH (BUCKET_COUNT = 256);"},
			"",
		},
		{
			"room for as many is no change",
			"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY NONCLUSTERED HASH WITH (BUCKET_COUNT = 100))" + fast,
			"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY NONCLUSTERED HASH WITH (BUCKET_COUNT = 128))" + fast,
			nil,
			"",
		},
		{
			"a hash becomes a tree",
			"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY NONCLUSTERED, n int, INDEX i HASH (n) WITH (BUCKET_COUNT = 100))" + fast,
			"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY NONCLUSTERED, n int, INDEX i (n DESC))" + fast,
			[]string{">ALTER TABLE [dbo].[a] DROP INDEX [i];", ">ALTER TABLE [dbo].[a] ADD INDEX [i] NONCLUSTERED ([n] DESC);"},
			"",
		},
		{
			"rows that stay no longer",
			"CREATE TABLE dbo.a (id int NOT NULL CONSTRAINT k PRIMARY KEY NONCLUSTERED)" + fast,
			"CREATE TABLE dbo.a (id int NOT NULL CONSTRAINT k PRIMARY KEY NONCLUSTERED) WITH (MEMORY_OPTIMIZED = ON, DURABILITY = SCHEMA_ONLY)",
			[]string{
				">IF OBJECT_ID(N'[dbo].[dapper_mirror_new_a]') IS NULL CREATE TABLE [dbo].[dapper_mirror_new_a] ( [id] int NOT NULL, CONSTRAINT [dapper_mirror_new_a_key] PRIMARY KEY NONCLUSTERED ([id]) ) WITH (MEMORY_OPTIMIZED = ON, DURABILITY = SCHEMA_ONLY);",
				">IF OBJECT_ID(N'[dbo].[a]') IS NOT NULL EXEC sp_rename N'[dbo].[a]', N'dapper_mirror_old_a'; BEGIN TRY IF NOT EXISTS (SELECT 1 FROM [dbo].[dapper_mirror_new_a]) INSERT INTO [dbo].[dapper_mirror_new_a] ([id]) SELECT [id] FROM [dbo].[dapper_mirror_old_a]; END TRY BEGIN CATCH IF OBJECT_ID(N'[dbo].[dapper_mirror_old_a]') IS NOT NULL EXEC sp_rename N'[dbo].[dapper_mirror_old_a]', N'a'; THROW; END CATCH",
				">DROP TABLE IF EXISTS [dbo].[dapper_mirror_old_a];", ">EXEC sp_rename N'[dbo].[dapper_mirror_new_a]', N'a';", ">EXEC sp_rename N'[dbo].[dapper_mirror_new_a_key]', N'k';",
			},
			"rewrite loss",
		},
		{
			"what needs what is in memory follows it",
			"",
			"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY NONCLUSTERED)" + fast + "; CREATE TABLE dbo.b (id int)\nGO\nCREATE VIEW dbo.v AS SELECT id FROM dbo.a\nGO\nCREATE VIEW dbo.w AS SELECT id FROM dbo.b",
			[]string{"CREATE TABLE [dbo].[b] ( [id] int NULL );", "CREATE VIEW [dbo].[w] AS SELECT id FROM dbo.b", ">CREATE TABLE [dbo].[a] ( [id] int NOT NULL, PRIMARY KEY NONCLUSTERED ([id]) ) WITH (MEMORY_OPTIMIZED = ON, DURABILITY = SCHEMA_AND_DATA);", ">CREATE VIEW [dbo].[v] AS SELECT id FROM dbo.a"},
			"may-fail",
		},
		{
			"a trigger of the database that stays looks on",
			"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY NONCLUSTERED)" + fast + "\nGO\nCREATE TRIGGER d ON DATABASE FOR DDL_TABLE_EVENTS AS PRINT 1",
			"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY NONCLUSTERED, n int)" + fast + "\nGO\nCREATE TRIGGER d ON DATABASE FOR DDL_TABLE_EVENTS AS PRINT 1",
			[]string{">ALTER TABLE [dbo].[a] ADD [n] int NULL;"},
			"may-fail",
		},
	} {
		_, risks, p := planned(t, c.from, c.to, engine.WriteOptions{})
		var got []string
		for _, s := range p.Steps {
			for _, sql := range s.SQL {
				sql = strings.Join(strings.Fields(strings.TrimSuffix(sql, "\nGO")), " ")
				switch {
				case s.Alone:
					sql = "<" + sql
				case s.Later:
					sql = ">" + sql
				}
				got = append(got, sql)
			}
		}
		if !slices.Equal(got, c.want) || strings.Join(risks, " ") != c.risks {
			t.Errorf("%s:\n got %s\nwant %s\nrisks %v, want %s", c.name, strings.Join(got, "\n     "), strings.Join(c.want, "\n     "), risks, c.risks)
		}
	}
}

// TestOrderOfColumns: where the order of columns was asked for, tables end in it, whatever
// else changes, with the values of their rows; where it was not, nothing is copied for it.
func TestOrderOfColumns(t *testing.T) {
	table := func(r *rand.Rand, columns []string) string {
		list := []string{"id int NOT NULL CONSTRAINT PK_a PRIMARY KEY"}
		for _, c := range columns {
			list = append(list, map[string]string{
				"a": "a " + []string{"int", "bigint"}[r.IntN(2)], "b": "b nvarchar(9) NOT NULL DEFAULT N'x'", "c": "c " + []string{"datetime2", "varchar(40)"}[r.IntN(2)], "d": "d int CONSTRAINT CK_d CHECK (d > 0)",
				"e": "e AS (d * " + fmt.Sprint(2+r.IntN(2)) + ")", "f": "f money",
			}[c])
		}
		if !slices.Contains(columns, "d") {
			list = slices.DeleteFunc(list, func(s string) bool { return strings.HasPrefix(s, "e ") })
		}
		r.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
		return "CREATE TABLE dbo.a (" + strings.Join(list, ", ") + ")"
	}
	copied := 0
	for seed := range uint64(80) {
		r := rand.New(rand.NewPCG(seed, 3))
		some := func() []string {
			all := []string{"a", "b", "c", "d", "e", "f"}
			r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
			return all[:2+r.IntN(5)]
		}
		from, to := table(r, some()), table(r, some())
		was, err := textOf(t, from)
		if err != nil {
			t.Fatalf("%s: %v", from, err)
		}
		now, err := textOf(t, to)
		if err != nil {
			t.Fatalf("%s: %v", to, err)
		}
		groups := map[string]bool{}
		if asked := seed%4 > 0; asked {
			groups[vocab.ColumnOrder] = true
		}
		p, err := order.Build(choose.All(compare.Compare(now, was, compare.Options{Groups: groups})), Engine{}.Writer(engine.WriteOptions{}), func(order.Risk) bool { return true })
		if err != nil {
			t.Fatal(err)
		}
		d, _ := with(t, from+"; INSERT INTO dbo.a (id) VALUES (7)")
		said := ""
		for _, s := range p.Steps {
			said += s.Title + "\n"
			for _, sql := range s.SQL {
				if err := d.Exec(t.Context(), strings.TrimSuffix(sql, "\nGO")); err != nil {
					t.Fatalf("seed %d: %s: %v\n%s\n%s\n%s", seed, s.Title, err, sql, from, to)
				}
			}
		}
		ends, err := d.Read(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if left := compare.Compare(now, ends, compare.Options{Groups: groups}); left.Items[0].Status != compare.Same {
			t.Errorf("seed %d: left is %v\n%s\n%s\n%s", seed, left.Items[0].Properties, from, to, said)
		}
		table := catalog.Ref{Kind: catalog.Table, Schema: "dbo", Name: "a"}
		if want, got := now.Find(table).List("column order"), ends.Find(table).List("column order"); groups[vocab.ColumnOrder] && !slices.Equal(got, want) {
			t.Errorf("seed %d: the columns are %v, want %v\n%s", seed, got, want, said)
		}
		if got := lines(t, d, "SELECT CONVERT(nvarchar(9), id) FROM dbo.a"); len(got) != 1 || got[0] != "7" {
			t.Errorf("seed %d: the rows are %v", seed, got)
		}
		if strings.Contains(said, "rebuild") {
			if copied++; !groups[vocab.ColumnOrder] {
				t.Errorf("seed %d: copied for an order that nobody asked for:\n%s", seed, said)
			}
		}
	}
	if copied < 30 {
		t.Errorf("%d tables were copied: little was tried", copied)
	}
}

// TestNothingGetsOut: whatever one fact of a structure is said to be, in whatever form, it
// is refused, or what is written of it stays within its quotes.
func TestNothingGetsOut(t *testing.T) {
	const word = "EVIL_WORD"
	tried, written, planned := 0, 0, 0
	seen := map[string]bool{}
	for _, s := range pairsOf(t) {
		c, err := textOf(t, s.now)
		if err != nil {
			t.Fatal(err)
		}
		for _, o := range c.Objects {
			for at, x := range append([]*catalog.Object{o}, o.Parts...) {
				for i := range x.Properties {
					if key := fmt.Sprint(o.Kind, x.Kind, x.Properties[i].Name, x.Text("type")); seen[key] {
						continue
					} else {
						seen[key] = true
					}
					for _, evil := range []string{"", " ", "/* x */", "-- x", "1); " + word + " --", "x] " + word + " --", "x' " + word + " --", "x\nGO\n" + word + "\nGO\n", "*/ " + word + " /*", "[x].[y]; " + word} {
						for _, v := range []catalog.Value{catalog.Scalar(evil), catalog.List(evil), catalog.SQL(catalog.Piece{Text: evil, Canon: evil})} {
							copied := o.Clone()
							p := append([]*catalog.Object{copied}, copied.Parts...)[at]
							p.Properties[i].Value = v
							tried++
							if (Engine{}).Verify(copied) != nil {
								continue
							}
							written++
							text := Engine{}.Definition(copied)
							for _, plan := range bothWays(c, copied) {
								planned += len(plan.Steps)
								for _, st := range plan.Steps {
									text += "\nGO\n" + strings.Join(st.SQL, "\nGO\n")
								}
							}
							for _, b := range sqltext.Split(vocab.Dialect, text) {
								for _, k := range sqltext.Lex(vocab.Dialect, b.Text) {
									if k.Kind == sqltext.Word && k.Text == word {
										t.Errorf("%s, %s of %s as %q: it gets out:\n%s", s.name, p.Properties[i].Name, x.Kind, v.String(), text)
									}
								}
							}
						}
					}
				}
			}
		}
	}
	if tried < 1000 || written < 100 || planned < 1000 {
		t.Errorf("%d facts were tried, %d of them written, in %d steps", tried, written, planned)
	}
}

// bothWays are the plans between a structure and itself with another object of a name, as
// far as there are any.
func bothWays(c *catalog.Catalog, other *catalog.Object) []*order.Plan {
	changed := *c
	changed.Objects = nil
	for _, o := range c.Objects {
		if o.Ref() == other.Ref() {
			o = other
		}
		changed.Add(o)
	}
	var out []*order.Plan
	for _, way := range [][2]*catalog.Catalog{{c, &changed}, {&changed, c}} {
		p, err := order.Build(choose.All(compare.Compare(way[0], way[1], compare.Options{})), Engine{}.Writer(engine.WriteOptions{}), func(order.Risk) bool { return true })
		if err == nil {
			out = append(out, p)
		}
	}
	return out
}
