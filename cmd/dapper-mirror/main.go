// Command dapper-mirror compares two databases and writes the script that
// brings the target in line with the source.
package main

import (
	"os"

	"dappermirror/internal/cli"
)

func main() {
	os.Exit(cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr))
}
