// Package local starts a throw-away database server from the programs that are
// installed on this machine: in a folder of its own, on a socket only, gone
// when it is stopped.
package local

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"sort"
	"strings"
	"time"

	"dappermirror/internal/files"
)

// ErrNoPrograms says that the engine's programs are not installed here.
var ErrNoPrograms = errors.New("the engine's server programs are not installed on this machine")

// Find finds a program in PATH or by patterns of folders; of several the last
// by name, which is the newest.
func Find(program string, folders ...string) (string, error) {
	var found []string
	for _, f := range folders {
		list, err := filepath.Glob(filepath.Join(f, program))
		if err != nil {
			return "", err
		}
		found = append(found, list...)
	}
	if len(found) > 0 {
		sort.Strings(found)
		return found[len(found)-1], nil
	}
	path, err := exec.LookPath(program)
	if err != nil {
		return "", fmt.Errorf("%w (%s was not found)", ErrNoPrograms, program)
	}
	return path, nil
}

// Server is a running throw-away server.
type Server struct {
	Dir    string // its folder, with its socket and its log
	cmd    *exec.Cmd
	exited chan struct{}
	as     *account
	forget func()
}

// New makes the folder of a server. Where the system's superuser runs us, the
// server runs as the given account, which the folder then belongs to.
func New(accountName string) (*Server, error) {
	dir, err := os.MkdirTemp("", "dapper-mirror-scratch-")
	if err != nil {
		return nil, err
	}
	s := &Server{Dir: dir}
	s.forget = files.OnExit(func() {
		if s.cmd != nil && s.cmd.Process != nil {
			_ = s.cmd.Process.Kill()
			<-s.exited
		}
		os.RemoveAll(dir)
	})
	if s.as, err = lookup(accountName); err == nil && s.as != nil {
		err = os.Chown(dir, s.as.uid, s.as.gid)
	}
	if err != nil {
		s.forget()
		os.RemoveAll(dir)
		return nil, err
	}
	return s, nil
}

// Run runs a program to its end, as the server's account.
func (s *Server) Run(ctx context.Context, program string, args ...string) error {
	cmd := exec.CommandContext(ctx, program, args...)
	s.atHome(cmd)
	out, err := cmd.CombinedOutput()
	if err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return fmt.Errorf("%s: %w: %s", filepath.Base(program), err, last(string(out)))
	}
	return nil
}

// atHome lets a command work in the server's folder, also with its temporary
// files: the account may not write where ours does.
func (s *Server) atHome(cmd *exec.Cmd) {
	cmd.Dir, cmd.Env = s.Dir, append(os.Environ(), "TMPDIR="+s.Dir)
	s.as.runs(cmd)
}

// last is the last line that says something.
func last(text string) string {
	lines := strings.Split(strings.TrimSpace(text), "\n")
	return lines[len(lines)-1]
}

// Start starts the server and waits until ready says yes. The server dies with
// us, whatever happens to us, where the system can see to that.
func (s *Server) Start(ctx context.Context, ready func(context.Context) error, program string, args ...string) error {
	log, err := os.Create(filepath.Join(s.Dir, "log"))
	if err != nil {
		return err
	}
	defer log.Close()
	s.cmd = exec.Command(program, args...)
	s.cmd.Stdout, s.cmd.Stderr = log, log
	s.atHome(s.cmd)
	dieWithUs(s.cmd)
	s.exited = make(chan struct{})
	started := make(chan error)
	go func() {
		// The system ties the child to this thread, not to the process.
		runtime.LockOSThread()
		defer runtime.UnlockOSThread()
		if err := s.cmd.Start(); err != nil {
			started <- err
			return
		}
		started <- nil
		_ = s.cmd.Wait()
		close(s.exited)
	}()
	if err := <-started; err != nil {
		s.cmd = nil
		return err
	}
	for {
		if err = ready(ctx); err == nil {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-s.exited:
			text, _ := os.ReadFile(log.Name())
			return fmt.Errorf("the server did not start: %s", last(string(text)))
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// Stop stops the server and removes its folder.
func (s *Server) Stop() error {
	if s.cmd != nil {
		_ = s.cmd.Process.Signal(quit)
		select {
		case <-s.exited:
		case <-time.After(20 * time.Second):
			_ = s.cmd.Process.Kill()
			<-s.exited
		}
	}
	s.forget()
	return os.RemoveAll(s.Dir)
}
