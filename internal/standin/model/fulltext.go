package model

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	"dappermirror/internal/standin/tsql"
)

// textCatalog is a full-text catalog.
type textCatalog struct {
	id     int
	name   string
	accent bool
}

// fulltext is the full-text index of a table.
type fulltext struct {
	catalog, key int // the unique index whose key the rows are known by
	cols         []textColumn
	tracking     string // AUTO, MANUAL or OFF
	stoplist     any    // 0 for the server's own, nil for none
	disabled     bool
}

type textColumn struct{ col, typ, language int }

// languages are those that the server knows by a name (SQL Server: sys.fulltext_languages).
var languages = map[string]int{"arabic": 1025, "brazilian": 1046, "british english": 2057, "danish": 1030, "dutch": 1043, "english": 1033, "finnish": 1035, "french": 1036, "german": 1031, "italian": 1040, "japanese": 1041, "korean": 1042, "neutral": 0, "norwegian": 1044, "polish": 1045, "portuguese": 2070, "russian": 1049, "simplified chinese": 2052, "spanish": 3082, "swedish": 1053, "traditional chinese": 1028, "turkish": 1055}

// language is the number of a language as it is written; the server's own where it is not.
func language(text string) int {
	switch {
	case text == "":
		return 1033
	case strings.HasPrefix(text, "'"), strings.HasPrefix(text, "N'"):
		if n, ok := languages[strings.ToLower(strings.Trim(strings.TrimPrefix(text, "N"), "'"))]; ok {
			return n
		}
	default:
		n, err := strconv.ParseInt(text, 0, 32)
		if known := slices.Collect(maps.Values(languages)); err == nil && slices.Contains(known, int(n)) {
			return int(n)
		}
	}
	panic(fail(7696, "Invalid locale ID was specified. Please verify that the locale ID is correct and corresponding language resource has been installed."))
}

// fulltext carries out a statement about full-text search, none of which can be in a
// transaction (SQL Server: CREATE FULLTEXT INDEX, Remarks).
func (x *session) fulltext(b *tsql.Fulltext) {
	what := map[bool]string{true: "CATALOG", false: "INDEX"}[b.On == nil]
	if x.depth > 0 {
		panic(fail(574, "%s FULLTEXT %s statement cannot be used inside a user transaction.", b.Verb, what))
	}
	if b.On == nil {
		x.textCatalog(b)
		return
	}
	t := x.d.find(b.On, "U", "V")
	if t == nil {
		panic(fail(1088, "Cannot find the object \"%s\" because it does not exist or you do not have permissions.", strings.Join(b.On, ".")))
	}
	x.alter(t)
	switch {
	case b.Verb == "CREATE":
		x.createFulltext(t, b)
	case t.fulltext == nil:
		panic(fail(unknown, "The table or indexed view '%s' has no full-text index.", t.full()))
	case b.Verb == "DROP":
		t.fulltext = nil
	default:
		f := *t.fulltext
		t.fulltext = &f
		x.alterFulltext(t, b)
	}
}

func (x *session) textCatalog(b *tsql.Fulltext) {
	was, first := maps.Clone(x.d.textCatalogs), x.d.textDefault
	d := x.d
	x.undo = append(x.undo, func() { d.textCatalogs, d.textDefault = was, first })
	key := x.d.fold(b.Catalog)
	c, ok := x.d.textCatalogs[key]
	switch {
	case b.Verb == "CREATE":
		if ok {
			panic(fail(7642, "A full-text catalog named '%s' already exists in this database. Use a different name.", b.Catalog))
		}
		c = textCatalog{id: 5, name: b.Catalog, accent: b.Options["ACCENT_SENSITIVITY"] != "OFF"}
		for _, o := range x.d.textCatalogs {
			c.id = max(c.id, o.id+1)
		}
		x.d.textCatalogs[key] = c
	case !ok && b.If:
		return
	case !ok:
		panic(fail(7641, "The full-text catalog '%s' does not exist in database '%s' or user does not have permission to perform this action.", b.Catalog, x.d.name))
	case b.Verb == "DROP":
		for _, t := range x.d.list("U", "V") {
			if t.fulltext != nil && t.fulltext.catalog == c.id {
				panic(fail(7668, "Cannot drop full-text catalog '%s' because it contains a full-text index.", c.name))
			}
		}
		if delete(x.d.textCatalogs, key); x.d.textDefault == c.id {
			x.d.textDefault = 0
		}
		return
	case b.Options["ACCENT_SENSITIVITY"] != "":
		c.accent = b.Options["ACCENT_SENSITIVITY"] == "ON"
		x.d.textCatalogs[key] = c
	}
	if b.IsDefault {
		x.d.textDefault = c.id
	}
}

func (x *session) createFulltext(t *object, b *tsql.Fulltext) {
	if t.fulltext != nil {
		panic(fail(7652, "A full-text index for table or indexed view '%s' has already been created.", t.full()))
	}
	f := &fulltext{catalog: x.d.textDefault, tracking: "AUTO", stoplist: int64(0)}
	if b.In != "" {
		c, ok := x.d.textCatalogs[x.d.fold(b.In)]
		if !ok {
			panic(fail(7641, "The full-text catalog '%s' does not exist in database '%s' or user does not have permission to perform this action.", b.In, x.d.name))
		}
		f.catalog = c.id
	} else if f.catalog == 0 {
		panic(fail(9967, "A default full-text catalog does not exist in database '%s' or user does not have permission to perform this action.", x.d.name))
	}
	i := t.index(x.d, b.Key)
	if i == nil || !i.unique || i.disabled || i.filter != "" || len(keyColumns(i)) != 1 || t.byID(i.cols[0].col).nullable {
		panic(fail(7653, "'%s' is not a valid index to enforce a full-text search key. A full-text search key must be a unique, non-nullable, single-column index which is not offline, is not defined on a non-deterministic or imprecise nonpersisted computed column, does not have a filter, and has maximum size of 900 bytes. Choose another index for the full-text key.", b.Key))
	}
	f.key = i.id
	t.fulltext = f
	x.textColumns(t, b)
	x.textOptions(f, b)
}

func keyColumns(i *index) []indexCol {
	return slices.DeleteFunc(slices.Clone(i.cols), func(c indexCol) bool { return c.included })
}

// textColumns adds columns to a full-text index.
func (x *session) textColumns(t *object, b *tsql.Fulltext) {
	f := t.fulltext
	f.cols = slices.Clone(f.cols)
	for _, n := range b.Columns {
		c := t.column(x.d, n.Name)
		if c == nil {
			panic(fail(1911, "Column name '%s' does not exist in the target table or view.", n.Name))
		}
		letters := c.class == 'c' || c.class == 'n'
		if image := c.dataType.name == "image" || c.dataType.name == "varbinary" && c.length < 0; !letters && !image {
			panic(fail(7670, "Column '%s' cannot be used for full-text search because it is not a character-based, XML, image or varbinary(max) type column.", c.name))
		} else if image && n.TypeColumn == "" {
			panic(fail(unknown, "A column of bytes wants a TYPE COLUMN: %s.", c.name))
		}
		if slices.ContainsFunc(f.cols, func(o textColumn) bool { return o.col == c.id }) {
			panic(fail(unknown, "The column %s is in the full-text index already.", c.name))
		}
		add := textColumn{col: c.id, language: language(n.Language)}
		if n.TypeColumn != "" {
			typ := t.column(x.d, n.TypeColumn)
			if typ == nil {
				panic(fail(1911, "Column name '%s' does not exist in the target table or view.", n.TypeColumn))
			}
			add.typ = typ.id
		}
		f.cols = append(f.cols, add)
	}
	slices.SortFunc(f.cols, func(a, b textColumn) int { return a.col - b.col })
}

func (x *session) textOptions(f *fulltext, b *tsql.Fulltext) {
	switch v := b.Options["CHANGE_TRACKING"]; v {
	case "":
	case "AUTO", "MANUAL", "OFF":
		f.tracking = v
	default:
		panic(fail(102, "Incorrect syntax near '%s'.", v))
	}
	switch v := b.Options["STOPLIST"]; v {
	case "":
	case "OFF":
		f.stoplist = nil
	case "SYSTEM":
		f.stoplist = int64(0)
	default:
		panic(fail(unknown, "The stand-in does not know stoplists but the server's own: %s.", v))
	}
}

func (x *session) alterFulltext(t *object, b *tsql.Fulltext) {
	f := t.fulltext
	switch b.Action {
	case "ENABLE", "DISABLE":
		f.disabled = b.Action == "DISABLE"
	case "SET":
		x.textOptions(f, b)
	case "ADD":
		x.textColumns(t, b)
	case "DROP":
		for _, n := range b.Columns {
			c := t.column(x.d, n.Name)
			at := slices.IndexFunc(f.cols, func(o textColumn) bool { return c != nil && o.col == c.id })
			if at < 0 {
				panic(fail(1911, "Column name '%s' does not exist in the target table or view.", n.Name))
			}
			f.cols = slices.Delete(slices.Clone(f.cols), at, at+1)
		}
	}
}

// searched refuses the change of a column that a full-text index is of.
func (o *object) searched(c *column) {
	if o.fulltext != nil && slices.ContainsFunc(o.fulltext.cols, func(f textColumn) bool { return f.col == c.id || f.typ == c.id }) {
		panic(fail(7614, "Cannot alter or drop column '%s' because it is enabled for Full-Text Search.", c.name))
	}
}

// keyStays refuses to take an index away by which a full-text index knows its rows.
func (o *object) keyStays(id int) {
	if o.fulltext != nil && o.fulltext.key == id {
		panic(fail(unknown, "The full-text index of '%s' knows its rows by this index.", o.full()))
	}
}

func showTextCatalogs(x *session, add func(...any)) {
	for _, c := range x.d.textCatalogs {
		add(int64(c.id), c.name, nil, bit(c.id == x.d.textDefault), bit(c.accent), nil, nil, int64(1), int64(0))
	}
}

func showTextIndexes(x *session, add func(...any)) {
	for _, o := range x.d.list("U", "V") {
		if f := o.fulltext; f != nil {
			add(o.id, int64(f.key), int64(f.catalog), bit(!f.disabled), f.tracking[:1], f.tracking, f.stoplist)
		}
	}
}

func showTextColumns(x *session, add func(...any)) {
	for _, o := range x.d.list("U", "V") {
		if o.fulltext == nil {
			continue
		}
		for _, c := range o.fulltext.cols {
			var typ any
			if c.typ != 0 {
				typ = int64(c.typ)
			}
			add(o.id, int64(c.col), typ, int64(c.language), int64(0))
		}
	}
}
