package model

import (
	"slices"
	"strconv"
	"strings"

	"dappermirror/internal/standin/tsql"
)

// level1 are the words of sp_addextendedproperty for objects in a schema.
var level1 = map[string][]string{"TABLE": {"U"}, "VIEW": {"V"}, "PROCEDURE": {"P"}, "FUNCTION": {"FN", "IF", "TF"}, "SEQUENCE": {"SO"}, "SYNONYM": {"SN"}}

// propertyOf finds what an extended property is of.
func (x *session) propertyOf(c *call, from int) propKey {
	arg := func(name string, i int) string { return c.text(name, from+i) }
	invalid := func() {
		panic(fail(15135, "Object is invalid. Extended properties are not permitted on '%s', or the object does not exist.", strings.Trim(strings.Join([]string{arg("level0name", 1), arg("level1name", 3), arg("level2name", 5)}, "."), ".")))
	}
	key := propKey{name: c.text("name", 0)}
	if key.name == "" {
		panic(fail(15600, "An invalid parameter or option was specified for procedure 'sp_addextendedproperty'."))
	}
	if arg("level0type", 0) == "" {
		return key
	}
	if !strings.EqualFold(arg("level0type", 0), "SCHEMA") {
		invalid()
	}
	s := x.d.schema(arg("level0name", 1))
	if s == nil {
		invalid()
	}
	kind := strings.ToUpper(arg("level1type", 2))
	name := arg("level1name", 3)
	switch kind {
	case "":
		key.class, key.major = 3, int64(s.id)
		return key
	case "TYPE", "TABLE_TYPE":
		key.class = 6
		if t := x.d.findType(s.name, name); t != nil {
			key.major = int64(t.id)
		} else if o := x.d.findTableType(s.name, name); o != nil {
			key.major = int64(o.userType)
		} else {
			invalid()
		}
		return key
	}
	o := x.d.find([]string{s.name, name}, level1[kind]...)
	if o == nil || level1[kind] == nil {
		invalid()
	}
	key.class, key.major = 1, o.id
	return x.propertyWithin(key, o, strings.ToUpper(arg("level2type", 4)), arg("level2name", 5), invalid)
}

func (x *session) propertyWithin(key propKey, o *object, kind, name string, invalid func()) propKey {
	switch kind {
	case "":
		return key
	case "COLUMN":
		c := o.column(x.d, name)
		if c == nil {
			invalid()
		}
		key.minor = int64(c.id)
	case "INDEX":
		i := o.index(x.d, name)
		if i == nil {
			invalid()
		}
		key.class, key.minor = 7, int64(i.id)
	case "CONSTRAINT", "TRIGGER":
		p := x.d.find([]string{o.schema.name, name})
		if p == nil || p.parent != o.id {
			invalid()
		}
		key.major = p.id
	case "PARAMETER":
		key.class = 2
		for i, p := range o.module.ast.Params {
			if strings.EqualFold(p.Name, name) {
				key.minor = int64(i + 1)
			}
		}
		if key.minor == 0 {
			invalid()
		}
	default:
		invalid()
	}
	return key
}

func (x *session) setProperty(k propKey, v string) {
	d := x.d
	was, had := d.props[k]
	x.undo = append(x.undo, func() {
		if delete(d.props, k); had {
			d.props[k] = was
		}
	})
	if k.class == 1 || k.class == 7 {
		x.lock(lockKey{d: x.d, id: k.major}, lockSchM, true)
	}
	d.props[k] = v
}

func spAddProperty(x *session, c *call) any {
	k := x.propertyOf(c, 2)
	if _, ok := x.d.props[k]; ok {
		panic(fail(15233, "Property cannot be added. Property '%s' already exists for '%s'.", k.name, strings.Trim(c.text("level0name", 3)+"."+c.text("level1name", 5)+"."+c.text("level2name", 7), ".")))
	}
	x.setProperty(k, c.text("value", 1))
	return int64(0)
}

func spUpdateProperty(x *session, c *call) any {
	k := x.propertyOf(c, 2)
	if _, ok := x.d.props[k]; !ok {
		panic(fail(15217, "Property cannot be updated or deleted. Property '%s' does not exist for '%s'.", k.name, strings.Trim(c.text("level0name", 3)+"."+c.text("level1name", 5)+"."+c.text("level2name", 7), ".")))
	}
	x.setProperty(k, c.text("value", 1))
	return int64(0)
}

func spDropProperty(x *session, c *call) any {
	k := x.propertyOf(c, 1)
	v, ok := x.d.props[k]
	if !ok {
		panic(fail(15217, "Property cannot be updated or deleted. Property '%s' does not exist for '%s'.", k.name, strings.Trim(c.text("level0name", 2)+"."+c.text("level1name", 4)+"."+c.text("level2name", 6), ".")))
	}
	d := x.d
	x.undo = append(x.undo, func() { d.props[k] = v })
	delete(d.props, k)
	return int64(0)
}

// listed are the extended properties of a thing (SQL Server: fn_listextendedproperty): a
// name that is NULL stands for all, and a thing that is not there has none.
func (x *session) listed(args []tsql.Expr, e *env) *relation {
	r := &relation{}
	for _, name := range []string{"objtype", "objname", "name", "value"} {
		r.cols = append(r.cols, relCol{name: name})
	}
	c := &call{args: map[string]any{}}
	for i, a := range args {
		c.args[strconv.Itoa(i)] = x.eval(a, e)
	}
	if len(args) != 7 {
		panic(fail(313, "An insufficient number of arguments were supplied for the procedure or function fn_listextendedproperty."))
	}
	var kind, named any
	for level := 1; level < 7; level += 2 {
		if k := text(c.args[strconv.Itoa(level)]); k != "" {
			kind, named = strings.ToUpper(k), c.args[strconv.Itoa(level+1)]
		}
	}
	if kind != nil && named == nil {
		panic(fail(unknown, "The stand-in lists the extended properties of one thing at a time."))
	}
	wanted := c.args["0"]
	c.args["0"] = "any"
	var key propKey
	if x.tried(func() { key = x.propertyOf(c, 1) }) != nil {
		return r
	}
	for k, v := range x.d.props {
		if key.name = k.name; k == key && (wanted == nil || strings.EqualFold(text(wanted), k.name)) {
			r.rows = append(r.rows, []any{kind, named, k.name, v})
		}
	}
	slices.SortFunc(r.rows, func(a, b []any) int { return strings.Compare(a[2].(string), b[2].(string)) })
	return r
}
