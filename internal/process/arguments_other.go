//go:build !linux

package process

import "os"

// Arguments answers the arguments: this system shows copies of them that
// cannot be changed.
func Arguments() []string { return os.Args[1:] }
