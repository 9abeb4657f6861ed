//go:build !linux

package local

import "os/exec"

func dieWithUs(*exec.Cmd) {}
