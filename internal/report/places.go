package report

import (
	"fmt"
	"io"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/script"
)

// JSONPlace is a place of the settings files, or one that was used.
type JSONPlace struct {
	Name     string   `json:"name,omitempty"`
	At       string   `json:"at"` // without secrets
	Engine   string   `json:"engine,omitempty"`
	From     string   `json:"from,omitempty"` // the settings file and the line
	Note     string   `json:"note,omitempty"`
	Password string   `json:"password_from,omitempty"` // where it comes from, never itself
	TLS      string   `json:"tls,omitempty"`
	ReadOnly bool     `json:"read_only,omitempty"`
	Dialect  string   `json:"dialect,omitempty"`
	Scratch  string   `json:"scratch,omitempty"`
	Only     []string `json:"only,omitempty"`
	Except   []string `json:"except,omitempty"`
	Tolerate []string `json:"tolerate,omitempty"`
	Trouble  string   `json:"trouble,omitempty"` // why it cannot be used
	Used     string   `json:"last_used,omitempty"`
	Times    int      `json:"times_used,omitempty"`
	Try      *JSONTry `json:"try,omitempty"`
}

// JSONTry is what came of trying a place.
type JSONTry struct {
	Server      string          `json:"server"`
	Account     string          `json:"account,omitempty"`
	TLS         string          `json:"tls,omitempty"`
	ReadMS      int64           `json:"read_ms"`
	Counts      []catalog.Count `json:"counts"`
	Fingerprint string          `json:"fingerprint,omitempty"`
	Unseen      []string        `json:"not_seen,omitempty"` // what may not be read
	Lacks       []string        `json:"lacks,omitempty"`    // rights that a script may want
}

// JSONPair are two places of a settings file that are compared.
type JSONPair struct {
	Name   string `json:"name"`
	Source string `json:"source"`
	Target string `json:"target"`
}

// PlaceMarks are what is worth a word in a list of places.
func PlaceMarks(p JSONPlace) string {
	var out []string
	if p.ReadOnly {
		out = append(out, "read-only")
	}
	if len(p.Only)+len(p.Except) > 0 {
		out = append(out, "with a scope")
	}
	if len(p.Tolerate) > 0 {
		out = append(out, "tolerates "+strings.Join(p.Tolerate, ", "))
	}
	if len(out) == 0 {
		return ""
	}
	return "  (" + Safe(strings.Join(out, "; ")) + ")"
}

// mostLacks is how many rights are listed that are lacking.
const mostLacks = 12

// Place writes all that is known of a place.
func Place(w io.Writer, p JSONPlace, st Style) {
	line := func(name, text string) {
		if text == "" {
			return
		}
		for i, l := range script.Wrap(text, st.Width-12) {
			if i > 0 {
				name = ""
			}
			fmt.Fprintf(w, "%-11s %s\n", name, l)
		}
	}
	line("place", Safe(p.Name))
	line("note", Safe(p.Note))
	line("at", Safe(p.At))
	line("from", Safe(p.From))
	line("engine", Safe(engine.Title(p.Engine)))
	line("password", Safe(p.Password))
	line("tls", Safe(p.TLS))
	if p.ReadOnly {
		line("read-only", "no command writes to it")
	}
	line("dialect", Safe(p.Dialect))
	line("scratch", Safe(p.Scratch))
	line("only", Safe(strings.Join(p.Only, ", ")))
	line("except", Safe(strings.Join(p.Except, ", ")))
	line("tolerate", Safe(strings.Join(p.Tolerate, ", ")))
	line("trouble", st.Warn(Safe(p.Trouble)))
	t := p.Try
	if t == nil {
		return
	}
	fmt.Fprintln(w)
	line("server", Safe(t.Server))
	line("account", Safe(t.Account))
	line("connection", Safe(t.TLS))
	line("read", fmt.Sprintf("%s, in %d ms", CountWords(t.Counts), t.ReadMS))
	for i, u := range t.Unseen {
		line(map[bool]string{true: "not seen"}[i == 0], Safe(u))
	}
	if len(t.Unseen) == 0 {
		line("not seen", "nothing was hidden")
	}
	for i, l := range t.Lacks[:min(len(t.Lacks), mostLacks)] {
		line(map[bool]string{true: "lacks"}[i == 0], Safe(l))
	}
	if n := len(t.Lacks) - mostLacks; n > 0 {
		line("", words.Number(n, "more right", "more rights"))
	}
	if len(t.Lacks) == 0 {
		line("lacks", "nothing that a script here could want")
	}
}
