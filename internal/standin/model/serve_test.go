package model

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	mssql "github.com/microsoft/go-mssqldb"

	"dappermirror/facts/sqlserver/chart"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/standin/tds"
	"dappermirror/internal/standin/tsql"
)

// started is a stand-in with a database "port" on a free port, and its address.
func started(t *testing.T) (*Server, *tds.Server, string) {
	t.Helper()
	s := New("port")
	s.Auth = func(l tds.Login) bool { return l.User == "sa" && l.Password == "p@ss" }
	w, err := tds.New(s.Open)
	if err != nil {
		t.Fatal(err)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close(); w.Close() })
	go func() { _ = w.Serve(l) }()
	return s, w, l.Addr().String()
}

func opened(t *testing.T, addr, more string) *sql.DB {
	t.Helper()
	db, err := sql.Open("sqlserver", "sqlserver://sa:p%40ss@"+addr+"?database=port&"+more)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return db
}

func run(t *testing.T, db interface {
	ExecContext(context.Context, string, ...any) (sql.Result, error)
}, text string) {
	t.Helper()
	for _, b := range sqltext.Split(tsql.Dialect, text) {
		if _, err := db.ExecContext(t.Context(), b.Text); err != nil {
			t.Fatalf("%s: %v", b.Text, err)
		}
	}
}

// numbers are those of all errors of an answer.
func numbers(err error) string {
	var e mssql.Error
	if !errors.As(err, &e) {
		return fmt.Sprint(err)
	}
	var out []string
	for _, a := range e.All {
		out = append(out, fmt.Sprint(a.Number))
	}
	return strings.Join(out, " ")
}

// facts are the tables of what the server does, which do not come from the model.
const facts = "../../../facts/sqlserver/"

func fixture(t *testing.T, name string) string {
	t.Helper()
	folder := facts
	if name == "changes.sql" {
		folder = "testdata/"
	}
	b, err := os.ReadFile(folder + name)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

// factual is a database with the facts' structure: of the stand-in, or of a real server
// where SQLSERVER has its URL.
func factual(t *testing.T) *sql.DB {
	t.Helper()
	real := os.Getenv("SQLSERVER")
	if real == "" {
		_, _, addr := started(t)
		db := opened(t, addr, "encrypt=disable")
		run(t, db, fixture(t, "port.sql"))
		return db
	}
	name := fmt.Sprintf("dapper_mirror_facts_%d", time.Now().UnixNano())
	admin, err := sql.Open("sqlserver", real)
	if err != nil {
		t.Fatal(err)
	}
	run(t, admin, "CREATE DATABASE "+name)
	u, err := url.Parse(real)
	if err != nil {
		t.Fatal(err)
	}
	q := u.Query()
	q.Set("database", name)
	u.RawQuery = q.Encode()
	db, err := sql.Open("sqlserver", u.String())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		db.Close()
		_, _ = admin.ExecContext(context.Background(), "DROP DATABASE "+name)
		admin.Close()
	})
	run(t, db, fixture(t, "port.sql"))
	return db
}

// TestRefusals: every statement of the table is refused with the number that the
// server's documentation gives.
func TestRefusals(t *testing.T) {
	db := factual(t)
	for n, line := range strings.Split(strings.TrimSpace(fixture(t, "refusals.tsv")), "\n") {
		f := strings.Split(line, "\t")
		if n == 0 || len(f) < 3 {
			continue
		}
		_, err := db.ExecContext(t.Context(), strings.ReplaceAll(f[0], `\n`, "\n"))
		if got := numbers(err); got != f[1] {
			t.Errorf("%s: %s, want %s (%v)", f[0], got, f[1], err)
		}
	}
}

// TestChart: what the chart of conversions says of each pair of types, for CAST, for a
// column that is altered and for rows.
func TestChart(t *testing.T) {
	db := factual(t)
	var types []string
	for line := range strings.Lines(fixture(t, "chart/conversions.tsv")) {
		for _, n := range strings.FieldsFunc(line, func(r rune) bool { return r == '\t' || r == ',' || r == '\n' }) {
			if !slices.Contains([]string{"from", "to", "how", "never", "told", "timestamp", "rowversion", "sysname"}, n) && !slices.Contains(types, n) {
				types = append(types, n)
			}
		}
	}
	n := map[chart.Conversion]int{}
	for _, from := range types {
		for _, to := range types {
			if from == to {
				continue
			}
			run(t, db, "DROP TABLE IF EXISTS dbo.held; CREATE TABLE dbo.held (v "+from+" NULL)")
			_, cast := db.Exec("SELECT CONVERT(" + to + ", v) FROM dbo.held")
			_, alter := db.Exec("ALTER TABLE dbo.held ALTER COLUMN v " + to + " NULL")
			want := map[chart.Conversion][2]string{chart.ByItself: {"<nil>", "<nil>"}, chart.WhenTold: {"<nil>", "257"}, chart.Never: {"529", "206"}}[chart.Converts(from, to)]
			if got := [2]string{numbers(cast), numbers(alter)}; got != want {
				t.Errorf("%s to %s: %v, want %v", from, to, got, want)
			}
			n[chart.Converts(from, to)]++
		}
	}
	if n[chart.Never] < 200 || n[chart.WhenTold] < 50 || n[chart.ByItself] < 300 {
		t.Errorf("of how many pairs each is said: %v", n)
	}
}

// TestEncryption: the driver connects whichever way it is asked to.
func TestEncryption(t *testing.T) {
	_, w, addr := started(t)
	pem := t.TempDir() + "/c.pem"
	if err := os.WriteFile(pem, w.Certificate(), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		more string
		good bool
	}{
		{"encrypt=disable", true}, {"encrypt=false&trustservercertificate=true", true}, {"encrypt=true&trustservercertificate=true", true},
		{"encrypt=true&certificate=" + pem, true}, {"encrypt=strict&certificate=" + pem, true}, {"encrypt=true", false},
	} {
		var n int
		err := opened(t, addr, c.more).QueryRow("SELECT count_big(*) FROM sys.types WHERE is_user_defined = @p1", 0).Scan(&n)
		if (err == nil) != c.good || c.good && n != len(systemTypes) {
			t.Errorf("%s: %d types, %v", c.more, n, err)
		}
	}
	bad, _ := sql.Open("sqlserver", "sqlserver://sa:wrong@"+addr+"?database=port&encrypt=disable")
	defer bad.Close()
	if got := numbers(bad.Ping()); got != "18456" {
		t.Errorf("a wrong password: %s", got)
	}
	gone, _ := sql.Open("sqlserver", "sqlserver://sa:p%40ss@"+addr+"?database=nope&encrypt=disable")
	defer gone.Close()
	if got := numbers(gone.Ping()); !strings.HasPrefix(got, "4060") {
		t.Errorf("no such database: %s", got)
	}
}

// TestAnswers: each query of the file answers what stands behind it.
func TestAnswers(t *testing.T) {
	db := factual(t)
	for _, line := range strings.Split(strings.TrimSpace(fixture(t, "answers.tsv")), "\n") {
		query, want, _ := strings.Cut(line, "\t")
		if got := answer(t, db, query); got != want {
			t.Errorf("%s:\n got %s\nwant %s", query, got, want)
		}
	}
}

// answer is what a query answers: columns by commas, rows by semicolons.
func answer(t *testing.T, db *sql.DB, query string) string {
	rows, err := db.QueryContext(t.Context(), query)
	if err != nil {
		return numbers(err)
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
			return err.Error()
		}
		var texts []string
		for _, v := range vals {
			if b, ok := v.([]byte); ok {
				v = hexText(b)
			}
			texts = append(texts, fmt.Sprint(v))
		}
		out = append(out, strings.Join(texts, ","))
	}
	if err := rows.Err(); err != nil {
		return numbers(err)
	}
	return strings.Join(out, ";")
}

// TestTransactions: what is rolled back, by whatever means, never was; and others
// wait for what is not yet done.
func TestTransactions(t *testing.T) {
	_, _, addr := started(t)
	db := opened(t, addr, "encrypt=disable")
	run(t, db, fixture(t, "port.sql"))
	conn := func() *sql.Conn {
		c, err := opened(t, addr, "encrypt=disable").Conn(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { c.Close() })
		return c
	}
	before := answer(t, db, everything)
	for _, c := range []struct{ name, end, refused string }{
		{"rolled back", "ROLLBACK", ""},
		{"an error under XACT_ABORT", "ALTER TABLE dbo.berth DROP COLUMN depth", "5074 5074 5074 4922"},
	} {
		k := conn()
		run(t, k, "SET XACT_ABORT ON\nGO\nBEGIN TRANSACTION\nGO\n"+fixture(t, "changes.sql"))
		_, err := k.ExecContext(t.Context(), c.end)
		if c.refused != "" && numbers(err) != c.refused || c.refused == "" && err != nil {
			t.Errorf("%s: %v", c.name, err)
		}
		var depth int
		if err := k.QueryRowContext(t.Context(), "SELECT @@TRANCOUNT").Scan(&depth); err != nil || depth != 0 {
			t.Errorf("%s: depth %d, %v", c.name, depth, err)
		}
		if got := answer(t, db, everything); got != before {
			t.Errorf("%s: the database is not as it was:\n%s\n%s", c.name, got, before)
		}
	}
	left := conn()
	run(t, left, "BEGIN TRANSACTION\nGO\n"+fixture(t, "changes.sql"))
	_ = left.Raw(func(any) error { return nil })
	waiting := conn()
	_, err := waiting.ExecContext(t.Context(), "SET LOCK_TIMEOUT 50; SELECT count(*) FROM dbo.berth")
	if numbers(err) != "1222" {
		t.Errorf("a lock that does not come: %v", err)
	}
	ctx, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer cancel()
	if _, err := conn().ExecContext(ctx, "SELECT count(*) FROM dbo.berth"); err == nil {
		t.Error("what is cancelled answers")
	}
	run(t, left, "ROLLBACK")
	if got := answer(t, db, everything); got != before {
		t.Error("a client that rolled back leaves something")
	}
	// Two that wait for each other.
	a, b := conn(), conn()
	run(t, a, "BEGIN TRANSACTION; UPDATE dbo.berth SET zone = 'A1'")
	run(t, b, "BEGIN TRANSACTION; UPDATE dbo.booking SET fee = fee")
	done := make(chan error, 1)
	go func() {
		_, err := a.ExecContext(context.Background(), "UPDATE dbo.booking SET fee = fee")
		done <- err
	}()
	_, errB := b.ExecContext(t.Context(), "UPDATE dbo.berth SET zone = 'B1'")
	errA := <-done
	if got := numbers(errA) + numbers(errB); !strings.Contains(got, "1205") || (errA != nil) == (errB != nil) {
		t.Errorf("two that wait for each other: %v, %v", errA, errB)
	}
}

// everything is what is in the catalog, as one text.
const everything = `SELECT (SELECT string_agg(concat(name, type, parent_object_id, object_id), ',') FROM sys.objects) + (SELECT string_agg(concat(object_id, name, column_id, user_type_id, max_length, is_nullable, default_object_id), ',') FROM sys.columns)
+ (SELECT string_agg(concat(object_id, name, index_id, type, is_unique), ',') FROM sys.indexes) + (SELECT count(*) FROM sys.extended_properties) + (SELECT string_agg(concat(name, user_type_id), ',') FROM sys.types WHERE user_type_id > 256)
+ (SELECT string_agg(concat(id, name, depth, zone, note), ',') FROM dbo.berth)`
