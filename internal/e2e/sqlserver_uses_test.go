package e2e

import (
	"fmt"
	"maps"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/engine"
)

// TestRenamesSQLServer, like those of the other engines: a rename keeps the rows, and
// what refers to the name follows.
func TestRenamesSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	for _, c := range readPairs(t, filepath.Join("testdata", "renames", "sqlserver.sql")) {
		t.Run(c.name, func(t *testing.T) { renamed(t, c, p) })
	}
}

func TestTolerancesSQLServer(t *testing.T) {
	t.Parallel()
	p, covered := standIn(t), map[string]bool{}
	for _, c := range readPairs(t, filepath.Join("testdata", "tolerances", "sqlserver.sql")) {
		covered[c.name] = true
		t.Run(c.name, func(t *testing.T) { tolerance(t, c, p) })
	}
	eng, err := engine.Named("sqlserver")
	if err != nil {
		t.Fatal(err)
	}
	for _, cover := range eng.Kinds().Tolerable() {
		// letters of names in texts say something only where the database minds them
		if !covered[cover.Tolerance] && cover.Tolerance != "letter-case" {
			t.Errorf("no case tries %s", cover.Tolerance)
		}
	}
}

func TestRowChecksSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	for _, c := range readPairs(t, filepath.Join("testdata", "rows", "sqlserver.sql")) {
		t.Run(c.name, func(t *testing.T) { rowCheck(t, c, p) })
	}
}

func TestHostileNamesSQLServer(t *testing.T) {
	t.Parallel()
	hostileNames(t, "sqlserver", standIn(t))
}

// TestFoldersSQLServer: a folder says what the database said that it was captured from;
// brought in line it says what the other one does, and so does a text as people write
// them, whose other bytes stay.
func TestFoldersSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	for _, c := range msCases(t) {
		t.Run(c.name, func(t *testing.T) {
			dir := t.TempDir()
			was, now := p.make(t, c.was), p.make(t, c.now)
			all := []string{"--include", "owners,grants"}
			want(t, 0, dir, "capture", was, "--as", "folder", "-o", "db")
			want(t, 0, dir, append(all, "compare", "db", was, "--scratch", "model")...)
			want(t, 0, dir, append(all, "sync", now, "db", "--yes", "--may-lose", "*")...)
			want(t, 0, dir, append(all, "compare", "db", now)...)
			text := ""
			mine := files(t, filepath.Join(dir, "db"))
			for _, name := range slices.Sorted(maps.Keys(mine)) {
				if strings.HasSuffix(name, ".sql") {
					text += mine[name] + "\n"
				}
			}
			put(t, filepath.Join(dir, "all.sql"), text) // in no order at all
			want(t, 0, dir, append(all, "compare", "all.sql", now)...)

			const first, last = "-- Ask Mara before you change this.\r\nGO\r\n", "GO\r\n-- The end.\r\n"
			put(t, filepath.Join(dir, "one.sql"), first+strings.ReplaceAll(c.was, "\n", "\r\n")+"\r\n"+last)
			r := run(t, dir, append(all, "sync", now, "one.sql", "--yes", "--may-lose", "*", "--dialect", "sqlserver")...)
			if r.code == 3 && strings.Contains(r.errout, "cannot be written anew") {
				t.Logf("a text is refused: %s", r.errout)
				return
			}
			if text := read(t, filepath.Join(dir, "one.sql")); r.code != 0 || !strings.HasPrefix(text, first) || !strings.Contains(text, last) {
				t.Errorf("a text: exit %d %s\n%s", r.code, r.errout, text)
			}
			want(t, 0, dir, append(all, "compare", "one.sql", now, "--dialect", "sqlserver")...)
		})
	}
}

// TestFoldersOfOthersSQLServer: what stands in a file besides its object is not lost, and
// a batch that hangs together is not taken apart.
func TestFoldersOfOthersSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	live, dev := p.make(t, msHarbour+"GO\nCREATE TABLE dbo.tide (id int);\n"), p.make(t, msNext+"GO\nCREATE TABLE dbo.log (id int);\nCREATE TABLE dbo.tide (id int);\n")
	for _, c := range []struct {
		name string
		edit func(dir string)
		file string
		has  []string // what stands in the file afterwards, one behind the other
		says string   // why it is refused
	}{
		{"comments", func(dir string) {
			file := filepath.Join(dir, "dbo", "berth.table.sql")
			put(t, file, "-- Ask Mara before you change this.\n"+read(t, file)+"-- The end.\n")
		}, "dbo/berth.table.sql", []string{"-- Ask Mara before you change this.\nCREATE TABLE [dbo].[berth]", "GO\n-- The end.\n"}, ""},
		{"another layout", func(dir string) {
			text := "-- All of it.\n"
			for _, name := range []string{"berth.table.sql", "call.table.sql", "tide.table.sql", "fees.view.sql"} {
				text += read(t, filepath.Join(dir, "dbo", name)) + "-- behind " + name + "\n"
			}
			if err := os.RemoveAll(filepath.Join(dir, "dbo")); err != nil {
				t.Fatal(err)
			}
			put(t, filepath.Join(dir, "all.sql"), text)
		}, "all.sql", []string{"-- All of it.\n", "[berth]", "-- behind berth.table.sql", "[call]", "-- behind call.table.sql", "[tide]", "-- behind tide.table.sql", "VIEW", "-- behind fees.view.sql"}, ""},
		{"somebody's notes where a table comes", func(dir string) {
			put(t, filepath.Join(dir, "dbo", "log.table.sql"), "-- nothing yet\n")
		}, "dbo/log.table.sql", []string{"-- nothing yet\n", "CREATE TABLE [dbo].[log]"}, ""},
		{"a batch that hangs together", func(dir string) {
			file := filepath.Join(dir, "dbo", "berth.table.sql")
			put(t, file, "DECLARE @n int = 1;\n"+strings.Replace(read(t, file), ";\nGO", ";\nSET @n = 2;\nGO", 1))
		}, "", nil, "cannot be written anew"},
	} {
		t.Run(c.name, func(t *testing.T) {
			dir := t.TempDir()
			want(t, 0, dir, "capture", live, "--as", "folder", "-o", "db")
			c.edit(filepath.Join(dir, "db"))
			before := files(t, filepath.Join(dir, "db"))
			r := run(t, dir, "sync", dev, "db", "--yes", "--may-lose", "*")
			if c.says != "" {
				if r.code != 3 || !strings.Contains(r.errout, c.says) || !maps.Equal(before, files(t, filepath.Join(dir, "db"))) {
					t.Errorf("exit %d %s", r.code, r.errout)
				}
				return
			}
			if r.code != 0 {
				t.Fatalf("exit %d %s", r.code, r.errout)
			}
			text := read(t, filepath.Join(dir, "db", c.file))
			rest := text
			for _, has := range c.has {
				_, behind, found := strings.Cut(rest, has)
				if !found {
					t.Errorf("%q is not in its place in\n%s", has, text)
				}
				rest = behind
			}
			want(t, 0, dir, "compare", "db", dev)
		})
	}
}

// TestDaySQLServer: what people do besides: a history, choices, a scope, several
// targets, a task, and reports.
func TestDaySQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	dir := t.TempDir()
	put(t, filepath.Join(dir, "password"), p.password+"\n")
	live, other, dev := p.make(t, msHarbour), p.make(t, msHarbour), p.make(t, msNext)
	var places strings.Builder
	for name, place := range map[string]string{"live": live, "other": other, "dev": dev} {
		fmt.Fprintf(&places, "  %s:\n    at: sqlserver://sa@%s/%s?certificate=%s\n    password: {file: password}\n", name, p.address, p.name(place), url.QueryEscape(p.certificate))
	}
	put(t, filepath.Join(dir, "dapper-mirror.yaml"), "places:\n"+places.String()+"pairs:\n  default: {source: dev, target: live}\nsettings:\n  scratch: model\n")
	for _, c := range []struct {
		code int
		args []string
		says string
	}{
		{0, []string{"capture", "live", "--to-history"}, "capture 1"},
		{1, []string{"compare"}, "dbo.call"},
		{1, []string{"compare", "dev", "live", "other"}, "2 "},
		{1, []string{"compare", "--only", "table:dbo.call"}, "~ dbo.call"},
		{1, []string{"compare", "--only", "index:dbo.call.*"}, "IX_call"},
		{0, []string{"compare", "--leave", "*"}, ""},
		{1, []string{"compare", "--choices-out", "choices.yaml"}, ""},
		{1, []string{"compare", "--choices", "choices.yaml"}, "dbo.berth"},
		{1, []string{"compare", "--format", "json"}, `"engine"`},
		{1, []string{"compare", "--report", "page.html", "--report", "sheet.xlsx", "--report", "list.md"}, ""},
		{3, []string{"script", "-o", "held.sql"}, ""},
		{0, []string{"script", "-o", "up.sql", "--may-lose", "column:dbo.berth.note", "--rehearse"}, ""},
		{0, []string{"check", "up.sql", "live"}, "fits"},
		{0, []string{"apply", "up.sql", "live", "--yes", "--save-rows", "saved"}, ""},
		{0, []string{"compare"}, "No difference"},
		{1, []string{"compare", "live", "live@1"}, "dbo.call"},
		{1, []string{"check", "up.sql", "live"}, "already as the script would leave it"},
		{1, []string{"check", "held.sql", "live"}, ""},
		{0, []string{"rows", "live", "berth", "--where", "id = 2"}, "Südkai"},
	} {
		r := run(t, dir, c.args...)
		if r.code != c.code || !strings.Contains(r.out+r.errout, c.says) {
			t.Errorf("%s: exit %d, want %d and %q\n%s%s", strings.Join(c.args, " "), r.code, c.code, c.says, r.out, r.errout)
		}
		if strings.Contains(r.out+r.errout, p.password) {
			t.Errorf("%s: it shows the password", strings.Join(c.args, " "))
		}
	}
	saved := strings.Join(slices.Collect(maps.Values(files(t, filepath.Join(dir, "saved")))), "\n")
	if !strings.Contains(saved, "N'deep'") {
		t.Errorf("what was lost is not saved:\n%s", saved)
	}
	if got := p.ask(t, live, "SELECT count(*) FROM dbo.call"); got != "3" {
		t.Errorf("rows: %s", got)
	}
}

// TestRightsSQLServer: rights, roles and owners count where they are asked for, and
// nowhere else; what is made anew keeps them all the same; who is not there stops a script
// as a whole, and is named before.
func TestRightsSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	dir := t.TempDir()
	const base = "CREATE USER web WITHOUT LOGIN; CREATE ROLE clerk;\nCREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int);\nINSERT INTO dbo.berth VALUES (1, 4);\nGO\nCREATE SCHEMA yard;\nGO\nCREATE PROCEDURE dbo.free AS SELECT 1;\nGO\n"
	const rights = "SELECT g.name, p.permission_name, p.state FROM sys.database_permissions AS p JOIN sys.database_principals AS g ON g.principal_id = p.grantee_principal_id WHERE p.permission_name <> 'CONNECT' ORDER BY g.name, p.permission_name"
	live := p.make(t, base+"GRANT SELECT ON dbo.berth TO web;\nALTER ROLE clerk ADD MEMBER web;\n")
	put(t, filepath.Join(dir, "dev.sql"), base+"GRANT SELECT, UPDATE ON dbo.berth TO clerk;\nGRANT EXECUTE ON dbo.free TO web;\nALTER AUTHORIZATION ON SCHEMA::yard TO clerk;\n")
	for _, c := range []struct {
		code       int
		args       []string
		says, lies string
	}{
		{0, nil, "No difference", "grant"},
		{1, []string{"--include", "grants"}, "GRANT SELECT TO [clerk]", "owner"},
		{1, []string{"--include", "grants"}, "~ clerk", "owner"},
		{1, []string{"--include", "owners"}, "+ owner clerk", "GRANT"},
		{1, []string{"--include", "owners,grants", "--only", "role:*"}, "- member web", "dbo.berth"},
		{0, []string{"--include", "owners,grants", "--tolerate", "grants,owners"}, "No difference", "GRANT"},
		{1, []string{"--include", "grants", "--except", "role:*"}, "dbo.free", "~ clerk"},
	} {
		r := want(t, c.code, dir, append([]string{"compare", "dev.sql", live}, c.args...)...)
		if !strings.Contains(r.out, c.says) || strings.Contains(r.out, c.lies) {
			t.Errorf("%v: it does not say %q, or says %q:\n%s", c.args, c.says, c.lies, r.out)
		}
	}
	// A table that is rebuilt keeps what nobody spoke of.
	put(t, filepath.Join(dir, "counts.sql"), strings.Replace(read(t, filepath.Join(dir, "dev.sql")), "id int NOT NULL", "id int IDENTITY NOT NULL", 1))
	was := p.ask(t, live, rights)
	want(t, 0, dir, "sync", "counts.sql", live, "--yes")
	if now := p.ask(t, live, rights); now != was {
		t.Errorf("the rebuilt table has %s, had %s", now, was)
	}
	// What was asked for is carried out, is told alike by every output, and goes back.
	want(t, 0, dir, "capture", live, "-o", "was.json")
	want(t, 0, dir, "script", "counts.sql", live, "--include", "owners,grants", "-o", "up.sql", "--backout", "down.sql", "--rehearse")
	want(t, 0, dir, "check", "up.sql", live)
	want(t, 0, dir, "apply", "up.sql", live, "--yes")
	want(t, 0, dir, "compare", "counts.sql", live, "--include", "owners,grants")
	if now := p.ask(t, live, rights); now != "clerk,SELECT,G;clerk,UPDATE,G;web,EXECUTE,G" {
		t.Errorf("the rights are %s", now)
	}
	want(t, 0, dir, "apply", "down.sql", live, "--yes")
	want(t, 0, dir, "compare", "was.json", live, "--include", "owners,grants")
	// Somebody is not there: it is said in the script, which then does nothing at all.
	stranger := p.make(t, strings.Replace(base, "CREATE USER web WITHOUT LOGIN; ", "", 1))
	want(t, 0, dir, "script", "counts.sql", stranger, "--include", "owners,grants", "-o", "stranger.sql")
	if text := read(t, filepath.Join(dir, "stranger.sql")); !strings.Contains(text, "It wants the user web") {
		t.Errorf("who is wanted is not said:\n%s", text)
	}
	before := p.dump(t, stranger)
	r := run(t, dir, "apply", "stranger.sql", stranger, "--yes")
	if d := firstDifference(before, p.dump(t, stranger)); r.code != 2 || d != "" || !strings.Contains(r.errout, "Cannot find the user 'web'") {
		t.Errorf("exit %d, changed: %s\n%s", r.code, d, r.errout)
	}
	// A text that tells of a part of a database may name whom it does not make.
	put(t, filepath.Join(dir, "part.sql"), "CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int);\nGRANT SELECT ON dbo.berth TO somebody;\nDENY UPDATE (depth) ON dbo.berth TO public;\n")
	want(t, 0, dir, "capture", "part.sql", "--dialect", "sqlserver", "--as", "folder", "-o", "part")
	if text := read(t, filepath.Join(dir, "part", "dbo", "berth.table.sql")); !strings.Contains(text, "GRANT SELECT ON OBJECT::[dbo].[berth] TO [somebody];") || !strings.Contains(text, "DENY UPDATE ([depth]) ON OBJECT::[dbo].[berth] TO [public];") {
		t.Errorf("the folder does not say it:\n%s", text)
	}
	want(t, 0, dir, "compare", "part", "part.sql", "--dialect", "sqlserver", "--include", "grants")
}

// TestHistorySQLServer: whatever is asked for, held back or left out of a table that keeps
// its history, what it was at any time is told as before.
func TestHistorySQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	table := func(columns string) string {
		return "CREATE TABLE dbo.tariff (id int NOT NULL CONSTRAINT PK_tariff PRIMARY KEY, " + columns + ", since datetime2 GENERATED ALWAYS AS ROW START HIDDEN NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END HIDDEN NOT NULL, PERIOD FOR SYSTEM_TIME (since, until)) WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.tariff_was));\n"
	}
	const rows = "GO\nINSERT INTO dbo.tariff (id, fee, note) VALUES (1, 10, N'low'), (2, 20, N'high');\nGO\nUPDATE dbo.tariff SET fee = fee + 1, note = NULL;\nGO\nDELETE FROM dbo.tariff WHERE id = 2;\n"
	const all = "SELECT id, fee FROM dbo.tariff FOR SYSTEM_TIME ALL ORDER BY id, fee"
	for _, c := range []struct {
		name, now string
		flags     []string
		code      int
		same      bool   // nothing differs afterwards, of what was asked for
		columns   string // of the history
	}{
		{
			name:    "all of it",
			now:     "fee money, currency char(3) NOT NULL DEFAULT 'XTS'",
			flags:   []string{"--may-lose", "*"},
			same:    true,
			columns: "id;fee;since;until;currency",
		},
		{
			name:    "a loss in the history alone is held back, and both keep the column",
			now:     "fee money",
			code:    3,
			columns: "id;fee;note;since;until",
		},
		{
			name:    "the table alone is asked for, and the history follows",
			now:     "fee money, note nvarchar(20), tide int",
			flags:   []string{"--only", "table:dbo.tariff"},
			same:    true,
			columns: "id;fee;note;since;until;tide",
		},
		{
			name:    "the history alone is asked for, and it stays with its table",
			now:     "fee money, note nvarchar(20), tide int",
			flags:   []string{"--only", "table:dbo.tariff_was"},
			columns: "id;fee;note;since;until",
		},
		{
			name:    "a type that is converted is the last in both",
			now:     "fee money, note varbinary(40)",
			flags:   []string{"--may-lose", "*"},
			same:    true,
			columns: "id;fee;since;until;note",
		},
		{
			name:    "a rebuild keeps the history",
			now:     "fee money, note nvarchar(40)",
			flags:   []string{"--may-lose", "*"},
			same:    true,
			columns: "id;fee;note;since;until",
		},
	} {
		t.Run(c.name, func(t *testing.T) {
			dir := t.TempDir()
			source := table(c.now)
			if strings.HasPrefix(c.name, "a rebuild") {
				source = strings.Replace(source, "id int", "id int IDENTITY", 1)
			}
			put(t, filepath.Join(dir, "dev.sql"), source)
			live := p.make(t, table("fee money, note nvarchar(20)")+rows)
			was := p.ask(t, live, all)
			r := run(t, dir, append([]string{"script", "dev.sql", live, "-o", "up.sql", "--backout", "down.sql"}, c.flags...)...)
			if r.code != c.code {
				t.Fatalf("exit %d, want %d\n%s", r.code, c.code, r.errout)
			}
			up := read(t, filepath.Join(dir, "up.sql"))
			if r := run(t, dir, "apply", "up.sql", live, "--yes"); r.code != 0 && r.code != c.code {
				t.Fatalf("apply: exit %d\n%s\n%s", r.code, r.errout, up)
			}
			if now := p.ask(t, live, all); now != was {
				t.Errorf("of all time there is %s, was %s\n%s", now, was, up)
			}
			if got := p.ask(t, live, "SELECT c.name FROM sys.columns AS c WHERE c.object_id = OBJECT_ID('dbo.tariff_was') ORDER BY c.column_id"); got != c.columns {
				t.Errorf("the history has %s, want %s\n%s", got, c.columns, up)
			}
			if got := p.ask(t, live, "SELECT OBJECT_NAME(history_table_id) FROM sys.tables WHERE name = 'tariff'"); got != "tariff_was" {
				t.Errorf("the history is %s", got)
			}
			var scope []string
			if len(c.flags) > 0 && c.flags[0] == "--only" {
				scope = c.flags
			}
			if r := run(t, dir, append([]string{"compare", "dev.sql", live}, scope...)...); (r.code == 0) != c.same {
				t.Errorf("compared again: exit %d\n%s", r.code, r.out)
			}
			p.fill(t, p.name(live), "UPDATE dbo.tariff SET fee = 99") // and it goes on being kept
			if got := p.ask(t, live, "SELECT COUNT(*) FROM dbo.tariff_was"); got != "4" {
				t.Errorf("after another change the history has %s rows", got)
			}
		})
	}
}
