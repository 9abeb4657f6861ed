package cli

import (
	"fmt"
	"time"

	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/process"
	"dappermirror/internal/report"
	"dappermirror/internal/settings"
	"dappermirror/internal/work"
)

// tell finds the words for what happens.
func (a *app) tell(e work.Event) {
	switch e := e.(type) {
	case work.PasswordShown:
		a.warn("a password on the command line can be read by others on this machine; use a password file, PGPASSWORD or a place in %s", settings.ProjectFile)
	case work.Reading:
		a.detail("reading %s", e.Place.Label)
	case work.BothRead:
		for i, c := range e.Catalogs {
			a.note("read %s: %s (%s %s, %s)", c.Place, report.Counts(c), engine.Title(c.Engine), c.Version, e.Took[i].Round(time.Millisecond))
		}
		if !a.quiet && isTerminal(a.stderr) {
			fmt.Fprintln(a.stderr)
		}
	case work.Busy:
		a.idle = a.working(map[work.Doing]string{work.ReadingBoth: "reading both sides", work.AskingRows: "asking the target's rows", work.Rehearsing: "rehearsing"}[e.Doing])
	case work.Idle:
		a.idle()
	case work.NotAsked:
		a.note("not counted  the %s differ; --include %s compares them", e.Group, e.Group)
	case work.IdleWish:
		a.note("a choice about %s matches no difference", e.Text)
	case work.NewDifferences:
		var list []string
		for _, r := range e.Things {
			list = append(list, r.String())
		}
		a.note("new, and not in the choices (%s): %s", e.Default, words.Join(list, 10))
	case work.TakenAlong:
		if e.Goes {
			a.note("taken along  %s, since it stands on %s, which goes", e.Needs, e.Thing)
		} else {
			a.note("taken along  %s, since %s needs it", e.Needs, e.Thing)
		}
	case work.RenamedBefore:
		a.note("--rename %s: the target has the new name already", e.Text)
	case work.CoversNothing:
		a.note("--tolerate %s covers nothing of %s; see tolerances", e.Tolerance, engine.Title(e.Engine))
	case work.Ordering:
		a.detail("ordering the steps for %s", words.Number(e.Differences, "difference", "differences"))
	case work.Stuck:
		if e.Goes {
			a.always("cannot go  %s is needed by %s, which stays", e.Thing, e.Needs)
			return
		}
		a.always("cannot come  %s needs %s, which the target lacks and which is left out", e.Thing, e.Needs)
	case work.Asking:
		a.detail("asking the target's rows %s", words.Number(e.Questions, "question", "questions"))
	case work.Asked:
		a.detail("        %s", e.Query)
	case work.AtWork:
		a.note("at work now  %s", e.Who)
	case work.RehearsalStep:
		a.detail("rehearsing step %d of %d  %s", e.Step, e.Of, e.Title)
	default:
		a.tellRun(e)
	}
}

// tellRun finds the words for what happens while a script is run.
func (a *app) tellRun(e work.Event) {
	switch e := e.(type) {
	case work.NothingToDo:
		a.note("the target is already as the script would leave it; nothing to do")
	case work.GoingOn:
		a.note("going on with step %d", e.Step)
	case work.Fails:
		a.note("will fail  %s", e.Text)
	case work.BackedUp:
		a.note("saved the target's structure in %s", e.File)
	case work.BackupCommand:
		a.note("running the backup command")
	case work.RowsSaved:
		a.note("saved  %s in %s", words.Number(e.Rows, "row", "rows"), e.File)
	case work.StepBegun:
		digits := len(fmt.Sprint(e.Of))
		head := fmt.Sprintf("%6.1fs  step %*d of %d  ", e.After.Seconds(), digits, e.Step, e.Of)
		a.note("%s%s", head, report.Shorten(e.Title, a.style().Width-len(head)))
	case work.StatementBegun:
		a.detail("        %s", e.Text)
	case work.Ran:
		a.note("%6.1fs  done", e.After.Seconds())
	case work.NoLock:
		on := "the target"
		if len(e.Wanted) > 0 {
			on = words.Join(e.Wanted, 3)
		}
		a.note("no lock on %s yet; trying again (%d of %d)", report.Safe(on), e.Try, e.Of)
		for _, h := range e.Holders {
			a.note("        %s", report.Safe(h))
		}
	case work.LostAtCommit:
		a.note("the connection was lost at COMMIT; asking the server what became of it")
	case work.NotAsPromised:
		a.warn("the script was edited, and the target is not as it was to be: %s", words.Join(e.Things, 5))
	}
}

// detail says what is done, for who asked with --verbose.
func (a *app) detail(format string, args ...any) {
	if a.verbose {
		fmt.Fprintf(a.stderr, "%s\n", report.Safe(fmt.Sprintf(format, args...)))
	}
}

// working shows on a terminal that work goes on, until the answer is called.
func (a *app) working(what string) func() {
	if a.progress == "never" || a.quiet || a.progress == "auto" && !isTerminal(a.stderr) {
		return func() {}
	}
	return process.Working(a.stderr, what)
}
