package texts

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
)

// Action is what becomes of a statement of a text.
type Action uint8

// The actions. Those that run come in the order of their phases.
const (
	Pass   Action = iota // it says nothing about the structure: rows, transactions, the client's own matters
	Refuse               // it reaches beyond the database, or cannot be followed
	Switch               // what follows belongs to another database
	Set                  // it says how what follows is meant
	First                // it runs before all else, as whoever may make databases: what others stand in
	Early                // it runs early, as whoever may make databases
	Main                 // it runs as an ordinary account
	Raised               // it runs in its place, as whoever may make databases
	Late                 // it runs when all is there: owners, rights
	Last                 // it runs when nothing else is to come: what is fired by other statements
)

// Runs tells whether the statement is handed to the server.
func (a Action) Runs() bool { return a >= First }

// Reading is what an engine makes of a statement.
type Reading struct {
	Action Action
	// SQL runs in place of the statement, where it is not empty.
	SQL string
	// Key is the database of a Switch.
	Key string
	// Sets is what a Set sets.
	Sets []Setting
	// Of is the database that the statement is for, where it says so itself.
	Of string
	// Why is said of what is refused, and of what is passed over though it
	// may have made something.
	Why string
	// Makes is the thing that the statement makes; nil where it makes none, or
	// none that has a name.
	Makes *Made
	// Alters is what it changes or takes away that another one made; Removes says that it
	// takes it away.
	Alters  *Made
	Removes bool
	// Then is what else the statement means, to be done apart from it.
	Then *Reading
}

// Setting is a setting of the session, or a variable that keeps the value of one.
type Setting struct {
	Name, Value string
	// From names the setting or variable whose value it takes, as it is where the
	// statement stands. One that was never set has the server's own.
	From string
}

// Made is a thing as a statement names it.
type Made struct {
	Kinds        []catalog.Kind // it is of one of these; none: whatever has its name
	Schema, Name string         // Schema is empty where the name stands alone
	PartKinds    []catalog.Kind // of a part of it
	Part         string
	// Hint and Is tell things of one name apart: by the text of a routine's
	// arguments, and by what else is known of it.
	Hint string
	Is   func(*catalog.Object) bool
}

// Grammar is what an engine knows of the statements of its texts.
type Grammar struct {
	Dialect sqltext.Dialect
	// IsRows tells by its first word whether a statement only brings rows.
	IsRows func(word string) bool
	// Read says what a statement is that is taken apart in a dialect.
	Read func(sql string, d sqltext.Dialect) Reading
	// Set is the statement that gives a setting a value; "" for a variable.
	Set func(name, value string) string
	// Client says what a line for the client is.
	Client func(line string) Reading
	// Parse takes a file apart, where more tells what a statement is than its first words;
	// nil where Read does.
	Parse func(f engine.TextFile) ([]Parsed, error)
}

// Parsed is a statement with what it is, the database it is for and the
// settings that are in force where it stands.
type Parsed struct {
	Statement
	Reading
	Database string
	Settings []string
}

// Parse reads texts and says what their statements are. Settings and databases
// hold to the end of a file.
func Parse(ctx context.Context, files []engine.TextFile, g Grammar) ([]Parsed, error) {
	var out []Parsed
	for _, f := range files {
		if g.Parse != nil {
			list, err := g.Parse(f)
			if err != nil {
				return nil, err
			}
			out = append(out, list...)
			continue
		}
		s := NewScanner(f.Name, f.Reader, g.Dialect, g.IsRows)
		var inForce []string
		state := map[string]string{}
		database := ""
		for {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			st, err := s.Next()
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				return nil, err
			}
			var r Reading
			if st.Client {
				r = g.Client(st.SQL)
			} else {
				r = g.Read(st.SQL, st.Dialect)
			}
			switch r.Action {
			case Refuse:
				return nil, fmt.Errorf("%s: %s (at: %s)", st.Origin, r.Why, sqltext.Excerpt(st.SQL))
			case Switch:
				database = r.Key
			case Set:
				inForce = g.inForce(state, r.Sets)
			}
			if r.Action == Pass && r.Why == "" && r.Makes == nil {
				st.SQL = "" // rows are not kept
			}
			for r := &r; r != nil; r = r.Then {
				out = append(out, Parsed{Statement: st, Reading: *r, Database: cmp.Or(r.Of, database), Settings: inForce})
			}
		}
	}
	return out, nil
}

// inForce notes settings, and answers the statements that put all of them in
// force, whatever was in force before.
func (g Grammar) inForce(state map[string]string, sets []Setting) []string {
	for _, s := range sets {
		v, known := s.Value, true
		if s.From != "" {
			v, known = state[s.From]
		}
		if known {
			state[s.Name] = v
		} else {
			delete(state, s.Name)
		}
	}
	var out []string
	for _, name := range slices.Sorted(maps.Keys(state)) {
		if sql := g.Set(name, state[name]); sql != "" {
			out = append(out, sql)
		}
	}
	return out
}

// Select keeps what belongs to a database of a text that has several; "" is the
// only one.
func Select(all []Parsed, database string) ([]Parsed, error) {
	var names []string
	for _, p := range all {
		if p.Action.Runs() && !slices.Contains(names, p.Database) {
			names = append(names, p.Database)
		}
	}
	switch {
	case database == "" && len(names) <= 1:
		return all, nil
	case database == "":
		return nil, fmt.Errorf("several databases are in it (%s); say which: #%s behind its name", shown(names), cmp.Or(names[len(names)-1], names[0]))
	case !slices.Contains(names, database):
		return nil, fmt.Errorf("no database %s is in it%s; there are: %s", sqltext.CommentSafe(database), words.Suggest(database, names), shown(names))
	}
	return slices.DeleteFunc(slices.Clone(all), func(p Parsed) bool { return p.Database != database }), nil
}

func shown(names []string) string {
	var out []string
	for _, n := range names {
		if n == "" {
			n = "one without a name"
		}
		out = append(out, sqltext.CommentSafe(n))
	}
	if len(out) == 0 {
		return "none"
	}
	return strings.Join(out, ", ")
}

// Things are those of a structure by their names.
type Things struct {
	fold    bool
	objects map[string][]*catalog.Object
	parts   map[string][][2]*catalog.Object // the object, and its part
}

// ThingsOf puts the things of a structure in order.
func ThingsOf(c *catalog.Catalog) *Things {
	t := &Things{objects: map[string][]*catalog.Object{}, parts: map[string][][2]*catalog.Object{}}
	if c == nil {
		return t
	}
	t.fold = c.FoldNames
	for _, o := range c.Objects {
		key := t.key(plainName(o))
		t.objects[key] = append(t.objects[key], o)
		for _, p := range o.Parts {
			key := t.key(p.Name)
			t.parts[key] = append(t.parts[key], [2]*catalog.Object{o, p})
		}
	}
	return t
}

func (t *Things) key(name string) string {
	if t.fold {
		return catalog.FoldASCII(name)
	}
	return name
}

// Of finds what a statement names; nil where it is not there, or it is not certain which
// it is. Of a part that is not found, its object is answered.
func (t *Things) Of(m *Made) (*catalog.Object, *catalog.Object) {
	if m.Name == "" && m.Part == "" {
		return nil, nil
	}
	same := func(a, b string) bool { return t.key(a) == t.key(b) }
	if m.Name == "" { // a part that stands for itself
		for _, x := range t.parts[t.key(m.Part)] {
			if o, p := x[0], x[1]; slices.Contains(m.PartKinds, p.Kind) && (m.Schema == "" || same(o.Schema, m.Schema)) {
				return o, p
			}
		}
		return nil, nil
	}
	var found []*catalog.Object
	for _, o := range t.objects[t.key(m.Name)] {
		if (len(m.Kinds) == 0 || slices.Contains(m.Kinds, o.Kind)) && (m.Schema == "" || same(o.Schema, m.Schema)) && (m.Is == nil || m.Is(o)) {
			found = append(found, o)
		}
	}
	if len(found) > 1 && m.Hint != "" {
		want := letters(m.Hint)
		found = slices.DeleteFunc(found, func(o *catalog.Object) bool { return letters(o.Name[len(plainName(o)):]) != want })
	}
	if len(found) != 1 {
		return nil, nil
	}
	if m.Part == "" {
		return found[0], nil
	}
	for _, p := range found[0].Parts {
		if same(p.Name, m.Part) && (len(m.PartKinds) == 0 || slices.Contains(m.PartKinds, p.Kind)) {
			return found[0], p
		}
	}
	return found[0], nil
}

// plainName is a name without the arguments that belong to it.
func plainName(o *catalog.Object) string {
	if i := strings.IndexByte(o.Name, '('); i > 0 && strings.HasSuffix(o.Name, ")") {
		return o.Name[:i]
	}
	return o.Name
}

func letters(s string) string { return strings.ToLower(strings.Join(strings.Fields(s), "")) }

// Locate notes for every thing of a structure where the statement stands that
// made it.
func Locate(c *catalog.Catalog, all []Parsed) {
	things := ThingsOf(c)
	for i := range all {
		if all[i].Makes == nil {
			continue
		}
		o, p := things.Of(all[i].Makes)
		switch {
		case p != nil:
			p.Origin = &all[i].Origin
		case o != nil && all[i].Makes.Part == "":
			o.Origin = &all[i].Origin
		}
	}
}

// Named takes a name off the cursor, with the schema before it; of three names
// joined by dots the last two. fold is what the engine makes of letters that are
// not in quotes.
func Named(c *sqltext.Cursor, fold func(string) string) (schema, name string) {
	for {
		t := c.Peek()
		if !t.IsName() {
			return schema, name
		}
		c.Next()
		schema, name = name, t.Name()
		if t.Kind == sqltext.Word {
			name = fold(name)
		}
		if !c.Take(".") {
			return schema, name
		}
	}
}

// Rules are what is done with statements that begin with some words; the rule
// with the most words counts.
type Rules map[string]Reading

// Find finds the rule for the words that a statement begins with.
func (r Rules) Find(words []string) (Reading, bool) {
	for n := min(4, len(words)); n > 0; n-- {
		if found, ok := r[strings.Join(words[:n], " ")]; ok {
			return found, true
		}
	}
	return Reading{}, false
}

// Sign is a piece of text, in small letters, that the texts of one engine have
// and those of others hardly.
type Sign struct {
	Text   string
	Weight int
}

// Signs adds up what a text has of them.
func Signs(text string, signs []Sign) int {
	text = strings.ToLower(text)
	n := 0
	for _, s := range signs {
		if strings.Contains(text, s.Text) {
			n += s.Weight
		}
	}
	return n
}

// Speaker is an Engine whose texts can be taken apart without running them.
type Speaker interface{ Grammar() Grammar }
