//go:build unix

package local

import (
	"fmt"
	"os"
	"os/exec"
	"os/user"
	"strconv"
	"syscall"
)

// quit makes a server stop at once without keeping anything.
const quit = syscall.SIGQUIT

type account struct{ uid, gid int }

// lookup finds the account to run as: nil where we are nobody special.
func lookup(name string) (*account, error) {
	if os.Geteuid() != 0 || name == "" {
		return nil, nil
	}
	u, err := user.Lookup(name)
	if err != nil {
		if u, err = user.Lookup("nobody"); err != nil {
			return nil, fmt.Errorf("the server refuses to run as root, and there is no account %s: %w", name, err)
		}
	}
	uid, err := strconv.Atoi(u.Uid)
	if err != nil {
		return nil, err
	}
	gid, err := strconv.Atoi(u.Gid)
	if err != nil {
		return nil, err
	}
	return &account{uid, gid}, nil
}

func (a *account) runs(cmd *exec.Cmd) {
	if a != nil {
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uint32(a.uid), Gid: uint32(a.gid)}}
	}
}

// ours tells why a folder is not safe to agree by with our own calls.
func ours(dir string) error {
	st, err := os.Lstat(dir)
	if err != nil {
		return err
	}
	sys, ok := st.Sys().(*syscall.Stat_t)
	if !st.IsDir() || !ok || int(sys.Uid) != os.Getuid() || st.Mode().Perm()&0o077 != 0 {
		return fmt.Errorf("%s does not belong to this account alone", dir)
	}
	return nil
}

// apart lets a command outlive us: it has a session of its own.
func apart(cmd *exec.Cmd) { cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true} }
