package vocab

import (
	"strings"

	"dappermirror/internal/core/catalog"
)

// Privileges are the letters of access rights (PostgreSQL: Privileges, table
// 5.1), in the order in which they are written.
var Privileges = []struct {
	letter byte
	word   string
}{
	{'r', "SELECT"}, {'a', "INSERT"}, {'w', "UPDATE"}, {'d', "DELETE"}, {'D', "TRUNCATE"}, {'x', "REFERENCES"}, {'t', "TRIGGER"}, {'m', "MAINTAIN"},
	{'U', "USAGE"}, {'C', "CREATE"}, {'X', "EXECUTE"},
}

// Rights says, by kind, what the owner has and what everybody has where
// nothing was ever granted, and the word of GRANT.
var Rights = map[catalog.Kind]struct{ Owner, Public, Word string }{
	catalog.Schema:   {"UC", "", "SCHEMA"},
	catalog.Table:    {"rawdDxt", "", "TABLE"},
	catalog.View:     {"rawdDxt", "", "TABLE"},
	MatView:          {"rawdDxt", "", "TABLE"},
	catalog.Sequence: {"rwU", "", "SEQUENCE"},
	catalog.Routine:  {"X", "X", "FUNCTION"},
	catalog.Enum:     {"U", "U", "TYPE"},
	Domain:           {"U", "U", "TYPE"},
	Composite:        {"U", "U", "TYPE"},
	Range:            {"U", "U", "TYPE"},
	catalog.Column:   {"", "", "TABLE"},
	ForeignTable:     {"rawdDxt", "", "TABLE"},
	BaseType:         {"U", "U", "TYPE"},
	"aggregate":      {"X", "X", "FUNCTION"},
	"language":       {"U", "U", "LANGUAGE"},
	Wrapper:          {"U", "", "FOREIGN DATA WRAPPER"},
	ForeignServer:    {"U", "", "FOREIGN SERVER"},
}

// Grantees that are no role's name.
const Everybody, TheOwner = "PUBLIC", "(owner)"

// Grants makes the set of grants of an access list: one text a grantee, the
// owner by that word, so that it does not matter who owns the thing.
func Grants(kind catalog.Kind, owner string, acl []string) catalog.Value {
	r := Rights[kind]
	var out []string
	if acl == nil {
		if r.Owner != "" {
			out = append(out, TheOwner+": "+words(r.Owner))
		}
		if r.Public != "" {
			out = append(out, Everybody+": "+words(r.Public))
		}
		return catalog.SetOf(out...)
	}
	for _, item := range acl {
		who, rest := SplitName(strings.Replace(item, "=", " ", 1))
		if strings.HasPrefix(item, "=") {
			who, rest = Everybody, item[1:]
		} else if strings.HasPrefix(item, `"`) {
			if who, rest = SplitName(item); rest == "" {
				end := strings.LastIndex(item, `"=`)
				who, rest = item[:end+1], item[end+2:]
			}
			rest = strings.TrimPrefix(rest, "=")
			who = strings.ReplaceAll(who[1:len(who)-1], `""`, `"`)
		}
		letters, _, _ := strings.Cut(rest, "/")
		if who == owner {
			who = TheOwner
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
	for _, p := range Privileges {
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

// SplitName cuts `name type` behind the name, which may be quoted.
func SplitName(s string) (name, typ string) {
	end := strings.IndexByte(s, ' ')
	if strings.HasPrefix(s, `"`) {
		for i := 1; i < len(s); i++ {
			if s[i] == '"' {
				if i+1 < len(s) && s[i+1] == '"' {
					i++
					continue
				}
				end = i + 1
				break
			}
		}
	}
	if end < 0 || end >= len(s) {
		return s, ""
	}
	return s[:end], strings.TrimSpace(s[end:])
}
