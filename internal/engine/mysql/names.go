package mysql

import (
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// quote writes a name as SQL.
func quote(s string) string { return "`" + strings.ReplaceAll(s, "`", "``") + "`" }

// literal writes a text as a string constant, for a session in which the
// backslash escapes.
func literal(s string) string {
	return "'" + strings.NewReplacer(`\`, `\\`, `'`, `''`, "\x00", `\0`, "\n", `\n`, "\r", `\r`, "\x1a", `\Z`).Replace(s) + "'"
}

// unquote reads a string constant.
func unquote(s string) string {
	if len(s) < 2 || s[0] != '\'' {
		return s
	}
	var b strings.Builder
	for i := 1; i < len(s)-1; i++ {
		switch c := s[i]; {
		case c == '\'' && s[i+1] == '\'':
			i++
			b.WriteByte('\'')
		case c == '\\' && i+1 < len(s)-1:
			i++
			switch s[i] {
			case 'n':
				b.WriteByte('\n')
			case 'r':
				b.WriteByte('\r')
			case 't':
				b.WriteByte('\t')
			case '0':
				b.WriteByte(0)
			case 'Z':
				b.WriteByte(0x1a)
			default:
				b.WriteByte(s[i])
			}
		default:
			b.WriteByte(c)
		}
	}
	return b.String()
}

// title names an object for people.
func title(o *catalog.Object) string {
	kind := o.Kind.Title()
	if o.Kind == catalog.Routine {
		kind = "function"
		if o.Has("procedure") {
			kind = "procedure"
		}
	}
	if o.Kind == kindDatabase {
		return "the database's " + o.Name
	}
	return kind + " " + o.Name
}

// mentions lists the names in a text, folded.
func mentions(text string) map[string]bool {
	out := map[string]bool{}
	for _, t := range sqltext.Lex(dialect, text) {
		if t.IsName() {
			out[strings.ToLower(t.Name())] = true
		}
	}
	return out
}

// cursor walks over a text of the server's.
func cursor(text string) *sqltext.Cursor { return sqltext.NewCursor(dialect, text) }
