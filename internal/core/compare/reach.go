package compare

import (
	"context"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"dappermirror/internal/core/catalog"
)

// SettleForScript is Settle, and reads besides what a script can come upon:
// what stands on the things that differ, and what all of these need. The rest
// stays unread, of which a big database is the bulk.
func SettleForScript(ctx context.Context, source, target *catalog.Catalog, opt Options) error {
	both := []*catalog.Catalog{source, target}
	defer release(both)
	if err := settle(ctx, source, target); err != nil {
		return err
	}
	if source.Expand == nil && target.Expand == nil && source.Fetch == nil && target.Fetch == nil {
		return nil
	}
	differing := map[string]bool{}
	for _, it := range Compare(source, target, opt).Differences() {
		differing[strings.ToLower(it.Object().Name)] = true
	}
	var reached [2]map[string]bool
	_ = onBoth(func(i int) error { reached[i] = reach(both[i], differing); return nil })
	err := onBoth(func(i int) error {
		c := both[i]
		var objects []*catalog.Object
		for _, o := range c.Objects {
			if n := strings.ToLower(o.Name); reached[0][n] || reached[1][n] {
				objects = append(objects, o)
			}
		}
		if c.Expand != nil {
			var unread []*catalog.Object
			for _, o := range objects {
				if o.Unread {
					unread = append(unread, o)
				}
			}
			if err := c.Expand(ctx, unread); err != nil {
				return err
			}
		}
		if c.Fetch == nil {
			return nil
		}
		var values []*catalog.Value
		for _, o := range objects {
			values = appendUnread(values, o)
			for _, p := range o.Parts {
				values = appendUnread(values, p)
			}
		}
		return c.Fetch(ctx, values)
	})
	if err != nil {
		return err
	}
	for _, c := range both {
		if c.Link != nil {
			c.Link()
		}
	}
	return nil
}

func appendUnread(values []*catalog.Value, o *catalog.Object) []*catalog.Value {
	for i := range o.Properties {
		if v := &o.Properties[i].Value; v.Unread {
			values = append(values, v)
		}
	}
	return values
}

// farTables is over how many tables a change is followed: a key that a change
// takes down is on the next table, and what stands on that one on the table
// behind it.
const farTables = 2

// reach finds the names (in small letters) of the objects that bear one of some
// names, of what mentions them, over views and routines however far, and of
// what all of these mention. Names in unread texts are taken for mentions
// whatever they mean there: it may find too much, never too little.
func reach(c *catalog.Catalog, names map[string]bool) map[string]bool {
	byName := make(map[string][]*catalog.Object, len(c.Objects))
	var odd []string // names that are no single word
	for _, o := range c.Objects {
		n := strings.ToLower(o.Name)
		byName[n] = append(byName[n], o)
		if strings.IndexFunc(n, notInWord) >= 0 {
			odd = append(odd, n)
		}
	}
	mentions := make(map[*catalog.Object][]string, len(c.Objects))
	users := map[string][]*catalog.Object{}
	for _, o := range c.Objects {
		list := mentioned(c, o, byName, odd)
		mentions[o] = list
		for _, n := range list {
			users[n] = append(users[n], o)
		}
	}
	level := map[*catalog.Object]int{}
	type visit struct {
		name string
		at   int
	}
	var todo []visit
	for n := range names {
		todo = append(todo, visit{n, 0})
	}
	take := func(o *catalog.Object, at int) bool {
		if had, ok := level[o]; ok && had <= at {
			return false
		}
		level[o] = at
		return true
	}
	for len(todo) > 0 {
		v := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		if v.at == 0 {
			for _, o := range byName[v.name] {
				take(o, 0)
			}
		}
		for _, o := range users[v.name] {
			at := v.at
			if o.Kind == catalog.Table && !stands(o, v.name) {
				at++
			}
			if at <= farTables && take(o, at) {
				todo = append(todo, visit{strings.ToLower(o.Name), at})
			}
		}
	}
	out := map[string]bool{}
	for o := range level {
		out[strings.ToLower(o.Name)] = true
		for _, n := range mentions[o] {
			out[n] = true
		}
	}
	return out
}

// stands tells whether an object as a whole, and not one of its parts, needs
// something of a name: a partition its table.
func stands(o *catalog.Object, name string) bool {
	return slices.ContainsFunc(o.Needs, func(n catalog.Need) bool { return strings.ToLower(n.On.Name) == name })
}

// mentioned lists the names of other objects that an object needs, or that
// stand in its text.
func mentioned(c *catalog.Catalog, o *catalog.Object, byName map[string][]*catalog.Object, odd []string) []string {
	self := strings.ToLower(o.Name)
	var out []string
	seen := map[string]bool{self: true}
	note := func(n string) {
		if !seen[n] && byName[n] != nil {
			seen[n] = true
			out = append(out, n)
		}
	}
	for _, n := range o.Needs {
		note(strings.ToLower(n.On.Name))
	}
	for _, p := range o.Parts {
		for _, n := range p.Needs {
			note(strings.ToLower(n.On.Name))
		}
	}
	if c.Text == nil {
		return out
	}
	text := strings.ToLower(c.Text(o))
	for rest := text; rest != ""; {
		i := strings.IndexFunc(rest, inWord)
		if i < 0 {
			break
		}
		rest = rest[i:]
		n := strings.IndexFunc(rest, notInWord)
		if n < 0 {
			n = len(rest)
		}
		note(rest[:n])
		rest = rest[n:]
	}
	for _, n := range odd {
		// Quotes in a name are doubled where it is quoted.
		if strings.Contains(text, n) || strings.ContainsAny(n, "\"`]'") {
			note(n)
		}
	}
	return out
}

func inWord(r rune) bool {
	return r == '_' || r == '$' || r >= utf8.RuneSelf || unicode.IsLetter(r) || unicode.IsDigit(r)
}

func notInWord(r rune) bool { return !inWord(r) }
