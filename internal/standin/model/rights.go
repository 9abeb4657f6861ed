package model

import (
	"maps"
	"slices"
	"strings"
	"time"

	"dappermirror/internal/standin/tsql"
)

// principal is a user or a role of a database.
type principal struct {
	id      int
	name    string
	typ     string // S, R
	owner   int
	fixed   bool
	implied bool // it was named, and nobody made it
	created time.Time
}

// member says that one principal is in a role.
type member struct{ role, of int }

// rightKey is what a right is on, whose it is, and what it is for.
type rightKey struct {
	class        int // 0 the database, 1 an object or column, 3 a schema, 4 a role, 6 a type
	major, minor int64
	grantee      int
	name         string
}

// fixedRoles are the roles that every database has, by the last digits of their
// numbers (SQL Server: sys.database_principals).
var fixedRoles = map[int]string{0: "db_owner", 1: "db_accessadmin", 2: "db_securityadmin", 3: "db_ddladmin", 5: "db_backupoperator", 6: "db_datareader", 7: "db_datawriter", 8: "db_denydatareader", 9: "db_denydatawriter"}

func founders() []principal {
	out := []principal{{id: 0, name: "public", typ: "R", owner: 1}}
	for i, n := range []string{"dbo", "guest", "INFORMATION_SCHEMA", "sys"} {
		out = append(out, principal{id: i + 1, name: n, typ: "S"})
	}
	for _, n := range slices.Sorted(maps.Keys(fixedRoles)) {
		out = append(out, principal{id: 16384 + n, name: fixedRoles[n], typ: "R", owner: 1, fixed: true})
	}
	return out
}

func (d *database) principal(name string) *principal {
	for i := range d.principals {
		if d.fold(d.principals[i].name) == d.fold(name) {
			return &d.principals[i]
		}
	}
	return nil
}

func (d *database) principalName(id int) string {
	for i := range d.principals {
		if d.principals[i].id == id {
			return d.principals[i].name
		}
	}
	return ""
}

// known is a principal that must be there. Where texts are read that tell of a part of a
// database, one that is named is taken to be there.
func (x *session) known(name, kind string) *principal {
	if p := x.d.principal(name); p != nil {
		return p
	}
	if !x.s.Implied {
		panic(fail(15151, "Cannot find the %s '%s', because it does not exist or you do not have permission.", kind, name))
	}
	return x.newPrincipal(principal{name: name, typ: "S", implied: true})
}

func (x *session) newPrincipal(p principal) *principal {
	x.saveRights()
	p.id, p.created = 5, time.Now().UTC()
	for _, o := range x.d.principals {
		if o.id < 16384 {
			p.id = max(p.id, o.id+1)
		}
	}
	x.d.principals = append(slices.Clone(x.d.principals), p)
	return &x.d.principals[len(x.d.principals)-1]
}

// saveRights notes the principals and rights of the database.
func (x *session) saveRights() {
	d := x.d
	principals, members, rights := slices.Clone(d.principals), slices.Clone(d.members), maps.Clone(d.rights)
	x.undo = append(x.undo, func() { d.principals, d.members, d.rights = principals, members, rights })
}

// principal makes, changes and drops users and roles.
func (x *session) principal(b *tsql.Principal) {
	kind := strings.ToLower(b.Kind)
	p := x.d.principal(b.Name)
	if b.Verb == "CREATE" {
		if p != nil && !p.implied {
			panic(fail(15023, "User, group, or role '%s' already exists in the current database.", b.Name))
		}
		owner := 0
		if b.Kind == "ROLE" {
			if owner = 1; b.Owner != "" {
				owner = x.known(b.Owner, "principal").id
			}
		}
		typ := map[string]string{"ROLE": "R", "USER": "S"}[b.Kind]
		if p = x.d.principal(b.Name); p != nil {
			x.saveRights()
			p.name, p.typ, p.owner, p.implied = b.Name, typ, owner, false
			return
		}
		p = x.newPrincipal(principal{name: b.Name, typ: typ, owner: owner})
		if b.Kind == "USER" {
			x.d.rights[rightKey{grantee: p.id, name: "CONNECT"}] = "G"
		}
		return
	}
	if p == nil && b.Verb == "DROP" && b.If {
		return
	}
	if p == nil || (p.typ == "R") != (b.Kind == "ROLE") && !p.implied {
		panic(fail(15151, "Cannot %s the %s '%s', because it does not exist or you do not have permission.", strings.ToLower(b.Verb), kind, b.Name))
	}
	x.saveRights()
	switch {
	case b.Verb == "DROP":
		x.dropPrincipal(p, kind)
	case b.Add != "":
		x.addMember(p, b.Add)
	case b.Drop != "":
		m := x.known(b.Drop, "principal")
		x.d.members = slices.DeleteFunc(x.d.members, func(o member) bool { return o == member{p.id, m.id} })
	case b.NewName != "":
		if o := x.d.principal(b.NewName); o != nil && o != p {
			panic(fail(15023, "User, group, or role '%s' already exists in the current database.", b.NewName))
		}
		p.name = b.NewName
	}
}

func (x *session) addMember(role *principal, name string) {
	r := role.id
	m := x.known(name, "principal")
	met := map[int]bool{r: true}
	for in := []int{r}; len(in) > 0; in = in[1:] { // whoever has the role, at any distance
		if in[0] == m.id {
			panic(fail(15413, "Cannot make a role a member of itself."))
		}
		for _, o := range x.d.members {
			if o.of == in[0] && !met[o.role] {
				met[o.role] = true
				in = append(in, o.role)
			}
		}
	}
	if !slices.Contains(x.d.members, member{r, m.id}) {
		x.d.members = append(slices.Clone(x.d.members), member{r, m.id})
	}
}

func (x *session) dropPrincipal(p *principal, kind string) {
	if p.fixed || p.id < 5 {
		panic(fail(15150, "Cannot drop the %s '%s'.", kind, p.name))
	}
	id := p.id
	if slices.ContainsFunc(x.d.members, func(m member) bool { return m.role == id }) {
		panic(fail(15144, "The role has members. It must be empty before it can be dropped."))
	}
	for _, s := range x.d.schemas {
		if s.owner == id {
			panic(fail(15138, "The database principal owns a schema in the database, and cannot be dropped."))
		}
	}
	for _, o := range x.d.principals {
		if o.owner == id {
			panic(fail(15421, "The database principal owns a database role and cannot be dropped."))
		}
	}
	for _, o := range x.d.objects {
		if o.owner == id {
			panic(fail(15183, "The database principal owns objects in the database and cannot be dropped."))
		}
	}
	x.d.principals = slices.DeleteFunc(slices.Clone(x.d.principals), func(o principal) bool { return o.id == id })
	x.d.members = slices.DeleteFunc(x.d.members, func(m member) bool { return m.of == id })
	maps.DeleteFunc(x.d.rights, func(k rightKey, _ string) bool {
		return k.grantee == id || k.class == 4 && k.major == int64(id)
	})
}

// forget takes the rights on something away, as it goes. A minor of 0 stands for all of it.
func (x *session) forget(class int, major, minor int64) {
	for k := range x.d.rights {
		if k.class == class && k.major == major && (minor == 0 || k.minor == minor) {
			x.setRight(k, "")
		}
	}
}

// setRight notes one right, "" for none.
func (x *session) setRight(k rightKey, state string) {
	d, was := x.d, x.d.rights[k]
	set := func(state string) {
		if d.rights[k] = state; state == "" {
			delete(d.rights, k)
		}
	}
	x.undo = append(x.undo, func() { set(was) })
	set(state)
}

// securable is what rights are on, by class and number.
type securable struct {
	class  int
	major  int64
	object *object
	schema *schema
	alias  *aliasType
	role   *principal
}

func (x *session) securable(class string, path []string) securable {
	none := func(what string) {
		panic(fail(15151, "Cannot find the %s '%s', because it does not exist or you do not have permission.", what, path[len(path)-1]))
	}
	switch class {
	case "", "OBJECT":
		o := x.d.find(path, "U", "V", "P", "FN", "IF", "TF", "SO", "SN", "SP")
		if o == nil {
			none("object")
		}
		return securable{class: 1, major: o.id, object: o}
	case "SCHEMA":
		s := x.d.schema(path[0])
		if s == nil {
			none("schema")
		}
		return securable{class: 3, major: int64(s.id), schema: s}
	case "TYPE":
		sn, name := x.d.split(path)
		if t := x.d.findType(sn, name); t != nil {
			return securable{class: 6, major: int64(t.id), alias: t}
		}
		o := x.d.findTableType(sn, name)
		if o == nil {
			none("type")
		}
		return securable{class: 6, major: int64(o.userType), object: o}
	case "ROLE":
		p := x.d.principal(path[0])
		if p == nil || p.typ != "R" {
			none("role")
		}
		return securable{class: 4, major: int64(p.id), role: p}
	case "DATABASE":
		if x.d.fold(path[0]) != x.d.fold(x.d.name) {
			none("database")
		}
		return securable{}
	}
	panic(fail(unknown, "The stand-in does not know rights on %s::.", class))
}

// authorization gives something an owner. What was granted on it goes (SQL Server: ALTER
// AUTHORIZATION, Remarks).
func (x *session) authorization(b *tsql.Authorization) {
	s := x.securable(b.Class, b.On)
	owner := 0
	switch {
	case b.To != "":
		owner = x.known(b.To, "principal").id
	case s.schema != nil || s.role != nil:
		panic(fail(102, "Incorrect syntax near 'SCHEMA'."))
	}
	switch {
	case s.class == 0:
		panic(fail(unknown, "The stand-in does not know the owner of a database."))
	case s.schema != nil:
		if s.schema.id <= 4 {
			panic(fail(15150, "Cannot alter the schema '%s'.", s.schema.name))
		}
		was := s.schema.owner
		x.undo = append(x.undo, func() { s.schema.owner = was })
		s.schema.owner = owner
	case s.role != nil:
		x.saveRights()
		s.role = x.d.principal(s.role.name)
		s.role.owner = owner
	case s.alias != nil:
		was := s.alias.owner
		x.undo = append(x.undo, func() { s.alias.owner = was })
		s.alias.owner = owner
	default:
		x.alter(s.object)
		s.object.owner = owner
	}
	x.forget(s.class, s.major, 0)
}

// objectRights are what can be granted on an object, by its type (SQL Server: GRANT Object
// Permissions).
var objectRights = map[string]string{
	"U": "SELECT INSERT UPDATE DELETE REFERENCES", "V": "SELECT INSERT UPDATE DELETE REFERENCES", "IF": "SELECT INSERT UPDATE DELETE REFERENCES", "TF": "SELECT REFERENCES",
	"P": "EXECUTE", "FN": "EXECUTE REFERENCES", "SO": "UPDATE REFERENCES", "SN": "SELECT INSERT UPDATE DELETE EXECUTE", "TT": "EXECUTE REFERENCES",
}

// common are those on anything, and classRights those of a class.
var (
	common      = []string{"ALTER", "CONTROL", "TAKE OWNERSHIP", "VIEW DEFINITION"}
	classRights = map[int]string{3: "SELECT INSERT UPDATE DELETE EXECUTE REFERENCES CREATE-SEQUENCE VIEW-CHANGE-TRACKING", 4: "", 6: "EXECUTE REFERENCES"}
	codes       = map[string]string{"SELECT": "SL", "INSERT": "IN", "UPDATE": "UP", "DELETE": "DL", "EXECUTE": "EX", "REFERENCES": "RF", "ALTER": "AL", "CONTROL": "CL", "TAKE OWNERSHIP": "TO", "VIEW DEFINITION": "VW", "CONNECT": "CO",
		"CREATE TABLE": "CRTB", "CREATE VIEW": "CRVW", "CREATE PROCEDURE": "CRPR", "CREATE FUNCTION": "CRFN", "CREATE SCHEMA": "CRSM", "CREATE TYPE": "CRTY", "CREATE SYNONYM": "CRSN", "CREATE ROLE": "CRRL", "CREATE SEQUENCE": "CRSO", "CREATE FULLTEXT CATALOG": "CRFT",
		"VIEW DATABASE STATE": "VWDS", "SHOWPLAN": "SPLN", "ALTER ANY SCHEMA": "ALSM", "ALTER ANY USER": "ALUS", "ALTER ANY ROLE": "ALRL", "UNMASK": "UMSK", "BACKUP DATABASE": "BADB", "BACKUP LOG": "BALO", "VIEW CHANGE TRACKING": "VWCT"}
)

// allowed are the permissions that ALL stands for, or the one that is named.
func (s securable) allowed(name string) []string {
	list := strings.Fields(classRights[s.class])
	if s.object != nil {
		list = strings.Fields(objectRights[s.object.typ])
	}
	for i := range list {
		list[i] = strings.ReplaceAll(list[i], "-", " ")
	}
	switch {
	case name == "ALL" || name == "ALL PRIVILEGES":
		if s.class == 0 {
			return []string{"BACKUP DATABASE", "BACKUP LOG", "CREATE FUNCTION", "CREATE PROCEDURE", "CREATE TABLE", "CREATE VIEW"}
		}
		return list
	case s.class == 0 && codes[name] != "", slices.Contains(list, name), s.class > 0 && slices.Contains(common, name):
		return []string{name}
	case name == "EXEC":
		return s.allowed("EXECUTE")
	case codes[name] != "":
		panic(fail(4606, "Granted or revoked privilege %s is not compatible with object.", name))
	}
	panic(fail(unknown, "The stand-in does not know the permission %s.", name))
}

func (x *session) rights(b *tsql.Rights) {
	s := securable{}
	if b.On != nil {
		s = x.securable(b.Class, b.On)
	}
	for _, to := range b.To {
		g := x.known(to, "user")
		if g.id >= 1 && g.id <= 4 && g.id != 2 || g.fixed {
			panic(fail(4617, "Cannot grant, deny or revoke permissions to or from special roles."))
		}
		grantee := g.id
		for _, p := range b.List {
			for _, name := range s.allowed(p.Name) {
				minors := []int64{0}
				if len(p.Columns) > 0 {
					minors = x.columnsOfRight(s, p, name)
				}
				for _, m := range minors {
					x.right(b, rightKey{s.class, s.major, m, grantee, name})
				}
			}
		}
	}
}

func (x *session) columnsOfRight(s securable, p tsql.Permission, name string) []int64 {
	if s.class != 1 || !slices.Contains([]string{"SELECT", "UPDATE", "REFERENCES"}, name) {
		panic(fail(1020, "Sub-entity lists (such as column or security expressions) cannot be specified for entity-level permissions."))
	}
	var out []int64
	for _, n := range p.Columns {
		c := s.object.column(x.d, n)
		if c == nil {
			panic(fail(1911, "Column name '%s' does not exist in the target table or view.", n))
		}
		out = append(out, int64(c.id))
	}
	return out
}

// right gives, denies or takes one right.
func (x *session) right(b *tsql.Rights, k rightKey) {
	was := x.d.rights[k]
	switch {
	case b.Verb == "GRANT" && b.Option:
		x.setRight(k, "W")
	case b.Verb == "GRANT" && was != "W":
		x.setRight(k, "G")
	case b.Verb == "GRANT":
	case was == "W" && !b.Cascade:
		panic(fail(4611, "To revoke or deny grantable privileges, specify the CASCADE option."))
	case b.Verb == "DENY":
		x.setRight(k, "D")
	case b.Option && was == "W":
		x.setRight(k, "G")
	case !b.Option:
		x.setRight(k, "")
	}
}

func spRoleMember(verb string) func(x *session, c *call) any {
	return func(x *session, c *call) any {
		b := &tsql.Principal{Verb: "ALTER", Kind: "ROLE", Name: c.text("rolename", 0)}
		if b.Add = c.text("membername", 1); verb == "DROP" {
			b.Add, b.Drop = "", b.Add
		}
		x.principal(b)
		return int64(0)
	}
}

func spAddRole(x *session, c *call) any {
	x.principal(&tsql.Principal{Verb: "CREATE", Kind: "ROLE", Name: c.text("rolename", 0), Owner: c.text("ownername", 1)})
	return int64(0)
}

func spDropRole(x *session, c *call) any {
	x.principal(&tsql.Principal{Verb: "DROP", Kind: "ROLE", Name: c.text("rolename", 0)})
	return int64(0)
}

func showRights(x *session, add func(...any)) {
	classes := map[int]string{0: "DATABASE", 1: "OBJECT_OR_COLUMN", 3: "SCHEMA", 4: "DATABASE_PRINCIPAL", 6: "TYPE"}
	states := map[string]string{"G": "GRANT", "W": "GRANT_WITH_GRANT_OPTION", "D": "DENY"}
	for k, state := range x.d.rights {
		add(int64(k.class), classes[k.class], k.major, k.minor, int64(k.grantee), int64(1), codes[k.name], k.name, state, states[state])
	}
}

func showPrincipals(x *session, add func(...any)) {
	for _, p := range x.d.principals {
		var owner any
		if p.owner > 0 {
			owner = int64(p.owner)
		}
		add(p.name, int64(p.id), p.typ, map[string]string{"R": "DATABASE_ROLE", "S": "SQL_USER"}[p.typ], nil, moment{p.created, "datetime", 3}, moment{p.created, "datetime", 3}, owner, nil, bit(p.fixed))
	}
}

func showMembers(x *session, add func(...any)) {
	for _, m := range x.d.members {
		add(int64(m.role), int64(m.of))
	}
}
