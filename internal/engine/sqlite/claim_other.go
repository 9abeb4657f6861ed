//go:build !unix

package sqlite

import "os"

const noFollow = 0

type fileID struct{}

// identify: where closing a file takes no locks away, nothing need be known.
func identify(string) (fileID, bool) { return fileID{}, false }

// readLock leaves reading to SQLite, which knows this system's locks.
func readLock(*os.File) bool { return false }

func claimName(st os.FileInfo) string { return "dapper-mirror-" + st.Name() + ".claim" }

// tryLock leaves it to SQLite's own lock, which every script takes first.
func tryLock(*os.File) bool { return true }
