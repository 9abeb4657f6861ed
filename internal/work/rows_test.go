package work

import (
	"strconv"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

func TestCells(t *testing.T) {
	for line, want := range map[string]string{
		`[null,["number","1.50",0],["text","a\"b",3],["binary","DEAD",2000]]`: "NULL number:1.50:0 text:a\"b:3 binary:DEAD:2000",
		`[]`: "", `[["text","",0]]`: "text::0", `[["text"]]`: "!", `{"a":1}`: "!", `[1]`: "!", ``: "!", `[["text",null,null]]`: "text::0", `[["text",5,"x"]]`: "text::0",
	} {
		row, err := cells(line)
		var got []string
		for _, c := range row {
			if c.Null {
				got = append(got, "NULL")
				continue
			}
			got = append(got, strings.Join([]string{c.Kind, c.Text, strconv.Itoa(c.Size)}, ":"))
		}
		if (err != nil) != (want == "!") || err == nil && strings.Join(got, " ") != want {
			t.Errorf("%s: %v %v, want %s", line, got, err, want)
		}
	}
}

// TestCondition: a key is text within its quotes, whatever it holds.
func TestCondition(t *testing.T) {
	c := &catalog.Catalog{Spell: func(name string, _ bool) string { return `"` + name + `"` }}
	list := &RowList{Table: "table:berth", Key: []string{"id", "no"}}
	for _, x := range []struct {
		r    Rows
		want string
	}{
		{Rows{}, ""}, {Rows{Where: "a > 1"}, "a > 1"}, {Rows{Where: "(a > 1) AND ')' <> b"}, "(a > 1) AND ')' <> b"}, {Rows{Where: "a) OR (b"}, "!brackets closed"}, {Rows{Where: "(a"}, "!brackets closed"}, {Rows{Where: "a /*!) INTO OUTFILE 'x' */"}, "!brackets closed"}, {Rows{Key: []string{"1"}}, "!primary key of 2 columns"}, {Rows{Key: []string{"1", `x\`}}, "!backslash"}, {Rows{Key: []string{"1", "a\x00"}}, "!backslash"},
		{Rows{Key: []string{"1", "o'x"}, Where: "a"}, "(a\n) AND ID = '1' AND NO = 'o''x'"},
	} {
		got, err := condition(sqltext.Dialect{}, c, list, x.r)
		if wrong, bad := strings.CutPrefix(x.want, "!"); bad {
			if err == nil || !strings.Contains(err.Error(), wrong) {
				t.Errorf("%+v: %v", x.r, err)
			}
			continue
		}
		if err != nil || !strings.EqualFold(strings.NewReplacer(`"`, "").Replace(got), x.want) {
			t.Errorf("%+v: %q %v, want %q", x.r, got, err, x.want)
		}
	}
	for name, says := range map[string]string{"berth": "", "nowhere": "has no table nowhere", "a,b": "one table is wanted", "*": "several things"} {
		o := &catalog.Catalog{Place: "live"}
		for _, n := range []string{"berth", "pilot"} {
			x := &catalog.Object{Kind: catalog.Table, Name: n}
			x.Add(&catalog.Object{Kind: catalog.Column, Name: "id"})
			o.Add(x)
		}
		if _, err := oneTable(o, name); (err == nil) != (says == "") || err != nil && !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", name, err)
		}
	}
}
