package model

import (
	"maps"
	"slices"

	"dappermirror/internal/standin/tsql"
)

// partFunction says into which partition a value goes, by its boundaries.
type partFunction struct {
	id   int
	name string
	dataType
	right  bool
	values []any
}

// partScheme says in which filegroups the partitions of a function lie.
type partScheme struct {
	id       int // of a data space
	name     string
	function int
	groups   []int // of each partition
	next     int   // where the next partition goes, -1 where that is not said
}

func (x *session) savePartitions() {
	d := x.d
	f, s := maps.Clone(d.partFunctions), maps.Clone(d.partSchemes)
	x.undo = append(x.undo, func() { d.partFunctions, d.partSchemes = f, s })
}

func (x *session) partFunction(name string) partFunction {
	f, ok := x.d.partFunctions[x.d.fold(name)]
	if !ok {
		panic(fail(15151, "Cannot find the partition function '%s', because it does not exist or you do not have permission.", name))
	}
	return f
}

func (d *database) functionOf(s partScheme) partFunction {
	for _, f := range d.partFunctions {
		if f.id == s.function {
			return f
		}
	}
	return partFunction{}
}

func (d *database) schemeByID(id int) (partScheme, bool) {
	for _, s := range d.partSchemes {
		if s.id == id {
			return s, true
		}
	}
	return partScheme{}, false
}

func (x *session) createPartFunction(b *tsql.PartitionFunction) {
	if _, ok := x.d.partFunctions[x.d.fold(b.Name)]; ok {
		panic(fail(2714, "There is already an object named '%s' in the database.", b.Name))
	}
	f := partFunction{id: 65536, name: b.Name, dataType: x.d.typeOf(b.Type, "Partition function"), right: b.Right}
	if f.system == nil || f.length < 0 || slices.Contains([]string{"text", "ntext", "image", "xml", "timestamp", "geometry", "geography"}, f.dataType.name) {
		panic(fail(7702, "Empty partition function type-parameter-list or one of a type that is not allowed is specified when creating partition function '%s'.", b.Name))
	}
	for _, o := range x.d.partFunctions {
		f.id = max(f.id, o.id+1)
	}
	tooMany(len(b.Values))
	for _, v := range b.Values {
		f.values = x.bounded(f, x.eval(v, nil))
	}
	x.savePartitions()
	x.d.partFunctions[x.d.fold(b.Name)] = f
}

// tooMany refuses more boundaries than a function may have (SQL Server: CREATE PARTITION
// FUNCTION, boundary_value).
func tooMany(n int) {
	if n > 14999 {
		panic(fail(7719, "CREATE/ALTER partition function failed as only a maximum of 15000 partitions can be created."))
	}
}

// bounded are the boundaries of a function with one more.
func (x *session) bounded(f partFunction, v any) []any {
	v = f.convert(v, true)
	at, found := slices.BinarySearchFunc(f.values, v, func(a, b any) int { return compareValues(a, b, false) })
	if found {
		panic(fail(7721, "Duplicate range boundary values are not allowed in partition function boundary values list. The boundary value is already present."))
	}
	return slices.Insert(slices.Clone(f.values), at, v)
}

func (x *session) createPartScheme(b *tsql.PartitionScheme) {
	if _, ok := x.d.partSchemes[x.d.fold(b.Name)]; ok {
		panic(fail(2714, "There is already an object named '%s' in the database.", b.Name))
	}
	f := x.partFunction(b.Function)
	var groups []int
	for _, g := range b.Groups {
		groups = append(groups, x.filegroup(g))
	}
	if !b.All && len(b.Groups) <= len(f.values) {
		panic(fail(7707, "The associated partition function '%s' generates more partitions than there are file groups mentioned in the scheme '%s'.", f.name, b.Name))
	}
	s := partScheme{id: 65601, name: b.Name, function: f.id, next: -1}
	for n := range len(f.values) + 1 {
		s.groups = append(s.groups, groups[min(n, len(groups)-1)])
	}
	if b.All || len(groups) > len(s.groups) {
		s.next = groups[min(len(s.groups), len(groups)-1)]
	}
	for _, o := range x.d.partSchemes {
		s.id = max(s.id, o.id+1)
	}
	x.savePartitions()
	x.d.partSchemes[x.d.fold(b.Name)] = s
}

func (x *session) alterPartition(b *tsql.AlterPartition) {
	x.savePartitions()
	if b.Next != "" {
		s, ok := x.d.partSchemes[x.d.fold(b.Name)]
		if !ok {
			panic(fail(15151, "Cannot find the partition scheme '%s', because it does not exist or you do not have permission.", b.Name))
		}
		s.next = x.filegroup(b.Next)
		x.d.partSchemes[x.d.fold(b.Name)] = s
		return
	}
	f := x.partFunction(b.Name)
	for _, t := range x.d.list("U", "V") {
		if slices.ContainsFunc(t.indexes, func(i *index) bool {
			s, ok := x.d.schemeByID(i.space)
			return ok && s.function == f.id
		}) {
			x.lock(lockKey{d: x.d, id: t.id}, lockSchM, true)
		}
	}
	if b.Merge != nil {
		v := f.convert(x.eval(b.Merge, nil), true)
		at, found := slices.BinarySearchFunc(f.values, v, func(a, b any) int { return compareValues(a, b, false) })
		if !found {
			panic(fail(7715, "The specified partition range value could not be found."))
		}
		f.values = slices.Delete(slices.Clone(f.values), at, at+1)
		x.regroup(f, func(s *partScheme) { // the partition that held the boundary goes
			gone := at + int(bit(f.right))
			s.groups = slices.Delete(slices.Clone(s.groups), gone, gone+1)
		})
	} else {
		tooMany(len(f.values) + 1)
		v := f.convert(x.eval(b.Split, nil), true)
		f.values = x.bounded(f, v)
		at := slices.IndexFunc(f.values, func(o any) bool { return compareValues(o, v, false) == 0 })
		x.regroup(f, func(s *partScheme) { // the partition that holds the boundary is the new one
			if s.next < 0 {
				panic(fail(7710, "Warning: The partition scheme '%s' does not have any next used filegroup. Partition scheme has not been changed.", s.name))
			}
			s.groups, s.next = slices.Insert(slices.Clone(s.groups), at+int(bit(f.right)), s.next), -1
		})
	}
	x.d.partFunctions[x.d.fold(b.Name)] = f
}

// regroup changes the schemes of a function.
func (x *session) regroup(f partFunction, change func(*partScheme)) {
	for k, s := range x.d.partSchemes {
		if s.function == f.id {
			change(&s)
			x.d.partSchemes[k] = s
		}
	}
}

func (x *session) dropPartition(b *tsql.Drop, name string) {
	key := x.d.fold(name)
	if b.Kind == "PARTITION FUNCTION" {
		f := x.partFunction(name)
		for _, s := range x.d.partSchemes {
			if s.function == f.id {
				panic(fail(7706, "Partition function '%s' is being used by one or more partition schemes.", f.name))
			}
		}
		x.savePartitions()
		delete(x.d.partFunctions, key)
		return
	}
	s, ok := x.d.partSchemes[key]
	if !ok {
		panic(fail(15151, "Cannot find the partition scheme '%s', because it does not exist or you do not have permission.", name))
	}
	for _, t := range x.d.list("U", "V") {
		if slices.ContainsFunc(t.indexes, func(i *index) bool { return i.space == s.id }) {
			panic(fail(7717, "The partition scheme \"%s\" is currently being used to partition one or more tables.", s.name))
		}
	}
	x.savePartitions()
	delete(x.d.partSchemes, key)
}

// lie puts a heap or an index where it is to lie: where nothing is said, where its table
// does.
func (x *session) lie(t *object, i *index, on tsql.Space) {
	if on.Name == "" {
		for _, h := range t.indexes {
			if h.id <= 1 {
				i.space, i.partCol = h.space, h.partCol
			}
		}
	} else if on.Column == "" {
		i.space, i.partCol = x.filegroup(on.Name), 0
	} else {
		s, ok := x.d.partSchemes[x.d.fold(on.Name)]
		if !ok {
			panic(fail(1921, "Invalid partition scheme '%s' specified.", on.Name))
		}
		c := t.column(x.d, on.Column)
		if c == nil {
			panic(fail(1911, "Column name '%s' does not exist in the target table or view.", on.Column))
		}
		if f := x.d.functionOf(s); c.system != f.system || c.length != f.length || c.precision != f.precision || c.scale != f.scale {
			panic(fail(7726, "Partition column '%s' has data type %s which is different from the partition function '%s' parameter data type %s.", c.name, c.dataType.name, f.name, f.dataType.name))
		}
		i.space, i.partCol = s.id, c.id
	}
	if i.partCol != 0 && i.unique && !slices.ContainsFunc(i.cols, func(k indexCol) bool { return k.col == i.partCol && !k.included }) {
		panic(fail(1908, "Column '%s' is partitioning column of the index '%s'. Partition columns for a unique index must be a subset of the index key.", t.byID(i.partCol).name, i.name))
	}
}

// partitionsOf are how many rows each partition of an index has.
func (x *session) partitionsOf(t *object, i *index) []int64 {
	s, ok := x.d.schemeByID(i.space)
	if !ok {
		return []int64{int64(len(t.rows))}
	}
	f := x.d.functionOf(s)
	out := make([]int64, len(f.values)+1)
	place := t.place(i.partCol)
	for _, r := range t.rows {
		n := 0
		for n < len(f.values) && r[place] != nil {
			if c := compareValues(r[place], f.values[n], false); c < 0 || c == 0 && !f.right {
				break
			}
			n++
		}
		out[n]++
	}
	return out
}

func showPartFunctions(x *session, add func(...any)) {
	for _, f := range x.d.partFunctions {
		add(f.name, int64(f.id), "R", "RANGE", int64(len(f.values)+1), bit(f.right), int64(0))
	}
}

func showPartParameters(x *session, add func(...any)) {
	for _, f := range x.d.partFunctions {
		var collation any
		if f.class == 'c' || f.class == 'n' {
			collation = x.d.collation
		}
		add(int64(f.id), int64(1), int64(f.system.system), int64(f.userID()), int64(f.length), int64(f.precision), int64(f.scale), collation)
	}
}

func showPartValues(x *session, add func(...any)) {
	for _, f := range x.d.partFunctions {
		for i, v := range f.values {
			add(int64(f.id), int64(i+1), int64(1), v)
		}
	}
}

func showPartSchemes(x *session, add func(...any)) {
	for _, s := range x.d.partSchemes {
		add(s.name, int64(s.id), "PS", "PARTITION_SCHEME", int64(0), int64(0), int64(s.function))
	}
}

func showDestinations(x *session, add func(...any)) {
	for _, s := range x.d.partSchemes {
		list := s.groups
		if s.next >= 0 {
			list = append(slices.Clone(list), s.next)
		}
		for n, g := range list {
			add(int64(s.id), int64(n+1), int64(max(g, 1)))
		}
	}
}
