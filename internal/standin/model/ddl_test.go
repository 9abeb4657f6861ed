package model

import (
	"strings"
	"testing"
	"time"
)

// TestDDL: what a statement makes of the structure, seen by the catalog's views.
func TestDDL(t *testing.T) {
	const port = "CREATE TABLE dbo.berth (id int IDENTITY(10, 5) NOT NULL CONSTRAINT PK_berth PRIMARY KEY, name nvarchar(20) NOT NULL, depth decimal(5,2) NULL CONSTRAINT DF_depth DEFAULT 4, zone char(2) NULL); INSERT INTO dbo.berth (name, zone) VALUES (N'Ost', 'N1'), (N'Süd', 'S1')"
	for _, c := range []struct{ name, do, ask, want string }{
		{
			"a column more",
			"ALTER TABLE dbo.berth ADD n int NULL, m int NOT NULL DEFAULT 7, k int NULL DEFAULT 8, j int NULL CONSTRAINT DF_j DEFAULT 9 WITH VALUES",
			"n, m, k, j FROM dbo.berth",
			"NULL,7,NULL,9;NULL,7,NULL,9",
		},
		{
			"an identity more",
			"CREATE TABLE dbo.a (n int); INSERT INTO dbo.a VALUES (1), (2); ALTER TABLE dbo.a ADD id int IDENTITY(3, 2)",
			"id FROM dbo.a ORDER BY id",
			"3;5",
		},
		{"a computed column more", "ALTER TABLE dbo.berth ADD twice AS depth * 2 PERSISTED", "twice FROM dbo.berth", "8.00;8.00"},
		{
			"a column less",
			"ALTER TABLE dbo.berth DROP COLUMN zone",
			"c.name FROM sys.columns c WHERE c.object_id = OBJECT_ID('dbo.berth') ORDER BY column_id",
			"id;name;depth",
		},
		{
			"another type",
			"ALTER TABLE dbo.berth ALTER COLUMN zone nvarchar(9) NOT NULL",
			"t.name, c.max_length, c.is_nullable, b.zone FROM sys.columns c JOIN sys.types t ON t.user_type_id = c.user_type_id JOIN dbo.berth b ON b.id = 10 WHERE c.name = 'zone'",
			"nvarchar,18,0,N1",
		},
		{
			"another collation",
			"ALTER TABLE dbo.berth ALTER COLUMN name nvarchar(20) COLLATE Latin1_General_CS_AS NOT NULL",
			"count(*) FROM dbo.berth WHERE name = 'ost'",
			"0",
		},
		{
			"a default goes and comes",
			"ALTER TABLE dbo.berth DROP CONSTRAINT DF_depth; ALTER TABLE dbo.berth ADD CONSTRAINT DF_2 DEFAULT (5) FOR depth; INSERT INTO dbo.berth (name) VALUES (N'x')",
			"depth FROM dbo.berth WHERE name = 'x'",
			"5.00",
		},
		{
			"the key goes: a heap again",
			"ALTER TABLE dbo.berth DROP CONSTRAINT PK_berth",
			"type_desc FROM sys.indexes WHERE object_id = OBJECT_ID('dbo.berth')",
			"HEAP",
		},
		{
			"a key whose name the server makes",
			"CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY, n int UNIQUE, m int DEFAULT 1 CHECK (m > 0), b int REFERENCES dbo.berth (id))",
			"LEFT(name, 4), type FROM sys.objects WHERE parent_object_id = OBJECT_ID('dbo.a') ORDER BY type, name",
			"CK__,C ;DF__,D ;FK__,F ;PK__,PK;UQ__,UQ",
		},
		{
			"a check that nobody looked at",
			"ALTER TABLE dbo.berth WITH NOCHECK ADD CONSTRAINT CK CHECK (depth > 100)",
			"is_not_trusted, is_disabled FROM sys.check_constraints",
			"1,0",
		},
		{
			"switched off and on",
			"ALTER TABLE dbo.berth ADD CONSTRAINT CK CHECK (depth > 1); ALTER TABLE dbo.berth NOCHECK CONSTRAINT CK; ALTER TABLE dbo.berth CHECK CONSTRAINT CK",
			"is_not_trusted, is_disabled FROM sys.check_constraints",
			"1,0",
		},
		{
			"trusted again",
			"ALTER TABLE dbo.berth ADD CONSTRAINT CK CHECK (depth > 1); ALTER TABLE dbo.berth NOCHECK CONSTRAINT ALL; ALTER TABLE dbo.berth WITH CHECK CHECK CONSTRAINT ALL",
			"is_not_trusted, is_disabled FROM sys.check_constraints",
			"0,0",
		},
		{
			"an index that is off",
			"CREATE INDEX ix ON dbo.berth (name); ALTER INDEX ix ON dbo.berth DISABLE",
			"is_disabled FROM sys.indexes WHERE name = 'ix'",
			"1",
		},
		{
			"an index that is made anew",
			"CREATE INDEX ix ON dbo.berth (name); CREATE UNIQUE INDEX ix ON dbo.berth (zone DESC) WITH (DROP_EXISTING = ON, FILLFACTOR = 50)",
			"is_unique, fill_factor FROM sys.indexes WHERE name = 'ix'",
			"1,50",
		},
		{
			"a clustered index instead of the heap",
			"ALTER TABLE dbo.berth DROP CONSTRAINT PK_berth; CREATE CLUSTERED INDEX cx ON dbo.berth (zone); ALTER TABLE dbo.berth ADD CONSTRAINT PK_berth PRIMARY KEY (id)",
			"name, type_desc FROM sys.indexes WHERE object_id = OBJECT_ID('dbo.berth') ORDER BY index_id",
			"cx,CLUSTERED;PK_berth,NONCLUSTERED",
		},
		{
			"compression",
			"ALTER TABLE dbo.berth REBUILD WITH (DATA_COMPRESSION = PAGE)",
			"data_compression_desc FROM sys.partitions WHERE object_id = OBJECT_ID('dbo.berth')",
			"PAGE",
		},
		{
			"a renamed table keeps its rows and parts",
			"EXEC sp_rename 'dbo.berth', 'quay'",
			"count(*), (SELECT OBJECT_NAME(parent_object_id) FROM sys.key_constraints) FROM dbo.quay",
			"2,quay",
		},
		{"a renamed column", "EXEC sp_rename 'dbo.berth.name', 'title', 'COLUMN'", "title FROM dbo.berth ORDER BY title", "Ost;Süd"},
		{
			"a renamed key and its index",
			"EXEC sp_rename 'dbo.PK_berth', 'PK_2'",
			"k.name, i.name, k.is_system_named FROM sys.key_constraints k JOIN sys.indexes i ON i.object_id = k.parent_object_id AND i.index_id = k.unique_index_id",
			"PK_2,PK_2,0",
		},
		{"the next number stays with the table", "DELETE FROM dbo.berth; INSERT INTO dbo.berth (name) VALUES (N'x')", "id FROM dbo.berth", "20"},
		{
			"numbers that are given",
			"SET IDENTITY_INSERT dbo.berth ON; INSERT INTO dbo.berth (id, name) VALUES (100, N'x'); SET IDENTITY_INSERT dbo.berth OFF; INSERT INTO dbo.berth (name) VALUES (N'y')",
			"id FROM dbo.berth WHERE name IN ('x', 'y') ORDER BY id",
			"100;105",
		},
		{
			"numbers from anew",
			"DBCC CHECKIDENT ('dbo.berth', RESEED, 200); INSERT INTO dbo.berth (name) VALUES (N'x')",
			"id FROM dbo.berth WHERE name = 'x'",
			"205",
		},
		{"emptied", "TRUNCATE TABLE dbo.berth; INSERT INTO dbo.berth (name) VALUES (N'x')", "id FROM dbo.berth", "10"},
		{
			"rows that follow their parent",
			"CREATE TABLE dbo.a (b int REFERENCES dbo.berth (id) ON DELETE CASCADE); INSERT INTO dbo.a VALUES (10), (15); DELETE FROM dbo.berth WHERE id = 10",
			"b FROM dbo.a",
			"15",
		},
		{
			"an alias type",
			"CREATE TYPE dbo.label FROM nvarchar(9) NOT NULL; CREATE TABLE dbo.a (l dbo.label)",
			"t.name, c.is_nullable, c.max_length FROM sys.columns c JOIN sys.types t ON t.user_type_id = c.user_type_id WHERE c.object_id = OBJECT_ID('dbo.a')",
			"label,0,18",
		},
		{
			"a schema and a move into it",
			"CREATE SCHEMA yard; ALTER SCHEMA yard TRANSFER dbo.berth",
			"s.name, o.name FROM sys.objects o JOIN sys.schemas s ON s.schema_id = o.schema_id ORDER BY o.name",
			"yard,berth;yard,DF_depth;yard,PK_berth",
		},
		{
			"a sequence that ends and turns",
			"CREATE SEQUENCE dbo.s AS tinyint START WITH 254 CYCLE MINVALUE 3; CREATE TABLE dbo.a (n int DEFAULT (NEXT VALUE FOR dbo.s), m int); INSERT INTO dbo.a (m) VALUES (1), (2), (3)",
			"n FROM dbo.a ORDER BY m",
			"254;255;3",
		},
		{"a synonym", "CREATE SYNONYM dbo.q FOR dbo.berth; UPDATE dbo.q SET zone = 'X1'", "DISTINCT zone FROM dbo.q", "X1"},
		{
			"a view over stars, until it is refreshed",
			"EXEC('CREATE VIEW dbo.v AS SELECT * FROM dbo.berth'); ALTER TABLE dbo.berth ADD n int; EXEC sp_refreshsqlmodule 'dbo.v'",
			"count(*) FROM sys.columns WHERE object_id = OBJECT_ID('dbo.v')",
			"5",
		},
		{
			"a trigger that writes",
			"CREATE TABLE dbo.log (what nvarchar(40)); EXEC('CREATE TRIGGER dbo.t ON dbo.berth AFTER UPDATE AS INSERT INTO dbo.log SELECT d.zone + i.zone FROM inserted i JOIN deleted d ON d.id = i.id'); UPDATE dbo.berth SET zone = 'X1' WHERE id = 10",
			"what FROM dbo.log",
			"N1X1",
		},
		{
			"one that is off",
			"CREATE TABLE dbo.log (n int); EXEC('CREATE TRIGGER dbo.t ON dbo.berth AFTER INSERT AS INSERT INTO dbo.log VALUES (1)'); DISABLE TRIGGER dbo.t ON dbo.berth; INSERT INTO dbo.berth (name) VALUES (N'x')",
			"count(*) FROM dbo.log",
			"0",
		},
		{
			"a procedure with parameters",
			"CREATE TABLE dbo.log (n int); EXEC('CREATE PROCEDURE dbo.p @n int, @m int = 4 AS IF @n > 1 INSERT INTO dbo.log VALUES (@n * @m) ELSE RETURN'); EXEC dbo.p 3; EXEC dbo.p @m = 5, @n = 2; EXEC dbo.p 1",
			"n FROM dbo.log ORDER BY n",
			"10;12",
		},
		{
			"ALTER and CREATE OR ALTER are kept as CREATE",
			"EXEC('CREATE VIEW dbo.v AS SELECT 1 AS a'); EXEC('-- note\nALTER VIEW dbo.v AS SELECT 2 AS a'); EXEC('CREATE  OR  ALTER VIEW dbo.w AS SELECT 3 AS a')",
			"definition FROM sys.sql_modules ORDER BY object_id",
			"-- note\nCREATE VIEW dbo.v AS SELECT 2 AS a;CREATE VIEW dbo.w AS SELECT 3 AS a",
		},
		{
			"descriptions go with what they are of",
			"EXEC sp_addextendedproperty 'MS_Description', 'a', 'SCHEMA', 'dbo', 'TABLE', 'berth', 'COLUMN', 'zone'; EXEC sp_addextendedproperty 'MS_Description', 'b', 'SCHEMA', 'dbo', 'TABLE', 'berth'; ALTER TABLE dbo.berth DROP COLUMN zone",
			"value FROM sys.extended_properties",
			"b",
		},
		{
			"what depends on what",
			"EXEC('CREATE VIEW dbo.v WITH SCHEMABINDING AS SELECT id FROM dbo.berth WHERE zone > ''A''')",
			"referenced_entity_name, COL_NAME(referenced_id, referenced_minor_id), is_schema_bound_reference FROM sys.sql_expression_dependencies ORDER BY referenced_minor_id",
			"berth,NULL,1;berth,id,1;berth,zone,1",
		},
		{"a batch in a transaction that ends well", "BEGIN TRAN; CREATE TABLE dbo.a (id int); COMMIT", "count(*) FROM sys.tables", "2"},
		{
			"a batch in a transaction that does not",
			"BEGIN TRAN; CREATE TABLE dbo.a (id int); DELETE FROM dbo.berth; ALTER TABLE dbo.berth DROP COLUMN zone; ROLLBACK",
			"(SELECT count(*) FROM sys.tables), (SELECT string_agg(zone, '') FROM dbo.berth)",
			"1,N1S1",
		},
		{
			"nothing runs under NOEXEC",
			"SET NOEXEC ON; DROP TABLE dbo.berth; SET NOEXEC OFF; CREATE TABLE dbo.a (id int)",
			"name FROM sys.tables ORDER BY name",
			"a;berth",
		},
	} {
		x := alone(t)
		if n := x.runs(port); n != "" {
			t.Fatalf("%s: %s", c.name, n)
		}
		if n := x.runs(c.do); n != "" {
			t.Errorf("%s: refused with %s", c.name, n)
			continue
		}
		if got := x.value(c.ask); got != c.want {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
	}
}

// TestLocks: which modes stand beside each other, and that what one client changes keeps
// others from it until it is done.
func TestLocks(t *testing.T) {
	modes := []lockMode{lockNone, lockSchS, lockShared, lockRows, lockSchM}
	want := []string{".....", "....x", "...xx", "..xxx", ".xxxx"}
	for i, a := range modes {
		row := ""
		for _, b := range modes {
			row += map[bool]string{true: "x", false: "."}[conflicts(a, b)]
		}
		if row != want[i] {
			t.Errorf("%v stands beside others as %s, want %s", a, row, want[i])
		}
	}
	for _, c := range []struct {
		first, second string
		waits         bool
	}{
		{"UPDATE dbo.a SET n = 1", "SELECT n FROM dbo.a", true},
		{"UPDATE dbo.a SET n = 1", "SELECT n FROM dbo.a WITH (NOLOCK)", false},
		{"UPDATE dbo.a SET n = 1", "UPDATE dbo.b SET n = 1", false},
		{"UPDATE dbo.a SET n = 1", "ALTER TABLE dbo.a ADD m int", true},
		{"UPDATE dbo.a SET n = 1", "SELECT name FROM sys.tables", false},
		{"ALTER TABLE dbo.a ADD m int", "SELECT name FROM sys.tables", true},
		{"ALTER TABLE dbo.a ADD m int", "SELECT n FROM dbo.b", false},
		{"ALTER TABLE dbo.a ADD m int", "SELECT n FROM dbo.a WITH (NOLOCK)", true},
		{"SELECT n FROM dbo.a", "UPDATE dbo.a SET n = 1", false},
		{"SELECT n FROM dbo.a WITH (HOLDLOCK)", "UPDATE dbo.a SET n = 1", true},
		{"SELECT n FROM dbo.a WITH (HOLDLOCK)", "SELECT n FROM dbo.a", false},
		{"SELECT n FROM dbo.a WITH (TABLOCKX)", "SELECT n FROM dbo.a", true},
		{"CREATE INDEX ix ON dbo.a (n)", "INSERT INTO dbo.a VALUES (1)", true},
		{"CREATE TABLE dbo.c (n int)", "CREATE TABLE dbo.d (n int)", false},
		{"ALTER TABLE dbo.b ADD CONSTRAINT f FOREIGN KEY (n) REFERENCES dbo.a (n)", "SELECT n FROM dbo.a", true},
		{"DROP TABLE dbo.b", "SELECT n FROM dbo.a", false},
		{
			"EXEC sp_getapplock 'x', 'Exclusive'",
			"DECLARE @r int; EXEC @r = sp_getapplock 'x', 'Exclusive', 'Session', 20; IF @r < 0 THROW 51222, 'waits', 1",
			true,
		},
	} {
		x := alone(t)
		if n := x.runs("CREATE TABLE dbo.a (n int NOT NULL UNIQUE); CREATE TABLE dbo.b (n int)"); n != "" {
			t.Fatal(n)
		}
		other, refused := x.s.Open(x.who)
		if refused != nil {
			t.Fatal(refused)
		}
		y := other.(*session)
		y.wait = 20 * time.Millisecond
		if n := x.runs("BEGIN TRAN; " + c.first); n != "" {
			t.Errorf("%s: %s", c.first, n)
		}
		n := y.runs(c.second)
		if waits := strings.HasSuffix(n, "1222"); waits != c.waits || n != "" && !waits {
			t.Errorf("%s beside %s: waits %v, want %v (%s)", c.second, c.first, waits, c.waits, n)
		}
		if n := x.runs("ROLLBACK"); n != "" {
			t.Errorf("%s: %s", c.first, n)
		}
		if n := y.runs(c.second); n != "" && n != "2714" { // it was not kept from making it
			t.Errorf("%s afterwards: %s", c.second, n)
		}
	}
}
