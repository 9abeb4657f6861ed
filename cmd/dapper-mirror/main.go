// Command dapper-mirror compares two databases and writes the script that
// brings the target in line with the source.
package main

import (
	"os"
	"runtime/debug"

	"dappermirror/internal/cli"
	"dappermirror/internal/process"
)

func main() {
	// The program is short-lived and builds what it keeps: collecting less
	// often is faster, and memory stays in proportion.
	debug.SetGCPercent(800)
	os.Exit(cli.Main(process.Arguments(), os.Stdin, os.Stdout, os.Stderr))
}
