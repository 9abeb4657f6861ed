package convert

import (
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

// TestWaiting: how values wait while their type is made anew, whatever it is
// called.
func TestWaiting(t *testing.T) {
	c := &catalog.Catalog{}
	c.Add(&catalog.Object{Kind: vocab.Composite, Schema: "h", Name: "$f$ reading"})
	c.Add(&catalog.Object{Kind: catalog.Table, Schema: "h", Name: "berth", Space: "relation"})
	for typ, want := range map[string]string{"h.state": "text", "h.state[]": "text[]", "h.berth": "json", "h.berth[]": "json", `h."$f$ reading"[]`: "json"} {
		col := (&catalog.Object{Kind: catalog.Column, Name: "c"}).Set("type", catalog.Scalar(typ))
		form := Waiting(c, col, "back")
		if form.Type != want {
			t.Errorf("%s waits as %s", typ, form.Type)
		}
		if (form.Make != "") != (want == "json" && strings.HasSuffix(typ, "[]")) {
			t.Errorf("%s: %q", typ, form.Make)
		}
		if strings.Contains(typ, "$f$") && !strings.Contains(form.Make, "AS $f2$") {
			t.Errorf("%s ends its function: %s", typ, form.Make)
		}
	}
}
