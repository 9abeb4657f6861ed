//go:build !unix

package local

import (
	"os"
	"os/exec"
)

var quit = os.Kill

type account struct{ uid, gid int }

func lookup(string) (*account, error) { return nil, nil }

func (*account) runs(*exec.Cmd) {}
