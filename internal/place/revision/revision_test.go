package revision

import (
	"testing"
)

func TestParse(t *testing.T) {
	for text, want := range map[string]At{
		"main:db":                               {Revision: "main", Path: "db"},
		"HEAD~2:":                               {Revision: "HEAD~2"},
		"v1.2:db/harbour/berth.table.sql":       {Revision: "v1.2", Path: "db/harbour/berth.table.sql"},
		"../other//main:db":                     {Repository: "../other", Revision: "main", Path: "db"},
		"https://git.example/h.git//main:db":    {Repository: "https://git.example/h.git", Revision: "main", Path: "db"},
		"ssh://git@git.example/h.git//v1:x.sql": {Repository: "ssh://git@git.example/h.git", Revision: "v1", Path: "x.sql"},
		"git@git.example:h.git//main:db":        {Repository: "git@git.example:h.git", Revision: "main", Path: "db"},
		"main:all.sql#harbour":                  {Revision: "main", Path: "all.sql", Database: "harbour"},
		"feature/x:db":                          {Revision: "feature/x", Path: "db"},
	} {
		if at, err := Parse(text); err != nil || at != want {
			t.Errorf("%s is %+v, want %+v: %v", text, at, want, err)
		}
	}
	for _, text := range []string{"", "main", ":db", "-x:db", "--upload-pack=y:db", "a b:db", "x//:db"} {
		if at, err := Parse(text); err == nil {
			t.Errorf("%q is %+v", text, at)
		}
	}
	for repository, is := range map[string]bool{"": false, ".": false, "/tmp": false, "https://git.example/x": true, "git@git.example:x": true, "ext::sh": true, "nowhere/x": false} {
		if remote(repository) != is {
			t.Errorf("%q is elsewhere: %v", repository, !is)
		}
	}
}
