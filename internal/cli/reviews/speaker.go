package reviews

import (
	"fmt"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/colorprofile"

	"dappermirror/internal/report"
	"dappermirror/internal/review"
)

// noColour has signs alone tell things apart.
const noColour = colorprofile.ASCII

// speaker says at the foot of the review what happens meanwhile.
type speaker struct{ p *tea.Program }

func (s speaker) say(format string, args ...any) {
	// The program may be waiting for who tells it.
	go s.p.Send(review.Told(report.Safe(fmt.Sprintf(format, args...))))
}

func (s speaker) Note(format string, args ...any)   { s.say(format, args...) }
func (s speaker) Always(format string, args ...any) { s.say(format, args...) }
func (s speaker) Warn(format string, args ...any)   { s.say(format, args...) }
func (s speaker) Detail(string, ...any)             {}
func (s speaker) Working(string) func()             { return func() {} }
func (s speaker) Width() int                        { return 120 }
func (s speaker) Terminal() bool                    { return false }
