package work

import (
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/order"
	"dappermirror/internal/place"
)

// Event is something that happened, or begins. Whoever listens finds the words.
type Event any

// The events.
type (
	// PasswordShown says that a password stands where others can read it.
	PasswordShown struct{}
	// Reading says that a place begins to be read, BothRead how two were.
	Reading  struct{ Place *place.Place }
	BothRead struct {
		Catalogs [2]*catalog.Catalog // source and target
		Took     [2]time.Duration
	}
	// Busy says that something takes a while, Idle that it is over.
	Busy struct{ Doing Doing }
	Idle struct{}

	// IdleWish is a wish that no difference answers to, NewDifferences are those
	// that a file of choices does not know, with what becomes of them.
	IdleWish       struct{ Text string }
	NewDifferences struct {
		Things  []catalog.Ref
		Default choose.Decision
	}
	// NotRemade is something that cannot be made anew by itself.
	NotRemade struct{ What catalog.Ref }
	// TakenAlong is something that is taken along because another thing needs it.
	TakenAlong struct{ choose.Missing }
	// RenamedBefore is a rename that was carried out before.
	RenamedBefore struct{ Text string }
	// CoversNothing is a tolerance that the engine has nothing for.
	CoversNothing struct{ Tolerance, Engine string }

	// Ordering says that the steps for some differences are put in order.
	Ordering struct{ Differences int }
	// Stuck is something in scope that cannot come or go by itself.
	Stuck struct{ choose.Missing }
	// Asking says how many questions the rows are asked, Asked each of them.
	Asking struct{ Questions int }
	Asked  struct{ Query string }
	// AtWork is a session that is busy on the target's tables.
	AtWork struct{ Who string }

	// RehearsalStep says that a rehearsal begins a step.
	RehearsalStep struct {
		Step, Of int
		Title    string
	}

	// NotAsked is a thing that differs, and counts only with its group.
	NotAsked struct {
		What  catalog.Ref
		Group string
	}

	// NothingToDo says that the target is as the script would leave it.
	NothingToDo struct{}
	// GoingOn says with which step a run goes on that stopped half way.
	GoingOn struct{ Step int }
	// Fails is a step that the rows still stand in the way of.
	Fails struct{ Text string }
	// BackedUp names the file that has the target's structure; BackupCommand
	// says that the user's own backup runs.
	BackedUp      struct{ File string }
	BackupCommand struct{}
	// RowsSaved says where rows are that will be lost.
	RowsSaved struct {
		Rows int
		File string
	}
	// StepBegun and StatementBegun tell how a run goes, Ran that it is over.
	StepBegun struct {
		Step, Of int
		Title    string
		After    time.Duration // since the run began
	}
	StatementBegun struct{ Text string }
	Ran            struct{ After time.Duration }
	// NoLock says that a lock is tried for once more.
	NoLock struct {
		Try, Of         int
		Wanted, Holders []string
	}
	// LostAtCommit says that the connection was lost when all was to be kept.
	LostAtCommit struct{}
	// NotAsPromised is what an edited script left otherwise than it promises.
	NotAsPromised struct{ Things []string }
)

// Doing is what takes a while.
type Doing int

// What takes a while.
const (
	ReadingBoth Doing = iota
	AskingRows
	Rehearsing
)

// Approval is what somebody is to agree to before a script runs.
type Approval struct {
	Target *place.Place
	Steps  int
	Losses []order.Risk
	Gone   []string // what only the target has and goes
	Edited bool     // the script is not as it was written
	Files  int      // of texts that are written anew, where it is no script
}
