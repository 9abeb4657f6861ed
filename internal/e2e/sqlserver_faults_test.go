package e2e

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"
	"unicode/utf16"
)

const msHarbour = `CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(20) NOT NULL, note nvarchar(99) NULL);
CREATE TABLE dbo.call (id int IDENTITY NOT NULL PRIMARY KEY, berth_id int NOT NULL CONSTRAINT FK_call REFERENCES dbo.berth (id), fee money NULL);
INSERT INTO dbo.berth VALUES (1, N'Ostkai', NULL), (2, N'Südkai', N'deep');
INSERT INTO dbo.call (berth_id, fee) VALUES (1, 10), (1, 20), (2, NULL);
CREATE TABLE dbo.tariff (id int NOT NULL PRIMARY KEY, fee money NOT NULL,
  since datetime2 GENERATED ALWAYS AS ROW START HIDDEN NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END HIDDEN NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.tariff_was));
INSERT INTO dbo.tariff (id, fee) VALUES (1, 10), (2, 20);
GO
UPDATE dbo.tariff SET fee = 12 WHERE id = 1;
GO
CREATE VIEW dbo.fees AS SELECT berth_id, SUM(fee) AS fees FROM dbo.call GROUP BY berth_id;
GO
CREATE FUNCTION dbo.ours (@berth int) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @berth > 0;
GO
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.ours(berth_id) ON dbo.call;
`

const msNext = `CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(60) NOT NULL, depth decimal(5,2) NOT NULL DEFAULT 4);
CREATE TABLE dbo.call (id bigint IDENTITY NOT NULL PRIMARY KEY, berth_id int NOT NULL CONSTRAINT FK_call REFERENCES dbo.berth (id) ON DELETE CASCADE, fee decimal(19,4) NULL);
CREATE INDEX IX_call ON dbo.call (berth_id);
CREATE TABLE dbo.tariff (id int NOT NULL PRIMARY KEY, fee money NOT NULL, currency char(3) NOT NULL DEFAULT 'XTS',
  since datetime2 GENERATED ALWAYS AS ROW START HIDDEN NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END HIDDEN NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.tariff_was, HISTORY_RETENTION_PERIOD = 2 YEARS));
GO
CREATE VIEW dbo.fees AS SELECT berth_id, SUM(fee) AS fees, COUNT(*) AS n FROM dbo.call GROUP BY berth_id;
GO
CREATE FUNCTION dbo.ours (@berth int) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @berth > 0 AND @berth < 100;
GO
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.ours(berth_id) ON dbo.call;
`

// msRows are all rows of the tables, and of what one of them was.
const msRows = "SELECT c.id, c.fee, b.id, b.name, (SELECT STRING_AGG(CONVERT(nvarchar(20), CONVERT(decimal(9,2), t.fee)), ' ') FROM dbo.tariff AS t) + (SELECT STRING_AGG(CONVERT(nvarchar(20), CONVERT(decimal(9,2), w.fee)), ' ') FROM dbo.tariff_was AS w) AS fees FROM dbo.call c JOIN dbo.berth b ON b.id = c.berth_id ORDER BY c.id"

// proxy stands between the program and the server, and cuts the connection when it has
// let through so many bytes to the server.
func proxy(t *testing.T, to string, after int64) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	var passed atomic.Int64
	go func() {
		for {
			client, err := l.Accept()
			if err != nil {
				return
			}
			server, err := net.Dial("tcp", to)
			if err != nil {
				client.Close()
				return
			}
			go func() {
				_, _ = io.Copy(client, server)
				client.Close()
			}()
			go func() {
				defer client.Close()
				defer server.Close()
				buf := make([]byte, 512)
				for {
					n, err := client.Read(buf)
					if passed.Add(int64(n)) > after && after > 0 {
						return
					}
					if _, e := server.Write(buf[:n]); e != nil || err != nil {
						return
					}
				}
			}()
		}
	}()
	return l.Addr().String()
}

// TestCutSQLServer: wherever the connection is cut, or the program killed, the target is
// as it was or as the script leaves it, and what the program says of it is true.
func TestCutSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	dir := t.TempDir()
	put(t, filepath.Join(dir, "dev.sql"), msNext)
	first := p.make(t, msHarbour)
	want(t, 0, dir, "script", "dev.sql", first, "--may-lose", "column:berth.note", "-o", "up.sql")
	was, rows := p.dump(t, first), p.ask(t, first, msRows)
	fresh := p.dump(t, p.make(t, msNext))
	ended := map[string]int{}
	judge := func(how, live string, code int, said string) {
		t.Helper()
		now := p.dump(t, live)
		state := "between"
		switch {
		case firstDifference(was, now) == "":
			state = "as it was"
		case firstDifference(fresh, now) == "":
			state = "done"
		}
		ended[state]++
		if state == "between" {
			t.Errorf("%s: the target is between: %s", how, firstDifference(was, now))
		}
		if got := p.ask(t, live, msRows); !sameRows(got, rows) {
			t.Errorf("%s: the rows are %s, were %s", how, got, rows)
		}
		if code == 0 && state != "done" || code == 2 && state == "done" && !strings.Contains(said, "not known") {
			t.Errorf("%s: exit %d and the target is %s:\n%s", how, code, state, said)
		}
	}
	for after := int64(9000); after < 400000; after += 23000 {
		live := p.make(t, msHarbour)
		through := strings.Replace(live, p.address, proxy(t, p.address, after), 1)
		r := run(t, dir, "apply", "up.sql", through, "--yes")
		settled(t, p, p.name(live))
		judge(fmt.Sprintf("cut after %d bytes", after), live, r.code, r.errout)
	}
	for n := 3; n < 60; n += 4 {
		live := p.make(t, msHarbour)
		_, killed := killedAt(t, dir, n, "apply", "up.sql", live, "--yes", "-v")
		settled(t, p, p.name(live))
		code := 0
		if killed {
			code = -1
		}
		judge(fmt.Sprintf("killed at line %d", n), live, code, "")
	}
	if ended["as it was"] == 0 || ended["done"] == 0 {
		t.Errorf("all ended alike, so nothing was tried: %v", ended)
	}
}

// sameRows tells whether rows are the same but for how a number is written.
func sameRows(a, b string) bool {
	return strings.ReplaceAll(a, ".0000", "") == strings.ReplaceAll(b, ".0000", "")
}

// settled waits until the server has noticed that a client is gone.
func settled(t *testing.T, p msPlaces, name string) {
	t.Helper()
	for range 100 {
		if strings.Join(p.lines(t, name, "SELECT count(*) FROM sys.dm_tran_locks WHERE request_mode = 'Sch-M' AND resource_database_id = DB_ID()"), "") == "0" {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	t.Fatal("a client that is gone holds locks")
}

// TestGuardsSQLServer: rows that come after the script was written stop it, a lock that
// somebody holds is named, a target that moved is refused, and two runs are not at it at
// once.
func TestGuardsSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	dir := t.TempDir()
	put(t, filepath.Join(dir, "dev.sql"), "CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int NOT NULL CONSTRAINT CK_zone CHECK (zone > 0));\nCREATE UNIQUE INDEX UX ON dbo.berth (zone);\n")
	const live = "CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int NULL, gone int NULL);\nINSERT INTO dbo.berth VALUES (1, 5, NULL);\n"
	for _, c := range []struct{ name, after, says string }{
		{"a value in a column that goes", "UPDATE dbo.berth SET gone = 1", "column gone of table berth holds values by now"},
		{"a NULL", "INSERT INTO dbo.berth VALUES (2, NULL, NULL)", "column zone of table berth holds NULL by now"},
		{"a row that breaks the check", "INSERT INTO dbo.berth VALUES (2, -1, NULL)", "break a check by now"},
		{"two rows of one key", "INSERT INTO dbo.berth VALUES (2, 5, NULL)", "share a key by now"},
		{"a structure that moved", "ALTER TABLE dbo.berth ADD more int", "has changed"},
		{"nothing", "SELECT 1", ""},
	} {
		place := p.make(t, live)
		want(t, 0, dir, "script", "dev.sql", place, "-o", "up.sql", "--force")
		p.fill(t, p.name(place), c.after)
		was := p.dump(t, place)
		r := run(t, dir, "apply", "up.sql", place, "--yes")
		if c.says == "" {
			if r.code != 0 {
				t.Errorf("%s: exit %d %s", c.name, r.code, r.errout)
			}
			continue
		}
		if r.code == 0 || !strings.Contains(r.errout, c.says) {
			t.Errorf("%s: exit %d\n%s", c.name, r.code, r.errout)
		}
		if d := firstDifference(was, p.dump(t, place)); d != "" {
			t.Errorf("%s: the target changed: %s", c.name, d)
		}
	}
	place := p.make(t, live)
	want(t, 0, dir, "script", "dev.sql", place, "-o", "up.sql", "--force")
	conn, err := p.db(p.name(place)).Conn(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	if _, err := conn.ExecContext(t.Context(), "BEGIN TRANSACTION; UPDATE dbo.berth SET zone = 6"); err != nil {
		t.Fatal(err)
	}
	r := run(t, dir, "apply", "up.sql", place, "--yes", "--lock-timeout", "200ms")
	if r.code == 0 || !strings.Contains(r.errout, "holds X on berth") {
		t.Errorf("a lock in the way: exit %d\n%s", r.code, r.errout)
	}
	if _, err := conn.ExecContext(t.Context(), "ROLLBACK; DECLARE @got int; EXEC @got = sp_getapplock @Resource = N'dapper-mirror', @LockMode = N'Exclusive', @LockOwner = N'Session', @LockTimeout = 0"); err != nil {
		t.Fatal(err)
	}
	if r := run(t, dir, "apply", "up.sql", place, "--yes"); r.code == 0 || !strings.Contains(r.errout, "another run") {
		t.Errorf("two runs at once: exit %d\n%s", r.code, r.errout)
	}
}

// TestGoesOnSQLServer: a client that goes on after an error, whatever the error, changes
// nothing.
func TestGoesOnSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	dir := t.TempDir()
	put(t, filepath.Join(dir, "dev.sql"), msNext)
	model := p.make(t, msHarbour)
	want(t, 0, dir, "script", "dev.sql", model, "--may-lose", "column:berth.note", "-o", "up.sql")
	good := read(t, filepath.Join(dir, "up.sql"))
	marks := strings.Split(good, "\nGO\n")
	for _, bad := range []string{"SELECT 1 / 0;", "SELEC 1;", "SELECT nope FROM dbo.berth;", "THROW 50001, N'no', 1;", "ALTER TABLE dbo.berth DROP COLUMN id;", "ROLLBACK TRANSACTION;"} {
		for i := 3; i < len(marks)-4; i += 5 {
			if strings.Contains(marks[i-1], "IF XACT_STATE") { // between the guard and what it guards
				continue
			}
			edited := append(append(append([]string{}, marks[:i]...), bad), marks[i:]...)
			file := filepath.Join(dir, "edited.sql")
			put(t, file, strings.Join(edited, "\nGO\n"))
			live := p.make(t, msHarbour)
			was, rows := p.dump(t, live), p.ask(t, live, msRows)
			out, _ := p.client(live, file)
			settled(t, p, p.name(live))
			if d := firstDifference(was, p.dump(t, live)); d != "" {
				t.Fatalf("%s as batch %d: the target changed: %s\n%s\n%s", bad, i, d, out, strings.Join(edited, "\nGO\n"))
			}
			if now := p.ask(t, live, msRows); now != rows {
				t.Fatalf("%s as batch %d: the rows changed: %s", bad, i, now)
			}
		}
	}
}

// TestStandInSQLServer: the stand-in serves what its folder holds, to who knows the
// password and with a certificate that is verified, and what it cannot serve it says.
func TestStandInSQLServer(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	put(t, filepath.Join(folder, "live.sql"), msHarbour)
	put(t, filepath.Join(folder, "dev.sql"), msNext)
	p := standIn(t, folder)
	dir := t.TempDir()
	put(t, filepath.Join(dir, "dapper-mirror.yaml"), fmt.Sprintf("places:\n  live:\n    at: sqlserver://sa@%s/live?certificate=%s\n    password: {file: password}\n", p.address, url.QueryEscape(p.certificate)))
	put(t, filepath.Join(dir, "password"), p.password+"\n")
	r := want(t, 0, dir, "places", "live", "--try")
	for _, says := range []string{"checked against a model of the server, not yet against a real one", "4 tables", "encrypted"} {
		if !strings.Contains(unfolded(r.out), says) {
			t.Errorf("places --try does not say %q:\n%s", says, r.out)
		}
	}
	for _, c := range []struct{ name, at, says string }{
		{"a wrong password", strings.Replace(p.place("live"), p.password, "wrong", 1), "refused the user or password"},
		{"no such database", p.place("nowhere"), "no such database"},
		{"no database named", "sqlserver://sa@" + p.address, "names no database"},
		{"a certificate that is not verified", strings.Split(p.place("live"), "?")[0], "certificate"},
		{"nobody there", "sqlserver://sa@127.0.0.1:1/live", "no connection"},
	} {
		if r := run(t, dir, "compare", filepath.Join(folder, "dev.sql"), c.at); r.code != 2 || !strings.Contains(r.errout, c.says) || strings.Contains(r.errout, p.password) {
			t.Errorf("%s: exit %d %s", c.name, r.code, r.errout)
		}
	}
	rows := want(t, 0, dir, "rows", "live", "berth")
	if !strings.Contains(rows.out, "Südkai") {
		t.Errorf("rows:\n%s", rows.out)
	}
	if r := want(t, 0, dir, "rows", "live", "fees"); !strings.Contains(r.out, "30") {
		t.Errorf("rows of a view:\n%s", r.out)
	}
	if r := want(t, 0, dir, "impact", "live", "berth"); !strings.Contains(r.out, "fk_call") {
		t.Errorf("impact:\n%s", r.out)
	}
	want(t, 0, dir, "document", "live", "-o", "pages")
	want(t, 0, dir, "rehearse", filepath.Join(folder, "dev.sql"), "live", "--may-lose", "*", "--copy-rows", "10")
	want(t, 0, dir, "rehearse", filepath.Join(folder, "dev.sql"), "live", "--may-lose", "*", "--scratch", "model")
	if r := run(t, dir, "rehearse", filepath.Join(folder, "dev.sql"), "live", "--may-lose", "*", "--scratch", "local"); r.code != 2 || !strings.Contains(r.errout, "--scratch model") {
		t.Errorf("a server that cannot be started: exit %d %s", r.code, r.errout)
	}
	want(t, 0, dir, "sync", filepath.Join(folder, "dev.sql"), "live", "--yes", "--may-lose", "column:berth.note", "--save-rows", "saved")
	want(t, 0, dir, "compare", filepath.Join(folder, "dev.sql"), "live")
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"standin", "postgres"}, "there is one for sqlserver"}, {[]string{"standin", "nothing"}, "there is one for sqlserver"}, {[]string{"standin", "sqlserver", filepath.Join(dir, "nowhere")}, "no folder"},
		{[]string{"standin", "sqlserver", "--listen", "127.0.0.1:none"}, "listening"},
	} {
		if r := run(t, dir, c.args...); r.code != 2 || !strings.Contains(r.errout, c.says) || r.out != "" {
			t.Errorf("%v: exit %d %s%s", c.args, r.code, r.out, r.errout)
		}
	}
	// What is called so is somebody's: it is neither overwritten nor taken away.
	mine := t.TempDir()
	put(t, filepath.Join(mine, "password"), "mine\n")
	if r := run(t, dir, "standin", "sqlserver", "--keys", mine); r.code != 2 || !strings.Contains(r.errout, "password is there already") || read(t, filepath.Join(mine, "password")) != "mine\n" {
		t.Errorf("a file in the way: exit %d %s", r.code, r.errout)
	}
	twice := t.TempDir()
	put(t, filepath.Join(twice, "port.sql"), "")
	put(t, filepath.Join(twice, "PORT.sql"), "")
	if r := run(t, dir, "standin", "sqlserver", twice); r.code != 2 || !strings.Contains(r.errout, "two files") {
		t.Errorf("two of one name: exit %d %s", r.code, r.errout)
	}
	for dialect, says := range map[string]string{"postgres": "no model of PostgreSQL", "mysql": "no model of MariaDB"} {
		put(t, filepath.Join(dir, "x.sql"), "CREATE TABLE a (id int);\n")
		if r := run(t, dir, "capture", "x.sql", "--dialect", dialect, "--scratch", "model"); r.code != 2 || !strings.Contains(r.errout, says) {
			t.Errorf("a model of %s: exit %d %s", dialect, r.code, r.errout)
		}
	}
	// The editors of this server write UTF-16.
	wide := t.TempDir()
	put(t, filepath.Join(wide, "wide.sql"), "\xff\xfe"+string(bytesOf(utf16.Encode([]rune("CREATE TABLE dbo.berth (id int, name nvarchar(9));\r\nGO\r\nINSERT INTO dbo.berth VALUES (1, N'Südkai');\r\n")))))
	if w := standIn(t, wide); w.ask(t, w.place("wide"), "SELECT name FROM dbo.berth") != "Südkai" {
		t.Error("a file in UTF-16 is not read")
	}
	broken := t.TempDir()
	put(t, filepath.Join(broken, "a.sql"), "CREATE TABLE dbo.berth (id int);\n\nCREATE TABLE dbo.call (id nothing);\n")
	if r := run(t, dir, "standin", "sqlserver", broken); r.code != 2 || !strings.Contains(r.errout, "a.sql:3:1") {
		t.Errorf("a file that is wrong: exit %d %s", r.code, r.errout)
	}
}

func bytesOf(units []uint16) []byte {
	var out []byte
	for _, u := range units {
		out = append(out, byte(u), byte(u>>8))
	}
	return out
}

// TestStandInEnds: the stand-in ends when it is told to, and leaves no password behind.
func TestStandInEnds(t *testing.T) {
	t.Parallel()
	keys := filepath.Join(t.TempDir(), "keys")
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	p, done := background(t, ctx, "standin", "sqlserver", "--keys", keys)
	for range 200 {
		if _, err := os.Stat(filepath.Join(keys, "certificate.pem")); err == nil {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	if err := p.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	select {
	case <-done:
	case <-ctx.Done():
		t.Fatal("it does not end")
	}
	if left, _ := filepath.Glob(filepath.Join(keys, "*")); len(left) != 0 {
		t.Errorf("left behind: %v", left)
	}
}

// TestDemoSQLServer: the whole day runs on the stand-in, and shows no password.
func TestDemoSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	dir := t.TempDir()
	r := want(t, 0, dir, "demo", "quillhaven", "--server", p.place("port"), "--create")
	if strings.Contains(r.out, p.password) || !strings.Contains(r.out, "That was the day") || strings.Contains(read(t, filepath.Join(dir, "quillhaven/up.sql")), p.password) {
		t.Errorf("the demo shows a password, or did not end:\n%s", r.out)
	}
	if r := run(t, dir, "demo", "again", "--server", p.place("port"), "--create"); r.code != 2 || !strings.Contains(r.errout, "already exists") {
		t.Errorf("a second time: exit %d %s", r.code, r.errout)
	}
}
