package sqltext

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Literal quotes a text as a standard SQL string.
func Literal(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }

// Always quotes a name with double quotes.
func Always(s string) string { return `"` + strings.ReplaceAll(s, `"`, `""`) + `"` }

// CommentSafe makes any text safe to stand in a one-line comment and on a
// terminal: line breaks, control and direction characters are written as
// escapes, so a name can neither leave its comment nor move the cursor.
func CommentSafe(s string) string {
	clean := true
	for _, r := range s {
		if unsafe(r) {
			clean = false
			break
		}
	}
	if clean && utf8.ValidString(s) {
		return s
	}
	var b strings.Builder
	for _, r := range s {
		switch {
		case r == '\n':
			b.WriteString(`\n`)
		case r == '\t':
			b.WriteString(`\t`)
		case r == '\r':
			b.WriteString(`\r`)
		case unsafe(r) || r == utf8.RuneError:
			fmt.Fprintf(&b, `\u%04x`, r)
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

func unsafe(r rune) bool {
	return r < ' ' || r == 0x7f || unicode.Is(unicode.Cc, r) || unicode.Is(unicode.Cf, r) || r == 0x2028 || r == 0x2029
}
