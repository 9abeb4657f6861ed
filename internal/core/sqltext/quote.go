package sqltext

import (
	"bytes"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf16"
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

// JSONSafe escapes, in JSON, what CommentSafe would: a reader's terminal is as
// safe from a name in it as from one in a text.
func JSONSafe(json []byte) []byte {
	clean := true
	for _, r := range string(json) {
		if r >= 0x7f && unsafe(r) {
			clean = false
			break
		}
	}
	if clean {
		return json
	}
	var b bytes.Buffer
	for _, r := range string(json) {
		switch {
		case r < 0x7f || !unsafe(r):
			b.WriteRune(r)
		case r > 0xffff:
			hi, lo := utf16.EncodeRune(r)
			fmt.Fprintf(&b, `\u%04x\u%04x`, hi, lo)
		default:
			fmt.Fprintf(&b, `\u%04x`, r)
		}
	}
	return b.Bytes()
}

func unsafe(r rune) bool {
	return r < ' ' || r == 0x7f || unicode.Is(unicode.Cc, r) || unicode.Is(unicode.Cf, r) || r == 0x2028 || r == 0x2029
}
