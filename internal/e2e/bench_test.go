package e2e

import (
	"context"
	"database/sql"
	"fmt"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	_ "github.com/go-sql-driver/mysql"
	"github.com/jackc/pgx/v5"
	"golang.org/x/sync/errgroup"

	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/reader"
)

// The benchmarks print ratios of one run, which swing far less than times.
// text, json and script/dumps: each verb against dumping both structures with
// the engine's own program at once and diffing the text. text/floor: against
// the server answering the same queries with the rows thrown away. kB/table:
// peak memory.

// schemaOf is a structure of n tables as an application has them; on
// PostgreSQL with 13 columns, 4 indexes, 4 constraints and 5 defaults a table.
func schemaOf(engine string, n int) string {
	var b strings.Builder
	b.WriteString("BEGIN;\n")
	for i := range n {
		key, text, num := "INTEGER PRIMARY KEY", "TEXT", "REAL"
		if engine == "mysql" {
			key, text, num = "bigint PRIMARY KEY", "varchar(40)", "decimal(12,2)"
		}
		if engine == "postgres" {
			key, num = "bigint PRIMARY KEY", "numeric(12,2)"
		}
		unique, created := "", text
		if engine == "postgres" {
			unique, created = " UNIQUE", "timestamptz DEFAULT now(), flag boolean NOT NULL DEFAULT false"
		}
		fmt.Fprintf(&b, "CREATE TABLE t%05d (id %s, name %s NOT NULL DEFAULT 'x', code %s%s, amount %s DEFAULT 0 CHECK (amount >= 0), parent_id bigint REFERENCES t%05d (id), a1 %s, a2 %s, a3 integer NOT NULL DEFAULT 1, a4 %s, a5 %s, a6 integer, created %s);\n",
			i, key, text, text, unique, num, max(0, i-i%7-1), text, text, num, text, created)
		where := " WHERE amount > 5"
		if engine == "mysql" {
			where = ""
		}
		fmt.Fprintf(&b, "CREATE INDEX t%05d_name ON t%05d (name, code);\nCREATE INDEX t%05d_part ON t%05d (amount)%s;\n", i, i, i, i, where)
		if i%5 == 0 {
			if engine == "postgres" {
				fmt.Fprintf(&b, "CREATE FUNCTION f%05d (a integer) RETURNS bigint LANGUAGE plpgsql STABLE AS $$ BEGIN RETURN (SELECT count(*) FROM t%05d WHERE a3 = a); END $$;\n", i, i)
			}
			fmt.Fprintf(&b, "CREATE VIEW v%05d AS SELECT t.id, t.name, p.amount FROM t%05d t LEFT JOIN t%05d p ON p.id = t.parent_id WHERE t.a3 > 2;\n", i, i, max(0, i-i%7-1))
		}
	}
	b.WriteString("COMMIT;\n")
	return b.String()
}

// aged changes every hundredth table.
func aged(sql string) string {
	lines := strings.Split(sql, "\n")
	for i := range lines {
		if i%230 == 100 {
			lines[i] = strings.Replace(lines[i], "a1 TEXT", "a1 varchar", 1)
		}
	}
	return strings.Join(lines, "\n")
}

var created = regexp.MustCompile(`^CREATE (TABLE|INDEX|VIEW) (\w+)(?: ON (\w+))?`)

// bulk writes the statements into sqlite_schema: running ten thousand of them
// takes SQLite minutes. All tables share the pages of the first, which only
// matters to who reads rows.
func bulk(b *testing.B, dir, name, text string) {
	var out strings.Builder
	pages := map[string]int{}
	for _, st := range strings.Split(text, ";\n") {
		m := created.FindStringSubmatch(st)
		if m == nil {
			continue
		}
		if pages[m[1]] < 1 || m[1] == "INDEX" && pages[m[1]] < 2 { // the first of each is made
			pages[m[1]]++
			fmt.Fprintf(&out, "%s;\n", st)
			if pages["VIEW"] == 1 && m[1] == "VIEW" {
				out.WriteString("PRAGMA writable_schema=ON; BEGIN;\n")
			}
			continue
		}
		table, page := m[3], map[string]int{"TABLE": 2, "INDEX": 3, "VIEW": 0}[m[1]]
		if table == "" {
			table = m[2]
		}
		fmt.Fprintf(&out, "INSERT INTO sqlite_schema VALUES ('%s', '%s', '%s', %d, '%s');\n", strings.ToLower(m[1]), m[2], table, page, strings.ReplaceAll(st, "'", "''"))
	}
	lite(b, dir, name, out.String()+"COMMIT;")
}

// timed runs commands side by side and answers the wall time and the largest
// peak memory of one of them in kB.
func timed(b *testing.B, cmds ...*exec.Cmd) (time.Duration, int64) {
	b.Helper()
	start := time.Now()
	var wg sync.WaitGroup
	for _, c := range cmds {
		wg.Add(1)
		go func() {
			defer wg.Done()
			if err := c.Run(); err != nil && !slices.Contains([]int{1, 3}, c.ProcessState.ExitCode()) {
				b.Errorf("%v: %v", c.Args, err)
			}
		}()
	}
	wg.Wait()
	took := time.Since(start)
	var peak int64
	for _, c := range cmds {
		peak = max(peak, c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss)
	}
	return took, peak
}

// verbs are the ways the program is asked: every format of a comparison, and a
// script for the hundred or so tables that differ.
var verbs = []struct {
	name string
	args []string
}{{"text", []string{"compare"}}, {"json", []string{"compare", "--format", "json"}}, {"script", []string{"script", "--may-lose", "*"}}}

// ratio runs the program's verbs and the dumps in turn and reports the ratios
// of the medians. floor, where there is one, runs the server's part of a
// comparison alone.
func ratio(b *testing.B, tables int, source, target string, dumps func() []*exec.Cmd, diff func() *exec.Cmd, floor func()) {
	mine := make([][]time.Duration, len(verbs))
	peaks := make([]int64, len(verbs))
	var theirs, server []time.Duration
	for b.Loop() {
		for i, v := range verbs {
			t, p := timed(b, exec.Command(program, append(slices.Clone(v.args), "-q", source, target)...))
			mine[i], peaks[i] = append(mine[i], t), max(peaks[i], p)
		}
		t, _ := timed(b, dumps()...)
		d, _ := timed(b, diff())
		theirs = append(theirs, t+d)
		if floor != nil {
			start := time.Now()
			floor()
			server = append(server, time.Since(start))
		}
	}
	median := func(list []time.Duration) float64 {
		slices.Sort(list)
		return float64(list[len(list)/2])
	}
	for i, v := range verbs {
		b.ReportMetric(median(mine[i])/median(theirs), v.name+"/dumps")
		b.ReportMetric(float64(peaks[i])/float64(tables), v.name+"-kB/table")
	}
	if floor != nil {
		b.ReportMetric(median(mine[0])/median(server), "text/floor")
	}
	b.ReportMetric(0, "ns/op")
}

func BenchmarkSQLiteCompare(b *testing.B) {
	for _, n := range []int{1000, 10000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			dir := b.TempDir()
			sql := schemaOf("sqlite", n)
			bulk(b, dir, "a.db", sql)
			bulk(b, dir, "b.db", aged(sql))
			out := func(f string) string { return filepath.Join(dir, f+".sql") }
			ratio(b, n, filepath.Join(dir, "a.db"), filepath.Join(dir, "b.db"),
				func() []*exec.Cmd {
					var l []*exec.Cmd
					for _, f := range []string{"a", "b"} {
						l = append(l, exec.Command("sh", "-c", fmt.Sprintf("sqlite3 %s .schema > %s", filepath.Join(dir, f+".db"), out(f))))
					}
					return l
				},
				func() *exec.Cmd {
					return exec.Command("sh", "-c", fmt.Sprintf("diff %s %s > %s", out("a"), out("b"), out("diff")))
				}, nil)
		})
	}
}

// fleets times the comparison of many targets against no more than reading each of
// them, as many at once, with what opens and reads one.
func fleets(b *testing.B, source string, targets []string) {
	list := write(b, b.TempDir(), "targets.txt", strings.Join(targets, "\n")+"\n")
	eng := engine.ForScheme(strings.Split(targets[0], ":")[0])
	var mine, bare []float64
	var kB int64
	for b.Loop() {
		start := time.Now()
		var g errgroup.Group
		g.SetLimit(4)
		for _, t := range targets {
			g.Go(func() error {
				db, err := eng.Open(b.Context(), strings.TrimPrefix(t, "sqlite:"), engine.OpenOptions{LockWait: 5 * time.Second})
				if err != nil {
					return err
				}
				defer db.Close()
				_, err = db.Read(b.Context())
				return err
			})
		}
		if err := g.Wait(); err != nil {
			b.Fatal(err)
		}
		bare = append(bare, time.Since(start).Seconds())
		cmd := exec.Command(program, "compare", source, "--targets", list, "-q")
		start = time.Now()
		if out, err := cmd.Output(); cmd.ProcessState.ExitCode() != 1 {
			b.Fatalf("%v %s", err, out)
		}
		mine = append(mine, time.Since(start).Seconds())
		kB = cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss
	}
	slices.Sort(mine)
	slices.Sort(bare)
	b.ReportMetric(mine[len(mine)/2]/bare[len(bare)/2], "compare/reading")
	b.ReportMetric(mine[len(mine)/2]/float64(len(targets))*1000, "ms/target")
	b.ReportMetric(float64(kB)/1024, "MB")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkFleet compares a source with a thousand files, and with ten thousand, whose
// memory is to be the same, and with a hundred databases of a server.
func BenchmarkFleet(b *testing.B) {
	for _, n := range []int{1000, 10000} {
		b.Run(fmt.Sprintf("sqlite/%d", n), func(b *testing.B) {
			dir := fleet(b, n)
			var targets []string
			for i := range n {
				targets = append(targets, "sqlite:"+filepath.Join(dir, "fleet", fmt.Sprintf("%04d.db", i)))
			}
			fleets(b, filepath.Join(dir, "dev.db"), targets)
		})
	}
	b.Run("postgres/100", func(b *testing.B) {
		s := postgres(b)
		dev, _ := harbours(b, "postgres")
		kinds := drifts(b, "postgres")
		source := s.database(b, dev)
		var targets []string
		for i := range 100 {
			targets = append(targets, s.url(s.database(b, dev+"\n"+kinds[i%len(kinds)])))
		}
		fleets(b, s.url(source), targets)
	})
}

// BenchmarkSQLiteRebuild compares a rebuild of a table with a million rows
// with the bare INSERT … SELECT and the index it needs anyway.
func BenchmarkSQLiteRebuild(b *testing.B) {
	dir := b.TempDir()
	rows := "WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 1000000) INSERT INTO t SELECT i, 'name ' || i, i * 1.5 FROM n;"
	seed := lite(b, dir, "seed.db", "CREATE TABLE t (id INTEGER PRIMARY KEY, name TEXT, amount REAL); CREATE INDEX t_name ON t (name);"+rows)
	lite(b, dir, "dev.db", "CREATE TABLE t (id INTEGER PRIMARY KEY, name TEXT NOT NULL, amount REAL); CREATE INDEX t_name ON t (name);")
	want(b, 0, dir, "script", "dev.db", "seed.db", "-o", "up.sql")
	bare := write(b, dir, "bare.sql", "BEGIN; CREATE TABLE u (id INTEGER PRIMARY KEY, name TEXT NOT NULL, amount REAL); INSERT INTO u SELECT * FROM t; CREATE INDEX u_name ON u (name); COMMIT;")
	var ours, plain []time.Duration
	live := filepath.Join(dir, "live.db")
	for b.Loop() {
		for _, c := range []struct {
			script string
			into   *[]time.Duration
		}{{filepath.Join(dir, "up.sql"), &ours}, {bare, &plain}} {
			command(b, "", "cp", seed, live)
			t, _ := timed(b, exec.Command("sh", "-c", fmt.Sprintf("sqlite3 -bail %s < %s", live, c.script)))
			*c.into = append(*c.into, t)
		}
	}
	slices.Sort(ours)
	slices.Sort(plain)
	b.ReportMetric(float64(ours[len(ours)/2])/float64(plain[len(plain)/2]), "rebuild/bare")
	b.ReportMetric(0, "ns/op")
}

// floor sends the queries of a comparison and throws the rows away.
func floor(b *testing.B, url string) {
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		b.Error(err)
		return
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, "BEGIN READ ONLY; SET LOCAL search_path = ''; SET LOCAL jit = off"); err != nil {
		b.Error(err)
	}
	if err := reader.Floor(ctx, conn, 150000); err != nil {
		b.Error(err)
	}
}

func BenchmarkPostgresCompare(b *testing.B) {
	s := postgres(b)
	for _, n := range []int{1000, 10000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			sql := schemaOf("postgres", n)
			// A transaction of that many tables would need more locks than there are.
			sql = strings.NewReplacer("BEGIN;\n", "SET synchronous_commit = off;\n", "COMMIT;\n", "").Replace(sql)
			x, y := s.database(b, sql), s.database(b, aged(sql))
			dir := b.TempDir()
			dump := func(db string) string {
				return fmt.Sprintf("%s -h %s -U postgres --schema-only -d %s > %s/%s.sql", filepath.Join(s.clients, "pg_dump"), s.dir, db, dir, db)
			}
			ratio(b, n, s.url(x), s.url(y),
				func() []*exec.Cmd {
					return []*exec.Cmd{exec.Command("sh", "-c", dump(x)), exec.Command("sh", "-c", dump(y))}
				},
				func() *exec.Cmd {
					return exec.Command("sh", "-c", fmt.Sprintf("diff %s/%s.sql %s/%s.sql > %s/diff", dir, x, dir, y, dir))
				},
				func() {
					var wg sync.WaitGroup
					for _, db := range []string{x, y} {
						wg.Go(func() { floor(b, s.url(db)) })
					}
					wg.Wait()
				})
		})
	}
}

func BenchmarkMariaDBCompare(b *testing.B) {
	s := mariadb(b)
	p := mariaPlaces{s}
	for _, n := range []int{1000, 10000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			text := schemaOf("mysql", n)
			x, y := p.make(b, text), p.make(b, text)
			for i := range max(1, n/100) {
				command(b, fmt.Sprintf("ALTER TABLE t%05d MODIFY a1 varchar(50)", i*100), "mariadb", s.args(p.name(y))...)
			}
			dir := b.TempDir()
			names := make([]string, n)
			for i := range names {
				names[i] = fmt.Sprintf("t%05d", i)
			}
			ratio(b, n, x, y,
				func() []*exec.Cmd {
					var l []*exec.Cmd
					for _, place := range []string{x, y} {
						l = append(l, exec.Command("sh", "-c", fmt.Sprintf("mariadb-dump --no-defaults --socket=%s --user=root --no-data --single-transaction %s > %s/%s.sql", s.socket(), p.name(place), dir, p.name(place))))
					}
					return l
				},
				func() *exec.Cmd {
					return exec.Command("sh", "-c", fmt.Sprintf("diff %s/%s.sql %s/%s.sql > %s/diff", dir, p.name(x), dir, p.name(y), dir))
				},
				func() {
					var wg sync.WaitGroup
					for _, place := range []string{x, y} {
						wg.Go(func() { mariaFloor(b, s, p.name(place), names) })
					}
					wg.Wait()
				})
		})
	}
}

// mariaFloor asks the server for the definitions of the tables, as many to a
// round trip as a comparison does, and throws them away.
func mariaFloor(b *testing.B, s *mariaServer, name string, tables []string) {
	db, err := sql.Open("mysql", "root@unix("+s.socket()+")/"+name+"?multiStatements=true")
	if err != nil {
		b.Error(err)
		return
	}
	defer db.Close()
	for part := range slices.Chunk(tables, 50) {
		rows, err := db.Query("SHOW CREATE TABLE " + strings.Join(part, "; SHOW CREATE TABLE "))
		if err != nil {
			b.Error(err)
			return
		}
		for more := true; more; more = rows.NextResultSet() {
			for rows.Next() {
			}
		}
		rows.Close()
	}
}
