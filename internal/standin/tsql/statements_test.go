package tsql

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
)

// told is a statement in a few words, so that a test can say what was read.
func told(body any) string {
	switch b := body.(type) {
	case *CreateTable:
		var parts []string
		for _, c := range b.Columns {
			parts = append(parts, toldColumn(c))
		}
		for _, k := range b.Rest {
			parts = append(parts, toldConstraint(k))
		}
		for _, i := range b.Indexes {
			parts = append(parts, told(&i))
		}
		return fmt.Sprintf("table %s(%s)%s on %s", strings.Join(b.Name, "."), strings.Join(parts, "; "), toldOptions(b.Options), strings.TrimSpace(b.On.Name+" "+b.On.Column))
	case *Index:
		s := "index " + b.Name + " on " + strings.Join(b.On, ".")
		if b.Unique {
			s = "unique " + s
		}
		if b.Clustered {
			s = "clustered " + s
		}
		if b.Columnstore {
			s = "columnstore " + s
		}
		s += toldKeys(b.Columns)
		if b.Include != nil {
			s += " include " + strings.Join(b.Include, ",")
		}
		if b.Where != nil {
			s += " where " + Print(b.Where)
		}
		return s + toldOptions(b.Options)
	case *Module:
		s := fmt.Sprintf("%s %s %s", b.Verb, b.Kind, strings.Join(b.Name, "."))
		for _, p := range b.Params {
			s += " " + p.Name + " " + TypeText(p.Type)
			if p.Default != nil {
				s += "=" + Print(p.Default)
			}
			if p.Output {
				s += " out"
			}
			if p.ReadOnly {
				s += " readonly"
			}
		}
		for _, f := range []struct {
			on   bool
			word string
		}{{b.Bound, "bound"}, {b.Encrypted, "encrypted"}, {b.Inline, "inline"}, {b.Table != nil, "table"}, {b.Returns != nil, "scalar"}, {b.InsteadOf, "instead"}, {b.Check, "check"}, {b.Database, "database"}, {b.Query != nil, "query"}, {b.NullOnNull, "null on null"}} {
			if f.on {
				s += " " + f.word
			}
		}
		if b.On != nil {
			s += " on " + strings.Join(b.On, ".")
		}
		return strings.TrimSpace(s + " " + strings.Join(b.Events, ","))
	case *AlterTable:
		s := "alter " + strings.Join(b.Name, ".") + " " + b.Action
		if b.WithChk != 0 {
			s += " " + string(b.WithChk)
		}
		for _, c := range b.Columns {
			s += " " + toldColumn(c)
		}
		for _, k := range b.Rest {
			s += " " + toldConstraint(k)
		}
		for _, d := range b.Drops {
			s += fmt.Sprintf(" %s(column %v, if %v)", d.Name, d.Column, d.If)
		}
		if b.Column != nil {
			s += " " + toldColumn(*b.Column) + " " + b.Flag
		}
		return strings.TrimSpace(s + " " + strings.Join(b.Names, ",") + toldOptions(b.Options))
	case *AlterIndex:
		return "alter index " + b.Name + " on " + strings.Join(b.On, ".") + " " + b.Action + toldOptions(b.Options)
	case *Drop:
		s := fmt.Sprintf("drop %s if %v", b.Kind, b.If)
		for i, n := range b.Names {
			s += " " + strings.Join(n, ".")
			if b.On != nil {
				s += " on " + strings.Join(b.On[i], ".")
			}
		}
		return s
	case *Sequence:
		return fmt.Sprintf("sequence %s alter %v start %s step %s min %s max %s cycle %s cache %s restart %s", strings.Join(b.Name, "."), b.Alter, b.Start, b.Step, b.Min, b.Max, b.Cycle, b.Cache, b.Restart)
	case *Exec:
		s := "exec " + strings.Join(b.Proc, ".")
		if b.Text != nil {
			s += "(" + Print(b.Text) + ")"
		}
		if b.Result != "" {
			s += " into " + b.Result
		}
		for _, a := range b.Args {
			x := "default"
			if a.X != nil {
				x = Print(a.X)
			}
			s += " " + a.Name + ":" + x
			if a.Output {
				s += " out"
			}
		}
		return s
	case *SelectStmt:
		p := printer{name: Path}
		return "select " + p.query(b.Query)
	case *Insert:
		return fmt.Sprintf("insert %s(%s) %d rows, query %v, default %v", strings.Join(b.Into, "."), strings.Join(b.Columns, ","), len(b.Values), b.Query != nil, b.Default)
	case *Update:
		s := "update " + strings.Join(b.Table, ".")
		for _, x := range b.Sets {
			s += " " + x.Alias + x.Var + "=" + Print(x.X)
		}
		return s + fmt.Sprintf(" from %d where %v", len(b.From), b.Where != nil)
	case *Delete:
		return fmt.Sprintf("delete %s from %d where %v", strings.Join(b.Table, "."), len(b.From), b.Where != nil)
	case *Set:
		return "set " + b.Option + " " + strings.Join(b.Table, ".") + " " + b.Value
	case *If:
		s := "if " + Print(b.Cond) + " then " + told(b.Then.Body)
		if b.Else != nil {
			s += " else " + told(b.Else.Body)
		}
		return s
	case *Block:
		var list []string
		for _, st := range b.List {
			list = append(list, told(st.Body))
		}
		return "{" + strings.Join(list, "; ") + "}"
	}
	return strings.TrimPrefix(fmt.Sprintf("%T", body), "*tsql.") + strings.TrimPrefix(fmt.Sprintf("%+v", body), "&")
}

func toldColumn(c Column) string {
	s := c.Name
	if c.Computed != nil {
		s += " as " + Print(c.Computed)
	} else if c.Type.Name != nil {
		s += " " + TypeText(c.Type)
	}
	for _, f := range []struct {
		on   bool
		word string
	}{{c.Collation != "", "collate " + c.Collation}, {c.Null != 0, "null " + string(c.Null)}, {c.Identity, "identity " + c.Seed + "," + c.Step}, {c.NotRepl, "not repl"}, {c.RowGuid, "rowguid"}, {c.Sparse, "sparse"}, {c.Mask != "", "mask " + c.Mask}, {c.Persisted, "persisted"}} {
		if f.on {
			s += " " + f.word
		}
	}
	for _, k := range c.Constraints {
		s += " [" + toldConstraint(k) + "]"
	}
	return s
}

func toldKeys(list []IndexColumn) string {
	var out []string
	for _, c := range list {
		out = append(out, c.Name+map[bool]string{true: " desc"}[c.Desc])
	}
	return "(" + strings.Join(out, ",") + ")"
}

func toldConstraint(k Constraint) string {
	s := strings.TrimSpace(k.Name + " " + k.Kind)
	if k.Clustered != 0 {
		s += " clustered " + string(k.Clustered)
	}
	if k.Columns != nil {
		s += toldKeys(k.Columns)
	}
	if k.X != nil {
		s += " " + Print(k.X)
	}
	if k.For != "" {
		s += " for " + k.For
	}
	if k.WithValues {
		s += " with values"
	}
	if k.Parent != nil {
		s += " to " + strings.Join(k.Parent, ".") + "(" + strings.Join(k.ParentCols, ",") + ")"
	}
	if k.Delete+k.Update != "" {
		s += " delete " + k.Delete + " update " + k.Update
	}
	if k.NotRepl {
		s += " not repl"
	}
	return s + toldOptions(k.Options)
}

func toldOptions(o Options) string {
	s := ""
	for _, k := range slices.Sorted(maps.Keys(o)) {
		s += " " + k + "=" + o[k]
	}
	return s
}

// TestStatements: what is read of each statement, in the spellings that there are.
func TestStatements(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"CREATE TABLE a (id int)", "table a(id [int]) on "},
		{"CREATE TABLE [a b].[c.d] ([e]]f] [nvarchar](max) NULL) ON [PRIMARY]", "table a b.c.d(e]f [nvarchar](max) null y) on PRIMARY"},
		{"create table a(b dec(5,2) not null default 1 with values, c as (b*2) persisted not null)", "table a(b [decimal](5,2) null n [DEFAULT (1) with values]; c as [b]*(2) null n persisted) on "},
		{"CREATE TABLE a (b int IDENTITY NOT FOR REPLICATION, c bigint IDENTITY(-5, -1) NOT NULL)", "table a(b [int] identity 1,1 not repl; c [bigint] null n identity -5,-1) on "},
		{"CREATE TABLE a (b varchar(9) COLLATE Latin1_General_CI_AS SPARSE NULL, c uniqueidentifier ROWGUIDCOL, d nvarchar(9) MASKED WITH (FUNCTION = 'default()'))", "table a(b [varchar](9) collate Latin1_General_CI_AS null y sparse; c [uniqueidentifier] rowguid; d [nvarchar](9) mask default()) on "},
		{"CREATE TABLE a (b int PRIMARY KEY NONCLUSTERED, c int UNIQUE CLUSTERED, d int CHECK NOT FOR REPLICATION (d > 0), e int CONSTRAINT x REFERENCES f (g) ON DELETE CASCADE ON UPDATE NO ACTION)", "table a(b [int] [PRIMARY clustered n]; c [int] [UNIQUE clustered y]; d [int] [CHECK [d]>(0) not repl]; e [int] [x FOREIGN to f(g) delete CASCADE update ]) on "},
		{"CREATE TABLE a (b int, CONSTRAINT k PRIMARY KEY (b DESC) WITH (PAD_INDEX = ON, FILLFACTOR = 70), FOREIGN KEY (b) REFERENCES c, CHECK (b > 1))", "table a(b [int]; k PRIMARY(b desc) FILLFACTOR=70 PAD_INDEX=ON; FOREIGN(b) to c(); CHECK [b]>(1)) on "},
		{"CREATE TABLE a (b int INDEX i1, INDEX i2 UNIQUE (b DESC) WHERE b > 1)", "table a(b [int]; index i1 on (b); unique index i2 on (b desc) where [b]>(1)) on "},
		{"CREATE TABLE a (b timestamp, timestamp, c rowversion) WITH (DATA_COMPRESSION = PAGE)", "table a(b [timestamp]; timestamp [timestamp]; c [timestamp]) DATA_COMPRESSION=PAGE on "},
		{"CREATE TYPE a AS TABLE (b int PRIMARY KEY)", "table a(b [int] [PRIMARY]) on "},
		{"CREATE UNIQUE CLUSTERED INDEX i ON a.b (c, d DESC) WITH FILLFACTOR = 80 ON [PRIMARY]", "clustered unique index i on a.b(c,d desc) FILLFACTOR=80"},
		{"CREATE INDEX i ON a (b) INCLUDE (c, d) WHERE b IN (1, 2) WITH (ONLINE = ON)", "index i on a(b) include c,d where ([b]=(2) OR [b]=(1)) ONLINE=ON"},
		{"CREATE CLUSTERED COLUMNSTORE INDEX i ON a", "columnstore clustered index i on a()"},
		{"CREATE COLUMNSTORE INDEX i ON a (b, c)", "columnstore index i on a(b,c)"},
		{"CREATE VIEW a.v (x, y) WITH SCHEMABINDING, VIEW_METADATA AS SELECT 1, 2 WITH CHECK OPTION;", "CREATE VIEW a.v bound check query"},
		{"CREATE OR ALTER FUNCTION dbo.f (@a int = 3, @b dbo.t READONLY) RETURNS int WITH RETURNS NULL ON NULL INPUT AS BEGIN RETURN 1 END", "CREATE OR ALTER FUNCTION dbo.f @a [int]=(3) @b [dbo].[t] readonly scalar null on null"},
		{"CREATE FUNCTION f () RETURNS TABLE AS RETURN (SELECT 1 AS a)", "CREATE FUNCTION f inline query"},
		{"CREATE FUNCTION f () RETURNS TABLE RETURN WITH q AS (SELECT 1 AS a) SELECT a FROM q", "CREATE FUNCTION f inline query"},
		{"CREATE FUNCTION f () RETURNS @r TABLE (a int) AS BEGIN RETURN END", "CREATE FUNCTION f table"},
		{"ALTER PROC p (@a int OUT, @b varchar(max) = NULL) WITH RECOMPILE, EXECUTE AS OWNER AS SELECT 1", "ALTER PROCEDURE p @a [int] out @b [varchar](max)=NULL"},
		{"CREATE PROCEDURE p @a AS int, @b nvarchar(9) = abc AS SELECT 1", "CREATE PROCEDURE p @a [int] @b [nvarchar](9)=N'abc'"},
		{"CREATE TRIGGER t ON a.b INSTEAD OF INSERT, DELETE AS PRINT 1", "CREATE TRIGGER t instead on a.b INSERT,DELETE"},
		{"CREATE TRIGGER t ON DATABASE FOR DROP_TABLE AS PRINT 1", "CREATE TRIGGER t database DROP_TABLE"},
		{"ALTER TABLE a ADD b int NULL, CONSTRAINT k CHECK (b > 0)", "alter a ADD b [int] null y k CHECK [b]>(0)"},
		{"ALTER TABLE a WITH NOCHECK ADD FOREIGN KEY (b) REFERENCES c (d)", "alter a ADD n FOREIGN(b) to c(d)"},
		{"ALTER TABLE a ADD CONSTRAINT d DEFAULT (getdate()) FOR b WITH VALUES", "alter a ADD d DEFAULT getdate() for b with values"},
		{"ALTER TABLE a DROP COLUMN IF EXISTS b, c, CONSTRAINT k", "alter a DROP b(column true, if true) c(column true, if false) k(column false, if false)"},
		{"ALTER TABLE a DROP CONSTRAINT k, COLUMN c", "alter a DROP k(column false, if false) c(column true, if false)"},
		{"ALTER TABLE a ALTER COLUMN b varchar(9) COLLATE x NOT NULL WITH (ONLINE = ON)", "alter a ALTER COLUMN b [varchar](9) collate x null n   ONLINE=ON"},
		{"ALTER TABLE a ALTER COLUMN b ADD PERSISTED", "alter a ALTER COLUMN b ADD PERSISTED"},
		{"ALTER TABLE a ALTER COLUMN b DROP MASKED", "alter a ALTER COLUMN b DROP MASKED"},
		{"ALTER TABLE a WITH CHECK CHECK CONSTRAINT ALL", "alter a CHECK y"},
		{"ALTER TABLE a NOCHECK CONSTRAINT x, y", "alter a NOCHECK x,y"},
		{"ALTER TABLE a DISABLE TRIGGER ALL", "alter a DISABLE TRIGGER"},
		{"ALTER TABLE a REBUILD PARTITION = ALL WITH (DATA_COMPRESSION = ROW)", "alter a REBUILD  DATA_COMPRESSION=ROW"},
		{"ALTER TABLE a SET (LOCK_ESCALATION = AUTO)", "alter a SET  LOCK_ESCALATION=AUTO"},
		{"ALTER INDEX ALL ON a.b REBUILD", "alter index  on a.b REBUILD"},
		{"ALTER INDEX i ON a SET (IGNORE_DUP_KEY = ON)", "alter index i on a SET IGNORE_DUP_KEY=ON"},
		{"DROP TABLE IF EXISTS a, b.c", "drop TABLE if true a b.c"},
		{"DROP INDEX i ON a, j ON b WITH (ONLINE = ON)", "drop INDEX if false i on a j on b"},
		{"DROP INDEX a.b.i", "drop INDEX if false i on a.b"},
		{"DROP PROC p", "drop PROCEDURE if false p"},
		{"CREATE SEQUENCE a.s AS int START WITH -5 INCREMENT BY 2 MINVALUE -10 NO MAXVALUE CYCLE CACHE 7", "sequence a.s alter false start -5 step 2 min -10 max no cycle yes cache 7 restart "},
		{"ALTER SEQUENCE s RESTART WITH 3 NO CYCLE NO CACHE", "sequence s alter true start  step  min  max  cycle no cache no restart 3"},
		{"EXEC @r = dbo.p 1, @b = N'x', @c = @d OUTPUT, DEFAULT", "exec dbo.p into @r :(1) @b:N'x' @c:@d out :default"},
		{"EXECUTE (N'SELECT ' + @x)", "exec (N'SELECT '+@x)"},
		{"sp_rename 'a', b", "exec sp_rename :'a' :N'b'"},
		{"INSERT a.b (c, d) VALUES (1, DEFAULT), (2, 3)", "insert a.b(c,d) 2 rows, query false, default false"},
		{"INSERT INTO a DEFAULT VALUES", "insert a() 0 rows, query false, default true"},
		{"WITH q AS (SELECT 1 x) INSERT INTO a SELECT x FROM q", "insert a() 0 rows, query true, default false"},
		{"UPDATE a SET b += 1, @v = c FROM a JOIN d ON a.x = d.x WHERE e = 1", "update a b=[b]+(1) @v=[c] from 1 where true"},
		{"DELETE a FROM b a WHERE c = 1", "delete a from 1 where true"},
		{"SET ANSI_NULLS, QUOTED_IDENTIFIER ON", "set ANSI_NULLS,QUOTED_IDENTIFIER  ON"},
		{"SET IDENTITY_INSERT a.b OFF", "set IDENTITY_INSERT a.b OFF"},
		{"SET LOCK_TIMEOUT -1", "set LOCK_TIMEOUT  -1"},
		{"SET TRANSACTION ISOLATION LEVEL READ UNCOMMITTED", "set ISOLATION  READ UNCOMMITTED"},
		{"IF @a = 1 SET NOCOUNT ON ELSE BEGIN SET NOCOUNT OFF; SET @b = 2 END", "if @a=(1) then set NOCOUNT  ON else {set NOCOUNT  OFF; Assign{Var:@b Op: X:"},
		{"SELECT a AS b, c d, e = f, @v = g FROM h", "select SELECT [a] AS [b],[c] AS [d],[f] AS [e],[g] FROM [h]"},
		{"SELECT DISTINCT TOP 3 a.* FROM a, b LEFT JOIN c ON b.x = c.x WHERE a.y IS NOT NULL GROUP BY a.z HAVING COUNT(*) > 1 ORDER BY 1 DESC", "select SELECT DISTINCT TOP ((3)) [a].* FROM [a],[b] LEFT JOIN [c] ON [b].[x]=[c].[x] WHERE [a].[y] IS NOT NULL GROUP BY [a].[z] HAVING count(*)>(1) ORDER BY (1) DESC"},
		{"SELECT a FROM b UNION ALL (SELECT c FROM d EXCEPT SELECT 1)", "select SELECT [a] FROM [b] UNION ALL (SELECT [c] FROM [d] EXCEPT SELECT (1))"},
		{"SELECT ROW_NUMBER() OVER (PARTITION BY a ORDER BY b DESC ROWS BETWEEN 1 PRECEDING AND CURRENT ROW) AS n FROM c", "select SELECT row_number() OVER (PARTITION BY [a] ORDER BY [b] DESC ROWS BETWEEN 1 PRECEDING AND CURRENT ROW) AS [n] FROM [c]"},
		{"TRUNCATE TABLE a.b", "Truncate{Table:[a b]}"},
		{"USE [my db]", "Use{Database:my db}"},
		{"BEGIN TRAN x", "Transaction{Verb:BEGIN Name:x}"},
		{"COMMIT WORK", "Transaction{Verb:COMMIT Name:}"},
		{"DISABLE TRIGGER a.t ON a.b", "TriggerState{Enable:false Name:[a t] On:[a b] Database:false}"},
		{"ALTER SCHEMA a TRANSFER b.c", "AlterSchema{Schema:a Class: Name:[b c]}"},
		{"GRANT SELECT, EXECUTE ON a.b TO c WITH GRANT OPTION", "Rights{Verb:GRANT Option:true List:[{Name:SELECT Columns:[]} {Name:EXECUTE Columns:[]}] Class: On:[a b] To:[c] Cascade:false}"},
		{"CREATE USER u WITHOUT LOGIN", "Principal{Verb:CREATE Kind:USER If:false Name:u Owner: Add: Drop: NewName:}"},
		{"CREATE USER [u] FOR LOGIN l WITH DEFAULT_SCHEMA = [a]", "Principal{Verb:CREATE Kind:USER If:false Name:u Owner: Add: Drop: NewName:}"},
		{"ALTER ROLE r ADD MEMBER [a b]", "Principal{Verb:ALTER Kind:ROLE If:false Name:r Owner: Add:a b Drop: NewName:}"},
		{"DENY VIEW DEFINITION ON SCHEMA :: [s] TO public, c CASCADE", "Rights{Verb:DENY Option:false List:[{Name:VIEW DEFINITION Columns:[]}] Class:SCHEMA On:[s] To:[public c] Cascade:true}"},
		{"REVOKE GRANT OPTION FOR SELECT (a, [b]) ON OBJECT::d.e FROM f CASCADE AS g", "Rights{Verb:REVOKE Option:true List:[{Name:SELECT Columns:[a b]}] Class:OBJECT On:[d e] To:[f] Cascade:true}"},
		{"GRANT CREATE TABLE, UPDATE TO c", "Rights{Verb:GRANT Option:false List:[{Name:CREATE TABLE Columns:[]} {Name:UPDATE Columns:[]}] Class: On:[] To:[c] Cascade:false}"},
		{"ALTER AUTHORIZATION ON XML SCHEMA COLLECTION::a.b TO SCHEMA OWNER", "Authorization{Class:XML SCHEMA COLLECTION On:[a b] To:}"},
		{"WAITFOR DELAY '00:00:01'", "Waitfor{Delay:00:00:01}"},
	} {
		list, err := Batch(c.text)
		if err != nil || len(list) != 1 {
			t.Errorf("%s: %d statements, %v", c.text, len(list), err)
			continue
		}
		if got := told(list[0].Body); !strings.HasPrefix(got, c.want) || len(got) > len(c.want)+40 {
			t.Errorf("%s:\n got %s\nwant %s", c.text, got, c.want)
		}
		if list[0].Pos != 0 || list[0].End != len(c.text) {
			t.Errorf("%s: it stands from %d to %d of %d", c.text, list[0].Pos, list[0].End, len(c.text))
		}
	}
}

// TestUses: the names in a body that may be things.
func TestUses(t *testing.T) {
	var got []string
	for _, n := range Uses("SELECT a.b, [c d] FROM dbo.e AS f JOIN x.y.z ON 'not.this' = @nor.that -- g.h\nEXEC p") {
		got = append(got, strings.Join(n, "."))
	}
	if want := "a.b c d dbo.e f x.y.z that p"; strings.Join(got, " ") != want {
		t.Errorf("%s, want %s", strings.Join(got, " "), want)
	}
}
