package postgres

import (
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
)

// privileges are the letters of access rights (PostgreSQL: Privileges, table
// 5.1), in the order in which they are written.
var privileges = []struct {
	letter byte
	word   string
}{
	{'r', "SELECT"}, {'a', "INSERT"}, {'w', "UPDATE"}, {'d', "DELETE"}, {'D', "TRUNCATE"}, {'x', "REFERENCES"}, {'t', "TRIGGER"}, {'m', "MAINTAIN"},
	{'U', "USAGE"}, {'C', "CREATE"}, {'X', "EXECUTE"},
}

// rights says, by kind, what the owner has and what everybody has where
// nothing was ever granted, and the word of GRANT.
var rights = map[catalog.Kind]struct{ owner, public, word string }{
	catalog.Schema:   {"UC", "", "SCHEMA"},
	catalog.Table:    {"rawdDxt", "", "TABLE"},
	catalog.View:     {"rawdDxt", "", "TABLE"},
	kindMatView:      {"rawdDxt", "", "TABLE"},
	catalog.Sequence: {"rwU", "", "SEQUENCE"},
	catalog.Routine:  {"X", "X", "FUNCTION"},
	catalog.Enum:     {"U", "U", "TYPE"},
	kindDomain:       {"U", "U", "TYPE"},
	kindComposite:    {"U", "U", "TYPE"},
	kindRange:        {"U", "U", "TYPE"},
	catalog.Column:   {"", "", "TABLE"},
}

const everybody, theOwner = "PUBLIC", "(owner)"

// grants makes the set of grants of an access list: one text a grantee, the
// owner by that word, so that it does not matter who owns the thing.
func grants(kind catalog.Kind, owner string, acl []string) catalog.Value {
	r := rights[kind]
	var out []string
	if acl == nil {
		if r.owner != "" {
			out = append(out, theOwner+": "+words(r.owner))
		}
		if r.public != "" {
			out = append(out, everybody+": "+words(r.public))
		}
		return catalog.SetOf(out...)
	}
	for _, item := range acl {
		who, rest := splitAttribute(strings.Replace(item, "=", " ", 1))
		if strings.HasPrefix(item, "=") {
			who, rest = everybody, item[1:]
		} else if strings.HasPrefix(item, `"`) {
			if who, rest = splitAttribute(item); rest == "" {
				end := strings.LastIndex(item, `"=`)
				who, rest = item[:end+1], item[end+2:]
			}
			rest = strings.TrimPrefix(rest, "=")
			who = strings.ReplaceAll(who[1:len(who)-1], `""`, `"`)
		}
		letters, _, _ := strings.Cut(rest, "/")
		if who == owner {
			who = theOwner
		}
		// What only some versions have is no difference between two.
		letters = strings.ReplaceAll(strings.ReplaceAll(letters, "m*", ""), "m", "")
		out = append(out, who+": "+words(letters))
	}
	return catalog.SetOf(out...)
}

// words writes letters as privileges; a star marks the right to grant.
func words(letters string) string {
	var out []string
	for _, p := range privileges {
		if i := strings.IndexByte(letters, p.letter); i >= 0 {
			w := p.word
			if i+1 < len(letters) && letters[i+1] == '*' {
				w += "*"
			}
			out = append(out, w)
		}
	}
	return strings.Join(out, ", ")
}

// regrant writes what leads from one set of grants to another. column is "",
// or the column the grants are on.
func regrant(o *catalog.Object, column string, now, was []string) []string {
	word := rights[o.Kind].word
	if o.Has("procedure") {
		word = "PROCEDURE"
	}
	on := word + " " + sqlName(o)
	if o.Kind == kindDefaultRights {
		on = o.Text("on")
	}
	owner := quote(o.Text("owner"))
	role := func(who string) string {
		switch who {
		case everybody:
			return "PUBLIC"
		case theOwner:
			return owner
		}
		return quote(who)
	}
	list := func(ps []string) string {
		if column == "" {
			return strings.Join(ps, ", ")
		}
		out := make([]string, len(ps))
		for i, p := range ps {
			out[i] = p + " (" + quote(column) + ")"
		}
		return strings.Join(out, ", ")
	}
	var out []string
	for _, g := range was {
		if who, ps, _ := strings.Cut(g, ": "); !slices.Contains(now, g) && ps != "" {
			out = append(out, fmt.Sprintf("REVOKE %s ON %s FROM %s;", list(strings.Split(strings.ReplaceAll(ps, "*", ""), ", ")), on, role(who)))
		}
	}
	for _, g := range now {
		who, ps, _ := strings.Cut(g, ": ")
		if slices.Contains(was, g) || ps == "" {
			continue
		}
		var plain, onward []string
		for _, p := range strings.Split(ps, ", ") {
			if p, may := strings.CutSuffix(p, "*"); may {
				onward = append(onward, p)
			} else {
				plain = append(plain, p)
			}
		}
		if len(plain) > 0 {
			out = append(out, fmt.Sprintf("GRANT %s ON %s TO %s;", list(plain), on, role(who)))
		}
		if len(onward) > 0 {
			out = append(out, fmt.Sprintf("GRANT %s ON %s TO %s WITH GRANT OPTION;", list(onward), on, role(who)))
		}
	}
	return out
}

// hand gives a thing that was made its owner and its grants: those of the
// target's that is put back, or the source's where they were asked for.
func hand(c *order.Change) []string {
	o := c.Source
	var out []string
	if o.Kind == kindDefaultRights {
		return nil
	}
	if who := o.Text("owner"); who != "" && (c.Target != nil || c.Groups["owners"]) {
		out = append(out, fmt.Sprintf("ALTER %s %s OWNER TO %s;", keyword(o), sqlName(o), quote(who)))
	}
	if o.Has("grants") && (c.Target != nil || c.Groups["grants"]) {
		out = append(out, regrant(o, "", o.List("grants"), grants(o.Kind, "", nil).Items)...)
		for _, p := range o.PartsOf(catalog.Column) {
			out = append(out, regrant(o, p.Name, p.List("grants"), nil)...)
		}
	}
	return out
}

// rightsActions change owner and grants of an object that stays.
func rightsActions(c *order.Change) []*order.Action {
	o := c.Source
	var out []*order.Action
	add := func(what string, sql []string) {
		if len(sql) == 0 {
			return
		}
		a := &order.Action{About: o.Ref(), Title: "change the " + what + " of " + title(o), SQL: sql, Makes: []catalog.Ref{o.Ref()}}
		if n := len(out); n > 0 {
			a.Sequel = out[n-1]
		}
		out = append(out, a)
	}
	if c.Property("owner") != nil {
		add("owner", []string{fmt.Sprintf("ALTER %s %s OWNER TO %s;", keyword(o), sqlName(o), quote(o.Text("owner")))})
	}
	if c.Property("grants") != nil {
		add("grants", regrant(o, "", o.List("grants"), c.Target.List("grants")))
	}
	for _, it := range c.Parts {
		if it.Kind() == catalog.Column && it.Status == compare.Differs && it.Property("grants") != nil {
			add("grants on column "+it.Source.Name, regrant(o, it.Source.Name, it.Source.List("grants"), it.Target.List("grants")))
		}
	}
	return out
}

// kindDefaultRights is what ALTER DEFAULT PRIVILEGES sets for one role, kind
// of object and, perhaps, schema. It counts with --include grants only.
const kindDefaultRights catalog.Kind = "default-privileges"

const defaultRightsSQL = `SELECT pg_get_userbyid(d.defaclrole), n.nspname, d.defaclobjtype::text, d.defaclacl::text[]
FROM pg_default_acl d LEFT JOIN pg_namespace n ON n.oid = d.defaclnamespace`

var defaultObjects = map[string]struct {
	kind catalog.Kind
	word string
}{"r": {catalog.Table, "TABLES"}, "S": {catalog.Sequence, "SEQUENCES"}, "f": {catalog.Routine, "FUNCTIONS"}, "T": {catalog.Enum, "TYPES"}, "n": {catalog.Schema, "SCHEMAS"}}

func (r *reader) defaultRights(rows pgx.Rows) error {
	var role, objtype string
	var schema *string
	var acl []string
	if err := rows.Scan(&role, &schema, &objtype, &acl); err != nil {
		return err
	}
	d, ok := defaultObjects[objtype]
	if !ok {
		return nil
	}
	o := &catalog.Object{Kind: kindDefaultRights, Name: strings.ToLower(d.word) + " of " + role, Group: "grants"}
	head := "ALTER DEFAULT PRIVILEGES FOR ROLE " + quote(role)
	normal := grants(d.kind, role, nil).Items
	if schema != nil {
		o.Name += " in " + *schema
		head += " IN SCHEMA " + quote(*schema)
		normal = nil // in a schema only what is added is kept
		o.Need(catalog.Ref{Kind: catalog.Schema, Name: *schema}, catalog.AspectName)
	}
	if acl == nil {
		acl = []string{}
	}
	o.Set("rights", grants(d.kind, role, acl))
	o.Carry("head", catalog.Scalar(head))
	o.Carry("on", catalog.Scalar(d.word))
	o.Carry("owner", catalog.Scalar(role))
	o.Carry("normal", catalog.List(normal...))
	r.c.Add(o)
	return nil
}

// defaultRights leads from one set of default privileges to another.
func defaultRights(o *catalog.Object, verb string, now, was []string) *order.Action {
	a := &order.Action{About: o.Ref(), Title: verb + " default privileges for " + o.Name}
	if verb == "drop" {
		a.Removes = []catalog.Ref{o.Ref()}
	} else {
		a.Makes = []catalog.Ref{o.Ref()}
	}
	for _, s := range regrant(o, "", now, was) {
		a.SQL = append(a.SQL, o.Text("head")+" "+s)
	}
	return a
}

func (w *Writer) createDefaultRights(c *order.Change) []*order.Action {
	return []*order.Action{defaultRights(c.Source, "set", c.Source.List("rights"), c.Source.List("normal"))}
}

func (w *Writer) alterDefaultRights(c *order.Change) ([]*order.Action, bool) {
	return []*order.Action{defaultRights(c.Source, "change", c.Source.List("rights"), c.Target.List("rights"))}, true
}
