package mysql

import (
	"dappermirror/internal/engine/mysql/address"
	"errors"
	"os"
	"slices"
	"strings"
	"testing"

	driver "github.com/go-sql-driver/mysql"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/mysql/reader"
	"dappermirror/internal/engine/mysql/vocab"
	"dappermirror/internal/fuzzing"
)

// TestMySQLTable reads what a MySQL server printed: none installs here, so
// this side is tested on recorded definitions.
func TestMySQLTable(t *testing.T) {
	text, err := os.ReadFile("testdata/mysql84.txt")
	if err != nil {
		t.Fatal(err)
	}
	o, err := reader.ParseTable(reader.Plain(string(text), "harbour"))
	if err != nil {
		t.Fatal(err)
	}
	for where, want := range map[string]string{
		"/engine": "InnoDB", "/charset": "utf8mb4", "/collation": "utf8mb4_0900_ai_ci", "/comment": "where; they lie", "/option ENCRYPTION": "'N'", "/option AUTO_INCREMENT": "",
		"id/type": "int unsigned", "id/auto increment": "yes", "name/charset": "latin1", "name/default": `'x''y\\z'`, "name/comment": "it's", "name/not null": "yes",
		"code/collation": "utf8mb4_bin", "code/charset": "utf8mb4", "code/default": "", "at/on update": "CURRENT_TIMESTAMP", "at/null": "yes", "key_of/default": "(uuid_to_bin(uuid()))",
		"depth/type": "decimal(5,2) unsigned zerofill", "flag/type": "tinyint(1)", "flag/default": "'0'", "twice/generated": "virtual", "twice/expression": "((`id` * 2))",
		"hidden/invisible": "yes", "data/type": "json",
	} {
		name, fact, _ := strings.Cut(where, "/")
		p := o
		if name != "" {
			p = o.Part(catalog.Column, name)
		}
		if p == nil || p.Text(fact) != want {
			t.Errorf("%s: %q, want %q", where, p.Text(fact), want)
		}
	}
	if got := o.Text("partitions"); !strings.HasPrefix(got, "PARTITION BY RANGE") || strings.Contains(got, "*/") {
		t.Errorf("partitions: %q", got)
	}
	for name, want := range map[string]string{"by_name": "(`name`(5))", "lowered": "((lower(`code`)))", "unseen": "(`depth` DESC) INVISIBLE", "words": "(`name`) WITH PARSER `ngram`"} {
		if p := o.Part(catalog.Index, name); p == nil || strings.Join(strings.Fields(p.Text("definition")), " ") != want {
			t.Errorf("index %s: %v", name, p)
		}
	}
	fk := o.PartsOf(catalog.ForeignKey)[0]
	if got := fk.Text("definition"); got != "FOREIGN KEY (`id`) REFERENCES `quay` (`id`) ON UPDATE CASCADE" || fk.Text("parent") != "quay" {
		t.Errorf("foreign key: %q to %q", got, fk.Text("parent"))
	}
	if got := o.PartsOf(catalog.Check)[0].Text("definition"); vocab.Spaced(got) != "( ( `depth` > 1 ) ) NOT ENFORCED" {
		t.Errorf("check: %q", got)
	}
	v := reader.ParseView("v", reader.Plain("CREATE ALGORITHM=MERGE DEFINER=`root`@`%` SQL SECURITY INVOKER VIEW `harbour`.`v` (`a`) AS select `harbour`.`t`.`id` AS `a`,'`harbour`.' AS `b` from `harbour`.`t`", "harbour"))
	if v.Text("definition") != "select `t`.`id` AS `a`,'`harbour`.' AS `b` from `t`" || v.Text("columns") != "(`a`)" || v.Text("algorithm") != "merge" || v.Text("security") != "invoker" || v.Text("definer") != "`root`@`%`" {
		t.Errorf("view: %+v", v.Properties)
	}
}

// TestWithoutDatabase: the name of the database goes from names, and stays where
// it is an alias, a table's, or in a text.
func TestWithoutDatabase(t *testing.T) {
	for text, want := range map[string]string{
		"select `d`.`t`.`a` from `d`.`t`": "select `t`.`a` from `t`", "select `d`.`id` AS `id` from `t` `d`": "select `d`.`id` AS `id` from `t` `d`",
		"select `d`.`d`.`id`,`d`.`f`(1) from (`d`.`t` join `d` on(`d`.`id` = 1))":                 "select `d`.`id`,`f`(1) from (`d`.`t` join `d` on(`d`.`id` = 1))",
		"TRIGGER tr BEFORE INSERT ON d.d FOR EACH ROW SET NEW.a = (SELECT 'd.x' FROM d.t)":        "TRIGGER tr BEFORE INSERT ON d FOR EACH ROW SET NEW.a = (SELECT 'd.x' FROM t)",
		"PROCEDURE p() BEGIN DECLARE d INT; INSERT INTO d.t SELECT d.a FROM t d; CALL d.q(); END": "PROCEDURE p() BEGIN DECLARE d INT; INSERT INTO t SELECT d.a FROM t d; CALL q(); END",
		"CREATE TABLE `d` (`a` int DEFAULT nextval(`d`.`s`))":                                     "CREATE TABLE `d` (`a` int DEFAULT nextval(`s`))", "select other.d.a from e.d": "select other.d.a from e.d", "select 1": "select 1",
	} {
		if got := reader.WithoutDatabase(text, "d"); got != want {
			t.Errorf("%s\n got %s\nwant %s", text, got, want)
		}
	}
}

// TestSpellings: what means the same becomes the same.
func TestSpellings(t *testing.T) {
	for _, c := range []struct {
		a, b string
		same bool
	}{
		{"`a` int(11) DEFAULT NULL", "`a` int DEFAULT NULL", true}, {"`a` int(2)", "`a` int(11)", false}, {"`a` int(10) unsigned", "`a` int unsigned", true}, {"`a` bigint(21)", "`a` bigint", false}, {"`a` int(5) zerofill", "`a` int(6) zerofill", false}, {"`a` tinyint(1)", "`a` tinyint(4)", false},
		{"`a` varchar(5)", "`a` varchar(5) CHARACTER SET latin1 COLLATE latin1_swedish_ci", true}, {"`a` varchar(5)", "`a` varchar(5) COLLATE latin1_bin", false},
		{"`a` text /*M!100301 COMPRESSED*/", "`a` text", false}, {"`A` int", "`a` int", false}, {"`a` double", "`a` double precision", true},
	} {
		read := func(column string) *catalog.Object {
			o, err := reader.ParseTable(reader.Plain("CREATE TABLE `t` (\n  "+column+"\n) ENGINE=InnoDB DEFAULT CHARSET=latin1 COLLATE=latin1_swedish_ci", "d"))
			if err != nil {
				t.Fatal(err)
			}
			return o
		}
		x, y := &catalog.Catalog{}, &catalog.Catalog{}
		x.Add(read(c.a))
		y.Add(read(c.b))
		if got := !compare.Compare(x, y, compare.Options{}).Different(); got != c.same {
			t.Errorf("%s and %s: same is %v", c.a, c.b, got)
		}
	}
	for _, bad := range []string{"", "CREATE VIEW `x`", "CREATE TABLE `t` (\n  SOMETHING NEW\n)"} {
		if _, err := reader.ParseTable(bad); err == nil {
			t.Errorf("%q was understood", bad)
		}
	}
}

func TestFewestMoves(t *testing.T) {
	for _, c := range []struct{ old, now, stay string }{
		{"a b c d", "a b c d", "a b c d"}, {"a b c d", "d a b c", "a b c"}, {"a b c", "c b a", "a"}, {"a b c d e", "a c b d e", "a b d e"}, {"", "a", ""},
	} {
		var got []string
		stay := longest(strings.Fields(c.old), strings.Fields(c.now))
		for _, k := range strings.Fields(c.old) {
			if stay[k] {
				got = append(got, k)
			}
		}
		if len(got) != len(strings.Fields(c.stay)) {
			t.Errorf("%s to %s: %v stay, want as many as %s", c.old, c.now, got, c.stay)
		}
	}
}

func TestPartitionsAppended(t *testing.T) {
	was := "PARTITION BY RANGE (`id`)\n(PARTITION `a` VALUES LESS THAN (1) ENGINE = InnoDB)"
	for now, want := range map[string]string{
		"PARTITION BY RANGE (`id`) (PARTITION `a` VALUES LESS THAN (1) ENGINE = InnoDB,\n PARTITION `b` VALUES LESS THAN (2) ENGINE = InnoDB)": "PARTITION `b` VALUES LESS THAN (2) ENGINE = InnoDB",
		"PARTITION BY RANGE (`id`) (PARTITION `b` VALUES LESS THAN (2) ENGINE = InnoDB)":                                                       "",
		"PARTITION BY LIST (`id`) (PARTITION `a` VALUES LESS THAN (1) ENGINE = InnoDB, PARTITION `b` VALUES IN (2))":                           "",
	} {
		if got, _ := appended(now, was); got != want {
			t.Errorf("%s: %q, want %q", now, got, want)
		}
	}
}

// TestReorganized: neighbouring ranges that end where they ended.
func TestReorganized(t *testing.T) {
	ranges := func(parts ...string) string {
		var out []string
		for _, p := range parts {
			name, bound, _ := strings.Cut(p, "<")
			if bound != "MAXVALUE" {
				bound = "(" + bound + ")"
			}
			out = append(out, "PARTITION `"+name+"` VALUES LESS THAN "+bound+" ENGINE = InnoDB")
		}
		return "PARTITION BY RANGE (`id`)\n(" + strings.Join(out, ",\n ") + ")"
	}
	for _, c := range []struct{ now, was, old, into string }{
		{ranges("b<200", "c<300"), ranges("a<100", "b<200"), "`a`, `b`", "PARTITION `b` VALUES LESS THAN (200) ENGINE = InnoDB and PARTITION `c` VALUES LESS THAN (300) ENGINE = InnoDB"},
		{ranges("ab<200", "c<MAXVALUE"), ranges("a<100", "b<200", "c<MAXVALUE"), "`a`, `b`", "PARTITION `ab` VALUES LESS THAN (200) ENGINE = InnoDB"},
		{ranges("a<100", "y<300", "z<MAXVALUE"), ranges("a<100", "rest<MAXVALUE"), "`rest`", "PARTITION `y` VALUES LESS THAN (300) ENGINE = InnoDB,\n  PARTITION `z` VALUES LESS THAN MAXVALUE ENGINE = InnoDB"},
		{ranges("a<100"), ranges("a<100", "b<200"), "", ""},            // the rows of b would have no place
		{ranges("a<100", "b<150"), ranges("a<100", "b<200"), "", ""},   // nor some of them
		{"PARTITION BY HASH (`id`)", ranges("a<100", "b<200"), "", ""}, // laid out anew
	} {
		old, into, more, _ := reorganized(c.now, c.was)
		if more != "" {
			into += " and " + more
		}
		if old != c.old || into != c.into {
			t.Errorf("%s\nof %s:\n%s into %s", c.now, c.was, old, into)
		}
	}
}

// TestDelimited: whatever stands in a body, the client finds its end, and so
// do we.
func TestDelimited(t *testing.T) {
	for _, body := range []string{"SELECT 1", "BEGIN SELECT ';'; END", "BEGIN /* ;; */ SELECT 1;; END", "BEGIN SELECT `a;b`, \"c;d\", 'e\\';'; # ;\n END"} {
		text := "SELECT 0;\n" + delimited(body) + "\nSELECT 2;\n"
		var got []string
		for _, s := range sqltext.Split(vocab.Dialect, text) {
			if s.Open {
				t.Errorf("%q is open", s.Text)
			}
			if !s.Client {
				got = append(got, strings.TrimSuffix(s.Text, ";"))
			}
		}
		if !slices.Equal(got, []string{"SELECT 0", body, "SELECT 2"}) {
			t.Errorf("%q was split into %q", body, got)
		}
	}
	for _, s := range []string{"", "plain", `it's \ "x"`, "two\nlines\r\x00\x1a", "é"} {
		if got := vocab.Unquote(vocab.Literal(s)); got != s {
			t.Errorf("%q came back as %q", s, got)
		}
	}
}

func TestAddresses(t *testing.T) {
	t.Setenv("HOME", t.TempDir())
	t.Setenv("MYSQL_PWD", "")
	if err := os.WriteFile(os.Getenv("HOME")+"/.my.cnf", []byte("[mysqld]\nport=1\n[client]\nuser = pilot\npassword = \"sesame\"\nsocket=/s\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	for text, want := range map[string]string{
		"mysql://a:b@h:33/d":                     "a:b@tcp(h:33)/d",
		"mariadb:///d":                           "pilot:sesame@unix(/s)/d",
		"mariadb://root@/d?socket=/run/x":        "root:sesame@unix(/run/x)/d",
		"mysql://a@[::1]/d?ssl-mode=disabled":    "a:sesame@tcp([::1]:3306)/d",
		"mysql://a@h/":                           "names no database",
		"mysql://a@h/d?ssl-mode=sometimes":       "ssl-mode",
		"mysql://a@h/d?ssl-mode=verify_identity": "a:sesame@tcp(h:3306)/d",
	} {
		cfg, err := address.Config(text)
		if err != nil {
			if !errors.Is(err, engine.ErrConnect) || !strings.Contains(err.Error(), want) {
				t.Errorf("%s: %v", text, err)
			}
			continue
		}
		if got := cfg.User + ":" + cfg.Passwd + "@" + cfg.Net + "(" + cfg.Addr + ")/" + cfg.DBName; got != want {
			t.Errorf("%s: %s, want %s", text, got, want)
		}
	}
	for number, want := range map[uint16]error{1049: engine.ErrNotFound, 1045: engine.ErrConnect, 1205: engine.ErrLocked, 1290: engine.ErrReadOnly, 1114: engine.ErrDiskFull} {
		if err := explain(&driver.MySQLError{Number: number, Message: "m"}); !errors.Is(err, want) {
			t.Errorf("error %d is %v", number, err)
		}
	}
}

// TestMySQLHasNoReplace: MySQL cannot replace a routine, so it is dropped and
// made anew; MariaDB can.
func TestMySQLHasNoReplace(t *testing.T) {
	routine := func(body string) *catalog.Object {
		return (&catalog.Object{Kind: catalog.Routine, Name: "f", Space: "function"}).Set("definition", catalog.PlainSQL("FUNCTION `f`() RETURNS int RETURN "+body))
	}
	for version, want := range map[string]int{"10.11.1-MariaDB": 1, "8.4.2": 2} {
		x, y := &catalog.Catalog{Engine: "mysql"}, &catalog.Catalog{Engine: "mysql", Version: version}
		x.Add(routine("2"))
		y.Add(routine("1"))
		p, err := order.Build(choose.All(compare.Compare(x, y, compare.Options{})), &Writer{}, func(order.Risk) bool { return false })
		if err != nil || len(p.Steps) != want {
			t.Errorf("%s: %v steps, %v", version, p, err)
		}
	}
}

// FuzzParse: whatever a server prints, reading it ends, and what is written
// of it can be split again.
func FuzzParse(f *testing.F) {
	text, err := os.ReadFile("testdata/mysql84.txt")
	if err != nil {
		f.Fatal(err)
	}
	f.Add(string(text))
	f.Add("CREATE TABLE `t` (\n  `a` int(11) DEFAULT (1 + (2)) COMMENT 'x\\'y',\n  KEY `k` (`a`)\n) ENGINE=InnoDB WITH SYSTEM VERSIONING\n PARTITION BY HASH (`a`)")
	f.Add("CREATE TABLE `t` (`a` enum('b;c','d') CHECK (`a` > ';'), CONSTRAINT `f` FOREIGN KEY (`a`) REFERENCES `x`.`y` (`b`) ON DELETE")
	f.Fuzz(func(t *testing.T, text string) {
		defer fuzzing.Bound()()
		o, err := reader.ParseTable(reader.Plain(text, "harbour"))
		if err != nil {
			return
		}
		c := &catalog.Catalog{Engine: "mysql"}
		c.Add(o)
		reader.Needs(c)
		_ = Engine{}.Definition(o)
		reader.ParseView("v", text)
		_, _ = appended(text, text)
	})
}

func TestClientWords(t *testing.T) {
	for address, want := range map[string]string{
		"mariadb://office@db.example:3307/quillhaven":   "-h db.example -P 3307 -u office quillhaven",
		"mysql://office:secret@db/quillhaven":           "-h db -u office -p quillhaven",
		"mariadb://root@localhost/live?socket=/run/m/s": "-h localhost -S /run/m/s -u root live",
	} {
		if got := strings.Join(Engine{}.ClientWords(address), " "); got != want {
			t.Errorf("%s: %s", address, got)
		}
	}
}

// TestWithoutCounter: only the table's own counter is none of its structure.
func TestWithoutCounter(t *testing.T) {
	for text, want := range map[string]string{
		"CREATE TABLE `t` (\n  `id` int\n) ENGINE=InnoDB AUTO_INCREMENT=5 DEFAULT CHARSET=latin1":                 "CREATE TABLE `t` (\n  `id` int\n) ENGINE=InnoDB DEFAULT CHARSET=latin1",
		"CREATE TABLE `t` (\n  `id` int COMMENT ' AUTO_INCREMENT=7'\n) ENGINE=InnoDB COMMENT=' AUTO_INCREMENT=8'": "CREATE TABLE `t` (\n  `id` int COMMENT ' AUTO_INCREMENT=7'\n) ENGINE=InnoDB COMMENT=' AUTO_INCREMENT=8'",
		"CREATE SEQUENCE `s`": "CREATE SEQUENCE `s`",
	} {
		if got := reader.WithoutCounter(text); got != want {
			t.Errorf("%s\n got %s", text, got)
		}
	}
}
