package model

import (
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	_ "modernc.org/sqlite"
)

// TestRowStatements: what INSERT, UPDATE and DELETE do to rows, or which error they end
// with, and that they then did nothing.
func TestRowStatements(t *testing.T) {
	const port = `CREATE TABLE dbo.ship (id int NOT NULL PRIMARY KEY, name nvarchar(10) NOT NULL, flag char(2) NULL DEFAULT 'QH', tons decimal(7,1) NULL CHECK (tons > 0));
CREATE TABLE dbo.stay (id int IDENTITY(1, 1) PRIMARY KEY, ship int NULL REFERENCES dbo.ship (id), berth int NOT NULL, fee money NULL, twice AS fee * 2, UNIQUE (ship, berth));
INSERT INTO dbo.ship (id, name, tons) VALUES (1, N'Heron', 10), (2, N'Tern', 20.5), (3, N'Gull', NULL);
INSERT INTO dbo.stay (ship, berth, fee) VALUES (1, 7, 10), (1, 8, 20), (2, 7, NULL);`
	const ships, stays = "id, name, flag, tons FROM dbo.ship ORDER BY id", "id, ship, berth, fee FROM dbo.stay ORDER BY id"
	for _, c := range []struct{ name, do, ask, want, refused string }{
		{
			name: "a row by its columns",
			do:   "INSERT INTO dbo.ship (name, id) VALUES (N'Auk', 4)",
			ask:  "name, flag, tons FROM dbo.ship WHERE id = 4",
			want: "Auk,QH,NULL",
		},
		{
			name: "a row by its places",
			do:   "INSERT dbo.ship VALUES (4, N'Auk', NULL, 3)",
			ask:  "name, flag, tons FROM dbo.ship WHERE id = 4",
			want: "Auk,NULL,3.0",
		},
		{
			name: "DEFAULT as a value",
			do:   "INSERT INTO dbo.ship VALUES (4, N'Auk', DEFAULT, DEFAULT)",
			ask:  "flag, tons FROM dbo.ship WHERE id = 4",
			want: "QH,NULL",
		},
		{
			name: "DEFAULT as what a column becomes",
			do:   "UPDATE dbo.ship SET flag = 'XX'; UPDATE dbo.ship SET flag = DEFAULT, tons = DEFAULT WHERE id = 2",
			ask:  "id, flag, tons FROM dbo.ship ORDER BY id",
			want: "1,XX,10.0;2,QH,NULL;3,XX,NULL",
		},
		{
			name: "rows of a query",
			do:   "INSERT INTO dbo.ship (id, name) SELECT id + 10, LEFT(name, 2) FROM dbo.ship WHERE tons IS NOT NULL",
			ask:  "id, name FROM dbo.ship WHERE id > 10 ORDER BY id",
			want: "11,He;12,Te",
		},
		{
			name: "numbers are rounded, not refused",
			do:   "UPDATE dbo.ship SET tons = 3.14159 WHERE id = 1",
			ask:  "tons FROM dbo.ship WHERE id = 1",
			want: "3.1",
		},
		{
			name: "from another table",
			do:   "UPDATE dbo.ship SET flag = 'X' + CAST(s.berth AS varchar(2)) FROM dbo.stay s WHERE s.ship = dbo.ship.id AND s.berth = 8",
			ask:  "id, flag FROM dbo.ship ORDER BY id",
			want: "1,X8;2,QH;3,QH",
		},
		{
			name: "from itself under another name",
			do:   "UPDATE s SET tons = s.tons * 2 FROM dbo.ship s WHERE s.id < 3",
			ask:  "tons FROM dbo.ship ORDER BY id",
			want: "20.0;41.0;NULL",
		},
		{
			name: "from itself by its own name",
			do:   "UPDATE dbo.ship SET tons = s.tons * 2 FROM dbo.ship s JOIN dbo.stay t ON t.ship = s.id WHERE t.berth = 8",
			ask:  "tons FROM dbo.ship ORDER BY id",
			want: "20.0;20.5;NULL",
		},
		{
			name: "one row by several is changed once",
			do:   "UPDATE s SET tons = s.tons + 1 FROM dbo.ship s JOIN dbo.stay t ON t.ship = s.id",
			ask:  "tons FROM dbo.ship ORDER BY id",
			want: "11.0;21.5;NULL",
		},
		{
			name: "a schema left out is dbo",
			do:   "UPDATE ship SET flag = 'AA' FROM dbo.ship WHERE id = 1",
			ask:  "flag FROM dbo.ship WHERE id = 1",
			want: "AA",
		},
		{
			name: "all columns at once",
			do:   "UPDATE dbo.stay SET berth = ship, ship = berth - 5 WHERE id = 1",
			ask:  "ship, berth FROM dbo.stay WHERE id = 1",
			want: "2,1",
		},
		{
			name: "a computed column follows",
			do:   "UPDATE dbo.stay SET fee = 4.5 WHERE id = 3",
			ask:  "twice FROM dbo.stay ORDER BY id",
			want: "20.0000;40.0000;9.0000",
		},
		{
			name: "from a query",
			do:   "UPDATE dbo.ship SET tons = (SELECT SUM(fee) FROM dbo.stay WHERE ship = dbo.ship.id) WHERE id < 3",
			ask:  "tons FROM dbo.ship ORDER BY id",
			want: "30.0;NULL;NULL",
		},
		{
			name: "into a variable on the way",
			do:   "DECLARE @n int = 0; UPDATE dbo.stay SET @n = @n + 1; UPDATE dbo.ship SET tons = @n WHERE id = 1",
			ask:  "tons FROM dbo.ship WHERE id = 1",
			want: "3.0",
		},
		{
			name: "rows that others have",
			do:   "DELETE t FROM dbo.stay t JOIN dbo.ship s ON s.id = t.ship WHERE s.name = N'heron'",
			ask:  stays,
			want: "3,2,7,NULL",
		},
		{
			name: "rows that nobody has",
			do:   "DELETE FROM dbo.ship WHERE NOT EXISTS (SELECT 1 FROM dbo.stay WHERE ship = dbo.ship.id)",
			ask:  "count(*) FROM dbo.ship",
			want: "2",
		},
		{
			name: "how many",
			do:   "DELETE FROM dbo.stay WHERE ship = 1; INSERT INTO dbo.ship (id, name) VALUES (@@ROWCOUNT + 50, N'x')",
			ask:  "id FROM dbo.ship WHERE id > 3",
			want: "52",
		},
		{
			name: "a default that is a function",
			do:   "ALTER TABLE dbo.ship ADD u nvarchar(99) DEFAULT (UPPER(N'a') + N'b'); INSERT INTO dbo.ship (id, name) VALUES (9, N'x')",
			ask:  "u FROM dbo.ship WHERE id = 9",
			want: "Ab",
		},
		{name: "names in other letters", do: "UPDATE DBO.SHIP SET NAME = N'Auk' WHERE ID = 1", ask: "name FROM dbo.ship WHERE id = 1", want: "Auk"},
		{name: "through a view", do: "EXEC('CREATE VIEW dbo.v AS SELECT id, name FROM dbo.ship')", ask: "name FROM dbo.v WHERE id = 2", want: "Tern"},
		{
			name: "another statement's rows are seen",
			do:   "INSERT INTO dbo.ship (id, name) VALUES (5, N'a'); INSERT INTO dbo.ship (id, name) SELECT MAX(id) + 1, N'b' FROM dbo.ship",
			ask:  "MAX(id) FROM dbo.ship",
			want: "6",
		},
		{name: "NULLs in a unique key are one value", do: "INSERT INTO dbo.stay (ship, berth) VALUES (NULL, 1), (NULL, 1)", ask: stays, refused: "2627"},
		{name: "NULL where none may be", do: "INSERT INTO dbo.ship (id, name) VALUES (4, NULL)", ask: ships, refused: "515"},
		{name: "a column without a value", do: "INSERT INTO dbo.ship (id) VALUES (4)", ask: ships, refused: "515"},
		{name: "a key twice", do: "INSERT INTO dbo.ship (id, name) VALUES (4, N'a'), (1, N'b')", ask: ships, refused: "2627"},
		{name: "a key that becomes another's", do: "UPDATE dbo.ship SET id = 2 WHERE id = 3", ask: ships, refused: "2627"},
		{name: "a check", do: "UPDATE dbo.ship SET tons = tons - 15", ask: ships, refused: "547"},
		{name: "nobody's ship", do: "INSERT INTO dbo.stay (ship, berth) VALUES (9, 1)", ask: "count(*) FROM dbo.stay", refused: "547"},
		{name: "a ship that is referred to", do: "DELETE FROM dbo.ship", ask: ships, refused: "547"},
		{name: "a text that is too long", do: "UPDATE dbo.ship SET name = N'Black-headed gull'", ask: ships, refused: "2628"},
		{name: "a number that is too big", do: "UPDATE dbo.ship SET tons = 12345678", ask: ships, refused: "8115"},
		{name: "a number that is none", do: "UPDATE dbo.ship SET tons = flag", ask: ships, refused: "8114"},
		{name: "divided by nothing", do: "UPDATE dbo.ship SET tons = tons / (id - 2)", ask: ships, refused: "8134"},
		{name: "a number that the table gives", do: "INSERT INTO dbo.stay (id, berth) VALUES (9, 1)", ask: stays, refused: "544"},
		{name: "a number that the table gave", do: "UPDATE dbo.stay SET id = 9 WHERE id = 1", ask: stays, refused: "8102"},
		{name: "a computed column", do: "UPDATE dbo.stay SET twice = 9", ask: stays, refused: "271"},
		{name: "too few values", do: "INSERT INTO dbo.ship (id, name) VALUES (4)", ask: ships, refused: "109"},
		{name: "too many values", do: "INSERT INTO dbo.ship (id) VALUES (4, N'x')", ask: ships, refused: "110"},
		{name: "values for not all columns", do: "INSERT INTO dbo.ship VALUES (4, N'x')", ask: ships, refused: "213"},
		{name: "a column that is not there", do: "UPDATE dbo.ship SET length = 4", ask: ships, refused: "207"},
		{
			name:    "a column that two have",
			do:      "UPDATE dbo.ship SET flag = 'X' FROM dbo.ship s JOIN dbo.stay t ON t.ship = s.id WHERE id = 1",
			ask:     ships,
			refused: "209",
		},
		{name: "a table that is not there", do: "DELETE FROM dbo.boat", ask: ships, refused: "208"},
		{name: "more than one value", do: "UPDATE dbo.ship SET tons = (SELECT fee FROM dbo.stay)", ask: ships, refused: "512"},
		{name: "the table twice", do: "UPDATE dbo.ship SET flag = 'X' FROM dbo.ship a JOIN dbo.ship b ON a.id = b.id", ask: ships, refused: "8154"},
		{
			name:    "a trigger that refuses",
			do:      "EXEC('CREATE TRIGGER dbo.t ON dbo.ship AFTER UPDATE AS IF EXISTS (SELECT 1 FROM inserted WHERE flag = ''XX'') THROW 50001, ''no'', 1'); UPDATE dbo.ship SET flag = 'XX'",
			ask:     "COUNT(*) FROM dbo.ship WHERE flag = 'XX'",
			refused: "50001",
			want:    "0",
		},
		{
			name: "a trigger that joins what came",
			do:   "EXEC('CREATE TRIGGER dbo.t ON dbo.stay AFTER INSERT, UPDATE AS UPDATE dbo.ship SET tons = i.berth FROM dbo.ship s JOIN inserted i ON i.ship = s.id'); UPDATE dbo.stay SET fee = 1 WHERE id = 2",
			ask:  "tons FROM dbo.ship ORDER BY id",
			want: "8.0;20.5;NULL",
		},
	} {
		x := alone(t)
		if n := x.runs(port); n != "" {
			t.Fatalf("%s: %s", c.name, n)
		}
		was := x.value(c.ask)
		n := x.runs(c.do)
		switch now := x.value(c.ask); {
		case n != c.refused:
			t.Errorf("%s: ended with %q, want %q", c.name, n, c.refused)
		case c.refused != "" && c.want == "" && now != was:
			t.Errorf("%s: refused, and yet changed:\n%s\n%s", c.name, was, now)
		case c.want != "" && now != c.want:
			t.Errorf("%s: %s, want %s", c.name, now, c.want)
		}
	}
}

// writer makes statements that change rows and mean the same on another engine.
type writer struct{ asker }

func (w writer) statement() string {
	table, where := w.pick("a", "b"), ""
	if w.IntN(4) > 0 {
		where = " WHERE " + w.condition([]string{table + "=" + table}, 2)
	}
	switch w.IntN(5) {
	case 0:
		return fmt.Sprintf("INSERT INTO %s (id, n, m) VALUES (%d, %s, %s)", table, w.IntN(30), w.number(nil, 1), w.number(nil, 1))
	case 1:
		return fmt.Sprintf("INSERT INTO %s (id, n, m) SELECT id + %d, m, n FROM %s%s", table, w.IntN(20), table, where)
	case 2:
		return "DELETE FROM " + table + where
	case 3:
		other := map[string]string{"a": "b", "b": "a"}[table]
		return fmt.Sprintf("UPDATE %s SET m = (SELECT MAX(o.n) FROM %s AS o WHERE o.id = %s.id)%s", table, other, table, where)
	}
	return fmt.Sprintf("UPDATE %s SET n = %s, m = n%s", table, w.number([]string{table + "=" + table}, 2), where)
}

// TestRowsAgainstAnotherEngine: statements that mean the same everywhere leave the same
// rows behind, or are refused by both.
func TestRowsAgainstAnotherEngine(t *testing.T) {
	const tables = "CREATE TABLE call (id int, berth int, vessel int); INSERT INTO call VALUES (1, 1, 2), (2, 3, NULL); CREATE TABLE a (id int NOT NULL PRIMARY KEY, n int, m int CHECK (m < 900)); CREATE TABLE b (id int NOT NULL PRIMARY KEY, n int, m int, UNIQUE (id, n)); INSERT INTO a VALUES (1, 5, NULL), (2, NULL, 7), (3, 0, 0); INSERT INTO b VALUES (2, 1, 1), (4, NULL, -3)"
	tried, refused := 0, 0
	for seed := range uint64(60) {
		w := writer{asker{rand.New(rand.NewPCG(seed, 5))}}
		other, err := sql.Open("sqlite", ":memory:")
		if err != nil {
			t.Fatal(err)
		}
		other.SetMaxOpenConns(1)
		x := alone(t)
		if n := x.runs(tables); n != "" {
			t.Fatal(n)
		}
		if _, err := other.ExecContext(context.Background(), tables); err != nil {
			t.Fatal(err)
		}
		var done []string
		for range 25 {
			do := w.statement()
			done = append(done, do)
			mine := x.runs(do)
			_, theirs := other.Exec(do)
			tried++
			if (mine != "") != (theirs != nil) {
				if strings.Contains("8134 8115 220", mine) && mine != "" { // what the other engine takes for NULL, or has room for
					if _, err := other.Exec("DELETE FROM a; DELETE FROM b; INSERT INTO a VALUES (1, 1, 1)"); err != nil {
						t.Fatal(err)
					}
					x.runs("DELETE FROM a; DELETE FROM b; INSERT INTO a VALUES (1, 1, 1)")
					continue
				}
				t.Fatalf("seed %d: here %q, there %v\n%s", seed, mine, theirs, strings.Join(done, ";\n"))
			}
			if mine != "" {
				refused++
			}
			for _, table := range []string{"a", "b"} {
				q := "id, n, m FROM " + table + " ORDER BY id"
				there, err := rowsOf(other, "SELECT "+q)
				if err != nil {
					t.Fatal(err)
				}
				if here := x.value(q); here != there {
					t.Fatalf("seed %d: %s has %s here, %s there\n%s", seed, table, here, there, strings.Join(done, ";\n"))
				}
			}
		}
		other.Close()
	}
	if refused == 0 || refused > tried/2 {
		t.Errorf("%d of %d were refused: little was tried", refused, tried)
	}
}
