package e2e

import (
	"database/sql"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"
)

// grammar makes up statements from SQLite's grammar (SQL As Understood By
// SQLite: CREATE TABLE, CREATE INDEX, CREATE VIEW, expr): what of them makes no
// sense SQLite itself refuses.
type grammar struct{ r *rand.Rand }

func (g grammar) one(of ...string) string { return of[g.r.IntN(len(of))] }

func (g grammar) maybe(percent int, s func() string) string {
	if g.r.IntN(100) < percent {
		return s()
	}
	return ""
}

func text(s string) func() string { return func() string { return s } }

func (g grammar) name(n string) string {
	return g.one(n, n, `"`+n+`"`, "["+n+"]", "`"+n+"`", "'"+n+"'")
}

func (g grammar) column() string { return g.name(g.one("a", "b", "c", "d")) }

func (g grammar) value() string {
	return g.one("1", "-1", "+2.5", "'x'", "x'00'", "NULL", "TRUE", "false", "CURRENT_TIMESTAMP", "1e3", "0x1F", ".5", "5.")
}

func (g grammar) expr(depth int) string {
	e := func() string { return g.expr(depth + 1) }
	if depth > 2 {
		return g.one(g.value(), g.column())
	}
	switch g.r.IntN(16) {
	case 0:
		return "(" + e() + ")"
	case 1, 2:
		return e() + " " + g.one("+", "-", "*", "/", "%", "||", "<", "<=", "=", "==", "<>", "!=", "AND", "OR", "&", "|", "<<", "IS", "IS NOT", "LIKE", "GLOB", "IS NOT DISTINCT FROM") + " " + e()
	case 3:
		return g.one("NOT ", "-", "+", "~") + e()
	case 4:
		return "CASE " + g.maybe(50, e) + " WHEN " + e() + " THEN " + e() + g.maybe(50, func() string { return " ELSE " + e() }) + " END"
	case 5:
		return "CAST(" + e() + " AS " + g.one("INT", "TEXT", "VARCHAR(10)", "DECIMAL(5, 2)") + ")"
	case 6:
		return e() + g.one("", " NOT") + " BETWEEN " + e() + " AND " + e()
	case 7:
		return e() + g.one("", " NOT") + " IN (" + g.one("", e()+", "+e()) + ")"
	case 8:
		return e() + g.one(" ISNULL", " NOTNULL", " NOT NULL", " COLLATE nocase", ` COLLATE "RTRIM"`)
	case 9:
		return g.one("abs", "length", "upper", "coalesce", "typeof", "max") + "(" + g.one(e(), e()+", "+e()) + ")"
	case 10:
		return "SELF." + g.column()
	case 11:
		return "/* c */ " + e()
	case 12:
		return "(" + e() + ", " + e() + ") = (" + e() + ", " + e() + ")"
	}
	return g.one(g.value(), g.column(), g.column())
}

func (g grammar) conflict() string {
	return g.maybe(30, func() string { return " ON CONFLICT " + g.one("ROLLBACK", "ABORT", "FAIL", "IGNORE", "REPLACE") })
}

func (g grammar) references() string {
	s := " REFERENCES " + g.name(g.one("q", "SELF")) + g.maybe(60, func() string { return "(" + g.name("a") + ")" })
	for range g.r.IntN(4) {
		s += g.one(" MATCH FULL", " MATCH SIMPLE", g.one(" ON DELETE ", " ON UPDATE ", " ON INSERT ")+g.one("SET NULL", "SET DEFAULT", "CASCADE", "RESTRICT", "NO ACTION"))
	}
	return s + g.one("", " DEFERRABLE", " NOT DEFERRABLE", " DEFERRABLE INITIALLY DEFERRED", " DEFERRABLE INITIALLY IMMEDIATE", " NOT DEFERRABLE INITIALLY DEFERRED")
}

func (g grammar) named() string {
	return g.maybe(30, func() string { return " CONSTRAINT " + g.name(fmt.Sprintf("k%d", g.r.IntN(5))) })
}

func (g grammar) columnDefinition(name string) string {
	s := g.name(name) + g.one("", " INTEGER", " INT", " TEXT", " VARCHAR(20)", " DECIMAL(-1,+2)", ` "odd type"`, " [x y]", " NATIVE CHARACTER (70)", " 'quoted'", " INTEGER GENERATED", " GENERATED", " BLOB", " REAL", " ANY")
	for range g.r.IntN(4) {
		s += g.named() + g.one("", " NULL"+g.conflict(), " NOT NULL"+g.conflict(), " UNIQUE"+g.conflict(), " PRIMARY KEY"+g.one("", " ASC", " DESC")+g.conflict()+g.maybe(20, text(" AUTOINCREMENT")), " CHECK("+g.expr(0)+")",
			" DEFAULT "+g.one(g.value(), "foo", "'foo'", `"foo"`, "(1+2)", "- 5", "("+g.expr(2)+")"), " COLLATE "+g.name(g.one("nocase", "binary", "rtrim")), g.references(), " DEFERRABLE INITIALLY DEFERRED",
			g.one(" GENERATED ALWAYS AS (", " AS (")+g.expr(1)+")"+g.one("", " VIRTUAL", " STORED"))
	}
	return s
}

func (g grammar) tableConstraint() string {
	key := func() string {
		return g.column() + g.maybe(20, text(" COLLATE nocase")) + g.one("", " ASC", " DESC") + g.maybe(40, func() string { return ", " + g.column() })
	}
	return g.named() + g.one(" PRIMARY KEY ("+key()+")"+g.conflict(), " UNIQUE ("+key()+")"+g.conflict(), " CHECK ("+g.expr(0)+")"+g.conflict(), " FOREIGN KEY ("+g.column()+")"+g.references(), " FOREIGN KEY (a, b) REFERENCES q (a, b) ON DELETE CASCADE")
}

func (g grammar) table(name string) string {
	s := g.one("CREATE TABLE ", "create table ", "CREATE TABLE IF NOT EXISTS ", "CREATE TABLE main.") + g.name(name) + g.one("(", " ( ")
	for i, c := range []string{"a", "b", "c", "d"} {
		if i > 0 {
			s += g.one(",", ", ", ",\n  ", "/* x */,", "-- y\n,")
		}
		s += g.columnDefinition(c)
	}
	for range g.r.IntN(3) {
		s += g.one(",", ", ", " ") + g.tableConstraint()
	}
	return strings.ReplaceAll(s+")"+g.one("", "", "", " STRICT", " WITHOUT ROWID", " WITHOUT ROWID, STRICT"), "SELF", name)
}

// TestWhatSQLiteTakes: every statement that SQLite takes is read, also from a
// text, and a table of every kind can be made anew with its rows.
func TestWhatSQLiteTakes(t *testing.T) {
	t.Parallel()
	for seed := range uint64(2) {
		g := grammar{rand.New(rand.NewPCG(seed, 20261126))}
		dir := t.TempDir()
		open := func(name string) *sql.DB {
			db, err := sql.Open("sqlite", filepath.Join(dir, name))
			if err != nil {
				t.Fatal(err)
			}
			db.SetMaxOpenConns(1)
			return db
		}
		source, target := open("source.db"), open("target.db")
		both := func(s, altered string) bool {
			if _, err := source.Exec(s); err != nil {
				return false
			}
			if _, err := target.Exec(altered); err != nil {
				t.Fatalf("%v: %s", err, altered)
			}
			return true
		}
		both("BEGIN", "BEGIN")
		both("CREATE TABLE q (a PRIMARY KEY, b, UNIQUE (a, b))", "CREATE TABLE q (a PRIMARY KEY, b, UNIQUE (a, b))")
		var tables []string
		for i := range 1000 {
			name := fmt.Sprintf("t%d", i)
			s := g.table(name)
			end := strings.LastIndex(s, ")")
			if _, err := source.Exec(s); err != nil {
				continue
			}
			if _, err := source.Exec("EXPLAIN INSERT INTO " + name + " DEFAULT VALUES"); err != nil { // a table that nothing can be put into
				_, _ = source.Exec("DROP TABLE " + name)
				continue
			}
			if _, err := target.Exec(s[:end] + ", CHECK (1)" + s[end:]); err != nil {
				t.Fatalf("%v: %s", err, s)
			}
			tables = append(tables, name)
			for _, row := range []string{"1, 2, 3, 4", "'x', 'y', 'z', 'w'"} {
				_, _ = target.Exec("INSERT INTO " + name + " VALUES (" + row + ")")
			}
			for _, s := range []string{g.one("CREATE INDEX ", "CREATE UNIQUE INDEX ") + g.name("i"+name) + " ON " + g.name(name) + " (" + g.one(g.column(), g.expr(1)) + g.one("", " DESC") + ")" + g.maybe(30, func() string { return " WHERE " + g.expr(1) }),
				"CREATE VIEW " + g.name("v"+name) + g.one("", " (x, Y)") + " AS SELECT " + g.expr(1) + " AS Out, " + g.expr(1) + " y FROM " + g.name(name) + " AS z" + g.maybe(50, func() string { return " WHERE " + g.expr(1) }) + g.one("", " GROUP BY 1 HAVING 2", " ORDER BY 1 DESC NULLS LAST LIMIT 5", " UNION ALL SELECT 1, 2"),
				"CREATE TRIGGER " + g.name("g"+name) + g.one(" BEFORE", " AFTER", "") + g.one(" INSERT", " DELETE", " UPDATE OF a, b") + " ON " + g.name(name) + g.one("", " FOR EACH ROW") + " BEGIN SELECT " + g.expr(1) + " FROM " + name + "; INSERT OR IGNORE INTO q VALUES (1, ';'); END"} {
				s = strings.ReplaceAll(s, "SELF.", "")
				if g.r.IntN(2) == 0 {
					if _, err := source.Exec(s); err == nil {
						if _, err := target.Exec(s); err != nil { // the rows that are there can forbid an index
							_, _ = source.Exec("DROP INDEX i" + name)
						}
					}
				}
			}
		}
		both("COMMIT", "COMMIT")
		rows := func() string {
			var out strings.Builder
			for _, name := range tables {
				var answer string
				_ = target.QueryRow("SELECT count(*) || ' ' || coalesce(group_concat(quote(a) || quote(b) || quote(c) || quote(d)), '') FROM " + name).Scan(&answer)
				fmt.Fprintf(&out, "%s: %s\n", name, answer)
			}
			return out.String()
		}
		before := rows()
		if len(tables) < 150 || strings.Count(before, ": 0 ") > len(tables)*3/4 {
			t.Fatalf("%d tables, few rows: the grammar is badly made", len(tables))
		}
		source.Close()
		target.Close()
		write(t, dir, "source.sql", command(t, ".dump", "sqlite3", filepath.Join(dir, "source.db")))
		want(t, 0, dir, "compare", "source.sql", "source.db")
		want(t, 0, dir, "capture", "source.db", "-o", "source.json")
		want(t, 0, dir, "compare", "source.json", "source.db")
		want(t, 0, dir, "script", "source.db", "target.db", "-o", "up.sql", "--may-lose", "*")
		if out, err := (litePlaces{}).client(filepath.Join(dir, "target.db"), filepath.Join(dir, "up.sql")); err != nil {
			t.Fatalf("seed %d: %v\n%s", seed, err, out)
		}
		want(t, 0, dir, "compare", "source.db", "target.db")
		target = open("target.db")
		if d := firstDifference(strings.Split(before, "\n"), strings.Split(rows(), "\n")); d != "" {
			t.Errorf("seed %d: the rows are others: %s", seed, d)
		}
		target.Close()
	}
}
