package e2e

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// servedTable is what only SQL Server has: rows that count by themselves, a history that is
// kept, a policy that looks at each row, partitions, another disk, words that are searched.
type servedTable struct {
	identity, versioned, named, hidden, filtered, parted, cold, searched bool
	months                                                               int
}

// serves gives the tables what only SQL Server has; what was there before mostly stays.
func (s *spec) serves(r *rand.Rand, was *spec) {
	for _, t := range s.tables {
		old := servedTable{}
		if was != nil && was.table(t.name) != nil {
			old = was.table(t.name).served
		}
		turn := func(b bool, one int) bool { return b != (r.IntN(one) == 0) }
		t.served = servedTable{identity: turn(old.identity, 5), versioned: turn(old.versioned, 3), named: turn(old.named, 4), hidden: turn(old.hidden, 4), filtered: turn(old.filtered, 4), parted: turn(old.parted, 5), cold: turn(old.cold, 5), searched: turn(old.searched, 4), months: old.months}
		if r.IntN(4) == 0 {
			t.served.months = r.IntN(3)
		}
	}
}

// periods are the lines of a table that keeps its history.
func (p pen) periods(t *tableSpec) []string {
	if !t.served.versioned {
		return nil
	}
	hidden := ""
	if t.served.hidden {
		hidden = p.word(" HIDDEN")
	}
	return []string{p.name("valid from") + p.word(" datetime2 GENERATED ALWAYS AS ROW START") + hidden + p.word(" NOT NULL"), p.name("valid to") + p.word(" datetime2 GENERATED ALWAYS AS ROW END") + hidden + p.word(" NOT NULL"),
		p.word("PERIOD FOR SYSTEM_TIME") + " (" + p.name("valid from") + ", " + p.name("valid to") + ")"}
}

// placed is what stands behind the list of a table's columns.
func (p pen) placed(t *tableSpec) string {
	s := ""
	if t.served.parted {
		s = p.word(" ON ") + p.name("nos") + " (" + p.name("id") + ")"
	} else if t.served.cold {
		s = p.word(" ON ") + p.name("cold disk")
	}
	if !t.served.versioned {
		return s
	}
	var how []string
	if t.served.named {
		how = append(how, p.word("HISTORY_TABLE = dbo.")+p.name(t.name+" was"))
	}
	if t.served.months > 0 {
		how = append(how, fmt.Sprintf("HISTORY_RETENTION_PERIOD = %d %s", t.served.months, p.word("MONTHS")))
	}
	s += p.word(" WITH (SYSTEM_VERSIONING = ON")
	if len(how) > 0 {
		s += " (" + strings.Join(how, ", ") + ")"
	}
	return s + ")"
}

// partitions stand before the tables, policies behind everything.
func (p pen) partitions(s *spec) string {
	return "ALTER DATABASE CURRENT ADD FILEGROUP [cold disk];\nALTER DATABASE CURRENT ADD FILE (NAME = one, FILENAME = '/data/one.ndf') TO FILEGROUP [cold disk];\nCREATE FULLTEXT CATALOG words AS DEFAULT;\nGO\nCREATE PARTITION FUNCTION by_no (" + p.typ("int") + ") AS RANGE RIGHT FOR VALUES (2, 30);\nCREATE PARTITION SCHEME nos AS PARTITION by_no ALL TO ([PRIMARY]);\nGO\nCREATE FUNCTION dbo.sees (@no int) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @no > 0;\nGO\n"
}

func (p pen) policies(s *spec) string {
	var b strings.Builder
	for _, t := range s.tables {
		var words []string
		for _, c := range t.cols {
			if c.typ == "text" && c.computed == "" {
				words = append(words, p.name(c.name)+p.word(" LANGUAGE 1031"))
			}
		}
		if t.served.searched && len(words) > 0 {
			fmt.Fprintf(&b, "CREATE UNIQUE INDEX %s ON %s (%s) ON [PRIMARY];\n", p.name("by_"+t.name), p.name(t.name), p.name("id"))
			fmt.Fprintf(&b, "CREATE FULLTEXT INDEX ON %s (%s) KEY INDEX %s;\n", p.name(t.name), strings.Join(words, ", "), p.name("by_"+t.name))
		}
	}
	for _, t := range s.tables {
		if t.served.filtered {
			fmt.Fprintf(&b, "CREATE SECURITY POLICY %s ADD FILTER PREDICATE dbo.%s(%s) ON dbo.%s, ADD BLOCK PREDICATE dbo.%s(%s) ON dbo.%s AFTER UPDATE;\n", p.name("own_"+t.name), p.name("sees"), p.name("id"), p.name(t.name), p.name("sees"), p.name("id"), p.name(t.name))
		}
	}
	return b.String()
}
