package reports

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// documents makes a document of an SQL text, in a folder and in one file.
func documents(t *testing.T, sql string) string {
	t.Helper()
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "live.sql"), []byte(sql), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, args := range [][]string{{"-o", "pages"}, {"-o", "one.html", "--one-file"}} {
		cmd := exec.Command(program, append([]string{"document", "live.sql", "--dialect", "sqlite", "-q"}, args...)...)
		cmd.Dir, cmd.Env = dir, []string{"HOME=" + t.TempDir(), "TMPDIR=" + t.TempDir()}
		if out, err := cmd.CombinedOutput(); err != nil {
			t.Fatalf("%v\n%s", err, out)
		}
	}
	return dir
}

// TestDocument: whatever things are called, the pages show names, find them, and lead from
// one to the other, from a folder and as one file, in the light, in the dark and without
// JavaScript.
func TestDocument(t *testing.T) {
	quoted := func(s string) string { return `"` + strings.ReplaceAll(s, `"`, `""`) + `"` }
	names := hostile(500)
	var sql strings.Builder
	for i, n := range names {
		fmt.Fprintf(&sql, "CREATE TABLE %s (id INTEGER PRIMARY KEY, %s TEXT DEFAULT '%s', up INTEGER REFERENCES %s (id));\n", quoted(n), quoted(n+" c"), strings.ReplaceAll(n, "'", "''"), quoted(names[i/2]))
		if i%10 == 0 {
			fmt.Fprintf(&sql, "CREATE VIEW %s AS SELECT id, %s FROM %s; -- </script><script>window.hit=1</script>\n", quoted("v "+n), quoted(n+" c"), quoted(n))
		}
	}
	dir := documents(t, sql.String())
	clean := func(ctx context.Context, where string) {
		t.Helper()
		if value[bool](t, ctx, `!!window.hit || !!document.querySelector('main img, main script') || Array.from(document.querySelectorAll('a')).some(a => a.protocol !== undefined && a.protocol !== location.protocol)`) {
			t.Errorf("%s: a name is more than a name", where)
		}
	}
	ctx := browser(t)
	for _, c := range []struct{ form, file string }{{"folder", "pages/index.html"}, {"one file", "one.html"}} {
		do(t, ctx, chromedp.Navigate("file://"+filepath.Join(dir, c.file)))
		clean(ctx, c.form)
		if n := value[int](t, ctx, `document.querySelectorAll('.list tbody tr').length`); n != 550 {
			t.Errorf("%s: the index lists %d", c.form, n)
		}
		if c.form == "folder" {
			accessible(t, ctx)
		}
		// A slash begins to find, arrows choose, Enter opens.
		do(t, ctx, chromedp.Evaluate(`document.body.dispatchEvent(new KeyboardEvent('keydown', {key: '/', bubbles: true}))`, nil), chromedp.SendKeys("#find", "onerror 33"), chromedp.Poll(`document.querySelectorAll('#found [role=option]').length > 1`, nil, chromedp.WithPollingTimeout(20*time.Second)))
		do(t, ctx, chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.ArrowDown))
		picked := value[string](t, ctx, `document.querySelector('#found [aria-selected=true] a').href`)
		do(t, ctx, chromedp.KeyEvent("\r"))
		at := ""
		for end := time.Now().Add(20 * time.Second); at != picked && time.Now().Before(end); {
			do(t, ctx, chromedp.Sleep(50*time.Millisecond), chromedp.Location(&at))
		}
		if at != picked {
			t.Errorf("%s: Enter leads to %s, not to %s", c.form, at, picked)
		}
		clean(ctx, picked)
		if c.form == "folder" && !value[bool](t, ctx, `document.querySelector('h1').textContent.includes('onerror')&&document.querySelectorAll('.diagram .box').length>1`) {
			t.Errorf("%s shows no table and its neighbours", picked)
		}
		// From the diagram to another table, and with a name in a definition to its table.
		do(t, ctx, chromedp.Evaluate(`location.href = document.querySelector('.diagram g:not(.main)>a').href.baseVal || document.querySelector('.diagram g:not(.main)>a').getAttribute('href')`, nil), chromedp.Sleep(500*time.Millisecond))
		clean(ctx, "a neighbour")
	}
	do(t, ctx, chromedp.Navigate("file://"+filepath.Join(dir, "pages/index.html")))
	view := value[string](t, ctx, `Array.from(document.querySelectorAll('.list a')).find(a => a.textContent.startsWith('v ')).href`)
	for _, mode := range []string{"light", "dark"} {
		do(t, ctx, emulation.SetEmulatedMedia().WithFeatures([]*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: mode}}), chromedp.Navigate(view))
		clean(ctx, view)
		accessible(t, ctx)
		if !value[bool](t, ctx, `document.querySelectorAll('.sql .keyword').length > 2 && document.querySelectorAll('.sql a').length > 0 && getComputedStyle(document.body).backgroundColor === `+quote(map[string]string{"light": "rgb(251, 251, 248)", "dark": "rgb(16, 20, 24)"}[mode])) {
			t.Errorf("%s: the definition has no colours or no links", mode)
		}
	}
	bare := browser(t)
	do(t, bare, emulation.SetScriptExecutionDisabled(true), chromedp.Navigate(view))
	if value[bool](t, bare, `getComputedStyle(document.querySelector('.search')).display !== 'none' || !document.querySelector('main').textContent.includes('CREATE VIEW')`) {
		t.Error("without JavaScript the page has what does nothing, or lacks what it is about")
	}
}
