package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/engine"
	"dappermirror/internal/place"
)

// topics are the help texts that belong to no command.
func topics() []*cobra.Command {
	var out []*cobra.Command
	for _, t := range []struct{ name, short, long string }{
		{"patterns", "How to name what counts, what may be lost, what is meant", patternsTopic},
		{"places", "Where structures are read from and written to", placesTopic},
		{"exit-codes", "What the exit codes mean", exitTopic},
		{"kinds", "Which kinds of object each engine reads and writes", kindsTopic()},
		{"risks", "What can go wrong with a step", risksTopic},
	} {
		out = append(out, &cobra.Command{Use: t.name, Short: t.short, Long: t.long})
	}
	return out
}

// kindsTopic lists, from the engines themselves, what they cover.
func kindsTopic() string {
	var b strings.Builder
	b.WriteString("The kinds each engine reads and writes, by the words patterns know them by. Comments\nbelong to all that can have one; owners and grants count with --include. What a place\nholds beyond these is said with its number, never passed over.\n")
	for _, e := range place.Engines {
		s, ok := e.(engine.Surveyor)
		if !ok {
			continue
		}
		fmt.Fprintf(&b, "\n%s\n", e.Title())
		for _, k := range s.Kinds() {
			note := k.Note
			if note == "" {
				note = "–"
			}
			hang(&b, fmt.Sprintf("  %-25s ", k.Kind), note, 86, nil)
		}
	}
	return strings.TrimRight(b.String(), "\n")
}

const patternsTopic = `A pattern names objects and parts:

  kind:schema.name.part

Each piece is a glob: * stands for any run of characters, ? for one. The kind and
all names but the last may be left out.

  berth                    everything called berth, whatever its kind
  table:berth              the table berth, with all its parts
  table:harbour.b*         tables of schema harbour that begin with b
  routine:*                all routines
  column:booking.pilotage  one column
  index:*.ix_*             indexes that begin with ix_

Names are compared as the engine compares them. A name that contains . : * ? = , or
a quote is written in double quotes: table:"odd.name". Several patterns are separated
by commas, or the option is repeated. The kinds are those of the list that compare
prints, with a hyphen for a blank: primary-key, foreign-key, virtual-table.`

const placesTopic = `A place is where a structure is read from or written to:

  live.db                        a SQLite file, recognised by its contents
  sqlite:live.db                 the same, said outright
  postgres://user@host/name      a PostgreSQL database
  mariadb://user@host/name       a MariaDB database; mysql:// for MySQL
  live.json                      a capture, made with "dapper-mirror capture"
  schema.sql, schema/            SQL texts of SQLite, also what .dump writes; rows are
                                 passed over and nothing is loaded
  -                              a capture or SQL text on standard input
  live                           a name from the project file dapper-mirror.yaml:

      places:
        live: postgres://harbour@db.example/live

PostgreSQL places take what its own clients take: PGHOST, PGPASSWORD and the other
variables, the password file, the service file (?service=NAME), sslmode, a socket
folder (?host=/run/postgresql), several hosts. MariaDB and MySQL places take
?socket=PATH and ?ssl-mode=required, MYSQL_PWD, MYSQL_HOST and ~/.my.cnf. A password
in a URL on the command line can be read by others; it is never printed.

A target that does not exist is an error unless --create is given.`

const exitTopic = `  0    done, or nothing differs
  1    differences (compare), or the target no longer fits (check)
  2    trouble: usage, connection, bad input; nothing was changed
  3    safety held something back, or refused
  4    the target is partly changed, or its state is not known
  130  interrupted

Of several, the first of 4, 2, 3, 1, 0 counts.`

const risksTopic = `Each step of a script says what can go wrong with it:

  loss           rows or values are destroyed; held back unless --may-lose names it
  will-fail      it fails on the rows that are there
  may-fail       it fails on some rows; then nothing is changed
  rewrite        the table is copied, which takes time and space
  lock           others wait while it runs
  breaks-callers who uses the thing by its old name or shape fails

A step that is held back stands in the script as a comment, with what depends on it.`
