package tsql

// The statements about partitions.
type (
	// PartitionFunction is CREATE PARTITION FUNCTION.
	PartitionFunction struct {
		Name   string
		Type   TypeName
		Right  bool
		Values []Expr
	}
	// PartitionScheme is CREATE PARTITION SCHEME.
	PartitionScheme struct {
		Name, Function string
		All            bool
		Groups         []string
	}
	// AlterPartition is ALTER PARTITION FUNCTION … SPLIT or MERGE RANGE, and ALTER PARTITION
	// SCHEME … NEXT USED.
	AlterPartition struct {
		Name         string
		Split, Merge Expr
		Next         string
	}
	// Space is where a table or an index lies: a filegroup, or a partition scheme with its
	// column.
	Space struct{ Name, Column string }
)

func (p *Parser) createPartition() any {
	if p.Take("function") {
		f := &PartitionFunction{Name: p.name()}
		p.want("(")
		f.Type = p.typeName()
		p.want(")", "as", "range")
		if f.Right = p.Take("right"); !f.Right {
			p.Take("left")
		}
		p.want("for", "values", "(")
		for !p.at(")") {
			f.Values = append(f.Values, p.sum())
			if !p.Take(",") {
				break
			}
		}
		p.want(")")
		return f
	}
	p.want("scheme")
	s := &PartitionScheme{Name: p.name()}
	p.want("as", "partition")
	s.Function = p.name()
	s.All = p.Take("all")
	p.want("to", "(")
	for {
		s.Groups = append(s.Groups, p.Next().Name())
		if !p.Take(",") {
			break
		}
	}
	p.want(")")
	return s
}

func (p *Parser) alterPartition() any {
	a := &AlterPartition{}
	if p.Take("scheme") {
		a.Name = p.name()
		p.want("next", "used")
		a.Next = p.Next().Name()
		return a
	}
	p.want("function")
	a.Name = p.name()
	p.want("(", ")")
	if p.Take("split", "range", "(") {
		a.Split = p.sum()
	} else {
		p.want("merge", "range", "(")
		a.Merge = p.sum()
	}
	p.want(")")
	return a
}

// space takes a filegroup, or a partition scheme with its column.
func (p *Parser) space() Space {
	s := Space{Name: p.Next().Name()}
	if p.Take("(") {
		s.Column = p.name()
		p.want(")")
	}
	return s
}
