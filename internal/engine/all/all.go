// Package all links every engine into the program.
package all

import (
	_ "dappermirror/internal/engine/mysql"
	_ "dappermirror/internal/engine/postgres"
	_ "dappermirror/internal/engine/sqlite"
	_ "dappermirror/internal/engine/sqlserver"
)
