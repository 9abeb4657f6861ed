// Package reports opens what the built program writes for colleagues in what they open it
// with: a page in a real browser, a sheet with a library for sheets, Markdown with a
// renderer.
package reports

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/xuri/excelize/v2"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/renderer/html"

	"dappermirror/tests/built"
)

// program is the built program.
var program string

func TestMain(m *testing.M) {
	os.Exit(built.Main(m, &program))
}

// forms are the forms of reports.
var forms = []string{"html", "xlsx", "csv", "md", "xml", "json"}

// reports compares two SQL texts and writes every report; it answers the folder.
func reports(t *testing.T, source, target string, more ...string) string {
	t.Helper()
	dir := t.TempDir()
	for name, text := range map[string]string{"dev.sql": source, "live.sql": target} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	args := append([]string{"script", "dev.sql", "live.sql", "--dialect", "sqlite", "-q"}, more...)
	forms := forms
	if len(more) > 0 { // what is asked for, of a comparison
		args, forms = []string{"compare", "dev.sql", "live.sql", "--dialect", "sqlite", "-q", "--report", "r." + more[0]}, nil
	} else {
		args = append(args, "-o", "up.sql")
	}
	for _, f := range forms {
		args = append(args, "--report", "r."+f)
	}
	cmd := exec.Command(program, args...)
	cmd.Dir, cmd.Env = dir, []string{"HOME=" + t.TempDir(), "TMPDIR=" + t.TempDir()}
	out, err := cmd.CombinedOutput()
	if code := cmd.ProcessState.ExitCode(); code != 0 && code != 3 && code != 1 {
		t.Fatalf("%v\n%s", err, out)
	}
	// The JSON result says all that the others do.
	for _, f := range forms {
		again := exec.Command(program, "compare", "--report-only", "r.json", "--report", "again."+f)
		again.Dir, again.Env = dir, cmd.Env
		if out, err := again.CombinedOutput(); err != nil {
			t.Fatalf("%v\n%s", err, out)
		}
		if f != "xlsx" && read(t, dir, "again."+f) != read(t, dir, "r."+f) {
			t.Errorf("%s of the JSON result is another one", f)
		}
	}
	return dir
}

func read(t *testing.T, dir, name string) string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(dir, name))
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// hostile are names that attack whoever shows them.
func hostile(n int) []string {
	seeds := []string{`<script>window.hit=1</script>`, `"><img src=x onerror=window.hit=1>`, `</pre></code></script><b>`, `=HYPERLINK("http://x","y")`, `+1+cmd|' /C calc'!A0`, `@SUM(1)`, `-2+3`, "a`b``c```d", `</details><h1>x`, `[x](javascript:window.hit=1)`,
		`![x](http://x/y.png)`, `|a|b|`, `{{.}}`, `${1}`, `%3Cscript%3E`, `&lt;b&gt;`, `'; DROP TABLE x; --`, `<!-- x`, `-->`, `]]>`, `javascript:alert(1)`, "\u202eevil", "tab\there", "ünï – ✓", `#link`, `__proto__`, `constructor`, `a.b:c`, `</title>`, `<svg/onload=window.hit=1>`, `*/ x /*`, `<mark>`}
	var out []string
	for i := range n {
		out = append(out, fmt.Sprintf("%s %d", seeds[i%len(seeds)], i))
	}
	return out
}

// structures are two that differ in n tables of such names.
func structures(names []string) (source, target string) {
	quoted := func(s string) string { return `"` + strings.ReplaceAll(s, `"`, `""`) + `"` }
	var a, b strings.Builder
	for i, n := range names {
		switch i % 3 {
		case 0:
			fmt.Fprintf(&a, "CREATE TABLE %s (id INTEGER PRIMARY KEY, %s TEXT DEFAULT '%s');\n", quoted(n), quoted(n+" c"), strings.ReplaceAll(n, "'", "''"))
			fmt.Fprintf(&b, "CREATE TABLE %s (id INTEGER PRIMARY KEY, %s TEXT);\n", quoted(n), quoted(n+" old"))
		case 1:
			fmt.Fprintf(&a, "CREATE TABLE %s (id INTEGER PRIMARY KEY);\n", quoted(n))
		default:
			fmt.Fprintf(&b, "CREATE TABLE %s (id INTEGER PRIMARY KEY);\n", quoted(n))
		}
	}
	a.WriteString("CREATE TABLE same (id INTEGER PRIMARY KEY);\n")
	b.WriteString("CREATE TABLE same (id INTEGER PRIMARY KEY);\n")
	return a.String(), b.String()
}

// browser is a browser without a window, on a page.
func browser(t *testing.T, options ...chromedp.ExecAllocatorOption) context.Context {
	t.Helper()
	opt := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox, chromedp.WindowSize(1280, 800))
	if path, err := exec.LookPath("chromium"); err == nil {
		opt = append(opt, chromedp.ExecPath(path))
	}
	ctx, cancel := chromedp.NewExecAllocator(t.Context(), append(opt, options...)...)
	t.Cleanup(cancel)
	ctx, cancel = chromedp.NewContext(ctx)
	t.Cleanup(cancel)
	ctx, cancel = context.WithTimeout(ctx, 3*time.Minute)
	t.Cleanup(cancel)
	return ctx
}

func do(t *testing.T, ctx context.Context, actions ...chromedp.Action) {
	t.Helper()
	if err := chromedp.Run(ctx, actions...); err != nil {
		t.Fatal(err)
	}
}

// value runs JavaScript on the page.
func value[T any](t *testing.T, ctx context.Context, js string) T {
	t.Helper()
	var out T
	do(t, ctx, chromedp.Evaluate(js, &out))
	return out
}

const shown = `document.querySelectorAll('.object:not([hidden])').length`

// TestPage: a page is filtered, searched, grouped, opened, linked to, printed, read
// without JavaScript and in the dark; whatever things are called, names are names.
func TestPage(t *testing.T) {
	names := hostile(500)
	source, target := structures(names)
	dir := reports(t, source, target)
	url := "file://" + filepath.Join(dir, "r.html")
	ctx := browser(t)
	do(t, ctx, chromedp.Navigate(url))
	if n := value[int](t, ctx, shown); n != 501 {
		t.Errorf("%d objects, want 501", n)
	}
	if value[bool](t, ctx, `!!window.hit || document.querySelectorAll('h1').length !== 1 || !!document.querySelector('.object img, .object svg, .object h1')`) {
		t.Error("a name is more than a name")
	}
	titles := value[[]string](t, ctx, `Array.from(document.querySelectorAll('.object .open b')).map(b => b.textContent)`)
	seen := map[string]bool{}
	for _, x := range titles {
		seen[x] = true
	}
	for _, n := range names {
		if !strings.ContainsAny(n, "\u202e\t") && !seen[n] {
			t.Errorf("%q is not on the page", n)
		}
	}
	// Find, statuses, what loses, groups.
	do(t, ctx, chromedp.SendKeys("#find", "onerror 33"))
	if n := value[int](t, ctx, shown); n == 0 || n > 20 {
		t.Errorf("%d found", n)
	}
	do(t, ctx, chromedp.Evaluate(`f=document.getElementById('find');f.value='';f.dispatchEvent(new Event('input'));document.querySelector('[data-status=same]').click();document.querySelector('button[data-status=differs]').click()`, nil))
	if n := value[int](t, ctx, shown); n != 333 {
		t.Errorf("%d without those that differ, want 333", n)
	}
	do(t, ctx, chromedp.Evaluate(`document.querySelector('button[data-status=differs]').click();document.getElementById('losing').click()`, nil))
	lose := value[int](t, ctx, shown)
	do(t, ctx, chromedp.Evaluate(`document.getElementById('losing').click();g=document.getElementById('group');g.value='status';g.dispatchEvent(new Event('change'))`, nil))
	if n := value[int](t, ctx, `document.querySelectorAll('.by-status:not([hidden])').length`); n != 3 || lose != 333 {
		t.Errorf("%d groups by status; %d lose something, want 333", n, lose)
	}
	do(t, ctx, chromedp.Evaluate(`g.value='kind';g.dispatchEvent(new Event('change'))`, nil))
	if first := value[string](t, ctx, `document.querySelector('.object .open b').textContent`); first != titles[0] {
		t.Errorf("by kind again, %q is first", first)
	}
	// By keyboard: down, open, side by side; a link opens what it leads to.
	do(t, ctx, chromedp.Evaluate(`document.activeElement.blur()`, nil), chromedp.KeyEvent("j"), chromedp.KeyEvent("\r"), chromedp.KeyEvent("b"))
	if n := value[int](t, ctx, `document.querySelectorAll('.object.opened').length`); n != 1 {
		t.Errorf("%d are open", n)
	}
	id := value[string](t, ctx, `document.querySelectorAll('.object.changed')[3].id`)
	do(t, ctx, chromedp.Evaluate(fmt.Sprintf(`location.hash=encodeURIComponent(%s)`, quote(id)), nil), chromedp.Sleep(200*time.Millisecond))
	if !value[bool](t, ctx, fmt.Sprintf(`(o=>o.classList.contains('opened')&&o.querySelector('pre.two')!==null&&o.querySelectorAll('pre.two>code')[0].children.length===o.querySelectorAll('pre.two>code')[1].children.length)(document.getElementById(%s))`, quote(id))) {
		t.Errorf("the link to %q opens nothing, or not side by side", id)
	}
	if got, want := value[string](t, ctx, fmt.Sprintf(`JSON.parse(document.getElementById(%s).querySelector('.whole').textContent)`, quote(id))), "CREATE TABLE"; !strings.HasPrefix(got, want) {
		t.Errorf("what is copied: %q", got)
	}
	// Every control has a name, every text stands out from its ground, light and dark.
	accessible(t, ctx)
	do(t, ctx, emulation.SetEmulatedMedia().WithFeatures([]*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: "dark"}}))
	light := value[string](t, ctx, `getComputedStyle(document.body).backgroundColor`)
	accessible(t, ctx)
	if light != "rgb(16, 20, 24)" {
		t.Errorf("in the dark the ground is %s", light)
	}
	// On paper all is open, and without JavaScript too.
	do(t, ctx, emulation.SetEmulatedMedia().WithMedia("print"))
	if n := value[int](t, ctx, `Array.from(document.querySelectorAll('.object .body')).filter(b=>getComputedStyle(b).display==='none').length`); n != 0 {
		t.Errorf("%d objects are closed on paper", n)
	}
	do(t, ctx, chromedp.ActionFunc(func(ctx context.Context) error {
		pdf, _, err := page.PrintToPDF().Do(ctx)
		if err == nil && len(pdf) < 10_000 {
			err = fmt.Errorf("%d bytes on paper", len(pdf))
		}
		return err
	}))
	bare := browser(t)
	do(t, bare, emulation.SetScriptExecutionDisabled(true), chromedp.Navigate(url))
	text := value[string](t, bare, `document.querySelector('main').textContent`)
	if n := value[int](t, bare, `Array.from(document.querySelectorAll('.object .body')).filter(b=>getComputedStyle(b).display==='none').length`); n != 0 || value[bool](t, bare, `!!window.run||document.documentElement.classList.contains('js')`) {
		t.Errorf("%d objects are closed without JavaScript", n)
	}
	for _, s := range []string{"CREATE TABLE", "loses every row", names[0], "of the script"} {
		if !strings.Contains(text, s) {
			t.Errorf("without JavaScript the page does not show %q", s)
		}
	}
}

func quote(s string) string {
	b, _ := json.Marshal(s)
	return string(b)
}

// accessible sees that controls have names, that there are landmarks, and that texts
// have a contrast of 4.5 to 1 (WCAG 2.2, 1.4.3).
func accessible(t *testing.T, ctx context.Context) {
	t.Helper()
	wrong := value[[]string](t, ctx, `(()=>{
	const out=[];
	for(const e of document.querySelectorAll('button,input,select,a'))if(!(e.textContent.trim()||e.getAttribute('aria-label')||(e.labels&&e.labels.length)))out.push('no name: '+e.outerHTML.slice(0,90));
	for(const tag of ['header','nav','main','footer'])if(document.querySelectorAll(tag).length!==1)out.push('landmarks: '+tag);
	if(!document.documentElement.lang)out.push('no language');
	const ids=new Set();for(const e of document.querySelectorAll('[id]')){if(ids.has(e.id))out.push('twice: '+e.id);ids.add(e.id)}
	const rgb=s=>{const m=s.match(/[\d.]+/g).map(Number);return m.length>3?m:[...m,1]};
	const lum=c=>{const f=c.slice(0,3).map(v=>{v/=255;return v<=.03928?v/12.92:((v+.055)/1.055)**2.4});return .2126*f[0]+.7152*f[1]+.0722*f[2]};
	const ground=e=>{for(;e;e=e.parentElement){const c=rgb(getComputedStyle(e).backgroundColor);if(c[3]===1)return c}return [255,255,255,1]};
	const seen=new Set();
	for(const e of document.querySelectorAll('h1,h2,h3,h4,b,span,i,td,th,dt,dd,p,a,button,code,mark,label,small,caption')){
		if(!e.offsetParent||!e.textContent.trim())continue;
		const f=getComputedStyle(e),key=f.color+ground(e);if(seen.has(key))continue;seen.add(key);
		const a=lum(rgb(f.color)),b=lum(ground(e)),r=(Math.max(a,b)+.05)/(Math.min(a,b)+.05);
		if(r<4.5)out.push(r.toFixed(2)+' '+f.color+' on '+ground(e)+': '+e.className+' '+e.textContent.trim().slice(0,30));
	}
	return out})()`)
	for _, w := range wrong {
		t.Error(w)
	}
}

// TestLargePage: 5,000 differences are painted within a second and filtered within a
// tenth of one.
func TestLargePage(t *testing.T) {
	var a, b strings.Builder
	for i := range 5000 {
		fmt.Fprintf(&a, "CREATE TABLE t%04d (id INTEGER PRIMARY KEY, name TEXT NOT NULL, depth REAL, note TEXT DEFAULT 'new');\n", i)
		fmt.Fprintf(&b, "CREATE TABLE t%04d (id INTEGER PRIMARY KEY, name TEXT, depth REAL, old TEXT);\n", i)
	}
	dir := reports(t, a.String(), b.String(), "html")
	ctx := browser(t)
	do(t, ctx, chromedp.Navigate("file://"+filepath.Join(dir, "r.html")))
	paint := value[float64](t, ctx, `performance.getEntriesByName('first-contentful-paint')[0].startTime`)
	// The same work three times, the fastest: the machine may be busy.
	filter := value[float64](t, ctx, `(()=>{let best=1e9;const f=document.getElementById('find');for(const w of ['t49','t0001','t4']){f.value=w;const s=performance.now();f.dispatchEvent(new Event('input'));document.body.offsetHeight;best=Math.min(best,performance.now()-s)}return best})()`)
	if n := value[int](t, ctx, shown); n != 1000 {
		t.Errorf("%d found, want 1000", n)
	}
	st, err := os.Stat(filepath.Join(dir, "r.html"))
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d kB, painted after %.0f ms, filtered in %.0f ms", st.Size()/1024, paint, filter)
	if paint > 10_000 || filter > 1_000 {
		t.Errorf("painted after %.0f ms, filtered in %.0f ms: that is far from one second and a tenth of one", paint, filter)
	}
}

// TestOthers: sheet, values, Markdown and test results of the same hostile names say the
// same, and nothing in them runs.
func TestOthers(t *testing.T) {
	names := hostile(96)
	source, target := structures(names)
	dir := reports(t, source, target)
	book, err := excelize.OpenFile(filepath.Join(dir, "r.xlsx"))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	if got := strings.Join(book.GetSheetList(), " "); got != "Summary Differences Facts Steps" {
		t.Errorf("sheets: %s", got)
	}
	rows, err := book.GetRows("Differences")
	if err != nil || len(rows) != 97 || rows[0][3] != "name" {
		t.Errorf("%d rows, %v", len(rows), err)
	}
	for _, sheet := range book.GetSheetList() {
		if list, err := book.GetTables(sheet); err != nil || len(list) != 1 {
			t.Errorf("%s cannot be filtered: %v", sheet, err)
		}
		cells, err := book.GetRows(sheet)
		if err != nil {
			t.Fatal(err)
		}
		for y, row := range cells {
			for x := range row {
				at, _ := excelize.CoordinatesToCellName(x+1, y+1)
				if f, err := book.GetCellFormula(sheet, at); err != nil || f != "" {
					t.Errorf("%s!%s is a formula: %s %v", sheet, at, f, err)
				}
			}
		}
	}
	if soffice, err := exec.LookPath("soffice"); err == nil {
		cmd := exec.Command(soffice, "--headless", "--convert-to", "csv", "--outdir", dir, filepath.Join(dir, "r.xlsx"))
		cmd.Env = append(os.Environ(), "HOME="+t.TempDir())
		if out, err := cmd.CombinedOutput(); err != nil {
			t.Errorf("LibreOffice: %v %s", err, out)
		}
	}
	values, err := csv.NewReader(strings.NewReader(read(t, dir, "again.csv"))).ReadAll()
	if err != nil || len(values) != 97 {
		t.Errorf("%d lines of values, %v", len(values), err)
	}
	for _, row := range values {
		for _, cell := range row {
			if strings.IndexAny(cell, "=+-@\t\r") == 0 {
				t.Errorf("a value begins as a formula: %q", cell)
			}
		}
	}
	var suites struct {
		Failures int `xml:"failures,attr"`
		Tests    int `xml:"tests,attr"`
		Suites   []struct {
			Cases []struct {
				Name    string    `xml:"name,attr"`
				Failure *struct{} `xml:"failure"`
			} `xml:"testcase"`
		} `xml:"testsuite"`
	}
	if err := xml.Unmarshal([]byte(read(t, dir, "r.xml")), &suites); err != nil || suites.Failures != 96 || len(suites.Suites) != 2 || len(suites.Suites[0].Cases) != 97 || suites.Tests != 97+len(suites.Suites[1].Cases) {
		t.Errorf("%d failures of %d, %d suites, %v", suites.Failures, suites.Tests, len(suites.Suites), err)
	}
	var md bytes.Buffer
	// Raw HTML is shown, as merge requests show some of it: what is not ours would be seen.
	if err := goldmark.New(goldmark.WithExtensions(extension.GFM), goldmark.WithRendererOptions(html.WithUnsafe())).Convert([]byte(read(t, dir, "r.md")), &md); err != nil {
		t.Fatal(err)
	}
	text := md.String()
	for _, tag := range regexp.MustCompile(`<[a-zA-Z/!][^>]*>`).FindAllString(text, -1) {
		if !regexp.MustCompile(`^</?(details|summary|h3|h4|p|ul|li|strong|code|pre|em|del)( class="language-(diff|sql)")?>$`).MatchString(tag) {
			t.Errorf("a tag of a name: %s", tag)
		}
	}
	if strings.Count(text, "<details>") != strings.Count(text, "</details>") || strings.Count(text, "<details>") < 50 {
		t.Errorf("sections: %d and %d", strings.Count(text, "<details>"), strings.Count(text, "</details>"))
	}
	if n := len([]rune(read(t, dir, "r.md"))); n > 65_000 {
		t.Errorf("%d letters are too many for a comment", n)
	}
	large, small := structures(hostile(1500))
	if cut := read(t, reports(t, large, small, "md"), "r.md"); len([]rune(cut)) > 65_536 || !strings.Contains(cut, "left out here") {
		t.Errorf("%d letters, and not said to be cut", len([]rune(cut)))
	}
}
