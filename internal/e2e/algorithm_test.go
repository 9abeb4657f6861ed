package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// ship is a table to change, line by line.
const ship = `CREATE TABLE p (id int PRIMARY KEY) ENGINE=InnoDB;
CREATE TABLE ship (
id int NOT NULL,
a int,
b varchar(20) DEFAULT 'x',
n int NOT NULL DEFAULT 1,
e enum('a','b'),
d datetime NOT NULL DEFAULT '2020-01-01',
m datetime DEFAULT '2020-01-01',
tx text,
g geometry NOT NULL DEFAULT ST_GeomFromText('POINT(1 1)'),
PRIMARY KEY (id),
KEY ka (a),
UNIQUE KEY ub (b),
CONSTRAINT ck CHECK (n > 0)
) ENGINE=InnoDB CHARSET=utf8mb4 COMMENT='c';
INSERT INTO ship (id, a, b) VALUES (1, 1, 'q');
INSERT INTO p VALUES (1);`

// TestStatedAlgorithms makes changes one by one and several at once the way
// that lets others go on: the server refuses none, and where one statement is
// enough it would refuse every gentler way.
func TestStatedAlgorithms(t *testing.T) {
	t.Parallel()
	p := mariaPlaces{mariadb(t)}
	gentler := []string{"ALGORITHM=INSTANT", "ALGORITHM=NOCOPY, LOCK=NONE", "ALGORITHM=INPLACE, LOCK=NONE", "ALGORITHM=INPLACE, LOCK=SHARED", "ALGORITHM=COPY, LOCK=SHARED"}
	said := regexp.MustCompile(`ALGORITHM=\w+(, LOCK=\w+)?`)
	virtual := strings.Replace(ship, "tx text,", "v int AS (a + 2) VIRTUAL,\ns int AS (a + 1) STORED,\ntx text,", 1)
	indexed := strings.Replace(virtual, "KEY ka (a),", "KEY ka (a),\nKEY kv (v),", 1)
	hash := strings.Replace(ship, "KEY ka (a),", "KEY ka (a),\nUNIQUE KEY uh (m) USING HASH,", 1)
	counted := strings.Replace(ship, "id int NOT NULL,", "id int NOT NULL AUTO_INCREMENT,", 1)
	for _, c := range []struct{ name, table, changes string }{ // lines "old → new", "→" alone puts one behind the first columns
		{"a column at the end", ship, "g geometry → g geometry@z int,"}, {"a column first", ship, "id int NOT NULL, → z int,@id int NOT NULL,"}, {"a column beside virtual ones", virtual, "id int NOT NULL, → z int,@id int NOT NULL,"},
		{"a default of its own for each row", ship, "tx text, → tx text,@z varchar(40) DEFAULT uuid(),"}, {"a time", ship, "tx text, → tx text,@z datetime DEFAULT current_timestamp(),"},
		{"a stored column", ship, "tx text, → tx text,@z int AS (a) STORED,"}, {"a virtual column", ship, "tx text, → tx text,@z int AS (a) VIRTUAL,"}, {"two virtual columns", ship, "tx text, → tx text,@z int AS (a) VIRTUAL,@y int AS (a) VIRTUAL,@w int,"},
		{"a column less", ship, "m datetime DEFAULT '2020-01-01', →"}, {"a virtual column less and another more", virtual, "v int AS (a + 2) VIRTUAL, → z int,"}, {"a stored column less", virtual, "s int AS (a + 1) STORED, →"}, {"an indexed column less", ship, "a int, →|KEY ka (a), →"},
		{"a default", ship, "DEFAULT 'x' → DEFAULT 'y'"}, {"a comment", ship, "DEFAULT 'x' → DEFAULT 'x' COMMENT 'y'"}, {"a moved column", ship, "tx text, →|id int NOT NULL, → id int NOT NULL,@tx text,"}, {"nullable", ship, "n int NOT NULL DEFAULT 1 → n int DEFAULT 1"}, {"not null", ship, "m datetime DEFAULT '2020-01-01' → m datetime NOT NULL DEFAULT '2020-01-01'"},
		{"not null beside a computed one", virtual, "m datetime DEFAULT '2020-01-01' → m datetime NOT NULL DEFAULT '2020-01-01'"}, {"a column less beside an index on a computed one", indexed, "m datetime DEFAULT '2020-01-01', →"},
		{"computed otherwise under an index", indexed, "(a + 2) VIRTUAL → (a + 3) VIRTUAL"}, {"a comment beside an index on a computed one", indexed, "DEFAULT 'x' → DEFAULT 'x' COMMENT 'y'"}, {"an index on a computed one", virtual, "KEY ka (a), → KEY ka (a),@KEY kv (v),"}, {"a moved column beside a computed one", virtual, "tx text, →|id int NOT NULL, → id int NOT NULL,@tx text,"},
		{"wider", ship, "b varchar(20) → b varchar(60)"}, {"much wider", ship, "b varchar(20) → b varchar(100)"}, {"wider than a length byte", ship, "b varchar(20) → b varchar(63)"}, {"narrower", ship, "b varchar(20) → b varchar(10)"}, {"bigint", ship, "n int NOT → n bigint NOT"}, {"one value more", ship, "enum('a','b') → enum('a','b','c')"}, {"values in another order", ship, "enum('a','b') → enum('b','a')"},
		{"a character set", ship, "tx text, → tx text CHARACTER SET latin1,"}, {"a collation", ship, "tx text, → tx text COLLATE utf8mb4_bin,"}, {"a collation in an index", ship, "b varchar(20) → b varchar(20) COLLATE utf8mb4_bin"}, {"a display width", ship, "n int NOT → n int(3) NOT"}, {"invisible", ship, "tx text, → tx text INVISIBLE,"},
		{"a counter", ship, "id int NOT NULL, → id int NOT NULL AUTO_INCREMENT,"}, {"compressed", ship, "tx text, → tx text COMPRESSED,"}, {"computed otherwise", virtual, "(a + 1) STORED → (a + 3) STORED"}, {"computed otherwise when read", virtual, "(a + 2) VIRTUAL → (a + 3) VIRTUAL"}, {"no longer computed", virtual, "s int AS (a + 1) STORED → s int"}, {"what is computed gets a comment", virtual, "(a + 1) STORED → (a + 1) STORED COMMENT 'x'"},
		{"an index", ship, "KEY ka (a), → KEY ka (a),@KEY kd (d),"}, {"a unique key", ship, "KEY ka (a), → KEY ka (a),@UNIQUE KEY kd (d),"}, {"a full-text index", ship, "KEY ka (a), → KEY ka (a),@FULLTEXT KEY ft (tx),"}, {"a spatial index", ship, "KEY ka (a), → KEY ka (a),@SPATIAL KEY sp (g),"}, {"an index less", ship, "KEY ka (a), →"}, {"a renamed index", ship, "KEY ka (a), → KEY kb (a),"},
		{"another primary key", ship, "PRIMARY KEY (id), → PRIMARY KEY (n),"}, {"no primary key", ship, "PRIMARY KEY (id), →"}, {"a hash", ship, "KEY ka (a), → KEY ka (a),@UNIQUE KEY uh (m) USING HASH,"}, {"a hash less", hash, "UNIQUE KEY uh (m) USING HASH, →"}, {"a column beside a hash", hash, "tx text, → tx text,@z int,"}, {"a unique text", ship, "KEY ka (a), → KEY ka (a),@UNIQUE KEY ut (tx),"},
		{"a check", ship, "CHECK (n > 0) → CHECK (n > 0),@CONSTRAINT c2 CHECK (a > 0)"}, {"a check less", ship, "UNIQUE KEY ub (b), → UNIQUE KEY ub (b)|CONSTRAINT ck CHECK (n > 0) →"}, {"a key to another table", ship, "CHECK (n > 0) → CHECK (n > 0),@CONSTRAINT f FOREIGN KEY (a) REFERENCES p (id)"},
		{"a table's comment", ship, "COMMENT='c' → COMMENT='d'"}, {"a default character set", ship, "CHARSET=utf8mb4 → CHARSET=latin1|b varchar(20) → b varchar(20) CHARACTER SET utf8mb4|tx text, → tx text CHARACTER SET utf8mb4,|enum('a','b'), → enum('a','b') CHARACTER SET utf8mb4,"}, {"a row format", ship, "COMMENT='c' → COMMENT='c' ROW_FORMAT=COMPACT"}, {"statistics", ship, "COMMENT='c' → COMMENT='c' STATS_PERSISTENT=1"},
		{"several at once", virtual, "tx text, → tx text COMMENT 'y',@z int,|KEY ka (a), → KEY kb (a),@KEY kd (d),|v int AS (a + 2) VIRTUAL, →|COMMENT='c' → COMMENT='d'|n int NOT → n int(4) NOT"}, {"several with a copy", ship, "tx text, → tx text,@z int,|KEY ka (a), → KEY kd (d),|n int NOT → n bigint NOT|CHECK (n > 0) → CHECK (n >= 1)"},
		{"a counter's key", counted, "PRIMARY KEY (id), → PRIMARY KEY (id, n),|tx text, → tx text,@z int,"}, {"a full-text index and more", ship, "KEY ka (a), → KEY ka (a),@FULLTEXT KEY ft (tx),@KEY kd (d),|tx text, → tx text,@z int,"},
	} {
		t.Run(c.name, func(t *testing.T) {
			want := c.table
			for _, ch := range strings.Split(c.changes, "|") {
				old, now, _ := strings.Cut(ch, " →")
				if !strings.Contains(want, old) {
					t.Fatalf("no %q", old)
				}
				now = strings.ReplaceAll(strings.TrimPrefix(now, " "), "@", "\n")
				if strings.HasPrefix(old, "g geometry") {
					now = "g geometry NOT NULL DEFAULT ST_GeomFromText('POINT(1 1)'),\nz int,"
					old = "g geometry NOT NULL DEFAULT ST_GeomFromText('POINT(1 1)'),"
				}
				want = strings.Replace(want, old, now, 1)
			}
			dir := t.TempDir()
			inserts := strings.Index(want, "INSERT")
			source, target := p.make(t, want[:inserts]), p.make(t, c.table)
			file := filepath.Join(dir, "up.sql")
			r := run(t, dir, "script", source, target, "--may-lose", "*", "--avoid-blocking", "-o", file)
			if r.code != 0 {
				t.Fatal(r.errout)
			}
			data, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			if out, err := p.client(target, file); err != nil {
				t.Fatalf("the server refuses it: %s\n%s", out, body(string(data)))
			}
			var alters []string
			for _, line := range strings.Split(string(data), ";\n") {
				if at := strings.Index(line, "ALTER TABLE "); at >= 0 && !strings.Contains(line[:at], "'") {
					alters = append(alters, line[at:])
				}
			}
			if len(alters) != 1 {
				return
			}
			how := said.FindString(alters[0])
			for _, g := range gentler {
				if g == how {
					return
				}
				fresh := p.make(t, c.table)
				if _, err := tryCommand("SET sql_mode = 'STRICT_ALL_TABLES'; "+strings.Replace(alters[0], how, g, 1), "mariadb", p.s.args(p.name(fresh))...); err == nil {
					t.Errorf("%s is stated, and the server does it with %s: %s", how, g, alters[0])
					return
				}
			}
			t.Errorf("nothing is stated that is known: %s", alters[0])
		})
	}
}
