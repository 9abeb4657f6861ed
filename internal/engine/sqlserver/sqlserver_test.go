package sqlserver

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	mssql "github.com/microsoft/go-mssqldb"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlserver/reader"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/standin/model"
)

func TestAddresses(t *testing.T) {
	for _, c := range []struct{ at, database, words, query string }{
		{"sqlserver://sa@db.quillhaven.example/harbour", "harbour", "-S db.quillhaven.example -d harbour -U sa", "encrypt=true"},
		{
			"sqlserver://sa@db.quillhaven.example:14330/harbour?encrypt=disable",
			"harbour",
			"-S db.quillhaven.example,14330 -d harbour -U sa",
			"encrypt=disable",
		},
		{
			"mssql://db.quillhaven.example?database=har%20bour&TrustServerCertificate=true",
			"har bour",
			"-S db.quillhaven.example -d har bour -C",
			"database=har+bour",
		},
		{"sqlserver://db.quillhaven.example/harbour?instance=OFFICE", "harbour", "-S db.quillhaven.example -d harbour", "app+name=dapper-mirror"},
		{"sqlserver://sa@[::1]:1433/harbour", "harbour", "-S ::1,1433 -d harbour -U sa", "dial+timeout=15"},
	} {
		a, err := parseAddress(c.at)
		if err != nil || a.database != c.database || !strings.Contains(a.url.RawQuery, c.query) {
			t.Errorf("%s: %+v %v", c.at, a, err)
		}
		if got := strings.Join(Engine{}.ClientWords(c.at), " "); got != c.words {
			t.Errorf("%s: the client's words are %s", c.at, got)
		}
	}
	for _, bad := range []string{"sqlserver://sa@host", "sqlserver://sa@host/?x=1", "sqlserver://%zz/x"} {
		if _, err := parseAddress(bad); !errors.Is(err, engine.ErrConnect) {
			t.Errorf("%s: %v", bad, err)
		}
		if w := (Engine{}).ClientWords(bad); w != nil {
			t.Errorf("%s: %v", bad, w)
		}
	}
}

func TestSecure(t *testing.T) {
	for _, c := range []struct {
		tls  engine.TLS
		want map[string]string
		bad  bool
	}{
		{engine.TLS{}, map[string]string{"encrypt": ""}, false}, {engine.TLS{Mode: "off"}, map[string]string{"encrypt": "disable"}, false}, {engine.TLS{Mode: "require"}, map[string]string{"encrypt": "true", "TrustServerCertificate": "true"}, false},
		{engine.TLS{Mode: "verify", CA: "/ca.pem"}, map[string]string{"encrypt": "true", "certificate": "/ca.pem", "TrustServerCertificate": ""}, false}, {engine.TLS{Cert: "a", Key: "b"}, nil, true},
	} {
		at, err := Engine{}.Secure("sqlserver://sa@host/harbour", "p@ss w/rd", c.tls)
		if (err != nil) != c.bad {
			t.Errorf("%+v: %v", c.tls, err)
			continue
		}
		if c.bad {
			continue
		}
		u, err := url.Parse(at)
		if err != nil {
			t.Fatal(err)
		}
		if p, _ := u.User.Password(); p != "p@ss w/rd" || u.User.Username() != "sa" {
			t.Errorf("%+v: %s", c.tls, at)
		}
		for k, v := range c.want {
			if u.Query().Get(k) != v {
				t.Errorf("%+v: %s is %q", c.tls, k, u.Query().Get(k))
			}
		}
	}
}

// TestExplain: what the server says is said in our words, and found by our errors.
func TestExplain(t *testing.T) {
	said := func(numbers ...int32) error {
		e := mssql.Error{}
		for _, n := range numbers {
			e.All = append(e.All, mssql.Error{Number: n, Message: fmt.Sprintf("message %d", n)})
		}
		e.Number, e.Message = numbers[len(numbers)-1], fmt.Sprintf("message %d", numbers[len(numbers)-1])
		return e
	}
	for _, c := range []struct {
		err  error
		is   error
		says string
	}{
		{said(4060), engine.ErrNotFound, "no such database"}, {said(18456), engine.ErrConnect, "refused"}, {said(1222), engine.ErrLocked, "message 1222"}, {said(1205), engine.ErrLocked, "try again"},
		{said(50871), engine.ErrGuard, "message 50871"}, {said(547), engine.ErrValue, "error 547"}, {said(2628), engine.ErrValue, ""}, {said(1105), engine.ErrDiskFull, ""}, {said(3906), engine.ErrReadOnly, ""},
		{said(5074, 4922), nil, "message 5074; message 4922 (error 4922)"}, {said(5074, 5074, 4922), nil, "and 1 more"}, {said(102), nil, "message 102 (error 102)"},
		{context.Canceled, context.Canceled, ""}, {context.DeadlineExceeded, engine.ErrTime, ""}, {errors.New("driver: bad connection"), engine.ErrConnect, "lost"},
		{errors.New("TLS Handshake failed: x509: certificate signed by unknown authority"), engine.ErrConnect, "certificate"},
	} {
		got := explain(c.err)
		if c.is != nil && !errors.Is(got, c.is) || !strings.Contains(got.Error(), c.says) {
			t.Errorf("%v: %v", c.err, got)
		}
	}
}

// TestClasses: what a batch of a script is, told by its first words.
func TestClasses(t *testing.T) {
	for sql, want := range map[string]engine.Class{
		"BEGIN TRANSACTION;": engine.Begins, "COMMIT TRANSACTION;": engine.Commits, "SET XACT_ABORT ON;": engine.Passing, "IF XACT_STATE() <> 1 OR @@ERROR <> 0 SET NOEXEC ON;": engine.Passing, "IF EXISTS (SELECT 1) THROW 50871, N'', 1;": engine.Guards,
		"IF @@TRANCOUNT > 0 ROLLBACK TRANSACTION;": engine.Passing, "ALTER TABLE x ADD y int;": engine.Lasting, "EXEC (N'x');": engine.Lasting, "-- note\nDECLARE @x int;": engine.Lasting, "IF 1 = 1 DROP TABLE x": engine.Lasting,
	} {
		if got := engine.Classify(Engine{}, sql); got != want {
			t.Errorf("%s: %v, want %v", sql, got, want)
		}
	}
}

// empty is a database of a model that counts the batches that read its catalog.
func empty(t *testing.T) (*database, *[]string) {
	t.Helper()
	m := model.New("port")
	m.Implied = true
	var batches []string
	m.Count = func(b string) { batches = append(batches, b) }
	d, err := within(t.Context(), m, "port")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { d.Close() })
	return d, &batches
}

// TestQueriesDoNotGrow: however much there is, it is read by as many queries, in as few
// ways to the server, none of which names an object.
func TestQueriesDoNotGrow(t *testing.T) {
	for _, n := range []int{0, 3, 10000} {
		var text strings.Builder
		for i := range n {
			fmt.Fprintf(&text, "CREATE TABLE dbo.t%[1]d (id int NOT NULL PRIMARY KEY, a int DEFAULT 3 CHECK (a > 0), b int REFERENCES dbo.t%[1]d (id))\nGO\n", i)
			if i%5 == 0 {
				fmt.Fprintf(&text, "CREATE VIEW dbo.v%[1]d AS SELECT a FROM dbo.t%[1]d\nGO\n", i)
			}
		}
		d, batches := empty(t)
		if err := loaded(t, d, false, []engine.TextFile{{Name: "port.sql", Reader: strings.NewReader(text.String())}}); err != nil {
			t.Fatal(err)
		}
		*batches = nil
		c, err := d.Read(t.Context())
		if err != nil || len(c.Objects) != n+(n+4)/5 {
			t.Fatalf("%d objects, %v", len(c.Objects), err)
		}
		all := strings.Join(*batches, ";\n")
		if asked := strings.Count(all, ";\n") + 1; asked != reader.Queries || len(*batches) != reader.Batches {
			t.Errorf("of %d tables: %d queries in %d batches, not %d in %d", n, asked, len(*batches), reader.Queries, reader.Batches)
		}
		if strings.Contains(all, "dbo.") {
			t.Errorf("a query names an object: %s", all)
		}
	}
}

// meddler changes the structure while it is read.
type meddler struct {
	reader.Connection
	meddle func(query string)
}

func (m meddler) Rows(ctx context.Context, queries []string, each func(int, reader.Row) error) error {
	m.meddle(strings.Join(queries, ""))
	return m.Connection.Rows(ctx, queries, each)
}

// TestReadsWhatMoved: what is changed while it is read is noticed, whatever it is.
func TestReadsWhatMoved(t *testing.T) {
	m := model.New("port")
	d, err := within(t.Context(), m, "port")
	if err != nil {
		t.Fatal(err)
	}
	defer d.Close()
	other, err := within(t.Context(), m, "port")
	if err != nil {
		t.Fatal(err)
	}
	defer other.Close()
	for i, change := range []string{"", "CREATE TABLE dbo.a (id int)", "ALTER TABLE dbo.a ADD b int", "CREATE INDEX ix ON dbo.a (id)", "CREATE VIEW dbo.v AS SELECT id FROM dbo.a", "ALTER VIEW dbo.v AS SELECT b FROM dbo.a", "DROP VIEW dbo.v", "EXEC sp_rename N'dbo.a', N'c'", "DROP TABLE dbo.c"} {
		done := false
		_, err := reader.Read(t.Context(), meddler{reader.Connection{Conn: d.conn}, func(query string) {
			if strings.Contains(query, "sys.foreign_keys AS f") && !done && change != "" {
				done = true
				if err := other.Exec(context.Background(), change); err != nil {
					t.Errorf("%s: %v", change, err)
				}
			}
		}})
		if errors.Is(err, reader.ErrChanged) != (i > 0) || err != nil && i == 0 {
			t.Errorf("%q: %v", change, err)
		}
	}
	if c, err := d.Read(t.Context()); err != nil || len(c.Objects) != 0 {
		t.Errorf("%d objects, %v", len(c.Objects), err)
	}
}

func textOf(t *testing.T, texts ...string) (*catalog.Catalog, error) {
	t.Helper()
	var files []engine.TextFile
	for i, s := range texts {
		files = append(files, engine.TextFile{Name: fmt.Sprintf("%c.sql", 'a'+i), Reader: strings.NewReader(s)})
	}
	return Engine{}.ReadText(t.Context(), files, engine.TextOptions{})
}

// TestTexts: what a text makes, in whatever order, and where it is wrong.
// loaded runs texts on a database.
func loaded(t *testing.T, d *database, rows bool, files []engine.TextFile) error {
	t.Helper()
	units, _, err := unitsOf(files, "")
	if err != nil {
		return err
	}
	return load(t.Context(), d, units, rows, nil)
}

func TestTexts(t *testing.T) {
	for _, c := range []struct {
		name  string
		texts []string
		has   string // the tables, or the error
	}{
		{"nothing", []string{""}, ""},
		{"one", []string{"CREATE TABLE dbo.a (id int)"}, "a"},
		{
			"what it needs comes later",
			[]string{"CREATE VIEW dbo.v AS SELECT id FROM dbo.a\nGO\nCREATE TABLE dbo.b (id int REFERENCES dbo.a (id))\nGO\nCREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY)"},
			"a b v",
		},
		{"over files", []string{"CREATE TABLE dbo.b (id yard.label)", "CREATE TYPE yard.label FROM int", "CREATE SCHEMA yard"}, "yard b label"},
		{"what belongs to the client", []string{":setvar x 1\n:on error exit\nCREATE TABLE a (id int)\nGO 1\nPRINT 'x'\ngo -- done\n"}, "a"},
		{"what is about rows", []string{"CREATE TABLE a (id int)\nINSERT INTO a VALUES (1)\nUPDATE nowhere SET x = 1\nSELECT * FROM nowhere"}, "a"},
		{"a transaction around it", []string{"BEGIN TRANSACTION\nCREATE TABLE a (id int)\nCOMMIT"}, "a"},
		{"line ends of DOS, and a mark at the beginning", []string{"\ufeffCREATE TABLE a (id int)\r\nGO\r\nCREATE TABLE b (id int)\r\nGO\r\n"}, "a b"},
		{
			"what is altered afterwards",
			[]string{"CREATE TABLE a (id int)\nGO\nALTER TABLE a ADD b int NOT NULL CONSTRAINT DF_b DEFAULT 1\nGO\nEXEC sp_rename 'a', 'c'\nGO\nIF OBJECT_ID('x') IS NOT NULL DROP TABLE x"},
			"c",
		},
		{"users and roles", []string{"CREATE USER clerk WITHOUT LOGIN\nGO\nGRANT SELECT ON dbo.a TO clerk\nGO\nCREATE TABLE dbo.a (id int)"}, "a"},
		{"a wrong word", []string{"CREATE TABLE a (id int)\nGO\n\n  CREATE TABEL b (id int)"}, "a.sql:4:10: CREATE TABEL is not known here."},
		{
			"a type that is nowhere",
			[]string{"CREATE TABLE a (\n  id int,\n  b nothing)"},
			"a.sql:1:1: Column, parameter, or variable #2: Cannot find data type [nothing]. (error 2715)",
		},
		{"a table that never comes", []string{"CREATE VIEW v AS\n SELECT 1 AS a FROM nowhere"}, "Invalid object name 'nowhere'. (error 208)"},
		{"what the model does not know", []string{"SELECT 1\nGO\nCREATE ASSEMBLY f FROM 0x4D5A"}, "a.sql:3:8: CREATE ASSEMBLY is not known here."},
		{"an open quote in a second file", []string{"", "CREATE TABLE a (id int)\nGO\nPRINT 'x"}, "b.sql:3:7: Unclosed quotation mark"},
		{"the client's commands that read files", []string{":r other.sql\n"}, "a.sql:1:1: the client's command is not followed"},
		{
			"words, in the wrong order and over files",
			[]string{"ALTER FULLTEXT INDEX ON dbo.a DISABLE\nGO\nCREATE FULLTEXT INDEX ON dbo.a (n) KEY INDEX k", "CREATE TABLE dbo.a (id int NOT NULL, n nvarchar(9))\nGO\nCREATE UNIQUE INDEX k ON dbo.a (id)", "IF NOT EXISTS (SELECT 1 FROM sys.fulltext_catalogs WHERE name = 'words') CREATE FULLTEXT CATALOG words AS DEFAULT"},
			"words a",
		},
		{"words of a table without a key", []string{"CREATE FULLTEXT CATALOG words AS DEFAULT\nGO\nCREATE TABLE dbo.a (n nvarchar(9))\nGO\nCREATE FULLTEXT INDEX ON dbo.a (n) KEY INDEX k"}, "a.sql:5:1: 'k' is not a valid index to enforce a full-text search key."},
		{"words within a transaction", []string{"CREATE TABLE dbo.a (n nvarchar(9))\nGO\nBEGIN TRANSACTION\nCREATE FULLTEXT CATALOG words\nCOMMIT"}, "cannot be used inside a user transaction. (error 574)"},
		{"XML before its primary index", []string{"CREATE XML INDEX s ON dbo.a (x) USING XML INDEX p FOR PATH\nGO\nCREATE PRIMARY XML INDEX p ON dbo.a (x)\nGO\nCREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY, x xml)"}, "a"},
		{"filegroups, and files of a database", []string{"ALTER DATABASE x ADD FILEGROUP cold\nGO\nCREATE TABLE dbo.a (id int, n varchar(max)) ON cold TEXTIMAGE_ON [cold]"}, "a"},
		{"in memory", []string{"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY NONCLUSTERED) WITH (MEMORY_OPTIMIZED = ON)\nGO\nALTER TABLE dbo.a ADD INDEX i HASH (id) WITH (BUCKET_COUNT = 4)"}, "a"},
		{"a selective index on XML", []string{"CREATE SELECTIVE XML INDEX s ON dbo.a (x) FOR (p = '/a')"}, "a.sql:1:8: CREATE SELECTIVE is not known here."},
		{"another database", []string{"CREATE TABLE other.dbo.a (id int)"}, "does not reach into another database"},
		{"a database by its name", []string{"USE master\nGO\nCREATE DATABASE Quay\nGO\nUSE Quay\nGO\nCREATE TABLE Quay.dbo.a (id int)\nGO\nCREATE VIEW v AS SELECT id FROM quay..a", "use quay;\nCREATE TABLE b (id int)"}, "a b v"},
		{"two databases", []string{"CREATE TABLE z (id int)\nUSE quay\nCREATE TABLE a (id int)\nUSE yard\nCREATE TABLE b (id int)"}, "several databases are in it (quay, yard); say which: #yard"},
		{
			"an old one, that makes its database first",
			[]string{"use master\ngo\nif exists (select * from sysdatabases where name='Quay') drop database Quay\ngo\nDECLARE @f nvarchar(520) SELECT @f = SUBSTRING(filename, 1, 9) FROM master.dbo.sysaltfiles\nEXECUTE (N'CREATE DATABASE Quay ON PRIMARY (NAME = N' + @f + N')')\ngo\nexec sp_dboption 'Quay','trunc. log on chkpt.','true'\ngo\nuse \"Quay\"\ngo\n" +
				"execute sp_addtype tid, 'varchar(6)', 'NOT NULL'\ngo\nCREATE TABLE \"Call\" (\"id\" tid, \"At\" \"datetime\" CONSTRAINT \"CK\" CHECK (At < getdate()))\ngo\nCREATE VIEW \"Calls by Year\" AS SELECT datepart(yy, Call.At) AS y, \"Month\" = MAX(Call.At) FROM Call GROUP BY datepart(yy, Call.At)\ngo\nsp_helptext 'x'\ngo\nraiserror('done',0,1)\ngo\nCHECKPOINT"},
			"Call Calls by Year tid",
		},
		{"several times", []string{"CREATE TABLE a (id int)\nGO 2"}, "There is already an object named 'a'"},
		{"very often", []string{"PRINT 'x'\nGO 500000\nCREATE TABLE a (id int)\nGO 500000"}, "to run 500000 times"},
		{"never", []string{"CREATE TABLE a (id int)\nGO 0\nCREATE TABLE b (id int)"}, "b"},
	} {
		got, err := textOf(t, c.texts...)
		if err != nil {
			if !strings.Contains(err.Error(), c.has) || c.has == "" {
				t.Errorf("%s: %v, want %s", c.name, err, c.has)
			}
			continue
		}
		var names []string
		for _, o := range got.Objects {
			names = append(names, o.Name)
		}
		if strings.Join(names, " ") != c.has {
			t.Errorf("%s: %s, want %s", c.name, strings.Join(names, " "), c.has)
		}
	}
	c, err := textOf(t, "-- where ships lie\n\n  CREATE TABLE dbo.Berth (id int)\nGO\nCREATE LOGIN clerk WITH PASSWORD = 'x'")
	if err != nil {
		t.Fatal(err)
	}
	o := c.Find(catalog.Ref{Kind: catalog.Table, Schema: "dbo", Name: "berth"})
	if o == nil || o.Origin == nil || o.Origin.String() != "a.sql:3:3" || len(c.Gaps) != 1 || !strings.Contains(c.Gaps[0].Why, "a.sql:5:1: LOGIN was passed over") {
		t.Errorf("where it stands, and what was passed over: %+v %+v", o, c.Gaps)
	}
}

// TestSettingsOfTexts: a module has the settings that hold where it stands, also where it
// waits for something; another file begins anew.
func TestSettingsOfTexts(t *testing.T) {
	c, err := textOf(t, "SET QUOTED_IDENTIFIER OFF\nGO\nCREATE PROCEDURE p @i dbo.ids READONLY AS SELECT \"x\"\nGO\nSET QUOTED_IDENTIFIER, ANSI_NULLS ON\nGO\nCREATE PROCEDURE r @i dbo.ids READONLY AS SELECT 1\nGO\nSET ANSI_NULLS OFF",
		"CREATE TYPE dbo.ids AS TABLE (id int)\nGO\nCREATE VIEW v AS SELECT 1 AS \"x\"")
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, o := range c.Objects {
		got = append(got, strings.TrimSpace(fmt.Sprintln(o.Name, o.Has("quoted identifier off"), o.Has("ansi nulls off"))))
	}
	slices.Sort(got)
	if want := "ids false false, p true false, r false false, v false false"; strings.Join(got, ", ") != want {
		t.Errorf("%v, want %s", got, want)
	}
}

func TestSpeaks(t *testing.T) {
	e := Engine{}
	for _, s := range []string{"SET ANSI_NULLS ON\nGO\nCREATE TABLE [dbo].[a] ([id] [int] IDENTITY(1,1) NOT NULL)", "CREATE TABLE dbo.a (n nvarchar(max))\nGO\n"} {
		if e.Speaks(s) <= e.Speaks("CREATE TABLE a (id INTEGER PRIMARY KEY AUTOINCREMENT);") {
			t.Errorf("%q is not known for what it is", s)
		}
	}
}

// TestVerify: a module's text that is more than one statement, or none, is refused.
func TestVerify(t *testing.T) {
	for _, c := range []struct {
		kind       catalog.Kind
		fact, text string
		good       bool
	}{
		{catalog.View, "definition", "AS SELECT 1 AS a", true}, {catalog.View, "definition", "AS SELECT 1 AS a; DROP TABLE x", false}, {catalog.View, "definition", "AS SELECT 1 AS a\nGO\nDROP TABLE x", false}, {catalog.View, "definition", "", false},
		{catalog.Routine, "definition", "@a int AS SELECT 1; SELECT 2", true}, {catalog.Routine, "definition", "(@a int) RETURNS int AS BEGIN RETURN 1 END", true}, {catalog.Routine, "definition", "AS SELECT 'open", false},
		{catalog.Trigger, "definition", "ON dbo.a AFTER INSERT AS PRINT 'x'", true}, {catalog.Trigger, "definition", "AFTER INSERT AS PRINT 'x'", false},
		{catalog.View, "heading", "-- what for", true}, {catalog.View, "heading", "DROP TABLE x", false}, {catalog.Check, "expression", "[a]>(0)", true}, {catalog.Check, "expression", "[a]>(0)); DROP TABLE x --", false},
		{catalog.Column, "type", "int); DROP TABLE x", false}, {catalog.Column, "default", "N'x", false}, {catalog.Column, "identity", "1, 1", true}, {catalog.Column, "identity", "1, 1) NOT NULL); DROP TABLE x --", false},
		{vocab.PartitionFunction, "range", "left) AS x; DROP TABLE x --", false}, {vocab.PartitionFunction, "range", "left", true}, {vocab.Versioning, "retention", "6 MONTHS", true}, {vocab.Versioning, "retention", "6 MONTHS)); DROP TABLE x --", false},
		{catalog.Sequence, "start", "1; DROP TABLE x", false}, {catalog.Table, "compression", "PAGE); DROP TABLE x --", false}, {catalog.Table, vocab.Current, "[a].[b]", true}, {catalog.Table, vocab.Current, "[a].[b] DROP --", false},
	} {
		o := &catalog.Object{Kind: c.kind, Name: "x"}
		o.Set(c.fact, catalog.SQL(catalog.Piece{Text: c.text, Canon: c.text}))
		if err := (Engine{}).Verify(o); (err == nil) != c.good || err != nil && !errors.Is(err, sqltext.ErrNotClosed) {
			t.Errorf("%s %s %q: %v", c.kind, c.fact, c.text, err)
		}
	}
}

// TestVerifyLists: a right, a predicate, an option or a column of a list that is more than
// itself is refused.
func TestVerifyLists(t *testing.T) {
	for _, c := range []struct {
		fact, item string
		good       bool
	}{
		{"grants", "GRANT SELECT TO [web]", true},
		{"grants", "DENY UPDATE ([a ]] TO b]) TO [c TO d]", true},
		{"grants", "GRANT EXECUTE ON SCHEMA::[dbo] TO [web] WITH GRANT OPTION", true},
		{"grants", "GRANT SELECT TO [web]; DROP TABLE x", false},
		{"grants", "GRANT SELECT TO [web], [other]", false},
		{"grants", "GRANT SELECT TO [web] --", false},
		{"grants", "DROP TABLE x", false},
		{"grants", "GRANT SELECT TO [web]\nGO\nDROP TABLE x", false},
		{"predicates", "FILTER PREDICATE [dbo].[f]([a]) ON [dbo].[t]", true},
		{"predicates", "BLOCK PREDICATE [dbo].[f]([a],(3)) ON [dbo].[t] BEFORE DELETE", true},
		{"predicates", "FILTER PREDICATE [dbo].[f]([a]) ON [dbo].[t] WITH (STATE = OFF)", false},
		{"predicates", "FILTER PREDICATE [dbo].[f]([a]) ON [dbo].[t], DROP FILTER PREDICATE ON [dbo].[u]", false},
		{"predicates", "FILTER PREDICATE [dbo].[f]([a]) ON [dbo].[t] DROP TABLE x", false},
		{"options", "FILLFACTOR = 80", true},
		{"options", "FILLFACTOR = 80); DROP TABLE x --", false},
		{"bounding box", "-1.5e+06", true},
		{"bounding box", "1), GRIDS = (LOW", false},
		{"grids", "MEDIUM", true},
		{"grids", "MEDIUM); DROP TABLE x --", false},
		{"cells per object", "16", true},
		{"cells per object", "16); DROP TABLE x --", false},
		{"buckets", "1024", true},
		{"buckets", "1024); DROP TABLE x --", false},
		{"change tracking", "AUTO", true},
		{"change tracking", "AUTO; DROP TABLE x", false},
		{"tessellation", "GEOMETRY_GRID", true},
		{"tessellation", "GEOMETRY_GRID; DROP TABLE x", false},
		{vocab.Filegroup, "[new disk]", true},
		{vocab.Filegroup, "[new disk]; DROP TABLE x --", false},
		{"order", "first at INSERT", true},
		{"order", "first at INSERT', N'DATABASE'; DROP TABLE x --", false},
		{"order", "", false},
		{"grants", " ", false},
		{"filegroups", "", false},
		{vocab.Written + "columns", "[a] LANGUAGE 1031", true},
		{vocab.Written + "columns", "[a] LANGUAGE 1031) KEY INDEX x; DROP TABLE x --", false},
		{vocab.Written + "columns", "[a] DESC", true},
		{vocab.Written + "columns", "[a]); DROP TABLE x --", false},
	} {
		o := &catalog.Object{Kind: catalog.Table, Name: "x"}
		o.Set(c.fact, catalog.List(c.item))
		if err := (Engine{}).Verify(o); (err == nil) != c.good {
			t.Errorf("%s: %q: %v", c.fact, c.item, err)
		}
	}
}

// TestBatches: what the client would take for its own reaches the server as it stands.
func TestBatches(t *testing.T) {
	d, _ := empty(t)
	for _, text := range []string{"plain", "two\nlines", "a\nGO\nb", "a\n  go 3\nb", "$(HOME)", ":r file", "!! ls", "it's\nGO\n'quoted' $(x) $(y)\n:on error ignore", "GO", "ends in GO\nGO"} {
		sql := vocab.Batch("CREATE PROCEDURE dbo.p AS /* " + strings.ReplaceAll(text, "*/", "") + " */ SELECT N'" + strings.ReplaceAll(text, "'", "''") + "' AS said")
		if err := sqltext.Closed(vocab.Dialect, sql); err != nil {
			t.Errorf("%q: %v\n%s", text, err, sql)
			continue
		}
		list := sqltext.Split(vocab.Dialect, sql+"\n")
		if len(list) != 1 {
			t.Errorf("%q: %d batches", text, len(list))
			continue
		}
		if err := d.Exec(t.Context(), list[0].Text); err != nil {
			t.Errorf("%q: %v", text, err)
			continue
		}
		var got string
		if err := d.Lines(t.Context(), "SELECT OBJECT_DEFINITION(OBJECT_ID(N'dbo.p')) AS d", func(s string) error { got = s; return nil }); err != nil || !strings.Contains(got, text) {
			t.Errorf("%q became %q, %v", text, got, err)
		}
		if err := d.Exec(t.Context(), "DROP PROCEDURE dbo.p"); err != nil {
			t.Fatal(err)
		}
	}
}

// TestSession: claims, identities, limits and what an account lacks.
func TestSession(t *testing.T) {
	m := model.New("port")
	open := func() *database {
		d, err := within(t.Context(), m, "port")
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { d.Close() })
		return d
	}
	a, b := open(), open()
	if err := a.Claim(t.Context()); err != nil {
		t.Fatal(err)
	}
	if err := b.Claim(t.Context()); !errors.Is(err, engine.ErrClaimed) {
		t.Errorf("claimed twice: %v", err)
	}
	a.Close()
	for range 100 { // the server notices that it is gone
		if err := b.Claim(t.Context()); err == nil {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	if err := b.Claim(t.Context()); err != nil {
		t.Errorf("a claim stays behind: %v", err)
	}
	c := open()
	idB, errB := b.Identity(t.Context())
	idC, errC := c.Identity(t.Context())
	if idB != idC || idB == "" || errB != nil || errC != nil {
		t.Errorf("%q %q %v %v", idB, idC, errB, errC)
	}
	for _, sql := range []string{"CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY)", "INSERT INTO dbo.berth VALUES (1), (2)", "BEGIN TRANSACTION", "UPDATE dbo.berth SET id = id + 10"} {
		if err := b.Exec(t.Context(), sql); err != nil {
			t.Fatal(err)
		}
	}
	berth := catalog.Ref{Kind: catalog.Table, Schema: "dbo", Name: "berth"}
	if _, err := c.Count(t.Context(), "SELECT count(*) FROM dbo.berth", 60*time.Millisecond); !errors.Is(err, engine.ErrLocked) && !errors.Is(err, engine.ErrTime) {
		t.Errorf("rows that somebody changes: %v", err)
	}
	if who, err := c.Blockers(t.Context(), []catalog.Ref{berth}); err != nil || len(who) != 1 || !strings.Contains(who[0], "holds X on berth") {
		t.Errorf("who is in the way: %v %v", who, err)
	}
	if err := b.Exec(t.Context(), "ROLLBACK"); err != nil {
		t.Fatal(err)
	}
	if n, err := c.Count(t.Context(), "SELECT count(*) FROM dbo.berth WHERE id < 3", time.Second); n != 2 || err != nil {
		t.Errorf("%d rows, %v", n, err)
	}
	if sizes, err := c.Sizes(t.Context(), []catalog.Ref{berth}); err != nil || sizes[berth] <= 0 {
		t.Errorf("sizes: %v %v", sizes, err)
	}
	if lacks, err := c.Lacking(t.Context(), []engine.Work{{On: berth}, {On: catalog.Ref{Kind: catalog.View, Schema: "dbo", Name: "v"}, Creates: true}}, ""); err != nil || len(lacks) != 0 {
		t.Errorf("lacks: %v %v", lacks, err)
	}
	if err := b.Exec(t.Context(), "ROLLBACK"); err != nil {
		t.Errorf("rolled back twice: %v", err)
	}
}
