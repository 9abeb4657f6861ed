package reader

import (
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
)

// TestOutline: the names of indexes and the text are enough to tell equal
// tables; a counter is no structure.
func TestOutline(t *testing.T) {
	read := func(text string) (*catalog.Catalog, *catalog.Object) {
		r := &reader{c: &catalog.Catalog{}, lazy: true, texts: map[*catalog.Object]string{}}
		o := r.outline("t", text)
		r.c.Add(o)
		trigger := &catalog.Object{Kind: catalog.Trigger, Name: "stamp"}
		trigger.Set("body", catalog.PlainSQL("SET NEW.a = 1"))
		o.Add(trigger)
		r.digest()
		return r.c, o
	}
	text := "CREATE TABLE `t` (\n  `a` int,\n  KEY `k` (`a`),\n  UNIQUE KEY `u` (`a`)\n) ENGINE=InnoDB AUTO_INCREMENT=17 DEFAULT CHARSET=latin1"
	cat, a := read(text)
	_, b := read(strings.Replace(text, "=17", "=9000", 1))
	_, c := read(strings.Replace(text, "int", "bigint", 1))
	if a.Digest != b.Digest || a.Digest == c.Digest {
		t.Error("the digests do not tell")
	}
	if n := len(a.PartsOf(catalog.Index)); n != 2 || !a.Unread {
		t.Errorf("%d indexes in outline", n)
	}
	if err := cat.Expand(t.Context(), []*catalog.Object{a}); err != nil || a.Unread || a.Part(catalog.Column, "a") == nil || len(a.PartsOf(catalog.Trigger)) != 1 || len(a.PartsOf(catalog.Index)) != 2 {
		t.Errorf("expanded: %+v, %v", a, err)
	}
	_, bad := read("something else")
	if err := cat.Expand(t.Context(), []*catalog.Object{bad}); err == nil {
		t.Error("what is not understood is expanded")
	}
}

// TestWithoutDefiner: what makes a definition somebody's is taken off.
func TestWithoutDefiner(t *testing.T) {
	if _, _, rest := withoutDefiner("CREATE OR REPLACE ALGORITHM=MERGE DEFINER=`a`@`b` PROCEDURE `p`() SELECT 1"); rest != "PROCEDURE `p`() SELECT 1" {
		t.Errorf("without its definer: %q", rest)
	}
}
