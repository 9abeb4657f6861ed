package sqlserver

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlserver/writer"
)

// lines are what a query answers, one text a row.
func lines(t *testing.T, d *database, query string) []string {
	t.Helper()
	var out []string
	if err := d.Lines(t.Context(), query, func(l string) error { out = append(out, l); return nil }); err != nil {
		t.Fatalf("%v\n%s", err, query)
	}
	return out
}

// with is a database that a text makes, and its structure.
func with(t *testing.T, text string) (*database, *catalog.Catalog) {
	t.Helper()
	d, _ := empty(t)
	if err := loaded(t, d, true, []engine.TextFile{{Name: "a.sql", Reader: strings.NewReader(text)}}); err != nil {
		t.Fatalf("%v\n%s", err, text)
	}
	c, err := d.Read(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	return d, c
}

// TestSavedRowsComeBack: rows of every type that were written down give the same values
// again, to the bit.
func TestSavedRowsComeBack(t *testing.T) {
	for typ, values := range samples {
		if typ == "text" || typ == "ntext" || typ == "image" || typ == "sql_variant" {
			continue
		}
		t.Run(typ, func(t *testing.T) {
			make := fmt.Sprintf("CREATE TABLE dbo.[a'b] (id int NOT NULL PRIMARY KEY, [v''x] %s NULL)", typ)
			var text strings.Builder
			text.WriteString(make + ";\n")
			for i, v := range append(slices.Clone(values), "NULL") {
				fmt.Fprintf(&text, "INSERT INTO dbo.[a'b] VALUES (%d, %s);\n", i, v)
			}
			d, c := with(t, text.String())
			o := c.Objects[0]
			saved := lines(t, d, writer.InsertLines(o, 0))
			if len(saved) != len(values)+1 {
				t.Fatalf("%d rows are saved of %d", len(saved), len(values)+1)
			}
			back, _ := with(t, make+";\n"+strings.Join(saved, "\n"))
			expr, _ := Engine{}.RowText(o.PartsOf(catalog.Column), []string{"[id]", "[v''x]"}, 400)
			all := "SELECT " + expr + " FROM dbo.[a'b] ORDER BY id"
			if was, now := lines(t, d, all), lines(t, back, all); !slices.Equal(was, now) {
				t.Errorf("were\n%s\nare\n%s\nsaved\n%s", strings.Join(was, "\n"), strings.Join(now, "\n"), strings.Join(saved, "\n"))
			}
		})
	}
}

// TestSaves: what is lost is saved as INSERT or UPDATE, by the key where there is one.
func TestSaves(t *testing.T) {
	for _, c := range []struct {
		name, text, table, column string
		want                      []string
	}{
		{"a table", "CREATE TABLE dbo.a (id int, n nvarchar(9)); INSERT INTO dbo.a VALUES (1, N'it''s'), (NULL, NULL)", "a", "",
			[]string{"INSERT INTO [dbo].[a] ([id], [n]) VALUES (1, N'it''s');", "INSERT INTO [dbo].[a] ([id], [n]) VALUES (NULL, NULL);"}},
		{"a table that counts", "CREATE TABLE dbo.a (id int IDENTITY(5, 5), n bit); INSERT INTO dbo.a VALUES (1)", "a", "",
			[]string{"SET IDENTITY_INSERT [dbo].[a] ON; INSERT INTO [dbo].[a] ([id], [n]) VALUES (5, 1); SET IDENTITY_INSERT [dbo].[a] OFF;"}},
		{
			"computed columns come by themselves",
			"CREATE TABLE dbo.a (id int, twice AS (id * 2)); INSERT INTO dbo.a VALUES (4)",
			"a",
			"",
			[]string{"INSERT INTO [dbo].[a] ([id]) VALUES (4);"},
		},
		{"a column, by its key", "CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY, n money, m int); INSERT INTO dbo.a VALUES (1, 2.5, 3), (2, NULL, 4)", "a", "n",
			[]string{"UPDATE [dbo].[a] SET [n] = 2.5000 WHERE [id] = 1;"}},
		{"a key of two", "CREATE TABLE dbo.a (z char(2) NOT NULL, d date NOT NULL, n int, PRIMARY KEY (z, d)); INSERT INTO dbo.a VALUES ('N1', '2026-05-04', 7)", "a", "n",
			[]string{"UPDATE [dbo].[a] SET [n] = 7 WHERE [z] = N'N1' AND [d] = '2026-05-04';"}},
		{
			"a column without a key",
			"CREATE TABLE dbo.a (id int, n int); INSERT INTO dbo.a VALUES (1, 2)",
			"a",
			"n",
			[]string{"INSERT INTO [dbo].[a] ([id], [n]) VALUES (1, 2);"},
		},
		{
			"the key itself",
			"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY, n int); INSERT INTO dbo.a VALUES (1, 2)",
			"a",
			"id",
			[]string{"INSERT INTO [dbo].[a] ([id], [n]) VALUES (1, 2);"},
		},
		{
			"what the server makes",
			"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY, v rowversion, g AS (id + 1)); INSERT INTO dbo.a (id) VALUES (1)",
			"a",
			"v",
			nil,
		},
		{"hostile names and values", "CREATE TABLE dbo.[a]]';--] (id int NOT NULL PRIMARY KEY, [n'; DROP TABLE x--] nvarchar(99)); INSERT INTO dbo.[a]]';--] VALUES (1, N'''); DROP TABLE x; --' + NCHAR(10) + N'GO')", "a]';--", "n'; DROP TABLE x--",
			[]string{"UPDATE [dbo].[a]]';--] SET [n'; DROP TABLE x--] = N'''); DROP TABLE x; --\nGO' WHERE [id] = 1;"}},
	} {
		d, cat := with(t, c.text)
		o := cat.Find(catalog.Ref{Kind: catalog.Table, Schema: "dbo", Name: c.table})
		var p *catalog.Object
		if c.column != "" {
			for _, x := range o.PartsOf(catalog.Column) {
				if x.Name == c.column {
					p = x
				}
			}
		}
		s, ok := Engine{}.Writer(engine.WriteOptions{}).(order.Saver)
		if !ok {
			t.Fatal("the writer saves nothing")
		}
		save := s.Save(o, p, nil)
		if save == nil {
			if c.want != nil {
				t.Errorf("%s: nothing is saved", c.name)
			}
			continue
		}
		got := lines(t, d, save.Query)
		slices.Sort(got)
		want := slices.Clone(c.want)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Errorf("%s:\n got %q\nwant %q", c.name, got, want)
		}
		for _, l := range got { // and it runs
			if err := d.Exec(t.Context(), "BEGIN TRANSACTION; DELETE FROM "+writer.Definition(o)[len("CREATE TABLE "):strings.Index(writer.Definition(o), " (")]+"; "+l+" ROLLBACK"); err != nil {
				t.Errorf("%s: %v\n%s", c.name, err, l)
			}
		}
	}
}
