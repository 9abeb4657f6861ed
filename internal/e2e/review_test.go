package e2e

import (
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// terminal is a real one, in which the program runs.
type terminal struct {
	t      *testing.T
	socket string
}

// reviewed begins a review in a terminal of a size.
func reviewed(t *testing.T, dir string, size [2]string, args ...string) *terminal {
	t.Helper()
	x := &terminal{t, filepath.Join(t.TempDir(), "s")}
	var line []string
	for _, a := range append([]string{program, "review"}, args...) {
		line = append(line, "'"+strings.ReplaceAll(a, "'", `'\''`)+"'")
	}
	x.tmux("-f", "/dev/null", "new-session", "-d", "-x", size[0], "-y", size[1], "-c", dir, "env HOME="+t.TempDir()+" XDG_STATE_HOME="+dir+"/state TERM=xterm-256color "+strings.Join(line, " ")+"; echo ended with $?; sleep 600")
	t.Cleanup(func() { _ = exec.Command("tmux", "-S", x.socket, "kill-server").Run() })
	return x
}

func (x *terminal) tmux(args ...string) string {
	x.t.Helper()
	out, err := exec.Command("tmux", append([]string{"-u", "-S", x.socket}, args...)...).CombinedOutput()
	if err != nil {
		x.t.Fatalf("tmux %q: %v %s", args, err, out)
	}
	return string(out)
}

// screen is what the terminal shows.
func (x *terminal) screen() string { return x.tmux("capture-pane", "-p") }

// until waits for the screen to say something.
func (x *terminal) until(says string) string {
	x.t.Helper()
	for end := time.Now().Add(90 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		switch text := x.screen(); {
		case strings.Contains(text, says):
			return text
		case time.Now().After(end):
			x.t.Fatalf("the screen does not say %q:\n%s", says, text)
		}
	}
}

// keys presses keys, by tmux's names.
func (x *terminal) keys(keys ...string) {
	x.t.Helper()
	x.tmux(append([]string{"send-keys"}, keys...)...)
}

// answer types a text at a prompt.
func (x *terminal) answer(prompt, text string) {
	x.t.Helper()
	x.until(prompt)
	x.keys("C-u")
	x.tmux("send-keys", "-l", text)
	x.keys("Enter")
}

// cursor is the line that the cursor is on, once it says something.
func (x *terminal) cursor(says string) string {
	x.t.Helper()
	for end := time.Now().Add(60 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		text := x.screen()
		for _, l := range strings.Split(text, "\n") {
			if strings.HasPrefix(l, "▌") && strings.Contains(l, says) {
				return l
			}
		}
		if time.Now().After(end) {
			x.t.Fatalf("the cursor is not on %q:\n%s", says, text)
		}
	}
}

// all shows all again.
func (x *terminal) all() {
	x.t.Helper()
	x.keys("/")
	x.answer("find:", "")
}

// find shows what has some words alone, and puts the cursor on the last of it.
func (x *terminal) find(words, says string) {
	x.t.Helper()
	x.keys("/")
	x.answer("find:", words)
	x.until("only: " + words)
	x.keys("G")
	x.cursor(says)
}

// TestReviewDay: a whole day in a real terminal, on each engine: a rename, a fill, losses
// by their names, a script that is byte for byte the command's, a rehearsal, a run, and no
// difference after it.
func TestReviewDay(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			p := e.with(t)
			dev, live := harbours(t, e.name)
			rows := read(t, filepath.Join("..", "demo", e.engine, "rows.sql"))
			source, target := p.make(t, dev), p.make(t, live+"\n"+rows)
			dir, other := t.TempDir(), t.TempDir()
			scratch := []string{"--scratch", "local"}
			if e.name == "sqlite" {
				scratch = nil
			}
			x := reviewed(t, dir, [2]string{"160", "50"}, append([]string{source, target}, scratch...)...)
			x.until("? all keys")
			var said []string
			for strings.Contains(x.screen(), "is it a rename?") {
				x.keys("g")
				l := x.cursor("is it a rename?")
				_, l, _ = strings.Cut(l, "is it a rename? y/n  ")
				l, _, _ = strings.Cut(l, "  ")
				old, name, _ := strings.Cut(l, " → ")
				key := "n"
				if strings.Contains(l, "flag") {
					key = "y"
					said = append(said, "--rename", old+"="+name[strings.LastIndex(name, ".")+1:])
				}
				x.keys(key)
				for end := time.Now().Add(30 * time.Second); strings.Contains(x.screen(), l); time.Sleep(20 * time.Millisecond) {
					if time.Now().After(end) {
						t.Fatalf("%q is still asked:\n%s", l, x.screen())
					}
				}
			}
			if len(said) != 2 {
				t.Fatalf("renames: %q\n%s", said, x.screen())
			}
			value := map[string]string{"sqlite": "substr(name, instr(name, ' ') + 1)", "postgres": "split_part(name, ' ', 2)", "mariadb": "substring_index(name, ' ', -1)"}[e.name]
			x.find("family_name", "family_name")
			x.keys("f")
			column := strings.TrimSuffix(strings.TrimPrefix(documentPage(e.name, "pilot"), "things/table."), "html") + "family_name="
			x.answer("COLUMN=EXPRESSION", column+value)
			said = append(said, "--fill", column+value)
			x.all()
			for n := 0; strings.Contains(x.until("? all keys"), " held back") && n < 6; n++ {
				x.find("loss", "loss")
				x.keys("a")
				text := x.until("to allow the loss, type ")
				_, name, _ := strings.Cut(text, "to allow the loss, type ")
				name, _, _ = strings.Cut(name, ":\n")
				name = strings.TrimSuffix(strings.TrimSpace(strings.Split(name, "\n")[0]), ":")
				x.answer("to allow the loss", name)
				said = append(said, "--may-lose", name)
				x.all()
			}
			x.keys("w")
			x.until("write: s script")
			x.keys("s")
			x.answer("script into the file", "up.sql")
			x.until("script written to up.sql")
			want(t, 0, other, append([]string{"script", source, target, "-o", "up.sql", "-q"}, said...)...)
			if a, b := read(t, filepath.Join(dir, "up.sql")), read(t, filepath.Join(other, "up.sql")); a != b {
				t.Errorf("the command's script is another one; said %q\n%s\n%s", said, a, b)
			}
			x.keys("e")
			x.until("it ends as it should")
			x.keys("A")
			x.answer("type yes to run it", "yes")
			if text := x.until("ran; what is shown was compared again"); !strings.Contains(text, "0 differences") {
				t.Errorf("after the run:\n%s", text)
			}
			x.keys("q")
			x.until("ended with 0")
			want(t, 0, dir, "compare", source, target)
			pilots := strings.TrimSuffix(column, ".family_name=")
			if n := strings.TrimSpace(p.ask(t, target, "SELECT count(*) FROM "+pilots+" WHERE family_name <> ''")); n == "0" || n != strings.TrimSpace(p.ask(t, target, "SELECT count(*) FROM "+pilots)) {
				t.Errorf("%s of the pilots have a name", n)
			}
		})
	}
}

// TestReviewTerminals: without a terminal it says so; what is not written is offered again;
// Ctrl-C and a signal leave the terminal as it was.
func TestReviewTerminals(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	lite(t, dir, "dev.db", "CREATE TABLE a (id INTEGER PRIMARY KEY, n TEXT); CREATE TABLE b (id INTEGER); CREATE VIEW v AS SELECT 1 AS x;")
	lite(t, dir, "live.db", "CREATE TABLE a (id INTEGER PRIMARY KEY); CREATE VIEW v AS SELECT 2 AS x;")
	if r := run(t, dir, "review", "dev.db", "live.db"); r.code != 2 || !strings.Contains(r.errout, "needs a terminal") || strings.Count(r.errout, "\n") != 1 {
		t.Errorf("on a pipe: exit %d, %q", r.code, r.errout)
	}
	x := reviewed(t, dir, [2]string{"80", "24"}, "dev.db", "live.db")
	x.until("? all keys")
	x.keys("1", "Space")
	x.until("1 left")
	x.keys("C-c")
	x.until("ended with 0")
	x = reviewed(t, dir, [2]string{"60", "16"}, "dev.db", "live.db")
	x.until("K takes it up")
	x.keys("K")
	x.until("1 left")
	x.tmux("resize-window", "-x", "100", "-y", "30")
	x.keys("O")
	if text := x.until("CREATE TABLE b"); strings.Contains(text, "\x1b") {
		t.Error("escapes on the screen")
	}
	x.tmux("run-shell", "pkill -TERM -P #{pane_pid} -f 'review dev.db' || pkill -TERM -f '"+program+" review dev.db'")
	x.until("ended with")
	// What the call said of losses, fills and renames is carried out with the run.
	lite(t, dir, "new.db", "CREATE TABLE a (id INTEGER PRIMARY KEY, m TEXT, k TEXT NOT NULL);")
	lite(t, dir, "old.db", "CREATE TABLE a (id INTEGER PRIMARY KEY, n TEXT, gone TEXT); INSERT INTO a VALUES (1, 'x', 'y');")
	x = reviewed(t, dir, [2]string{"100", "30"}, "new.db", "old.db", "--rename", "column:a.n=m", "--fill", "a.k='z'", "--may-lose", "column:a.gone")
	x.until("? all keys")
	x.keys("w")
	x.until("write: s script")
	x.keys("s")
	x.answer("script into the file", "dev.db")
	x.until("there already")
	x.keys("A")
	x.answer("type yes to run it", "yes")
	if text := x.until("ran; what is shown was compared again"); !strings.Contains(text, "0 differences, 0 steps") || strings.Contains(text, "no script") {
		t.Errorf("after the run:\n%s", text)
	}
	if left, _ := filepath.Glob(filepath.Join(dir, "dev.*")); len(left) != 1 {
		t.Errorf("a run leaves files beside what is no script: %q", left)
	}
	x.keys("q")
	x.until("ended with 0")
	want(t, 0, dir, "script", "dev.db", "live.db", "-o", "up.sql")
	if r := run(t, dir, "review", "up.sql", "live.db", "--leave", "view:v"); r.code != 2 || !strings.Contains(r.errout, "--leave: a script is reviewed as it stands") {
		t.Errorf("exit %d: %s", r.code, r.errout)
	}
	x = reviewed(t, dir, [2]string{"80", "24"}, "up.sql", "live.db")
	x.until("4 steps")
	x.keys("4", "Enter")
	x.until("CREATE VIEW v")
	x.keys("A")
	x.answer("type yes to run it", "yes")
	x.until("4 steps ran")
	x.keys("q")
	x.until("ended with 0")
	want(t, 0, dir, "compare", "dev.db", "live.db")
	x = reviewed(t, dir, [2]string{"80", "24"}, "nowhere.db", "live.db")
	x.until("ended with 2")
}
