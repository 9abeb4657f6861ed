// Package tell finds the words for what happens while the program works.
package tell

import (
	"fmt"
	"time"

	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/report"
	"dappermirror/internal/settings"
	"dappermirror/internal/work"
)

// Speaker says something to people, in one of several degrees.
type Speaker interface {
	Note(format string, args ...any)
	Always(format string, args ...any) // also with --quiet
	Warn(format string, args ...any)   // should not be overlooked
	Detail(format string, args ...any) // for who asked with --verbose
	Working(what string) (idle func()) // shows that work goes on
	Width() int                        // of a line
	Terminal() bool                    // somebody looks on
}

// Words tells a speaker what happens, event by event.
func Words(s Speaker) func(work.Event) {
	t := &teller{Speaker: s, idle: func() {}}
	return t.tell
}

type teller struct {
	Speaker
	idle func()
}

// among speaks of one of several targets: what must be known is said with its name,
// the rest only to who asked with --verbose.
type among struct {
	Speaker
	target string
}

func (a among) Note(format string, args ...any)   { a.Detail(format, args...) }
func (a among) Always(format string, args ...any) { a.Speaker.Always("%s: "+format, a.with(args)...) }
func (a among) Warn(format string, args ...any)   { a.Speaker.Warn("%s: "+format, a.with(args)...) }
func (a among) Detail(format string, args ...any) { a.Speaker.Detail("%s: "+format, a.with(args)...) }
func (a among) with(args []any) []any             { return append([]any{a.target}, args...) }
func (a among) Working(string) func()             { return func() {} }
func (a among) Terminal() bool                    { return false }

func (a *teller) tell(e work.Event) {
	switch e := e.(type) {
	case work.OfTarget:
		(&teller{Speaker: among{a.Speaker, e.Target}, idle: func() {}}).tell(e.Event)
	case work.PasswordShown:
		a.Warn("a password on the command line can be read by others on this machine; name where it comes from in %s, or use the server's own password file or variable", settings.ProjectFile)
	case work.Reading:
		a.Detail("reading %s", e.Place.Label)
	case work.BothRead:
		for i, c := range e.Catalogs {
			a.Note("read %s: %s (%s %s, %s)", c.Place, report.Counts(c), engine.Title(c.Engine), c.Version, e.Took[i].Round(time.Millisecond))
		}
		if a.Terminal() {
			a.Note("")
		}
	case work.Busy:
		a.idle = a.Working(map[work.Doing]string{work.ReadingBoth: "reading both sides", work.AskingRows: "asking the target's rows", work.Rehearsing: "rehearsing"}[e.Doing])
	case work.Idle:
		a.idle()
	case work.NotAsked:
		a.Note("not counted  the %s differ; --include %s compares them", e.Group, e.Group)
	case work.IdleWish:
		a.Note("a choice about %s matches no difference", e.Text)
	case work.NewDifferences:
		var list []string
		for _, r := range e.Things {
			list = append(list, r.String())
		}
		a.Note("new, and not in the choices (%s): %s", e.Default, words.Join(list, 10))
	case work.TakenAlong:
		if e.Goes {
			a.Note("taken along  %s, since it stands on %s, which goes", e.Needs, e.Thing)
		} else {
			a.Note("taken along  %s, since %s needs it", e.Needs, e.Thing)
		}
	case work.NotRemade:
		a.Always("not made anew  %s: it is part of what it stands in, and cannot go by itself", e.What)
	case work.RenamedBefore:
		a.Note("--rename %s: the target has the new name already", e.Text)
	case work.CoversNothing:
		a.Note("--tolerate %s covers nothing of %s; see tolerances", e.Tolerance, engine.Title(e.Engine))
	case work.Ordering:
		a.Detail("ordering the steps for %s", words.Number(e.Differences, "difference", "differences"))
	case work.Stuck:
		if e.Goes {
			a.Always("cannot go  %s is needed by %s, which stays", e.Thing, e.Needs)
			return
		}
		a.Always("cannot come  %s needs %s, which the target lacks and which is left out", e.Thing, e.Needs)
	case work.Asking:
		a.Detail("asking the target's rows %s", words.Number(e.Questions, "question", "questions"))
	case work.Asked:
		a.Detail("        %s", e.Query)
	case work.AtWork:
		a.Note("at work now  %s", e.Who)
	case work.RehearsalStep:
		a.Detail("rehearsing step %d of %d  %s", e.Step, e.Of, e.Title)
	default:
		a.run(e)
	}
}

// tellRun finds the words for what happens while a script is run.
func (a *teller) run(e work.Event) {
	switch e := e.(type) {
	case work.NothingToDo:
		a.Note("the target is already as the script would leave it; nothing to do")
	case work.GoingOn:
		a.Note("going on with step %d", e.Step)
	case work.Fails:
		a.Note("will fail  %s", e.Text)
	case work.BackedUp:
		a.Note("saved the target's structure in %s", e.File)
	case work.BackupCommand:
		a.Note("running the backup command")
	case work.RowsSaved:
		a.Note("saved  %s in %s", words.Number(e.Rows, "row", "rows"), e.File)
	case work.StepBegun:
		digits := len(fmt.Sprint(e.Of))
		head := fmt.Sprintf("%6.1fs  step %*d of %d  ", e.After.Seconds(), digits, e.Step, e.Of)
		a.Note("%s%s", head, report.Shorten(e.Title, a.Width()-len(head)))
	case work.StatementBegun:
		a.Detail("        %s", e.Text)
	case work.Ran:
		a.Note("%6.1fs  done", e.After.Seconds())
	case work.NoLock:
		on := "the target"
		if len(e.Wanted) > 0 {
			on = words.Join(e.Wanted, 3)
		}
		a.Note("no lock on %s yet; trying again (%d of %d)", report.Safe(on), e.Try, e.Of)
		for _, h := range e.Holders {
			a.Note("        %s", report.Safe(h))
		}
	case work.LostAtCommit:
		a.Note("the connection was lost at COMMIT; asking the server what became of it")
	case work.NotAsPromised:
		a.Warn("the script was edited, and the target is not as it was to be: %s", words.Join(e.Things, 5))
	}
}
