package tsql

import (
	"errors"
	"os"
	"strings"
	"testing"
	"unicode"

	"dappermirror/internal/core/sqltext"
)

// TestSpellings: what the server stores in one form has one canonical form, what means
// something else has another, what is no expression is refused; and what is printed
// reads as the same again.
func TestSpellings(t *testing.T) {
	data, err := os.ReadFile("testdata/spellings.tsv")
	if err != nil {
		t.Fatal(err)
	}
	canon := func(s string) string {
		x, err := Expression(s)
		if err != nil {
			t.Fatalf("%s: %v", s, err)
		}
		c := Canon(x, strings.ToLower)
		again, err := Expression(Print(x))
		if err != nil || Canon(again, strings.ToLower) != c {
			t.Errorf("%s is printed as %s, which is read as something else: %v", s, Print(x), err)
		}
		return c
	}
	for _, line := range strings.Split(strings.TrimSuffix(string(data), "\n"), "\n") {
		f := strings.Split(line, "\t")
		switch f[0] {
		case "same", "other":
			if a, b := canon(f[1]), canon(f[2]); (a == b) != (f[0] == "same") {
				t.Errorf("%s: %s is %s, %s is %s", f[0], f[1], a, f[2], b)
			}
		case "wrong":
			var e *Error
			if x, err := Expression(f[1]); !errors.As(err, &e) {
				t.Errorf("%q is read as %s", f[1], Print(x))
			}
		}
	}
}

// TestBatches: what a batch holds, and where it is wrong.
func TestBatches(t *testing.T) {
	for _, c := range []struct {
		text   string
		n      int
		number int32
		at     string // what stands where it is wrong
	}{
		{"", 0, 0, ""}, {";;", 0, 0, ""}, {"-- only a comment", 0, 0, ""}, {"SELECT 1 SELECT 2", 2, 0, ""}, {"SELECT a b FROM c d WHERE 1 = 1 DELETE FROM c", 2, 0, ""},
		{"IF 1 = 1 BEGIN SELECT 1; SELECT 2 END ELSE SELECT 3; SELECT 4", 2, 0, ""}, {"BEGIN TRY SELECT 1 END TRY BEGIN CATCH THROW; END CATCH", 1, 0, ""},
		{"CREATE VIEW v AS SELECT 1 AS a", 1, 0, ""}, {"CREATE VIEW v AS SELECT 1 AS a SELECT 2", 0, 156, "SELECT 2"}, {"SELECT 1; CREATE VIEW v AS SELECT 1 AS a", 0, 111, "CREATE"},
		{"CREATE PROC p AS SELECT 1 SELECT 'x' GOTO y", 1, 0, ""}, {"CREATE TABLE t (a int, b)", 0, 102, ")"}, {"CREATE TABLE t (a int ENCRYPTED WITH (x = y))", 0, 40000, "ENCRYPTED"},
		{"sp_help", 1, 0, ""}, {"frobnicate the server", 0, 102, "server"}, {"sp_addtype tid, 'varchar(6)'", 1, 0, ""}, {"SELECT 'open", 0, 105, "'open"}, {"SELECT /* open", 0, 113, "/*"}, {"CREATE ASSEMBLY x FROM 0x00", 0, 40000, "ASSEMBLY"},
		{"CREATE TABLE t (a int PRIMARY KEY CLUSTERED (a ASC) WITH (PAD_INDEX = OFF, FILLFACTOR = 80) ON [PRIMARY]) ON [PRIMARY] TEXTIMAGE_ON [PRIMARY]", 1, 0, ""},
		{"SELECT TOP 5 a.* FROM (SELECT 1 x UNION ALL SELECT 2) a LEFT OUTER JOIN b c WITH (NOLOCK) ON a.x = c.x CROSS APPLY dbo.f(a.x) AS d ORDER BY 1 OFFSET 2 ROWS FETCH NEXT 3 ROWS ONLY OPTION (RECOMPILE)", 1, 0, ""},
		{"SELECT " + strings.Repeat("(", 500) + "1" + strings.Repeat(")", 500), 0, 191, "("}, {strings.Repeat("BEGIN ", 500) + "SELECT 1" + strings.Repeat(" END", 500), 0, 191, "BEGIN"},
		{"SELECT 1" + strings.Repeat("+1", 60_000), 0, 191, "+1"}, {"SELECT 1 FROM a" + strings.Repeat(" CROSS JOIN a", 60_000), 0, 191, "a"}, {strings.Repeat("SELECT 1+1;", 60_000), 60_000, 0, ""}, {"SELECT 1 WHERE a = 1" + strings.Repeat(" OR a = 1", 20_000), 1, 0, ""},
	} {
		list, err := Batch(c.text)
		var e *Error
		switch {
		case c.number == 0 && (err != nil || len(list) != c.n):
			t.Errorf("%.60s: %d statements, %v", c.text, len(list), err)
		case c.number != 0 && (!errors.As(err, &e) || e.Number != c.number || !strings.HasPrefix(c.text[e.Pos:], c.at)):
			t.Errorf("%.60s: %v (%+v)", c.text, err, e)
		}
	}
}

// TestSpelled: quotes and capitals are no difference, all else is.
func TestSpelled(t *testing.T) {
	for _, c := range []struct {
		a, b string
		same bool
	}{
		{"SELECT [id] FROM Berth", `select "ID" from [berth]`, true}, {"SELECT 'A'", "SELECT 'a'", false}, {"SELECT  1", "SELECT 1", false}, {"SELECT [a b]", `SELECT "A B"`, true},
		{"SELECT [select]", "SELECT select", false}, {"-- A", "-- a", false}, {"SELECT @A", "SELECT @a", true},
	} {
		if got := Spelled(c.a, strings.ToLower) == Spelled(c.b, strings.ToLower); got != c.same {
			t.Errorf("%s and %s: %v", c.a, c.b, got)
		}
	}
}

// FuzzBatch: nothing that stands in a batch makes reading panic or hang, and what is
// read as one expression is printed as one.
func FuzzBatch(f *testing.F) {
	for _, s := range []string{"SELECT 1", "CREATE TABLE t (a int DEFAULT (1) CHECK (a > 0))", "IF EXISTS (SELECT 1) DROP TABLE [a]]b]", "EXEC sp_rename N'a', 'b'", "a IN (1,2) AND CASE WHEN b LIKE N'x' THEN 1 END = 2", "ALTER TABLE a ADD b AS (c * 2) PERSISTED"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if len(s) > 4096 {
			return
		}
		_, _ = Batch(s)
		for _, b := range sqltext.Split(Dialect, s) {
			if strings.TrimSpace(b.Text) == "" && !strings.ContainsFunc(s, unicode.IsSpace) {
				t.Errorf("an empty batch in %q", s)
			}
		}
		if x, err := Expression(s); err == nil {
			again, err := Expression(Print(x))
			if err != nil || Canon(again, strings.ToLower) != Canon(x, strings.ToLower) {
				t.Errorf("%q is printed as %q: %v", s, Print(x), err)
			}
		}
	})
}
