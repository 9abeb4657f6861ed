// Package project has the commands about what a project's folder keeps: named
// places, and their histories.
package project

import (
	"bytes"
	"context"

	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/settings"
	"dappermirror/internal/work"
)

// App is the command line that the commands are part of.
type App interface {
	Settings() *settings.Settings
	Work() *work.Session
	// Out takes the result, which is written when the command ends well.
	Out() *bytes.Buffer
	Style() report.Style
	JSON() bool
	WriteJSON(fill func(*report.Output)) error
	Note(format string, args ...any)
	Warn(format string, args ...any)
	// Ends notes an exit code; of several the worst counts.
	Ends(code int)
	// Compare compares two places and writes what it found, or adds it to out
	// where the result is JSON.
	Compare(ctx context.Context, source, target string, detail bool, out *[]report.JSONComparison) error
}

type commands struct{ App }

// Of are the commands of an application.
func Of(a App) *commands { return &commands{a} }

// Label is a place as people are shown it, without secrets.
func Label(text string) string {
	p, err := place.Resolve(text, place.Options{Create: true})
	if err != nil {
		return "(not understood)"
	}
	return p.Label
}
