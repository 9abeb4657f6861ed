package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/sqlserver/ddl"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// What is in memory, or natively compiled, is defined outside of transactions only (SQL
// Server: Altering Memory-Optimized Tables). It comes behind the transaction, with all that
// waits for it, one statement after the other.

const behindMemory = "In memory: it runs by itself behind the transaction, and stays when a later step fails."

func inMemory(o *catalog.Object) bool {
	return o != nil && (o.Has(vocab.InMemory) || o.Has(vocab.Native))
}

// led takes the steps of what is in memory, or was, behind the transaction.
func led(c *order.Change, list []*order.Action) []*order.Action {
	native := func(o *catalog.Object) bool {
		return o != nil && slices.ContainsFunc(o.Parts, func(p *catalog.Object) bool { return p.Has(vocab.Native) })
	}
	if !inMemory(c.Source) && !inMemory(c.Target) && !native(c.Source) && !native(c.Target) {
		return list
	}
	watching := watchers(c)
	for _, a := range list {
		if o := c.Source; len(watching) > 0 && (a.About.Kind == catalog.Table) {
			if o == nil {
				o = c.Target
			}
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: o.Ref(), Text: "fails when a trigger of the database looks at it: " + strings.Join(watching, ", ")})
		}
		if c.Source != nil && c.Source.Kind == catalog.Table && c.Source.Has(vocab.InMemory) && !inMemoryThere(c) && slices.Contains(a.Makes, c.Source.Ref()) {
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: c.Source.Ref(), Text: "fails when the database has no filegroup for tables in memory",
				Ask: &order.Question{Count: "SELECT CASE WHEN COUNT(*) = 0 THEN 1 ELSE 0 END FROM sys.filegroups AS g WHERE g.type = 'FX'", None: "it has one", Found: "it has none", Way: "have one that contains MEMORY_OPTIMIZED_DATA made by who looks after the database", Tries: "a filegroup that contains MEMORY_OPTIMIZED_DATA"}})
		}
		a.Leads, a.Later, a.Late = true, true, false
		a.Note = strings.TrimSpace(behindMemory + " " + a.Note)
	}
	return list
}

// watchers are the triggers of the database that stay, and may look at how tables in memory
// are defined: the server refuses both together.
func watchers(c *order.Change) []string {
	return order.Remember(c, "watchers", func() []string {
		var out []string
		for _, o := range c.Actual.Objects {
			if o.Kind == vocab.DatabaseTrigger && !o.Has("disabled") && c.Desired.Find(o.Ref()) != nil {
				out = append(out, o.Name)
			}
		}
		return out
	})
}

// anyInMemory tells whether anything is in memory on either side.
func anyInMemory(c *order.Change) bool {
	return order.Remember(c, "in memory", func() bool {
		return slices.ContainsFunc(slices.Concat(c.Actual.Objects, c.Desired.Objects), inMemory)
	})
}

// inMemoryThere tells whether the target has tables in memory, and so room for them.
func inMemoryThere(c *order.Change) bool {
	return order.Remember(c, "in memory there", func() bool {
		return slices.ContainsFunc(c.Actual.Objects, func(o *catalog.Object) bool { return o.Kind == catalog.Table && o.Has(vocab.InMemory) })
	})
}

// rekeyed tells whether the primary key of a table in memory becomes another one: such a
// table is never without.
func rekeyed(c *order.Change) bool {
	if !c.Source.Has(vocab.InMemory) {
		return false
	}
	for _, it := range c.Parts {
		if it.Kind() != catalog.PrimaryKey {
			continue
		}
		if it.Source == nil || it.Target == nil || c.Rebuilds(it) {
			return true
		}
		for _, d := range it.Properties {
			more := d.Name == "buckets" && it.Source.Has("buckets") && it.Target.Has("buckets")
			if d.Name != "name" && !more && !ddl.Described(d.Name) {
				return true
			}
		}
		if it.Property("name") != nil && it.Source.Name == "" {
			return true
		}
	}
	return false
}

// swapped are the statements by which a new table gets the rows of an old one and takes its
// place, where one of the two is in memory: no transaction can hold it all. One that leaves
// the disk does so with its rows at once; one that leaves the memory has another name while
// they are copied, so that nobody writes what would not be copied. What was stopped half way
// can be gone on with: each looks what is left to do.
func swapped(c *order.Change, fresh string, into, from []string, identity bool) []string {
	old := c.Target
	aside := quote(old.Schema) + "." + quote(scratchName(c, "dapper_mirror_old_"))
	insert := func(hint, source string) string {
		s := fmt.Sprintf("IF NOT EXISTS (SELECT 1 FROM %[1]s%[2]s) INSERT INTO %[1]s%[2]s (%[3]s)\n    SELECT %[4]s\n    FROM %[5]s;", fresh, hint, strings.Join(into, ", "), strings.Join(from, ", "), source)
		if identity {
			s = "SET IDENTITY_INSERT " + fresh + " ON;\n  " + s + "\n  SET IDENTITY_INSERT " + fresh + " OFF;"
		}
		return s
	}
	if !old.Has(vocab.InMemory) {
		return ddl.Batches("BEGIN TRY\n  BEGIN TRANSACTION;\n  " + insert(" WITH (SNAPSHOT)", qualified(old)+" WITH (HOLDLOCK, TABLOCKX)") + "\n  DROP TABLE " + qualified(old) + ";\n  COMMIT TRANSACTION;\nEND TRY\nBEGIN CATCH\n  IF @@TRANCOUNT > 0 ROLLBACK TRANSACTION;\n  THROW;\nEND CATCH")
	}
	rename := func(from, to string) string {
		return "IF OBJECT_ID(" + vocab.String(from) + ") IS NOT NULL EXEC sp_rename " + vocab.String(from) + ", " + vocab.String(to) + ";"
	}
	out := ddl.Batches(rename(qualified(old), scratchName(c, "dapper_mirror_old_")) + "\nBEGIN TRY\n  " + insert("", aside) + "\nEND TRY\nBEGIN CATCH\n  " + rename(aside, old.Name) + "\n  THROW;\nEND CATCH")
	if identity && hasIdentity(old) && !c.Source.Has(vocab.InMemory) {
		out = append(out, reseeded(aside, fresh))
	}
	return append(out, batch("DROP TABLE IF EXISTS "+aside+";"))
}
