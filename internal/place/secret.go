package place

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"time"

	"dappermirror/internal/engine"
)

// Secret says where a password comes from.
type Secret struct {
	Env     string
	File    string
	Command []string
	Ask     bool
}

// TLS says how a connection is protected.
type TLS = engine.TLS

// Named is a place that a settings file names.
type Named struct {
	At       string
	Password *Secret
	TLS      TLS
	ReadOnly string // the settings file and line that say so; "" where none does
	Dialect  string
	Scratch  string
	// Folder is that of the settings file: its history is kept there.
	Folder string
}

// commandTime is how long the command that answers a password may take.
const commandTime = time.Minute

// Get fetches the password. whose says in errors and prompts what it opens; ask
// asks a person for it, nil where nobody is there.
func (s *Secret) Get(ctx context.Context, whose string, ask func(context.Context, string) (string, error)) (string, error) {
	switch {
	case s.Env != "":
		v, ok := os.LookupEnv(s.Env)
		if !ok {
			return "", fmt.Errorf("%s: its password comes from the environment variable %s, which is not set", whose, s.Env)
		}
		return v, nil
	case s.File != "":
		data, err := os.ReadFile(s.File)
		if err != nil {
			return "", fmt.Errorf("%s: its password cannot be read: %w", whose, err)
		}
		return firstLine(data), nil
	case len(s.Command) > 0:
		ctx, cancel := context.WithTimeout(ctx, commandTime)
		defer cancel()
		cmd := exec.CommandContext(ctx, s.Command[0], s.Command[1:]...)
		cmd.Stdin, cmd.WaitDelay = os.Stdin, time.Second
		var errs bytes.Buffer
		cmd.Stderr = &errs
		out, err := cmd.Output()
		if err != nil {
			return "", fmt.Errorf("%s: the command that answers its password (%s) failed: %w: %s", whose, s.Command[0], err, firstLine(errs.Bytes()))
		}
		return firstLine(out), nil
	case ask == nil:
		return "", fmt.Errorf("%s: %w", whose, ErrNobody)
	}
	answer, err := ask(ctx, fmt.Sprintf("Password for %s: ", strings.TrimPrefix(whose, "place ")))
	if err != nil {
		return "", fmt.Errorf("%s: %w", whose, err)
	}
	return answer, nil
}

// ErrNobody says that a password is asked for and nobody is there to answer.
var ErrNobody = errors.New("its password is asked for, and nobody is there to answer; let it come from env, file or command")

func firstLine(data []byte) string {
	line, _, _ := strings.Cut(string(data), "\n")
	return strings.TrimSuffix(line, "\r")
}
