package model

import (
	"database/sql"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	_ "modernc.org/sqlite"
)

// asker makes up queries that another engine understands in the same words: of whole
// numbers and texts over three small tables.
type asker struct{ *rand.Rand }

func (a asker) pick(list ...string) string { return list[a.IntN(len(list))] }

// columns of the tables, with their types.
var askedColumns = map[string][]string{"berth": {"id", "depth", "zone"}, "vessel": {"id", "tonnage", "flag"}, "call": {"id", "berth", "vessel"}, "a": {"n", "m"}, "b": {"n", "m"}}

// number is an expression over the columns of aliases that are whole numbers.
func (a asker) number(of []string, deep int) string {
	switch {
	case deep <= 0 || a.IntN(3) == 0:
		if a.IntN(3) > 0 && len(of) > 0 {
			alias, table, _ := strings.Cut(of[a.IntN(len(of))], "=")
			c := askedColumns[table][a.IntN(2)]
			return alias + "." + c
		}
		return a.pick("0", "1", "2", "3", "7", "10", "NULL")
	}
	x, y := a.number(of, deep-1), a.number(of, deep-1)
	switch a.IntN(8) {
	case 0, 1:
		return "(" + x + " " + a.pick("+", "-", "*") + " " + y + ")"
	case 2:
		return "CASE WHEN " + a.condition(of, deep-1) + " THEN " + x + " ELSE " + y + " END"
	case 3:
		return "COALESCE(" + x + ", " + y + ")"
	case 4:
		return "NULLIF(" + x + ", " + y + ")"
	case 5:
		return "ABS(" + x + ")"
	case 6:
		return "(" + x + " / " + a.pick("2", "3", "7") + ")"
	}
	return "(" + x + " % " + a.pick("2", "3", "5") + ")"
}

func (a asker) condition(of []string, deep int) string {
	if deep <= 0 {
		return a.number(of, 0) + " " + a.pick("=", "<>", "<", ">", "<=", ">=") + " " + a.number(of, 0)
	}
	switch a.IntN(9) {
	case 0:
		return "(" + a.condition(of, deep-1) + " AND " + a.condition(of, deep-1) + ")"
	case 1:
		return "(" + a.condition(of, deep-1) + " OR " + a.condition(of, deep-1) + ")"
	case 2:
		return "NOT (" + a.condition(of, deep-1) + ")"
	case 3:
		return a.number(of, deep-1) + a.pick(" IS NULL", " IS NOT NULL")
	case 4:
		return a.number(of, deep-1) + a.pick(" IN (", " NOT IN (") + a.number(of, 0) + ", " + a.number(of, 0) + ", 3)"
	case 5:
		return a.number(of, deep-1) + a.pick(" BETWEEN ", " NOT BETWEEN ") + a.number(of, 0) + " AND " + a.number(of, 0)
	case 6:
		return a.pick("", "NOT ") + "EXISTS (SELECT 1 FROM call q WHERE " + a.condition(append(of[:len(of):len(of)], "q=call"), deep-1) + ")"
	case 7:
		return a.number(of, deep-1) + a.pick(" IN ", " NOT IN ") + "(SELECT q.berth FROM call q WHERE " + a.condition(append(of[:len(of):len(of)], "q=call"), 0) + ")"
	}
	return a.number(of, deep-1) + " " + a.pick("=", "<>", "<", ">") + " " + a.number(of, deep-1)
}

// query is a whole SELECT whose rows stand in one order.
func (a asker) query() string {
	of := []string{"b=berth"}
	from := "berth b"
	if a.IntN(2) == 0 {
		of = append(of, "c=call")
		from += a.pick(" JOIN ", " LEFT JOIN ") + "call c ON " + a.pick("c.berth = b.id", "c.berth = b.id AND c.vessel > 1", a.condition(of, 1))
		if a.IntN(2) == 0 {
			of = append(of, "v=vessel")
			from += a.pick(" JOIN ", " LEFT JOIN ") + "vessel v ON " + a.pick("v.id = c.vessel", "c.vessel = v.id AND v.tonnage < 900")
		}
	}
	where := ""
	if a.IntN(3) > 0 {
		where = " WHERE " + a.condition(of, 2)
	}
	if a.IntN(3) == 0 {
		key := a.pick("b.id", "b.depth", "(b.depth + 1)", "(b.id % 2)", "CASE WHEN b.depth > 4 THEN 1 ELSE 0 END")
		having := ""
		if a.IntN(3) == 0 {
			having = " HAVING count(*) > 1"
		}
		return fmt.Sprintf("SELECT %s AS k, count(*) AS n, sum(%s) AS s, min(%s) AS lo, max(%s) AS hi, count(DISTINCT %s) AS d FROM %s%s GROUP BY %s%s ORDER BY 1, 2, 3, 4, 5, 6", key, a.number(of, 1), a.number(of, 0), a.number(of, 0), a.number(of, 0), from, where, key, having)
	}
	list := []string{a.number(of, 3) + " AS x", a.number(of, 2) + " AS y"}
	order := " ORDER BY 1, 2"
	q := "SELECT " + a.pick("", "DISTINCT ") + strings.Join(list, ", ") + " FROM " + from + where
	if a.IntN(4) == 0 {
		q += a.pick(" UNION ", " UNION ALL ", " EXCEPT ", " INTERSECT ") + "SELECT id, vessel FROM call"
	}
	return q + order
}

// TestQueriesAgainstAnotherEngine: made-up queries answer what SQLite answers, which
// knows nothing of our executor.
func TestQueriesAgainstAnotherEngine(t *testing.T) {
	lite, err := sql.Open("sqlite", ":memory:")
	if err != nil {
		t.Fatal(err)
	}
	defer lite.Close()
	lite.SetMaxOpenConns(1)
	x := alone(t)
	for _, s := range []string{
		"CREATE TABLE berth (id int NOT NULL PRIMARY KEY, depth int, zone varchar(4))", "CREATE TABLE vessel (id int NOT NULL PRIMARY KEY, tonnage int, flag varchar(4))", "CREATE TABLE call (id int NOT NULL PRIMARY KEY, berth int, vessel int)",
		"INSERT INTO berth VALUES (1, 4, 'N1'), (2, 7, 'S1'), (3, NULL, 'N1'), (4, -3, NULL)", "INSERT INTO vessel VALUES (1, 900, 'QH'), (2, NULL, 'QH'), (3, 120, NULL)",
		"INSERT INTO call VALUES (1, 1, 1), (2, 1, 2), (3, 2, 3), (4, NULL, 1), (5, 9, NULL), (6, 3, 3)",
	} {
		if _, err := lite.Exec(s); err != nil {
			t.Fatal(err)
		}
		if n := x.runs(s); n != "" {
			t.Fatalf("%s: %s", s, n)
		}
	}
	answered := 0
	for seed := range uint64(4000) {
		a := asker{rand.New(rand.NewPCG(seed, 3))}
		q := a.query()
		want, err := rowsOf(lite, q)
		if err != nil {
			t.Fatalf("seed %d: %s: %v", seed, q, err)
		}
		got := x.value(strings.TrimPrefix(q, "SELECT "))
		if strings.HasPrefix(got, "error 8115") { // where sizes differ
			continue
		}
		if answered++; got != want {
			t.Fatalf("seed %d: %s\n got %s\nwant %s", seed, q, got, want)
		}
	}
	if answered < 3500 {
		t.Errorf("only %d of 4000 queries were compared", answered)
	}
}

func rowsOf(db *sql.DB, q string) (string, error) {
	rows, err := db.Query(q)
	if err != nil {
		return "", err
	}
	defer rows.Close()
	cols, _ := rows.Columns()
	var out []string
	for rows.Next() {
		vals, into := make([]any, len(cols)), make([]any, len(cols))
		for i := range vals {
			into[i] = &vals[i]
		}
		if err := rows.Scan(into...); err != nil {
			return "", err
		}
		cells := make([]string, len(vals))
		for i, v := range vals {
			if cells[i] = fmt.Sprint(v); v == nil {
				cells[i] = "NULL"
			}
		}
		out = append(out, strings.Join(cells, ","))
	}
	return strings.Join(out, ";"), rows.Err()
}

// changer makes up DDL and changes of rows, good and bad.
type changer struct{ asker }

func (c changer) table() string  { return c.pick("dbo.a", "dbo.b", "dbo.c", "dbo.[d e]") }
func (c changer) column() string { return c.pick("id", "n", "m", "[k]", "nothing") }
func (c changer) typ() string {
	return c.pick("int", "bigint", "varchar(5)", "varchar(20)", "nvarchar(9)", "decimal(5,2)", "bit", "date", "dbo.label", "nothing", "varchar(max)")
}

func (c changer) statement() string {
	t, o := c.table(), c.table()
	switch c.IntN(36) {
	case 0, 1, 2:
		return fmt.Sprintf("CREATE TABLE %s (id int %s NOT NULL %s, n %s, m int DEFAULT %s %s)", t, c.pick("", "IDENTITY"), c.pick("", "PRIMARY KEY", "CONSTRAINT pk PRIMARY KEY NONCLUSTERED"), c.typ(), c.pick("1", "'x'", "NULL"), c.pick("", "CHECK (m > 0)", "UNIQUE", "REFERENCES "+o+" (id)"))
	case 3:
		return fmt.Sprintf("ALTER TABLE %s ADD %s %s %s", t, c.column(), c.typ(), c.pick("", "NOT NULL", "NOT NULL DEFAULT 1", "NULL UNIQUE"))
	case 4:
		return fmt.Sprintf("ALTER TABLE %s DROP COLUMN %s", t, c.column())
	case 5, 6:
		return fmt.Sprintf("ALTER TABLE %s ALTER COLUMN %s %s %s", t, c.column(), c.typ(), c.pick("", "NOT NULL", "NULL"))
	case 7:
		return fmt.Sprintf("ALTER TABLE %s ADD CONSTRAINT %s %s", t, c.pick("k1", "k2"), c.pick("CHECK (n <> m)", "UNIQUE (n, m)", "PRIMARY KEY (id)", "FOREIGN KEY (m) REFERENCES "+o+" (id) ON DELETE CASCADE", "DEFAULT 3 FOR n", "CHECK (nothing > 1)"))
	case 8:
		return fmt.Sprintf("ALTER TABLE %s DROP CONSTRAINT %s", t, c.pick("k1", "k2", "pk"))
	case 9:
		return fmt.Sprintf("CREATE %s INDEX %s ON %s (%s)", c.pick("", "UNIQUE", "CLUSTERED", "COLUMNSTORE"), c.pick("i1", "i2"), t, c.column())
	case 10:
		return fmt.Sprintf("DROP INDEX %s ON %s", c.pick("i1", "i2", "pk"), t)
	case 11:
		return fmt.Sprintf("DROP TABLE %s", t)
	case 12:
		return fmt.Sprintf("EXEC sp_rename '%s', '%s'", t, c.pick("a", "b", "z"))
	case 13:
		return fmt.Sprintf("EXEC sp_rename '%s.%s', '%s', 'COLUMN'", t, c.column(), c.pick("n", "x"))
	case 14:
		return fmt.Sprintf("EXEC('CREATE OR ALTER VIEW dbo.v %s AS SELECT id, %s FROM %s')", c.pick("", "WITH SCHEMABINDING"), c.column(), t)
	case 15:
		return c.pick("CREATE TYPE dbo.label FROM nvarchar(20)", "DROP TYPE dbo.label", "CREATE SEQUENCE dbo.s", "DROP SEQUENCE dbo.s", "DROP VIEW dbo.v", "CREATE SCHEMA yard", "DROP SCHEMA yard")
	case 16:
		return fmt.Sprintf("EXEC %s 'MS_Description', %s'SCHEMA', 'dbo', 'TABLE', '%s'", c.pick("sp_addextendedproperty", "sp_updateextendedproperty"), "'x', ", c.pick("a", "b"))
	case 17:
		return fmt.Sprintf("UPDATE %s SET n = %s", t, c.pick("1", "NULL", "'a long text that has no room'", "m"))
	case 18:
		return fmt.Sprintf("DELETE FROM %s WHERE id > %s", t, c.pick("0", "2"))
	case 19:
		return fmt.Sprintf("ALTER TABLE %s %s CONSTRAINT ALL", t, c.pick("CHECK", "NOCHECK", "WITH CHECK CHECK"))
	case 24:
		return fmt.Sprintf("%s %s%s ON %s%s TO %s%s", c.pick("GRANT", "DENY", "REVOKE"), c.pick("SELECT", "UPDATE", "EXECUTE", "ALL"), c.pick("", " (n)", " (nothing)"), c.pick("", "SCHEMA::", "OBJECT::"), c.pick(t, "dbo.s", "yard"), c.pick("clerk", "pilot", "public", "nobody"), c.pick("", " CASCADE", " WITH GRANT OPTION"))
	case 25:
		return c.pick("CREATE ROLE clerk", "CREATE ROLE pilot AUTHORIZATION clerk", "CREATE USER pilot WITHOUT LOGIN", "ALTER ROLE clerk ADD MEMBER pilot", "ALTER ROLE pilot ADD MEMBER clerk", "ALTER ROLE clerk DROP MEMBER pilot", "DROP ROLE clerk", "DROP ROLE pilot", "DROP USER pilot", "ALTER ROLE clerk WITH NAME = pilot")
	case 26:
		return fmt.Sprintf("ALTER AUTHORIZATION ON %s TO %s", c.pick(t, "SCHEMA::yard", "TYPE::dbo.label", "ROLE::pilot", "SCHEMA::dbo"), c.pick("clerk", "pilot", "dbo", "SCHEMA OWNER"))
	case 27:
		return fmt.Sprintf("ALTER TABLE %s %s", t, c.pick("ADD since datetime2 GENERATED ALWAYS AS ROW START NOT NULL DEFAULT '2020-01-01', until datetime2 GENERATED ALWAYS AS ROW END HIDDEN NOT NULL DEFAULT '9999-12-31T23:59:59.9999999', PERIOD FOR SYSTEM_TIME (since, until)",
			"SET (SYSTEM_VERSIONING = ON)", "SET (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.c, HISTORY_RETENTION_PERIOD = 3 DAYS))", "SET (SYSTEM_VERSIONING = OFF)", "DROP PERIOD FOR SYSTEM_TIME", "ALTER COLUMN until ADD HIDDEN", "ALTER COLUMN until DROP HIDDEN"))
	case 28:
		return c.pick("CREATE PARTITION FUNCTION pf (int) AS RANGE LEFT FOR VALUES (1, 2)", "CREATE PARTITION SCHEME ps AS PARTITION pf ALL TO ([PRIMARY])", "ALTER PARTITION SCHEME ps NEXT USED [PRIMARY]", "ALTER PARTITION FUNCTION pf() SPLIT RANGE (3)", "ALTER PARTITION FUNCTION pf() MERGE RANGE (2)", "DROP PARTITION SCHEME ps", "DROP PARTITION FUNCTION pf",
			"CREATE CLUSTERED INDEX i3 ON "+t+" (id) ON ps (id)", "CREATE INDEX i4 ON "+t+" (m) ON ps (m)")
	case 29:
		return c.pick("EXEC('CREATE FUNCTION dbo.f (@n int) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @n > 1')", "DROP FUNCTION dbo.f", "CREATE SECURITY POLICY dbo.p ADD FILTER PREDICATE dbo.f(m) ON "+t, "ALTER SECURITY POLICY dbo.p ADD BLOCK PREDICATE dbo.f(id) ON "+t+" AFTER INSERT", "ALTER SECURITY POLICY dbo.p DROP FILTER PREDICATE ON "+t,
			"ALTER SECURITY POLICY dbo.p WITH (STATE = OFF)", "DROP SECURITY POLICY dbo.p")
	case 30:
		return c.pick("EXEC('CREATE TRIGGER d ON DATABASE FOR DROP_TABLE, CREATE_INDEX AS THROW 50001, ''no'', 1')", "EXEC('CREATE OR ALTER TRIGGER d ON DATABASE FOR DDL_ROLE_EVENTS AS INSERT INTO dbo.a (m) VALUES (9)')", "DROP TRIGGER d ON DATABASE", "DISABLE TRIGGER d ON DATABASE", "ENABLE TRIGGER ALL ON DATABASE")
	case 31:
		return c.pick("ALTER TABLE "+t+" ADD x xml", "ALTER TABLE "+t+" ADD g geometry", "CREATE PRIMARY XML INDEX px ON "+t+" (x)", "CREATE XML INDEX sx ON "+t+" (x) USING XML INDEX px FOR "+c.pick("PATH", "VALUE", "NOTHING"), "DROP INDEX px ON "+t, "ALTER TABLE "+t+" DROP COLUMN x", "ALTER INDEX px ON "+t+" DISABLE",
			"CREATE SPATIAL INDEX gx ON "+t+" (g)"+c.pick("", " WITH (BOUNDING_BOX = (0, 0, 1, 1))", " USING GEOMETRY_GRID WITH (BOUNDING_BOX = (0, 0, 1, 1), GRIDS = ("+c.pick("LOW", "LEVEL_2 = HIGH", "NONE")+"))"), "DROP INDEX gx ON "+t)
	case 32:
		return c.pick("CREATE FULLTEXT CATALOG words"+c.pick("", " AS DEFAULT", " WITH ACCENT_SENSITIVITY = OFF"), "DROP FULLTEXT CATALOG words", "ALTER FULLTEXT CATALOG words REBUILD WITH ACCENT_SENSITIVITY = ON", "ALTER FULLTEXT CATALOG words AS DEFAULT", "CREATE FULLTEXT INDEX ON "+t+" ("+c.column()+" LANGUAGE "+c.pick("1033", "'German'", "7")+") KEY INDEX "+c.pick("pk", "k1", "i1"),
			"ALTER FULLTEXT INDEX ON "+t+" "+c.pick("ADD (n)", "DROP (n)", "DISABLE", "SET CHANGE_TRACKING MANUAL", "SET STOPLIST OFF"), "DROP FULLTEXT INDEX ON "+t)
	case 33:
		return c.pick("CREATE TABLE "+t+" (id int NOT NULL "+c.pick("PRIMARY KEY NONCLUSTERED", "PRIMARY KEY", "CONSTRAINT pk PRIMARY KEY NONCLUSTERED HASH WITH (BUCKET_COUNT = 3)", "INDEX i1 HASH WITH (BUCKET_COUNT = 9)")+", n "+c.typ()+", m int) WITH (MEMORY_OPTIMIZED = ON"+c.pick("", ", DURABILITY = SCHEMA_ONLY")+")",
			"ALTER TABLE "+t+" ADD INDEX i1 "+c.pick("HASH (m) WITH (BUCKET_COUNT = 5)", "(m)", "UNIQUE (n)"), "ALTER TABLE "+t+" DROP INDEX i1", "ALTER TABLE "+t+" ALTER INDEX i1 REBUILD WITH (BUCKET_COUNT = 100)", "INSERT INTO "+t+" WITH (SNAPSHOT) (n, m) SELECT n, m FROM "+o, "TRUNCATE TABLE "+t,
			"EXEC('CREATE TRIGGER dbo.t ON "+t+" WITH NATIVE_COMPILATION, SCHEMABINDING AFTER INSERT AS BEGIN ATOMIC WITH (TRANSACTION ISOLATION LEVEL = SNAPSHOT, LANGUAGE = N''us_english'') DECLARE @n int = 1; END')")
	case 34:
		return c.pick("CREATE TABLE "+t+" (id int NOT NULL, n int, m int) ON [fg]", "CREATE INDEX i1 ON "+t+" (m) ON [fg]", "CREATE UNIQUE CLUSTERED INDEX pk ON "+t+" (id) WITH (DROP_EXISTING = ON) ON [fg]", "CREATE PARTITION SCHEME ps AS PARTITION pf TO ([PRIMARY], fg, [PRIMARY], fg)", "CREATE CLUSTERED INDEX i2 ON "+t+" (m) ON [nowhere]", "EXEC sp_settriggerorder 'd', '"+c.pick("First", "Last", "None")+"', 'CREATE_INDEX', 'DATABASE'")
	case 20:
		return fmt.Sprintf("EXEC('CREATE TRIGGER dbo.t ON %s AFTER %s AS PRINT 1')", t, c.pick("INSERT", "UPDATE, DELETE"))
	}
	return fmt.Sprintf("INSERT INTO %s (n, m) VALUES (%s, %d), (%s, %d)", t, c.pick("1", "'x'", "NULL", "'2026-05-04'"), c.IntN(4), c.pick("2", "'y'"), c.IntN(4))
}

// state is all of the catalog and of the rows, as one text.
func (x *session) state() string {
	var b strings.Builder
	for _, q := range []string{
		"name, object_id, type, parent_object_id FROM sys.objects ORDER BY object_id", "object_id, name, column_id, user_type_id, max_length, is_nullable, is_identity, default_object_id FROM sys.columns ORDER BY object_id, column_id",
		"object_id, name, index_id, type, is_unique, is_disabled FROM sys.indexes ORDER BY object_id, index_id", "object_id, index_id, column_id, key_ordinal FROM sys.index_columns ORDER BY 1, 2, 3, 4", "name FROM sys.schemas ORDER BY name", "name FROM sys.types ORDER BY name",
		"name, is_disabled, is_not_trusted FROM sys.check_constraints ORDER BY object_id", "name, is_disabled, is_not_trusted FROM sys.foreign_keys ORDER BY object_id", "major_id, minor_id, value FROM sys.extended_properties ORDER BY 1, 2", "object_id, definition FROM sys.sql_modules ORDER BY 1",
		"class, major_id, minor_id, grantee_principal_id, permission_name, state FROM sys.database_permissions ORDER BY 1, 2, 3, 4, 5", "name, principal_id, owning_principal_id FROM sys.database_principals ORDER BY 2", "role_principal_id, member_principal_id FROM sys.database_role_members ORDER BY 1, 2",
		"name, principal_id FROM sys.schemas ORDER BY name", "name, principal_id FROM sys.objects ORDER BY name, object_id", "name, principal_id FROM sys.types ORDER BY name", "name, temporal_type, history_table_id, history_retention_period FROM sys.tables ORDER BY object_id", "object_id, start_column_id, end_column_id FROM sys.periods ORDER BY 1",
		"object_id, column_id, is_hidden FROM sys.columns WHERE is_hidden = 1 ORDER BY 1, 2", "function_id, boundary_id, value FROM sys.partition_range_values ORDER BY 1, 2", "name, function_id FROM sys.partition_schemes ORDER BY 1", "object_id, index_id, data_space_id FROM sys.indexes ORDER BY 1, 2",
		"object_id, target_object_id, predicate_definition, operation_desc FROM sys.security_predicates ORDER BY 1, 2, 3, 4", "name, is_enabled FROM sys.security_policies ORDER BY 1", "name, is_disabled FROM sys.triggers WHERE parent_class = 0 ORDER BY 1",
		"object_id, name, xml_index_type, using_xml_index_id, secondary_type FROM sys.xml_indexes ORDER BY 1, 2", "object_id, index_id, tessellation_scheme, cells_per_object FROM sys.spatial_index_tessellations ORDER BY 1, 2", "name, is_default, is_accent_sensitivity_on FROM sys.fulltext_catalogs ORDER BY 1",
		"object_id, unique_index_id, is_enabled, change_tracking_state, stoplist_id FROM sys.fulltext_indexes ORDER BY 1", "object_id, column_id, language_id FROM sys.fulltext_index_columns ORDER BY 1, 2", "object_id, name, bucket_count FROM sys.hash_indexes ORDER BY 1, 2", "object_id, durability, is_memory_optimized FROM sys.tables ORDER BY 1",
		"partition_scheme_id, destination_id, data_space_id FROM sys.destination_data_spaces ORDER BY 1, 2", "object_id, type_desc, is_first, is_last FROM sys.trigger_events ORDER BY 1, 2",
	} {
		b.WriteString(x.value(q) + "\n")
	}
	for _, o := range x.d.list("U") {
		fmt.Fprintf(&b, "%s %v %v %d\n", o.name, o.rows, o.identityUsed, len(o.cols))
		for _, r := range o.rows {
			if len(r) != len(o.cols) {
				fmt.Fprintf(&b, "a row of %s has %d values for %d columns\n", o.name, len(r), len(o.cols))
			}
		}
	}
	return b.String()
}

// TestWholeOrNotAtAll: whatever is tried, a statement that is refused leaves everything
// as it was, and so does a transaction that is rolled back; nothing makes the stand-in
// break.
func TestWholeOrNotAtAll(t *testing.T) {
	refused, done := 0, 0
	for seed := range uint64(60) {
		c := changer{asker{rand.New(rand.NewPCG(seed, 5))}}
		x := alone(t)
		x.must(t, "ALTER DATABASE CURRENT ADD FILEGROUP fg; ALTER DATABASE CURRENT ADD FILE (NAME = f, FILENAME = 'f') TO FILEGROUP fg; ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA; ALTER DATABASE CURRENT ADD FILE (NAME = g, FILENAME = 'g') TO FILEGROUP fast")
		var said []string
		before := x.state()
		for range 60 {
			s := c.statement()
			said = append(said, s)
			var n string
			func() {
				defer func() {
					if r := recover(); r != nil {
						t.Fatalf("seed %d: it broke: %v\n%s", seed, r, strings.Join(said, ";\n"))
					}
				}()
				n = x.runs(s)
			}()
			now := x.state()
			if strings.Contains(now, "a row of") {
				t.Fatalf("seed %d: %s\n%s", seed, now, strings.Join(said, ";\n"))
			}
			if n == "" {
				done++
				before = now
				continue
			}
			if refused++; now != before {
				t.Fatalf("seed %d: refused with %s, and something changed:\nwas %s\nis  %s\n%s", seed, n, before, now, strings.Join(said, ";\n"))
			}
		}
		if n := x.runs("BEGIN TRAN"); n != "" {
			t.Fatal(n)
		}
		said = append(said, "BEGIN TRAN")
		for range 40 {
			s := c.statement()
			said = append(said, s)
			x.runs(s)
		}
		if n := x.runs("IF @@TRANCOUNT > 0 ROLLBACK"); n != "" {
			t.Fatal(n)
		}
		if now := x.state(); now != before {
			t.Fatalf("seed %d: what was rolled back stays:\nwas %s\nis  %s\n%s", seed, before, now, strings.Join(said, ";\n"))
		}
		if len(x.locks) != 0 {
			t.Errorf("seed %d: %d locks are left", seed, len(x.locks))
		}
	}
	if refused < 500 || done < 500 {
		t.Errorf("%d refused, %d done: it tries little", refused, done)
	}
}
