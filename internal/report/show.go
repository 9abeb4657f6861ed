package report

import (
	"io"
	"strings"

	"dappermirror/internal/report/highlight"
)

// Show writes a script for people: what a terminal would obey stands there as
// escapes, and altered says that there was some. Such text is not to be run.
func Show(w io.Writer, sql string, colour bool) (altered bool, err error) {
	var b strings.Builder
	for len(sql) > 0 {
		n := strings.IndexAny(sql, "\n\t")
		if n < 0 {
			n = len(sql)
		}
		safe := Safe(sql[:n])
		altered = altered || safe != sql[:n]
		b.WriteString(safe + sql[n:min(n+1, len(sql))])
		sql = sql[min(n+1, len(sql)):]
	}
	sql = b.String()
	if !colour {
		_, err = io.WriteString(w, sql)
		return altered, err
	}
	return altered, highlight.Terminal(w, sql)
}
