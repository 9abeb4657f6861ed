package e2e

import (
	"archive/zip"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// realSchemas are the schemas that real applications ship for SQL Server, each a file
// or a folder.
func realSchemas(t *testing.T) map[string]string {
	t.Helper()
	folder := t.TempDir()
	script, err := filepath.Abs("../../scripts/get-real-schemas")
	if err != nil {
		t.Fatal(err)
	}
	if out, err := tryCommand("", script, folder); err != nil {
		t.Skipf("Debian's packages cannot be fetched here: %v\n%s", err, out)
	}
	radius := filepath.Join(folder, "freeradius-config/etc/freeradius/3.0/mods-config/sql")
	out := map[string]string{"ejabberd": filepath.Join(folder, "ejabberd/usr/share/ejabberd/sql/mssql.sql"), "radius": filepath.Join(radius, "main/mssql/schema.sql"), "dhcp": filepath.Join(radius, "dhcp/mssql/schema.sql"),
		"roundcube": filepath.Join(folder, "roundcube-core/usr/share/roundcube/SQL/mssql.initial.sql")}
	for _, name := range []string{"ippool", "ippool-dhcp"} { // a table, and procedures on it
		both := filepath.Join(folder, name)
		for _, f := range []string{"procedure.sql", "schema.sql"} {
			put(t, filepath.Join(both, f), read(t, filepath.Join(radius, name, "mssql", f)))
		}
		out[name] = both
	}
	jars, err := filepath.Glob(filepath.Join(folder, "libquartz2-java/usr/share/java/quartz2-2*.jar"))
	if err != nil || len(jars) != 1 {
		t.Fatalf("quartz: %v %v", jars, err)
	}
	z, err := zip.OpenReader(jars[0])
	if err != nil {
		t.Fatal(err)
	}
	defer z.Close()
	f, err := z.Open("org/quartz/impl/jdbcjobstore/tables_sqlServer.sql")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	text, err := io.ReadAll(f)
	if err != nil {
		t.Fatal(err)
	}
	out["quartz"] = filepath.Join(folder, "quartz.sql")
	put(t, out["quartz"], string(text))
	return out
}

func put(t testing.TB, path, text string) {
	t.Helper()
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
}

// TestUpgradesSQLServer: tables that an application made and changed in its upgrades are,
// in the end, those of its last schema. Upgrades that the server refuses are refused, and
// where is said.
func TestUpgradesSQLServer(t *testing.T) {
	t.Parallel()
	last := realSchemas(t)["roundcube"]
	p, dir := standIn(t), t.TempDir()
	upgrade := func(name string) string { return filepath.Join(filepath.Dir(last), "mssql", name+".sql") }
	live := p.make(t, "CREATE TABLE dbo.users (user_id int NOT NULL PRIMARY KEY);")
	text := "CREATE TABLE dbo.users (user_id int NOT NULL PRIMARY KEY);\nGO\n"
	for _, name := range []string{"2018021600", "2018122300", "2021081000"} {
		p.fill(t, p.name(live), read(t, upgrade(name)))
		text += read(t, upgrade(name)) + "\nGO\n"
	}
	put(t, filepath.Join(dir, "all.sql"), text)
	only := "table:dbo.filestore,table:dbo.responses"
	for _, place := range []string{live, "all.sql"} {
		want(t, 0, dir, "compare", last, place, "--dialect", "sqlserver", "--only", only)
	}
	want(t, 1, dir, "compare", last, live, "--dialect", "sqlserver")
	for name, at := range map[string]string{ // a comma too many; an index without its table
		"2020091000": "2020091000.sql:21:", "2010100600": "2010100600.sql:3:",
	} {
		if r := want(t, 2, dir, "compare", upgrade(name), live, "--dialect", "sqlserver"); !strings.Contains(r.errout, at) {
			t.Errorf("%s: %s", name, r.errout)
		}
	}
}

// TestRealSchemasSQLServer: what applications ship is read, made on an empty server and
// read back the same, evolves into what another one ships and back, and a capture of it
// says what the file says.
func TestRealSchemasSQLServer(t *testing.T) {
	t.Parallel()
	schemas := realSchemas(t)
	p := standIn(t)
	for name, file := range schemas {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			live := p.make(t, "")
			want(t, 0, dir, "script", file, live, "--dialect", "sqlserver", "-o", "new.sql")
			want(t, 0, dir, "apply", "new.sql", live, "--yes")
			want(t, 0, dir, "compare", file, live, "--dialect", "sqlserver")
			want(t, 0, dir, "capture", live, "-o", "live.json")
			want(t, 0, dir, "compare", "live.json", file, "--dialect", "sqlserver")
			want(t, 0, dir, "script", "live.json", p.make(t, ""), "-o", "again.sql")
			if a, b := body(read(t, filepath.Join(dir, "new.sql"))), body(read(t, filepath.Join(dir, "again.sql"))); a != b {
				t.Errorf("from a capture another script is written:\n%s", firstDifference(strings.Split(a, "\n"), strings.Split(b, "\n")))
			}
			was := p.dump(t, live)
			for other, to := range schemas {
				if other == name || len(other) > len(name) && name != "dhcp" {
					continue
				}
				want(t, 0, dir, "script", to, live, "--dialect", "sqlserver", "--may-lose", "*", "-o", "to.sql", "--backout", "back.sql", "--force")
				want(t, 0, dir, "apply", "to.sql", live, "--yes")
				want(t, 0, dir, "compare", to, live, "--dialect", "sqlserver")
				want(t, 0, dir, "apply", "back.sql", live, "--yes")
				if d := firstDifference(was, p.dump(t, live)); d != "" {
					t.Fatalf("to %s and back leads elsewhere: %s", other, d)
				}
			}
		})
	}
}
