package model

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"dappermirror/internal/standin/tsql"
)

// special is what an index on XML or in space has besides (SQL Server: sys.xml_indexes,
// sys.spatial_index_tessellations).
type special struct {
	kind   string // PRIMARY XML, XML or SPATIAL
	using  int    // the primary index of a secondary one
	path   string // PATH, VALUE or PROPERTY
	scheme string // the tessellation
	box    []float64
	grids  [4]string
	cells  int64
}

// firstXML and firstSpatial are where the numbers of such indexes begin.
const firstXML, firstSpatial = 256000, 384000

// specialIndex adds an index on XML or in space to a table.
func (x *session) specialIndex(t *object, b *tsql.Index) *index {
	s := &special{kind: b.Special.Kind, path: b.Special.For}
	xml := s.kind != "SPATIAL"
	word := map[bool]string{true: "XML", false: "spatial"}[xml]
	i := &index{name: b.Name, options: tsql.Options{}, special: s, id: map[bool]int{true: firstXML, false: firstSpatial}[xml]}
	for _, have := range t.indexes {
		if have.special != nil && (have.special.kind != "SPATIAL") == xml {
			i.id = max(i.id, have.id+1)
		}
	}
	if key := t.clusteredKey(); key == nil && xml {
		panic(fail(6332, "Table '%s' needs to have a clustered primary key with less than 32 columns in it in order to create a primary XML index on it.", t.full()))
	} else if key == nil {
		panic(fail(12008, "Table '%s' does not have a clustered primary key as required by the spatial index. Make sure that the primary key column exists on the table before creating a spatial index.", t.full()))
	}
	name := b.Columns[0].Name
	c := t.column(x.d, name)
	switch {
	case c == nil:
		panic(fail(1911, "Column name '%s' does not exist in the target table or view.", name))
	case xml && c.dataType.name != "xml":
		panic(fail(1977, "Could not create %s index '%s' on table '%s'. Only XML columns can be specified in an XML index key list.", word, b.Name, t.full()))
	case !xml && c.dataType.name != "geometry" && c.dataType.name != "geography":
		panic(fail(12002, "The requested spatial index on column '%s' of table '%s' could not be created because the column type is not geometry or geography. Specify a column name that refers to a column with a geometry or geography data type.", c.name, t.full()))
	}
	i.cols = []indexCol{{col: c.id}}
	switch s.kind {
	case "SPATIAL":
		s.tessellate(b, c.dataType.name)
	case "XML":
		primary := t.index(x.d, b.Special.Using)
		if primary == nil || primary.special == nil || primary.special.kind != "PRIMARY XML" || primary.cols[0].col != c.id {
			panic(fail(6343, "Cannot create secondary XML index '%s' without a USING XML INDEX clause that names the primary XML index of its column.", b.Name))
		}
		s.using = primary.id
	default:
		for _, have := range t.indexes {
			if have.special != nil && have.special.kind == s.kind && have.cols[0].col == c.id {
				panic(fail(unknown, "The column %s has a primary XML index already: '%s'.", c.name, have.name))
			}
		}
	}
	for o, v := range b.Options {
		switch o {
		case "PAD_INDEX", "FILLFACTOR", "ALLOW_ROW_LOCKS", "ALLOW_PAGE_LOCKS", "STATISTICS_NORECOMPUTE":
			i.options[o] = v
		case "DATA_COMPRESSION":
			i.compression = v
		case "SORT_IN_TEMPDB", "MAXDOP", "DROP_EXISTING", "ONLINE":
		case "BOUNDING_BOX", "GRIDS", "CELLS_PER_OBJECT":
			if !xml {
				continue
			}
			fallthrough
		default:
			panic(fail(155, "'%s' is not a recognized CREATE %s INDEX option.", o, strings.ToUpper(word)))
		}
	}
	t.indexes = append(t.indexes, i)
	return i
}

// clusteredKey is the index of a primary key that is clustered, or nil.
func (o *object) clusteredKey() *index {
	for _, i := range o.indexes {
		if i.id == 1 && i.primary {
			return i
		}
	}
	return nil
}

var gridLevels = []string{"LOW", "MEDIUM", "HIGH"}

// tessellate notes how space is cut, with what the server takes where nothing is said
// (SQL Server: CREATE SPATIAL INDEX, Arguments).
func (s *special) tessellate(b *tsql.Index, of string) {
	s.scheme = b.Special.Using
	if s.scheme == "" {
		s.scheme = strings.ToUpper(of) + "_AUTO_GRID"
	}
	auto := strings.HasSuffix(s.scheme, "_AUTO_GRID")
	if !slices.Contains([]string{"GEOMETRY_GRID", "GEOMETRY_AUTO_GRID", "GEOGRAPHY_GRID", "GEOGRAPHY_AUTO_GRID"}, s.scheme) || !strings.HasPrefix(s.scheme, strings.ToUpper(of)) {
		panic(fail(unknown, "The stand-in does not know the tessellation %s of a column of the type %s.", s.scheme, of))
	}
	if s.cells = map[string]int64{"GEOMETRY_AUTO_GRID": 8, "GEOGRAPHY_AUTO_GRID": 12}[s.scheme]; s.cells == 0 {
		s.cells = 16
	}
	if v := b.Options["CELLS_PER_OBJECT"]; v != "" {
		if s.cells = number64(v); s.cells < 1 || s.cells > 8192 {
			panic(fail(unknown, "CELLS_PER_OBJECT is a number from 1 to 8192."))
		}
	}
	box, named := listed(b.Options["BOUNDING_BOX"])
	if of == "geography" != (b.Options["BOUNDING_BOX"] == "") {
		panic(fail(unknown, "BOUNDING_BOX is for geometry, and it is needed there."))
	}
	for i, v := range box {
		for at, side := range []string{"XMIN", "YMIN", "XMAX", "YMAX"} {
			if len(named) > 0 && named[side] != "" && at == i {
				v = named[side]
			}
		}
		f, err := strconv.ParseFloat(v, 64)
		if err != nil {
			panic(fail(unknown, "BOUNDING_BOX wants numbers, and not %s.", v))
		}
		s.box = append(s.box, f)
	}
	if of == "geometry" && (len(s.box) != 4 || s.box[0] >= s.box[2] || s.box[1] >= s.box[3]) {
		panic(fail(unknown, "BOUNDING_BOX wants four numbers, the smaller ones first."))
	}
	if auto {
		if b.Options["GRIDS"] != "" {
			panic(fail(unknown, "GRIDS cannot be given for %s.", s.scheme))
		}
		return
	}
	grids, at := listed(b.Options["GRIDS"])
	for i := range s.grids {
		s.grids[i] = "MEDIUM"
		if len(at) == 0 && len(grids) == 4 {
			s.grids[i] = grids[i]
		} else if v := at[fmt.Sprint("LEVEL_", i+1)]; v != "" {
			s.grids[i] = v
		}
		if !slices.Contains(gridLevels, s.grids[i]) {
			panic(fail(unknown, "The stand-in does not know the grid %s.", s.grids[i]))
		}
	}
}

// listed takes a list in brackets apart, whose items may have names.
func listed(text string) (items []string, named map[string]string) {
	text = strings.TrimSuffix(strings.TrimPrefix(strings.TrimSpace(text), "("), ")")
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	named = map[string]string{}
	for _, it := range strings.Split(text, ",") {
		k, v, ok := strings.Cut(it, "=")
		if it = strings.ReplaceAll(strings.TrimSpace(it), "- ", "-"); ok {
			named[strings.TrimSpace(k)] = strings.ReplaceAll(strings.TrimSpace(v), "- ", "-")
		}
		items = append(items, it)
	}
	return items, named
}

func showXMLIndexes(x *session, add func(...any)) {
	for _, o := range x.d.list("U") {
		for _, i := range o.indexes {
			if i.special == nil || i.special.kind == "SPATIAL" {
				continue
			}
			var using, typ, word any
			kind, desc := int64(0), "PRIMARY_XML"
			if i.special.kind == "XML" {
				using, typ, word, kind, desc = int64(i.special.using), map[string]string{"PATH": "P", "VALUE": "V", "PROPERTY": "R"}[i.special.path], i.special.path, 1, "SECONDARY_XML"
			}
			add(append(indexRow(o, i), using, typ, word, kind, desc, nil)...)
		}
	}
}

func showTessellations(x *session, add func(...any)) {
	for _, o := range x.d.list("U") {
		for _, i := range o.indexes {
			if i.special == nil || i.special.kind != "SPATIAL" {
				continue
			}
			row := []any{o.id, int64(i.id), i.special.scheme, nil, nil, nil, nil}
			for n, v := range i.special.box {
				row[3+n] = v
			}
			for _, g := range i.special.grids {
				if g == "" {
					row = append(row, nil, nil)
				} else {
					row = append(row, []int64{16, 64, 256}[slices.Index(gridLevels, g)], g)
				}
			}
			add(append(row, i.special.cells)...)
		}
	}
}
