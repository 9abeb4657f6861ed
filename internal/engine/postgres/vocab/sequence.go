package vocab

import (
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// SequenceOptions are the options of a sequence as SQL, those that follow
// from its type and direction left out.
func SequenceOptions(o *catalog.Object) []string {
	limits := map[string][2]string{"smallint": {"-32768", "32767"}, "integer": {"-2147483648", "2147483647"}, "bigint": {"-9223372036854775808", "9223372036854775807"}}[o.Text("type")]
	minimum, maximum := "1", limits[1]
	inc := o.Text("increment")
	if strings.HasPrefix(inc, "-") {
		minimum, maximum = limits[0], "-1"
	}
	start := o.Text("minimum")
	if strings.HasPrefix(inc, "-") {
		start = o.Text("maximum")
	}
	var out []string
	add := func(word, value, normal string) {
		if value != normal {
			out = append(out, word+" "+value)
		}
	}
	add("INCREMENT BY", inc, "1")
	add("MINVALUE", o.Text("minimum"), minimum)
	add("MAXVALUE", o.Text("maximum"), maximum)
	add("START WITH", o.Text("start"), start)
	add("CACHE", o.Text("cache"), "1")
	if o.Has("cycle") {
		out = append(out, "CYCLE")
	}
	return out
}

// OwnerColumn is the column that a sequence belongs to; false where it belongs
// to none.
func OwnerColumn(o *catalog.Object) (catalog.Ref, bool) {
	var names []string
	for _, t := range sqltext.Significant(Dialect, o.Text("owned by")) {
		if t.IsName() {
			names = append(names, t.Name())
		}
	}
	if len(names) != 3 {
		return catalog.Ref{}, false
	}
	return catalog.Ref{Kind: catalog.Table, Schema: names[0], Name: names[1], PartKind: catalog.Column, Part: names[2]}, true
}
