package reader

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"strconv"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

// What the server prints an expression from is the tree it stores. Two trees
// that are equal, once the oids in them are names and the places in the
// original text are left out, print the same; so most expressions need not be
// printed at all, which is what reading costs. It holds within one major
// version only, and whatever cannot be told for sure gets no key: then both
// sides are printed.

// firstInitOid is the first oid that is given when a cluster is made: below
// it, oids mean the same everywhere (PostgreSQL: FirstGenbkiObjectId).
const firstInitOid = 10000

// treeKey is the key of a text that is printed from trees and belongs to
// the relation, or "".
func (r *reader) treeKey(rel *relation, prefix string, trees [][]byte) string {
	t := treeWriter{r: r, out: r.buffer[:0]}
	defer func() { r.buffer = t.out }()
	t.out = strconv.AppendInt(t.out, int64(r.version/10000), 10)
	t.out = append(t.out, prefix...)
	for _, tree := range trees {
		t.out = append(t.out, 0)
		if !t.write(tree) {
			return ""
		}
	}
	t.layout(rel) // the names of its columns are not in the tree
	sum := sha256.Sum256(t.out)
	return string(sum[:16])
}

// oidFields are the fields of a tree that hold an oid, by the system catalog
// it is of (PostgreSQL: nodes/primnodes.h and nodes/parsenodes.h).
var oidFields = func() map[string]uint32 {
	m := map[string]uint32{}
	for class, names := range map[uint32]string{
		pgType: `vartype consttype paramtype aggtype aggargtypes aggtranstype wintype refcontainertype refelemtype refrestype funcresulttype opresulttype
resulttype coalescetype minmaxtype casetype array_typeid element_typeid row_typeid typeId type coltypes ctecoltypes colTypes`,
		pgProc:  `opfuncid funcid aggfnoid winfnoid elemfuncid hashfuncid negfuncid startInRangeFunc endInRangeFunc`,
		pgClass: `relid seqid resorigtbl`,
	} {
		for _, n := range strings.Fields(names) {
			m[n] = class
		}
	}
	return m
}()

// modifierFields hold numbers that can be large and are no oids.
var modifierFields = map[string]bool{"vartypmod": true, "consttypmod": true, "resulttypmod": true, "typmod": true, "paramtypmod": true, "typeMod": true, "coltypmods": true,
	"ctecoltypmods": true, "colTypmods": true, "reftypmod": true}

// isPlace tells the fields that say where in the original text something
// stood.
func isPlace(field []byte) bool {
	switch string(field) {
	case "location", "stmt_location", "stmt_len", "list_start", "list_end", "rexpr_list_start", "rexpr_list_end", "name_location":
		return true
	}
	return false
}

// Types whose constants hold an oid: regclass and its relatives, and arrays
// of them (PostgreSQL: pg_type).
const regclass = 2205

var oidTypes = map[int]bool{24: true, 2202: true, 2203: true, 2204: true, regclass: true, 2206: true, 3734: true, 3769: true, 4096: true, 4089: true, 4191: true,
	1008: true, 2207: true, 2208: true, 2209: true, 2210: true, 2211: true, 3735: true, 3770: true, 4097: true, 4090: true, 4192: true, 2249: true, 2287: true}

// treeWriter writes a tree with names in the place of oids.
type treeWriter struct {
	r         *reader
	out       []byte
	constType int // of the constant at hand
}

// ends are the characters that end a word of a tree.
var ends = [256]bool{' ': true, '(': true, ')': true, '{': true, '}': true, '\n': true}

// write answers false where an oid has no name here.
func (t *treeWriter) write(tree []byte) bool {
	var field []byte
	for i := 0; i < len(tree); {
		switch c := tree[i]; {
		case ends[c]:
			t.out = append(t.out, c)
			i++
			continue
		case c == '[':
			end := bytes.IndexByte(tree[i:], ']')
			if end < 0 || !t.constant(tree[i:i+end+1]) {
				return false
			}
			i += end + 1
			continue
		}
		end := i
		for end < len(tree) && !ends[tree[end]] {
			if tree[end] == '\\' {
				end++
			}
			end++
		}
		end = min(end, len(tree))
		word := tree[i:end]
		i = end
		if word[0] == ':' {
			field = word[1:]
			t.out = append(t.out, word...)
			continue
		}
		if !t.word(field, word) {
			return false
		}
	}
	return true
}

func (t *treeWriter) word(field, word []byte) bool {
	n := 0
	for _, c := range word {
		if c < '0' || c > '9' || n > 1<<32 {
			n = -1
			break
		}
		n = n*10 + int(c-'0')
	}
	switch {
	case n < 0 || len(word) < 3: // no number, or a small one
		if isPlace(field) {
			return true
		}
		switch string(word) {
		case "FIELDSELECT", "FIELDSTORE":
			return false // they print the names of a type's attributes
		}
		if n >= 0 && string(field) == "consttype" {
			t.constType = n
		}
		t.out = append(t.out, word...)
		return true
	case isPlace(field):
		return true
	case string(field) == "consttype":
		t.constType = n
	}
	if n < firstInitOid || modifierFields[string(field)] {
		t.out = append(t.out, word...)
		return true
	}
	class, ok := oidFields[string(field)]
	return ok && t.name(class, uint32(n))
}

// name writes what the oid stands for.
func (t *treeWriter) name(class, oid uint32) bool {
	th, ok := t.r.things[class][oid]
	if !ok || th.part != nil || th.owner == nil || th.owner.Kind == "extension" {
		return false
	}
	// An array and its element share a thing, but not a name.
	if class == pgType && t.r.elements[oid] {
		t.out = append(t.out, "array of "...)
	}
	t.out = append(t.out, th.owner.Kind...)
	t.out = strconv.AppendQuote(t.out, th.owner.Schema)
	t.out = strconv.AppendQuote(t.out, th.owner.Key())
	switch th.owner.Kind {
	case catalog.Table, vocab.ForeignTable, catalog.View, vocab.MatView, vocab.Composite:
		t.layout(t.r.byObject[th.owner])
	}
	return true
}

// layout writes which columns a relation has under which numbers: a tree
// names columns by number.
func (t *treeWriter) layout(rel *relation) {
	if rel == nil {
		return
	}
	if rel.layout == "" {
		start := len(t.out)
		for _, c := range rel.columns {
			t.out = strconv.AppendQuote(t.out, c.name)
		}
		h := sha256.Sum256(t.out[start:])
		t.out = t.out[:start]
		rel.layout = string(h[:16])
	}
	t.out = append(t.out, rel.layout...)
}

// constant writes the bytes of a constant, which may hold an oid.
func (t *treeWriter) constant(value []byte) bool {
	switch {
	case t.constType < firstInitOid && !oidTypes[t.constType]:
		t.out = append(t.out, value...)
		return true
	case t.constType == regclass:
		oid, ok := oidOf(string(value))
		return ok && t.name(pgClass, oid)
	}
	if o := t.r.types[uint32(t.constType)].owner; o != nil && o.Kind == catalog.Enum && !t.r.elements[uint32(t.constType)] {
		oid, ok := oidOf(string(value))
		label, known := t.r.enumLabels[oid]
		t.out = strconv.AppendQuote(t.out, label)
		return ok && known
	}
	return false
}

// oidOf reads the oid in a constant's bytes, as a tree writes a value that is
// passed by value: `[ 5 64 0 0 0 0 0 0 ]`, least significant byte first on
// the machines this is sure of.
func oidOf(text string) (uint32, bool) {
	f := strings.Fields(strings.Trim(text, "[]"))
	if len(f) != 8 {
		return 0, false
	}
	var b [8]byte
	for i, s := range f {
		n, err := strconv.ParseInt(s, 10, 16)
		if err != nil {
			return 0, false
		}
		b[i] = byte(n)
	}
	if binary.LittleEndian.Uint32(b[4:]) != 0 {
		return 0, false
	}
	return binary.LittleEndian.Uint32(b[:4]), true
}
