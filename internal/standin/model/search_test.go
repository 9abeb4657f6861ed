package model

import (
	"strings"
	"testing"
)

// TestSearchedAndInMemory: indexes on XML, in space and of words, filegroups and tables in
// memory: what is asked of the catalog or of rows after some statements, or with which
// number one of them is refused.
func TestSearchedAndInMemory(t *testing.T) {
	const port = `CREATE FULLTEXT CATALOG words AS DEFAULT;
CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY, name nvarchar(60), cargo xml, outline geometry, place geography, [plan] varbinary(max), kind varchar(9));
CREATE PRIMARY XML INDEX cargo_all ON dbo.berth (cargo);
CREATE FULLTEXT INDEX ON dbo.berth (name LANGUAGE 'German', [plan] TYPE COLUMN kind) KEY INDEX PK_berth;
ALTER DATABASE CURRENT ADD FILEGROUP cold;
ALTER DATABASE CURRENT ADD FILE (NAME = one, FILENAME = 'one') TO FILEGROUP cold;
ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA;
ALTER DATABASE CURRENT ADD FILE (NAME = two, FILENAME = 'two') TO FILEGROUP fast;
CREATE TABLE dbo.call (id int IDENTITY NOT NULL CONSTRAINT PK_call PRIMARY KEY NONCLUSTERED HASH WITH (BUCKET_COUNT = 100), ship int, INDEX by_ship (ship)) WITH (MEMORY_OPTIMIZED = ON);
INSERT INTO dbo.call (ship) VALUES (7), (8)`
	for _, c := range []struct{ name, do, ask, want string }{
		// indexes on XML and in space
		{"a secondary index names a primary one of its column", "CREATE XML INDEX x ON dbo.berth (cargo) USING XML INDEX PK_berth FOR PATH", "", "6343"},
		{"what stands on a primary one goes with it", "CREATE XML INDEX x ON dbo.berth (cargo) USING XML INDEX cargo_all FOR VALUE; DROP INDEX cargo_all ON dbo.berth", "COUNT(*) FROM sys.xml_indexes", "0"},
		{"and stays when another goes", "CREATE XML INDEX x ON dbo.berth (cargo) USING XML INDEX cargo_all FOR VALUE; CREATE XML INDEX y ON dbo.berth (cargo) USING XML INDEX cargo_all FOR PATH; DROP INDEX x ON dbo.berth", "name, secondary_type FROM sys.xml_indexes ORDER BY index_id", "cargo_all,NULL;y,P"},
		{"one primary one for a column", "CREATE PRIMARY XML INDEX x ON dbo.berth (cargo)", "", "40000"},
		{"no XML", "CREATE PRIMARY XML INDEX x ON dbo.berth (name)", "", "1977"},
		{"no option of theirs", "CREATE PRIMARY XML INDEX x ON dbo.berth (cargo) WITH (CELLS_PER_OBJECT = 3)", "", "40000"},
		{"space without a box", "CREATE SPATIAL INDEX x ON dbo.berth (outline)", "", "40000"},
		{"a box upside down", "CREATE SPATIAL INDEX x ON dbo.berth (outline) WITH (BOUNDING_BOX = (5, 5, 1, 1))", "", "40000"},
		{"a box on a globe", "CREATE SPATIAL INDEX x ON dbo.berth (place) WITH (BOUNDING_BOX = (0, 0, 1, 1))", "", "40000"},
		{"the plane's way to cut a globe", "CREATE SPATIAL INDEX x ON dbo.berth (place) USING GEOMETRY_GRID", "", "40000"},
		{
			"what the server takes where nothing is said",
			"CREATE SPATIAL INDEX x ON dbo.berth (place); CREATE SPATIAL INDEX y ON dbo.berth (outline) USING GEOMETRY_GRID WITH (BOUNDING_BOX = (XMIN = -1, YMIN = -2.5, XMAX = 1, YMAX = 2), GRIDS = (LEVEL_3 = LOW))",
			"tessellation_scheme, bounding_box_ymin, level_3_grid_desc, level_4_grid_desc, cells_per_object FROM sys.spatial_index_tessellations ORDER BY index_id",
			"GEOGRAPHY_AUTO_GRID,NULL,NULL,NULL,12;GEOMETRY_GRID,-2.5,LOW,MEDIUM,16",
		},
		{"a column that an index is on", "ALTER TABLE dbo.berth ALTER COLUMN cargo nvarchar(max)", "", "5074 4922"},
		// words
		{"in a transaction", "BEGIN TRAN; DROP FULLTEXT INDEX ON dbo.berth", "", "574"},
		{"a second index", "CREATE FULLTEXT INDEX ON dbo.berth (name) KEY INDEX PK_berth", "", "7652"},
		{"a key that is none", "DROP FULLTEXT INDEX ON dbo.berth; CREATE INDEX i ON dbo.berth (id); CREATE FULLTEXT INDEX ON dbo.berth (name) KEY INDEX i", "", "7653"},
		{"a key that is not there", "DROP FULLTEXT INDEX ON dbo.berth; CREATE FULLTEXT INDEX ON dbo.berth (name) KEY INDEX nope", "", "7653"},
		{"a column without words", "ALTER FULLTEXT INDEX ON dbo.berth ADD (id)", "", "7670"},
		{"bytes of no kind", "DROP FULLTEXT INDEX ON dbo.berth; CREATE FULLTEXT INDEX ON dbo.berth ([plan]) KEY INDEX PK_berth", "", "40000"},
		{"a tongue that nobody speaks", "ALTER FULLTEXT INDEX ON dbo.berth ADD (kind LANGUAGE 'Harbourish')", "", "7696"},
		{"a column that is searched", "ALTER TABLE dbo.berth DROP COLUMN name", "", "7614"},
		{"the kind of what is searched", "ALTER TABLE dbo.berth ALTER COLUMN kind varchar(20)", "", "7614"},
		{"the key that rows are known by", "DROP INDEX cargo_all ON dbo.berth; ALTER TABLE dbo.berth DROP CONSTRAINT PK_berth", "", "40000"},
		{"a catalog in use", "DROP FULLTEXT CATALOG words", "", "7668"},
		{"two catalogs of a name", "CREATE FULLTEXT CATALOG WORDS", "", "7642"},
		{"no catalog", "DROP FULLTEXT INDEX ON dbo.berth; CREATE FULLTEXT INDEX ON dbo.berth (name) KEY INDEX PK_berth ON nope", "", "7641"},
		{"the table and all", "DROP TABLE dbo.berth; DROP FULLTEXT CATALOG words", "COUNT(*) FROM sys.fulltext_indexes", "0"},
		{
			"changes in place",
			"ALTER FULLTEXT INDEX ON dbo.berth SET STOPLIST OFF; ALTER FULLTEXT INDEX ON dbo.berth SET CHANGE_TRACKING = MANUAL; ALTER FULLTEXT INDEX ON dbo.berth DISABLE; ALTER FULLTEXT INDEX ON dbo.berth DROP ([plan]); CREATE FULLTEXT CATALOG [more] AS DEFAULT; ALTER FULLTEXT CATALOG [more] REBUILD WITH ACCENT_SENSITIVITY = OFF",
			"i.change_tracking_state, i.stoplist_id, i.is_enabled, (SELECT COUNT(*) FROM sys.fulltext_index_columns), (SELECT name FROM sys.fulltext_catalogs WHERE is_default = 1 AND is_accent_sensitivity_on = 0) FROM sys.fulltext_indexes AS i",
			"M,NULL,0,1,more",
		},
		// filegroups
		{"one without a file", "ALTER DATABASE CURRENT ADD FILEGROUP bare; CREATE TABLE dbo.a (id int) ON bare", "", "622"},
		{"of another database", "ALTER DATABASE nowhere ADD FILEGROUP x", "", "5011"},
		{"a file for none", "ALTER DATABASE CURRENT ADD FILE (NAME = x, FILENAME = 'x') TO FILEGROUP nope", "", "5050"},
		{"in a transaction, too", "BEGIN TRAN; ALTER DATABASE CURRENT ADD FILEGROUP x", "", "226"},
		{"nothing of all else", "ALTER DATABASE CURRENT SET RECOVERY SIMPLE", "", "40000"},
		{
			"an index lies with its table, and moves with DROP_EXISTING",
			"CREATE TABLE dbo.a (id int NOT NULL CONSTRAINT PK_a PRIMARY KEY, n int) ON cold; CREATE INDEX i ON dbo.a (n); CREATE UNIQUE CLUSTERED INDEX PK_a ON dbo.a (id) WITH (DROP_EXISTING = ON) ON [default]",
			"i.name, d.name, i.is_primary_key FROM sys.indexes AS i JOIN sys.data_spaces AS d ON d.data_space_id = i.data_space_id WHERE i.object_id = OBJECT_ID('dbo.a') ORDER BY i.index_id",
			"PK_a,PRIMARY,1;i,cold,0",
		},
		{
			"a split goes where it is sent, a merge where the other was",
			"CREATE PARTITION FUNCTION pf (int) AS RANGE RIGHT FOR VALUES (10, 20); CREATE PARTITION SCHEME ps AS PARTITION pf TO ([PRIMARY], cold, [PRIMARY]); ALTER PARTITION SCHEME ps NEXT USED cold; ALTER PARTITION FUNCTION pf() SPLIT RANGE (30); ALTER PARTITION FUNCTION pf() MERGE RANGE (10)",
			"x.destination_id, d.name FROM sys.destination_data_spaces AS x JOIN sys.data_spaces AS d ON d.data_space_id = x.data_space_id ORDER BY 1",
			"1,PRIMARY;2,PRIMARY;3,cold",
		},
		// memory
		{"in a transaction neither made", "BEGIN TRAN; CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY NONCLUSTERED) WITH (MEMORY_OPTIMIZED = ON)", "", "12331"},
		{"nor changed", "BEGIN TRAN; ALTER TABLE dbo.call ADD paid bit", "", "12331"},
		{"nor renamed", "BEGIN TRAN; EXEC sp_rename 'dbo.call', 'calls'", "", "12331"},
		{"nor dropped", "BEGIN TRAN; DROP TABLE dbo.call", "", "12331"},
		{"rows in a transaction", "BEGIN TRAN; UPDATE dbo.call SET ship = 1", "", "41368"},
		{"rows read in one", "BEGIN TRAN; SELECT ship FROM dbo.call", "", "41368"},
		{"rows in a transaction that says how", "BEGIN TRAN; UPDATE dbo.call WITH (SNAPSHOT) SET ship = 1 WHERE id = 1; DELETE c FROM dbo.call AS c WITH (SNAPSHOT) WHERE c.id = 2; COMMIT", "id, ship FROM dbo.call", "1,1"},
		{"without a key", "CREATE TABLE dbo.a (id int NOT NULL, INDEX i (id)) WITH (MEMORY_OPTIMIZED = ON)", "", "41321"},
		{"without anything", "CREATE TABLE dbo.a (id int NOT NULL) WITH (MEMORY_OPTIMIZED = ON, DURABILITY = SCHEMA_ONLY)", "", "41327"},
		{"with a clustered key", "CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY) WITH (MEMORY_OPTIMIZED = ON)", "", "12317"},
		{"the key goes", "ALTER TABLE dbo.call DROP CONSTRAINT PK_call", "", "41321 3727"},
		{"a type that it cannot have", "ALTER TABLE dbo.call ADD cargo xml", "", "10794"},
		{"an index as elsewhere", "CREATE INDEX i ON dbo.call (ship)", "", "10794"},
		{"an index dropped as elsewhere", "DROP INDEX by_ship ON dbo.call", "", "10794"},
		{"emptied at once", "TRUNCATE TABLE dbo.call", "", "10794"},
		{"a trigger as elsewhere", "EXEC('CREATE TRIGGER dbo.t ON dbo.call AFTER INSERT AS PRINT 1')", "", "10794"},
		{"hashes on disk", "CREATE TABLE dbo.a (id int NOT NULL, INDEX i HASH (id) WITH (BUCKET_COUNT = 4))", "", "40000"},
		{"a trigger of the database looks on", "EXEC('CREATE TRIGGER d ON DATABASE FOR DDL_TABLE_EVENTS AS PRINT 1'); ALTER TABLE dbo.call ADD paid bit", "", "12332"},
		{
			"indexes come, change and go",
			"ALTER TABLE dbo.call ADD INDEX x HASH (ship) WITH (BUCKET_COUNT = 9); ALTER TABLE dbo.call ALTER INDEX PK_call REBUILD WITH (BUCKET_COUNT = 1025); ALTER TABLE dbo.call DROP INDEX by_ship",
			"name, type_desc, bucket_count FROM sys.hash_indexes ORDER BY name",
			"PK_call,NONCLUSTERED HASH,2048;x,NONCLUSTERED HASH,16",
		},
		{
			"it counts, and is read, as any other",
			"INSERT INTO dbo.call (ship) VALUES (9); DELETE FROM dbo.call WHERE ship = 7",
			"c.id, c.ship, t.durability_desc FROM dbo.call AS c CROSS JOIN sys.tables AS t WHERE t.name = 'call' ORDER BY c.id",
			"2,8,SCHEMA_AND_DATA;3,9,SCHEMA_AND_DATA",
		},
		{
			"what is natively compiled is bound, and runs",
			"EXEC('CREATE FUNCTION dbo.twice (@n int) RETURNS int WITH NATIVE_COMPILATION, SCHEMABINDING AS BEGIN ATOMIC WITH (TRANSACTION ISOLATION LEVEL = SNAPSHOT, LANGUAGE = N''us_english'') RETURN @n * 2; END')",
			"dbo.twice(ship), (SELECT COUNT(*) FROM sys.sql_modules WHERE uses_native_compilation = 1 AND is_schema_bound = 1) FROM dbo.call WHERE id = 1",
			"14,1",
		},
		{"natively compiled, and not bound", "EXEC('CREATE PROCEDURE dbo.p WITH NATIVE_COMPILATION AS BEGIN ATOMIC WITH (TRANSACTION ISOLATION LEVEL = SNAPSHOT, LANGUAGE = N''us_english'') SELECT 1; END')", "", "40000"},
		{"triggers of the database in their order", "EXEC('CREATE TRIGGER d ON DATABASE FOR CREATE_TABLE AS PRINT 1'); EXEC('CREATE TRIGGER e ON DATABASE FOR DDL_TABLE_EVENTS AS PRINT 2'); EXEC sp_settriggerorder 'd', 'First', 'CREATE_TABLE', 'DATABASE'; EXEC sp_settriggerorder 'e', 'Last', 'DROP_TABLE', 'DATABASE'", "OBJECT_NAME(object_id), type_desc, is_first FROM sys.trigger_events WHERE is_first = 1 OR is_last = 1 ORDER BY 1", "d,CREATE_TABLE,1;e,DROP_TABLE,0"},
		{"a place that is taken", "EXEC('CREATE TRIGGER d ON DATABASE FOR CREATE_TABLE AS PRINT 1'); EXEC('CREATE TRIGGER e ON DATABASE FOR DDL_TABLE_EVENTS AS PRINT 2'); EXEC sp_settriggerorder 'd', 'First', 'CREATE_TABLE', 'DATABASE'; EXEC sp_settriggerorder 'e', 'First', 'CREATE_TABLE', 'DATABASE'", "", "15130"},
	} {
		x := alone(t)
		for _, s := range strings.Split(port, ";\n") {
			x.must(t, s)
		}
		refused := x.runs(c.do)
		switch {
		case c.ask == "" && refused != c.want:
			t.Errorf("%s: refused with %q, want %s", c.name, refused, c.want)
		case c.ask != "" && refused != "":
			t.Errorf("%s: refused with %s", c.name, refused)
		case c.ask != "":
			if got := x.value(c.ask); got != c.want {
				t.Errorf("%s: %s, want %s", c.name, got, c.want)
			}
		}
	}
}
