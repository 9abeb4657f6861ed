package local

import (
	"os/exec"
	"syscall"
)

// dieWithUs makes the system stop the child when we are gone.
func dieWithUs(cmd *exec.Cmd) {
	if cmd.SysProcAttr == nil {
		cmd.SysProcAttr = &syscall.SysProcAttr{}
	}
	cmd.SysProcAttr.Pdeathsig = syscall.SIGQUIT
}
