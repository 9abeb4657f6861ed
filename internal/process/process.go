// Package process is what the program is to its operating system: how it ends
// when it is told to, what others see of its arguments, and its pager.
package process

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"golang.org/x/term"

	"dappermirror/internal/files"
)

// grace is how long a SIGTERM leaves for an orderly end, and how long taking
// away what is left over may take.
const grace = 3 * time.Second

// Interrupts makes the first Ctrl-C or SIGTERM end the work in order, by the
// context. A second one, or the end of the grace a SIGTERM leaves, ends the
// program wherever it is: the operating system and the servers give its locks
// back and undo what was not committed. The exit code is then interrupted, or uncertain
// while a target is changing.
func Interrupts(stderr io.Writer, changing func() bool, interrupted, uncertain int) (context.Context, func()) {
	ctx, cancel := context.WithCancel(context.Background())
	signals := make(chan os.Signal, 4)
	done := make(chan struct{})
	signal.Notify(signals, os.Interrupt, syscall.SIGTERM)
	go func() {
		var late <-chan time.Time
		for first := true; ; first = false {
			select {
			case <-done:
				return
			case <-late:
			case s := <-signals:
				if first {
					cancel()
					if s == syscall.SIGTERM {
						late = time.After(grace)
					}
					continue
				}
			}
			leave(stderr, changing(), interrupted, uncertain)
		}
	}()
	return ctx, func() {
		signal.Stop(signals)
		close(done)
		cancel()
	}
}

// leave ends the program at once.
func leave(stderr io.Writer, changing bool, code, uncertain int) {
	cleared := make(chan struct{})
	go func() {
		files.Clear()
		close(cleared)
	}()
	select {
	case <-cleared:
	case <-time.After(grace):
	}
	state := "nothing was changed"
	if changing {
		code, state = uncertain, "a script was at work, and whether its last statement was kept is not known; check the target, or go on with apply --resume"
	}
	fmt.Fprintf(stderr, "dapper-mirror: ended at once; %s\n", state)
	os.Exit(code)
}

// pager is the pager for long results: what PAGER says, else less.
func pager() string {
	if p, set := os.LookupEnv("PAGER"); set {
		return p
	}
	for _, dir := range filepath.SplitList(os.Getenv("PATH")) {
		if st, err := os.Stat(filepath.Join(dir, "less")); err == nil && st.Mode()&0o111 != 0 {
			return "less"
		}
	}
	return ""
}

// Long tells whether a text is longer than the terminal it goes to, and there is
// a pager for it.
func Long(out *os.File, text []byte) bool {
	if !term.IsTerminal(int(out.Fd())) || pager() == "" {
		return false
	}
	_, h, err := term.GetSize(int(out.Fd()))
	return err == nil && bytes.Count(text, []byte("\n")) > h
}

// Page shows a text through the pager.
func Page(out *os.File, stderr io.Writer, text io.Reader) error {
	cmd := exec.Command("sh", "-c", pager())
	cmd.Stdin, cmd.Stdout, cmd.Stderr = text, out, stderr
	cmd.Env = append(os.Environ(), "LESS="+cmp.Or(os.Getenv("LESS"), "FRX"))
	return cmd.Run()
}

// Working shows that something goes on, and for how long, until the answer is
// called.
func Working(w io.Writer, what string) func() {
	done, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		start := time.Now()
		tick := time.NewTicker(200 * time.Millisecond)
		defer tick.Stop()
		shown := false
		for {
			select {
			case <-tick.C:
				shown = true
				fmt.Fprintf(w, "\r%s … %ds", what, int(time.Since(start).Seconds()))
			case <-done:
				if shown {
					fmt.Fprintf(w, "\r%s\r", strings.Repeat(" ", len(what)+12))
				}
				return
			}
		}
	}()
	return func() { close(done); <-ended }
}
