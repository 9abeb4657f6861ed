package help

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/engine"
	"dappermirror/internal/report"
)

// Topics are the help texts that belong to no command.
func Topics() []*cobra.Command {
	var out []*cobra.Command
	for _, t := range []struct{ name, short, long string }{
		{"patterns", "How to name what counts, what may be lost, what is meant", patternsTopic},
		{"names", "When one thing has two names: pairs and renames", namesTopic},
		{"choices", "What to take, what to leave, and what to change in the source", choicesTopic},
		{"places", "Where structures are read from and written to", placesTopic},
		{"targets", "Many targets of one source", targetsTopic},
		{"tasks", "Saved comparisons, their runs, timers and messages", tasksTopic},
		{"exit-codes", "What the exit codes mean", exitTopic},
		{"kinds", "Which kinds of object each engine reads and writes", kindsTopic()},
		{"risks", "What can go wrong with a step", risksTopic},
		{"safety", "What makes a script safe to run, and what to do when a run stops", safetyTopic},
	} {
		out = append(out, &cobra.Command{Use: t.name, Short: t.short, Long: t.long})
	}
	return out
}

// kindsTopic lists, from the engines themselves, what they cover.
func kindsTopic() string {
	var b strings.Builder
	b.WriteString("The kinds each engine reads and writes, by the words patterns know them by.\nComments belong to everything that can have one; owners and grants count with\n--include. What a place holds beyond these is reported with its number, never\npassed over.\n")
	for _, e := range engine.All() {
		fmt.Fprintf(&b, "\n%s\n", e.Title())
		report.Hang(&b, "  proven on ", e.Proven(), helpWidth, nil)
		for _, k := range e.Kinds().List {
			note := k.Note
			if note == "" {
				note = "–"
			}
			report.Hang(&b, fmt.Sprintf("  %-25s ", k.Kind), note, helpWidth, nil)
		}
	}
	return strings.TrimRight(b.String(), "\n")
}

const patternsTopic = `A pattern names objects and parts:

  kind:schema.name.part

Each piece is a glob: * stands for any run of characters, ? for one. The kind
and all names but the last may be left out.

  berth                    everything called berth, whatever its kind
  table:berth              the table berth, with all its parts
  table:harbour.b*         tables of schema harbour that begin with b
  routine:*                all routines
  column:booking.pilotage  one column
  index:*.ix_*             indexes that begin with ix_

Names are compared as the engine compares them. A name that contains . : * ? = ,
or a quote is written in double quotes: table:"odd.name". Several patterns are
separated by commas, or the option is repeated. The kinds are those of the list
that compare prints, with a hyphen for a blank: primary-key, foreign-key,
virtual-table. A scope that names parts touches these parts and nothing else.`

const namesTopic = `A thing that has another name on the other side is, by itself, one that goes and
one that comes. Two options say that it is one thing:

  --pair SOURCE=TARGET   both names stay. References to it in views, routines,
                         keys, checks, defaults and grants are read as the other
                         side has them, and written with the target's names.
  --rename OLD=NEW       what the target calls OLD is what the source calls NEW:
                         the target's thing gets the new name, its rows stay,
                         and whatever refers to it follows.

Both name a kind and the things as patterns do; the second name can be the last
one alone:

  --pair schema:dev_app=app
  --pair 'table:dev_*=live_*'      each * stands for the same on both sides
  --rename column:vessel.flag=flag_state
  --rename table:ship=vessel,column:ship.tons=tonnage

All else about the thing is compared as usual, so it can be renamed and retyped in
one go. A rename of a column names its table as the target calls it. A pair or
rename that matches nothing, or gives one thing two names, is an error; a rename
that the target has behind it is passed over. In place, a rename is done where the
engine can: schemas, tables, columns, views, routines, sequences and types in
PostgreSQL; tables, views, sequences, columns and indexes in MariaDB; tables and
columns in SQLite. Other things are made anew under the new name.

Every comparison lists likely renames, with a weight, the reasons and the option
to type; compare --compare-rows lets a sample of the values on both sides, where
both are databases, raise or lower the weights. None is carried out unasked; sync asks about each on a terminal.`

const choicesTopic = `Unless something else is said, every difference goes to the target.

  --leave PATTERN       leave these differences as they are; also a column, an
                        index or a constraint of a table that changes otherwise
  --to-target PATTERN   take only these; what nothing names is left
  --to-source PATTERN   change the source instead: script --script-for-source
                        FILE writes the second script from the same comparison
  --leave-target-only   leave what only the target has
  --choices FILE        what becomes of each difference, in a file

The option that names a thing most closely counts: a part before its table, a name
before a pattern; of two that are equally close --to-source before --leave before
--to-target. Options count before the file.

"compare --choices-out FILE" writes every difference with what would happen, what
the target's rows say and its present choice, in YAML, to be edited and kept. An
entry that no difference answers to any more is said; differences that are new are
said, and follow the file's default. What is left by choice is still listed, and
compare exits with 0 when nothing else differs.

What a chosen thing needs and was not chosen, and what it would break, is listed
and refused (exit code 3); --add-needed takes it along. --remake PATTERN drops
what has no rows and makes it anew, where somebody wants that.`

const placesTopic = `A place is where a structure is read from or written to:

  live.db                    a SQLite file, recognised by its contents
  sqlite:live.db             the same, said outright
  postgres://user@host/name  a PostgreSQL database
  mariadb://user@host/name   a MariaDB database; mysql:// for MySQL
  sqlserver://user@host/name a SQL Server database
  live.json                  a capture, made with "capture live -o live.json"
  db/                        a folder of SQL texts: one made with "capture live
                             --as folder -o db/", or any other; their order is
                             found, numbers in their names count
  schema.sql                 an SQL text, or a dump: plain, .gz, .zst, .xz,
                             .bz2, pg_dump's custom, directory and tar forms
  all.sql#harbour            one database of a dump that has several
  git:main:db                a file or folder of a revision of this repository
  git:../other//v1.2:db      the same of another one; an address that git can
                             reach works too
  -                          a capture, text or dump on standard input
  live                       a name from the project file
  live@3, live@friday        a capture in the history of a named place

TEXTS. SQLite's are taken apart; PostgreSQL's, MariaDB's and MySQL's are run in a
scratch database, as an ordinary account, and removed. Say where: --scratch local
(a throw-away server of the programs installed here, which stays a minute for the
next call), or --scratch PLACE (a database beside that place). SQL Server's are run
on a model of the server, which is part of this program and needs no --scratch. What
would read or write files, run programs, reach other databases or change the server
is refused; rows are passed over. Which SQL a text is in, it says itself, or the
place it is compared with, or --dialect. Files may be in UTF-8 or UTF-16.

sync PLACE db/ writes exactly the files of what differs; statements that say the
same keep their bytes, and so does every comment. What could not be proved to say
then what it shall is refused, and nothing is written.

PROJECT FILE. dapper-mirror.yaml, here or in a folder above, names places:

  places:
    dev: db/                        # an address, or a file beside this one
    live:
      at: postgres://office@db.quillhaven.example/harbour
      password: {env: LIVE_PASSWORD}  # or {file: PATH}, {command: [PROGRAM]},
                                      # ask, engine (its own password files)
      tls: verify                     # off, prefer, require, verify-ca, verify;
                                      # or {mode: …, ca: …, cert: …, key: …}
      read-only: true                 # no command writes to it
      only: ["table:harbour.*"]       # what counts where it takes part;
      except: [...]                   # also tolerate: [...]
      dialect: postgres               # for texts; also scratch: local
  pairs:
    default: {source: dev, target: live}

Without places, compare, script and sync take the default pair; with one word the
pair of that name. A password in clear is refused. "places" lists them, "places live
--try" connects. docs/project.schema.json lets an editor check the file.

PostgreSQL places take what its own clients take: PGHOST, PGPASSWORD and the
other variables, the password file, the service file (?service=NAME), sslmode, a
socket folder (?host=/run/postgresql), several hosts. MariaDB and MySQL places
take ?socket=PATH, ?ssl-mode=required, ?ssl-ca=FILE, MYSQL_PWD, MYSQL_HOST and
~/.my.cnf. SQL Server places take ?encrypt=, ?certificate=FILE and what else its
driver takes; they are encrypted and verified where nothing else is said. A password
in a URL on the command line can be read by others while the program starts; it is
never printed.

A target that does not exist is an error unless --create is given. A source in
which there is nothing at all (the output of a command that failed, an empty
file) is refused unless --empty-source says that it is meant.`

const targetsTopic = `Every command that takes a target takes several: typed one by one, by a pattern of
names of places ('customer-*'), or from a file:

  compare dev customers/*.db
  compare dev 'customer-*' --parallel 8
  script  dev --targets customers.txt -o 'out/{target}.sql'
  apply   out/anna.sql --targets customers.txt --yes
  ls customers/*.db | dapper-mirror compare dev.db --targets -

The source is read once. --parallel says how many targets are at work at once (4);
what goes wrong with one stops no other, unless --stop-on-failure. Targets that
differ in the same way are shown together, and targets that need the same script
share one, in whose header they all stand. In names of files {target} is the name
of the place, or the end of its address. Ctrl-C ends what is at work; what was done
is done, and is said.

FILE. A place a line; empty lines and lines with # do not count. Or YAML, where each
can say what a place of the project file says, and what is said of a target:

  targets:
    - customer-anna
    - at: postgres://office@db.quillhaven.example/brine
      name: brine
      password: {env: BRINE_PASSWORD}
      may-lose: [column:booking.pilotage]   # also fill, pair, rename, leave
      only: ["table:*"]

--share 3/10 takes every tenth, from the third on, so that ten machines or CI jobs
divide a list; "task results" puts what they found together.

The exit code is the worst of all.`

const tasksTopic = `A task is a saved comparison of the project file:

  tasks:
    nightly:
      source: dev
      targets: [customer-*]         # or target:, or targets-file: customers.txt
      script: out/{target}.sql      # also backout:, reports: [result.json]
      rehearse: true
      apply: false                  # true runs the script, without asking
      history: true                 # capture each target into its history
      may-lose:
        - {pattern: column:booking.pilotage, until: 2026-12-31}
      fail-on: differences          # or losses, new, never
      baseline: nightly.baseline.json   # what fail-on: new knows already
      keep: 20 newest, 30 daily     # which runs are kept
      schedule: weekdays 06:00
      messages:
        - mail: {to: [office@quillhaven.example], from: mirror@quillhaven.example,
                 server: smtp://mail.quillhaven.example:587, user: mirror,
                 password: {env: MAIL_PASSWORD}, attach: true}
        - when: [failed]
          webhook: {url: https://hooks.quillhaven.example/mirror, secret: {env: HOOK}}
        - when: [done]
          command: [notify-send, Dapper Mirror]

and every option that says what counts, what is taken and how a script runs, as
tolerate: comments. compare, script and sync save what was typed with --save-task
NAME; a permission to lose something saved so ends after 30 days.

RUNS. Each is kept beside the project file (.dapper-mirror/tasks), with its log and
its scripts: task NAME --runs lists them, NAME@7 shows one again, NAME@5..7 says what
changed. One run of a task is at work at a time; the next is told. A run that died is
seen. --every 5m looks whether a place has changed, and runs then.

FAIL. With fail-on: new, task NAME --keep-baseline keeps what differs now as known.
What goes wrong with a target always fails.

MESSAGES. different and failed where when: says nothing; done is every time. Mail goes
by SMTP, with TLS or not at all (smtp:// begins it, smtps:// has it; smtp+off:// is for
none). A webhook gets JSON, signed: Dapper-Mirror-Signature is sha256= and the HMAC with
SHA-256 of Dapper-Mirror-Moment, a dot and the body. A command gets the JSON on its
input. No message holds a secret, nor what a server said, which may hold values of rows,
unless row-values: true. One that cannot be sent is said, kept, and tried again at the
next run; it never changes the result. task NAME --try-messages sends a test.

TIMERS. task NAME --write github, gitlab, jenkins, azure, cron, systemd or windows-task
writes the file by which that system runs it: the comparison, the scripts kept, and a
second step (--verify) that fails as the task says.`

const exitTopic = `  0    done, or nothing differs
  1    differences (compare), the target no longer fits (check), or the script
       does not end as promised (rehearse)
  2    trouble: usage, connection, bad input; nothing was changed
  3    safety held something back, or refused
  4    the target is partly changed, or its state is not known
  130  interrupted

Of several, the first of 4, 2, 3, 1, 0 counts.`

const risksTopic = `Each step of a script says what can go wrong with it:

  loss           rows or values are destroyed; held back unless --may-lose
                 names it
  will-fail      it fails on the rows that are there; held back
  may-fail       it fails on some rows; then nothing is changed
  rewrite        the table is copied, which takes time and space
  lock           others wait while it runs
  breaks-callers who uses the thing by its old name or shape fails

Where the target is a live database its rows are asked (row checks): the answer
says how many of them are concerned, with a query that lists them. A risk that
concerns no row is none: such a step runs, with a guard that stops the script
if rows have come since.

Rows that hold NULL in a column that becomes NOT NULL get what --fill says, or
else the source's default; with neither the step is held back.

A step that is held back stands in the script as a comment, with what depends on
it.`

const safetyTopic = `Before a script is written its risks are put to the target's rows, read-only,
several at once, each question for --row-check-time at most (5s; --row-checks
off leaves them out). "12 of 9,310 rows hold NULL": a step that the rows forbid
is held back (exit code 3), with the ways out: clean the rows, --fill a value,
or --except the thing. A step that no row stands in the way of carries a guard
in the script.

rehearse
  Runs the script on a scratch copy of the target's structure: in memory for
  SQLite; for servers --scratch local (a throw-away server started from the
  programs installed here) or --scratch PLACE, for SQL Server also --scratch
  model (a model of the server). --copy-rows N takes some rows along.
--backout
  Writes the way back beside the script. What came into new tables and columns
  meanwhile stops it, unless --may-lose names that.
apply
  Checks that the script is as it was written and the target as it was then,
  and that neither rows nor rights stand in the way; saves the structure
  (SCRIPT.before.json) and the rows that are lost by permission (SCRIPT.rows/,
  SQL that puts them back); checks once more inside the transaction; and proves
  at its end that the target is as the script promises. --backup-command runs a
  backup of your own first. One apply at a time runs on a target. A lock that is
  not granted within --lock-timeout is tried for --lock-tries times;
  --step-timeout limits a statement.
--resume
  Where statements commit one by one (MariaDB; steps outside PostgreSQL's
  transaction) a run record, SCRIPT.run.json, says what has run. When apply
  ended with exit code 4, or was killed, apply --resume finds out where it
  stands and goes on from there.
--avoid-blocking
  Writes the variants that keep others working: PostgreSQL builds indexes
  concurrently and validates constraints later, behind the transaction; MariaDB
  is told ALGORITHM and LOCK for each ALTER TABLE, so that it refuses rather
  than blocks. Each step says which lock it takes, and who waits.`
