package compare

import (
	"context"
	"slices"
	"strings"
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
		differing[known(it.Object())] = true
	}
	var reached [2]map[string]bool
	_ = onBoth(func(i int) error { reached[i] = reach(both[i], differing); return nil })
	err := onBoth(func(i int) error {
		c := both[i]
		var objects []*catalog.Object
		for _, o := range c.Objects {
			if n := known(o); reached[0][n] || reached[1][n] {
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
	in := newNames(c)
	mentions := make(map[*catalog.Object][]string, len(c.Objects))
	users := map[string][]*catalog.Object{}
	for _, o := range c.Objects {
		list := in.mentioned(c, o)
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
			for _, o := range in.objects[v.name] {
				take(o, 0)
			}
		}
		for _, o := range users[v.name] {
			at := v.at
			if o.Kind == catalog.Table && !stands(o, v.name) {
				at++
			}
			if at <= farTables && take(o, at) {
				todo = append(todo, visit{known(o), at})
			}
		}
	}
	out := map[string]bool{}
	for o := range level {
		out[known(o)] = true
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

// known is what an object is known by here: its name, of a routine with its
// arguments, in small letters.
func known(o *catalog.Object) string { return strings.ToLower(o.Key()) }

// names are those of a catalog's objects, in small letters.
type names struct {
	objects map[string][]*catalog.Object // by what they are known by
	bare    map[string][]*catalog.Object // as they stand in a text
	odd     []string                     // those that are no single word
	// likely has, by its length and first letter, whether a word can be a name:
	// most words of a text cannot.
	likely [64][256]bool
}

func newNames(c *catalog.Catalog) *names {
	in := &names{objects: make(map[string][]*catalog.Object, len(c.Objects)), bare: map[string][]*catalog.Object{}}
	for _, o := range c.Objects {
		in.objects[known(o)] = append(in.objects[known(o)], o)
		if c.Text == nil {
			continue
		}
		n := strings.ToLower(o.Name)
		in.bare[n] = append(in.bare[n], o)
		switch {
		case strings.IndexFunc(n, func(r rune) bool { return r >= utf8.RuneSelf || !wordByte[r] }) >= 0:
			in.odd = append(in.odd, n)
		case n != "":
			in.likely[min(len(n), len(in.likely)-1)][n[0]] = true
		}
	}
	return in
}

// mentioned lists the names of other objects that an object needs, or that
// stand in its text.
func (in *names) mentioned(c *catalog.Catalog, o *catalog.Object) []string {
	var out []string
	self := known(o)
	note := func(n string) {
		if n != self && !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	need := func(n catalog.Need) {
		if name := strings.ToLower(n.On.Name); in.objects[name] != nil {
			note(name)
		}
	}
	for _, n := range o.Needs {
		need(n)
	}
	for _, p := range o.Parts {
		for _, n := range p.Needs {
			need(n)
		}
	}
	if c.Text == nil {
		return out
	}
	text := c.Text(o)
	var word []byte
	for i := 0; i < len(text); {
		if !wordByte[text[i]] {
			i++
			continue
		}
		start := i
		for i < len(text) && wordByte[text[i]] {
			i++
		}
		if !in.likely[min(i-start, len(in.likely)-1)][lower[text[start]]] {
			continue
		}
		word = word[:0]
		for _, b := range []byte(text[start:i]) {
			word = append(word, lower[b])
		}
		for _, o := range in.bare[string(word)] {
			note(known(o))
		}
	}
	if len(in.odd) > 0 {
		text = strings.ToLower(text)
	}
	for _, n := range in.odd {
		// Quotes in a name are doubled where it is quoted.
		if strings.Contains(text, n) || strings.ContainsAny(n, "\"`]'") {
			for _, o := range in.bare[n] {
				note(known(o))
			}
		}
	}
	return out
}

// wordByte are the bytes of plain names, lower the small letters of bytes.
var wordByte, lower = func() (w [256]bool, l [256]byte) {
	for i := range 256 {
		b := byte(i)
		l[i] = b
		if b >= 'A' && b <= 'Z' {
			l[i] = b + 'a' - 'A'
		}
		w[i] = b == '_' || b == '$' || b >= '0' && b <= '9' || l[i] >= 'a' && l[i] <= 'z'
	}
	return w, l
}()
