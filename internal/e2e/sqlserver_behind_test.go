package e2e

import (
	"bytes"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
)

// behind is a change of which the greater part runs outside of the transaction: full-text
// search, and tables that go into memory and leave it.
type behind struct {
	msPlaces
	dir, was, up string
	fresh        []string
}

func newBehind(t *testing.T) *behind {
	was, now, _ := strings.Cut(read(t, "testdata/sqlserver/behind.sql"), "--- to\n")
	memory, _, _ := strings.Cut(was, "GO\n")
	b := &behind{msPlaces: standIn(t), dir: t.TempDir(), was: was}
	put(t, filepath.Join(b.dir, "dev.sql"), now)
	want(t, 0, b.dir, "script", "dev.sql", b.make(t, was), "-o", "up.sql")
	b.up = read(t, filepath.Join(b.dir, "up.sql"))
	b.fresh = b.dump(t, b.make(t, memory+"GO\n"+now))
	return b
}

// kept sees that every row is in its table, or in the one that has its place meanwhile.
func (b *behind) kept(t *testing.T, how, place string) {
	t.Helper()
	for table, rows := range map[string]string{"berth": "1", "call": "7;8;9", "ship": "7;8"} {
		var found []string
		for _, name := range []string{table, "dapper_mirror_old_" + table, "dapper_mirror_new_" + table} {
			if b.ask(t, place, "SELECT OBJECT_ID(N'dbo."+name+"')") != "<nil>" {
				column := map[string]string{"call": "ship"}[table]
				if column == "" {
					column = "id"
				}
				found = append(found, b.ask(t, place, "SELECT "+column+" FROM dbo."+name+" ORDER BY "+column))
			}
		}
		if !strings.Contains(" "+strings.Join(found, " ")+" ", " "+rows+" ") {
			t.Fatalf("%s: the rows of %s are %q", how, table, found)
		}
	}
}

// TestBehindSQLServer: what runs outside of the transaction is gone on with wherever it
// was stopped, and no row is nowhere meanwhile.
func TestBehindSQLServer(t *testing.T) {
	t.Parallel()
	b := newBehind(t)
	between, unknown := 0, 0
	finish := func(how, live string, code int, said string) {
		t.Helper()
		settled(t, b.msPlaces, b.name(live))
		b.kept(t, how, live)
		now := b.dump(t, live)
		args := []string{"apply", "up.sql", live, "--yes"}
		if _, err := os.Stat(filepath.Join(b.dir, "up.run.json")); err == nil {
			args = append(args, "--resume")
			between++
		}
		if code == 2 && firstDifference(b.dump(t, b.make(t, b.was)), now) != "" || code == 0 && firstDifference(b.fresh, now) != "" {
			t.Errorf("%s: exit %d, and the target is %s", how, code, firstDifference(b.fresh, now))
		}
		if r := run(t, b.dir, args...); r.code != 0 {
			unknown++
			if r.code != 4 || !strings.Contains(r.errout, "not known") {
				t.Fatalf("%s: going on: exit %d %s\nafter %d %s", how, r.code, r.errout, code, said)
			}
		} else if d := firstDifference(b.fresh, b.dump(t, live)); d != "" {
			t.Fatalf("%s: it went on and ends elsewhere: %s", how, d)
		}
		b.kept(t, how+", gone on with", live)
		left, _ := filepath.Glob(filepath.Join(b.dir, "up.run*"))
		for _, f := range left {
			_ = os.Remove(f)
		}
	}
	for after := int64(11000); after < 90000; after += 6100 {
		live := b.make(t, b.was)
		r := run(t, b.dir, "apply", "up.sql", strings.Replace(live, b.address, proxy(t, b.address, after), 1), "--yes")
		finish(fmt.Sprintf("cut after %d bytes", after), live, r.code, r.errout)
	}
	for n := 5; n < 40; n += 5 {
		live := b.make(t, b.was)
		_, killed := killedAt(t, b.dir, n, "apply", "up.sql", live, "--yes", "-v")
		finish(fmt.Sprintf("killed at line %d", n), live, map[bool]int{true: -1, false: 0}[killed], "")
	}
	t.Logf("%d between, %d of them not known", between, unknown)
	if between < 4 || unknown > between/2 {
		t.Errorf("%d were stopped between, %d of them were not known", between, unknown)
	}
}

// TestBehindGoesOnSQLServer: a client that goes on after an error runs nothing behind it.
func TestBehindGoesOnSQLServer(t *testing.T) {
	t.Parallel()
	b := newBehind(t)
	marks := strings.Split(b.up, "\nGO\n")
	script := func(name string, batches []string) string {
		file := filepath.Join(b.dir, name)
		put(t, file, strings.Join(batches, "\nGO\n"))
		return file
	}
	bad := []string{"SELECT 1 / 0;", "SELEC 1;", "SELECT nope FROM dbo.berth;", "THROW 50001, N'no', 1;", "DROP TABLE dbo.nothing;"}
	for i := 2; i < len(marks)-4; i++ {
		if strings.Contains(marks[i-1], "SET NOEXEC ON") { // between the guard and what it guards
			continue
		}
		live, other := b.make(t, b.was), b.make(t, b.was)
		edited := append(append(append([]string{}, marks[:i]...), bad[i%len(bad)]), marks[i:]...)
		out, _ := b.client(live, script("edited.sql", edited))
		_, _ = b.client(other, script("prefix.sql", append(append([]string{}, marks[:i]...), "")))
		settled(t, b.msPlaces, b.name(live))
		settled(t, b.msPlaces, b.name(other))
		if d := firstDifference(b.dump(t, other), b.dump(t, live)); d != "" {
			t.Fatalf("%s as batch %d: something ran behind it: %s\n%s", bad[i%len(bad)], i, d, out)
		}
		b.kept(t, fmt.Sprintf("%s as batch %d", bad[i%len(bad)], i), live)
	}
}

// TestCommitCutSQLServer: the connection is lost at COMMIT, before or after the server got
// it; either way the structure is asked, and what is said of it is true.
func TestCommitCutSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	dir := t.TempDir()
	put(t, filepath.Join(dir, "dev.sql"), msNext)
	want(t, 0, dir, "script", "dev.sql", p.make(t, msHarbour), "--may-lose", "column:berth.note", "-o", "up.sql")
	fresh := p.dump(t, p.make(t, msNext))
	var commit []byte // as the protocol has it
	for _, c := range []byte("COMMIT TRANSACTION;") {
		commit = append(commit, c, 0)
	}
	for _, c := range []struct {
		name    string
		forward bool
		code    int
	}{{"the server got it", true, 0}, {"it was lost on the way", false, 2}} {
		live := p.make(t, msHarbour)
		was := p.dump(t, live)
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		defer l.Close()
		var cut atomic.Bool
		go func() {
			for {
				client, err := l.Accept()
				if err != nil {
					return
				}
				server, err := net.Dial("tcp", p.address)
				if err != nil {
					client.Close()
					return
				}
				answered := make(chan struct{})
				go func() { _, _ = io.Copy(client, server); client.Close(); close(answered) }()
				go func() {
					defer client.Close()
					defer server.Close()
					buf := make([]byte, 1<<16)
					for {
						n, err := client.Read(buf)
						if bytes.Contains(buf[:n], commit) && cut.CompareAndSwap(false, true) {
							if c.forward {
								client.Close()
								_, _ = server.Write(buf[:n])
								<-answered // which nobody hears
							}
							return
						}
						if _, e := server.Write(buf[:n]); err != nil || e != nil {
							return
						}
					}
				}()
			}
		}()
		through := "sqlserver://sa:" + p.password + "@" + l.Addr().String() + "/" + p.name(live) + "?encrypt=disable"
		r := run(t, dir, "apply", "up.sql", through, "--yes")
		settled(t, p, p.name(live))
		now := p.dump(t, live)
		ends := fresh
		if !c.forward {
			ends = was
		}
		if !cut.Load() || r.code != c.code || !strings.Contains(r.errout, "asking the server") || firstDifference(ends, now) != "" {
			t.Errorf("%s: cut %v, exit %d: %s\n%s", c.name, cut.Load(), r.code, firstDifference(ends, now), r.errout)
		}
	}
}
