// Package built builds the program for tests that use libraries of others. They are a
// module of their own, so that the program depends on none of these.
package built

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
)

// Main builds the program, tells where it is, runs the tests and answers their exit
// code.
func Main(m *testing.M, program *string) int {
	dir, err := os.MkdirTemp("", "dapper-mirror-built")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(dir)
	*program = filepath.Join(dir, "dapper-mirror")
	build := exec.Command("go", "build", "-o", *program, "./cmd/dapper-mirror")
	build.Dir = filepath.Join("..", "..")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "building: %v\n%s", err, out)
		return 1
	}
	return m.Run()
}
