//go:build !unix

package sqlite

import "os"

func claimName(st os.FileInfo) string { return "dapper-mirror-" + st.Name() + ".claim" }

// tryLock leaves it to SQLite's own lock, which every script takes first.
func tryLock(*os.File) bool { return true }
