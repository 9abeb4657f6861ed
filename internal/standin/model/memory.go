package model

import (
	"slices"
	"strconv"
	"strings"

	"dappermirror/internal/standin/tsql"
)

// Tables in memory (SQL Server: In-Memory OLTP). What they are not may not be done with
// them: each refusal is one that the server documents.

// memoryOf is what the options of a table say about memory: "", SCHEMA_AND_DATA or
// SCHEMA_ONLY.
func (x *session) memoryOf(t *object, o tsql.Options) string {
	durability := o["DURABILITY"]
	if o["MEMORY_OPTIMIZED"] != "ON" {
		if durability != "" {
			panic(fail(unknown, "DURABILITY is for tables in memory."))
		}
		return ""
	}
	if room := slices.ContainsFunc(x.d.filegroups, func(g fileGroup) bool { return g.memory && g.files }); t.typ == "U" && !room && x.s.Implied {
		x.d.filegroups = append(x.d.filegroups, fileGroup{name: "in memory", files: true, memory: true})
	} else if t.typ == "U" && !room {
		panic(fail(41337, "Cannot create memory optimized tables. To create memory optimized tables, the database must have a MEMORY_OPTIMIZED_FILEGROUP that is online and has at least one container."))
	}
	switch durability {
	case "", "SCHEMA_AND_DATA":
		return "SCHEMA_AND_DATA"
	case "SCHEMA_ONLY":
		return durability
	}
	panic(fail(102, "Incorrect syntax near '%s'.", durability))
}

// alone refuses to define what is in memory, or compiled, within a transaction.
func (x *session) alone(o *object) {
	x.memory = x.memory || o.memory != ""
	if o.memory != "" && x.depth > 0 {
		panic(fail(12331, "DDL statements ALTER, DROP and CREATE inside user transactions are not supported with memory optimized tables."))
	}
	if o.module != nil && o.module.ast.NativeComp && x.depth > 0 {
		panic(fail(unknown, "Natively compiled modules cannot be made, changed or dropped inside of a transaction."))
	}
}

// unsupported refuses what tables in memory do not know.
func (o *object) unsupported(what string) {
	if o.memory != "" {
		panic(fail(10794, "The %s is not supported with memory optimized tables.", what))
	}
}

var notInMemory = []string{"datetimeoffset", "geography", "geometry", "hierarchyid", "timestamp", "xml", "sql_variant", "text", "ntext", "image"}

// inMemory sees that a table that is made has nothing that one in memory cannot have.
func (x *session) inMemory(t *object, on tsql.Space) {
	if t.memory == "" {
		for _, i := range t.indexes {
			if i.hash {
				panic(fail(unknown, "Hash indexes are for tables in memory."))
			}
		}
		return
	}
	for _, c := range t.cols {
		x.columnInMemory(t, c)
	}
	if on.Name != "" {
		t.unsupported("feature 'filegroup'")
	}
	keyed, indexes := false, 0
	for _, i := range t.indexes {
		keyed = keyed || i.primary
		if i.id > 0 {
			indexes++
		}
	}
	switch {
	case t.typ == "U" && t.memory == "SCHEMA_AND_DATA" && !keyed:
		panic(fail(41321, "The memory optimized table '%s' with DURABILITY=SCHEMA_AND_DATA must have a primary key.", t.name))
	case indexes == 0:
		panic(fail(41327, "The memory optimized table '%s' must have at least one index or a primary key.", t.name))
	}
}

func (x *session) columnInMemory(t *object, c *column) {
	if t.memory == "" {
		return
	}
	if c.system != nil && slices.Contains(notInMemory, c.dataType.name) {
		t.unsupported("type '" + c.dataType.name + "'")
	}
	if c.identity && (c.seed != 1 || c.step != 1) {
		panic(fail(unknown, "A column of a table in memory counts from 1, by 1."))
	}
	if c.sparse || c.rowGuid {
		t.unsupported("feature '" + map[bool]string{true: "sparse columns", false: "ROWGUIDCOL"}[c.sparse] + "'")
	}
}

// indexInMemory sees that an index of a table is one that its kind of table can have, and
// how many buckets it has (SQL Server: CREATE TABLE, BUCKET_COUNT).
func (x *session) indexInMemory(t *object, i *index, b *tsql.Index) {
	i.hash = b.Hash
	if t.memory == "" {
		if b.Hash && x.making != t {
			panic(fail(unknown, "Hash indexes are for tables in memory."))
		}
		return
	}
	if i.id == 1 && !i.columnstore {
		panic(fail(12317, "Clustered indexes, which are the default for primary keys, are not supported with memory optimized tables. Specify a NONCLUSTERED index instead."))
	}
	if b.Where != nil {
		t.unsupported("feature 'filtered index'")
	}
	if len(b.Include) > 0 {
		t.unsupported("feature 'included columns'")
	}
	for o := range b.Options {
		if o != "BUCKET_COUNT" && o != "COMPRESSION_DELAY" && o != "STATISTICS_NORECOMPUTE" {
			t.unsupported("index option '" + strings.ToLower(o) + "'")
		}
	}
	if !b.Hash {
		return
	}
	n, err := strconv.ParseInt(b.Options["BUCKET_COUNT"], 10, 64)
	if err != nil || n < 1 || n > 1<<30 {
		panic(fail(unknown, "A hash index wants a BUCKET_COUNT from 1 to %d.", 1<<30))
	}
	for i.buckets = 1; i.buckets < n; i.buckets *= 2 { // the server takes the next power of two
	}
}

// rebuiltBuckets gives a hash index another number of buckets.
func (x *session) rebuiltBuckets(t *object, b *tsql.AlterTable) {
	if t.memory == "" {
		panic(fail(unknown, "ALTER TABLE … ALTER INDEX is for tables in memory."))
	}
	i := t.index(x.d, b.Names[0])
	if i == nil || !i.hash {
		panic(fail(7999, "Could not find any index named '%s' for table '%s'.", b.Names[0], t.name))
	}
	x.indexInMemory(t, i, &tsql.Index{Hash: true, Options: b.Options})
}

// within refuses to touch the rows of a table in memory in a transaction that says nothing
// about how it is isolated.
func (x *session) within(o *object, hints []string) {
	if o.memory == "" || x.depth == 0 || x.nesting > 0 || x.drily {
		return
	}
	for _, h := range hints {
		if h == "SNAPSHOT" || h == "REPEATABLEREAD" || h == "SERIALIZABLE" || h == "HOLDLOCK" {
			return
		}
	}
	panic(fail(41368, "Accessing memory optimized tables using the READ COMMITTED isolation level is supported only for autocommit transactions. It is not supported for explicit or implicit transactions. Provide a supported isolation level for the memory optimized table using a table hint, such as WITH (SNAPSHOT)."))
}

func showHashIndexes(x *session, add func(...any)) {
	for _, o := range x.d.list("U", "TT") {
		for _, i := range o.indexes {
			if i.hash {
				add(append(indexRow(o, i), i.buckets)...)
			}
		}
	}
}

// durable is the durability of a table, as sys.tables tells it.
func durable(o *object) string {
	if o.memory != "" {
		return o.memory
	}
	return "SCHEMA_AND_DATA"
}
