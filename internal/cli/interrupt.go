package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"os/signal"
	"syscall"
	"time"

	"dappermirror/internal/files"
)

// grace is how long a SIGTERM leaves for an orderly end, and how long taking
// away what is left over may take.
const grace = 3 * time.Second

// interrupts makes the first Ctrl-C or SIGTERM end the work in order, by the
// context. A second one, or the end of the grace a SIGTERM leaves, ends the
// program wherever it is: the operating system and the servers give its locks
// back and undo what was not committed.
func interrupts(stderr io.Writer, changing func() bool) (context.Context, func()) {
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
			leave(stderr, changing())
		}
	}()
	return ctx, func() {
		signal.Stop(signals)
		close(done)
		cancel()
	}
}

// leave ends the program at once.
func leave(stderr io.Writer, changing bool) {
	cleared := make(chan struct{})
	go func() {
		files.Clear()
		close(cleared)
	}()
	select {
	case <-cleared:
	case <-time.After(grace):
	}
	code, state := exitInterrupted, "nothing was changed"
	if changing {
		code, state = exitPartly, "a script was at work, and whether its last statement was kept is not known; check the target, or go on with apply --resume"
	}
	fmt.Fprintf(stderr, "dapper-mirror: ended at once; %s\n", state)
	os.Exit(code)
}
