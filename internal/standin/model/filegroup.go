package model

import (
	"slices"
	"strings"

	"dappermirror/internal/core/sqltext"
)

// fileGroup is a filegroup besides PRIMARY.
type fileGroup struct {
	name          string
	files, memory bool
}

// filegroup is the number of a filegroup in which something is to lie, 0 for the first one.
func (x *session) filegroup(name string) int {
	switch strings.ToLower(name) {
	case "", "default":
		return x.d.defaultGroup
	case "primary":
		return 0
	}
	at := x.d.filegroup(name)
	if at < 0 && x.s.Implied {
		x.d.filegroups = append(x.d.filegroups, fileGroup{name: name, files: true})
		at = len(x.d.filegroups) - 1
	}
	switch {
	case at < 0:
		panic(fail(1921, "Invalid filegroup '%s' specified.", name))
	case !x.d.filegroups[at].files:
		panic(fail(622, "The filegroup \"%s\" has no files assigned to it. Tables, indexes, text columns, ntext columns, and image columns cannot be populated on this filegroup until a file is added.", name))
	}
	return at + 2
}

func (d *database) filegroup(name string) int {
	return slices.IndexFunc(d.filegroups, func(g fileGroup) bool { return d.fold(g.name) == d.fold(name) })
}

// alterDatabase adds a filegroup to a database, or a file to a filegroup.
func (x *session) alterDatabase(words []sqltext.Token) {
	is := func(at int, word string) bool { return len(words) > at && words[at].Is(word) }
	last := words[len(words)-1].Name()
	name := words[min(2, len(words)-1)].Name()
	d := x.s.dbs[strings.ToLower(name)]
	if d == nil && is(2, "current") {
		d = x.d
	}
	memory := is(6, "contains") && is(7, "memory_optimized_data") && len(words) == 8
	if memory {
		words, last = words[:6], words[5].Name()
	}
	if is(3, "modify") && is(4, "filegroup") && is(6, "default") && len(words) == 7 && d != nil && x.depth == 0 {
		g := words[5].Name()
		if at := d.filegroup(g); at >= 0 && d.filegroups[at].files {
			d.defaultGroup = at + 2
			return
		} else if strings.EqualFold(g, "PRIMARY") {
			d.defaultGroup = 0
			return
		}
		panic(fail(5050, "Filegroup '%s' does not exist, or has no files.", g))
	}
	group, file := is(3, "add") && is(4, "filegroup") && len(words) == 6, is(3, "add") && is(4, "file") && is(len(words)-3, "to") && is(len(words)-2, "filegroup")
	switch {
	case x.depth > 0:
		panic(fail(226, "ALTER DATABASE statement not allowed within multi-statement transaction."))
	case d == nil:
		panic(fail(5011, "User does not have permission to alter database '%s', the database does not exist, or the database is not in a state that allows access checks.", name))
	case group && (strings.EqualFold(last, "PRIMARY") || d.filegroup(last) >= 0):
		panic(fail(1828, "The logical file name \"%s\" is already in use. Choose a different name.", last))
	case group:
		d.filegroups = append(d.filegroups, fileGroup{name: last, memory: memory})
	case file && d.filegroup(last) < 0:
		panic(fail(5050, "Filegroup '%s' does not exist.", last))
	case file:
		d.filegroups[d.filegroup(last)].files = true
	default:
		panic(fail(unknown, "The stand-in does not know this ALTER DATABASE."))
	}
}

func showFilegroups(x *session, add func(...any)) {
	add("PRIMARY", int64(1), "FG", "ROWS_FILEGROUP", bit(x.d.defaultGroup == 0), int64(0), int64(0))
	for n, g := range x.d.filegroups {
		typ, word := "FG", "ROWS_FILEGROUP"
		if g.memory {
			typ, word = "FX", "MEMORY_OPTIMIZED_DATA_FILEGROUP"
		}
		add(g.name, int64(n+2), typ, word, bit(x.d.defaultGroup == n+2), int64(0), int64(0))
	}
}

func showDataSpaces(x *session, add func(...any)) {
	showFilegroups(x, func(row ...any) { add(row[:6]...) })
	for _, s := range x.d.partSchemes {
		add(s.name, int64(s.id), "PS", "PARTITION_SCHEME", int64(0), int64(0))
	}
}

// spaceOf is the number of the data space of an index.
func spaceOf(i *index) int64 { return int64(max(i.space, 1)) }
