package mysql

import (
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/mysql/reader"
	"dappermirror/internal/engine/mysql/vocab"
)

// plan plans the way from one set of tables, as the server prints them, to
// another; all losses are allowed.
func plan(t *testing.T, fill map[string]string, source, target []string) *order.Plan {
	t.Helper()
	by := map[catalog.Ref]string{}
	for column, value := range fill {
		table, name, _ := strings.Cut(column, ".")
		by[catalog.Ref{Kind: catalog.Table, Name: table, PartKind: catalog.Column, Part: name}] = value
	}
	return planWith(t, &Writer{Fill: by}, source, target)
}

func planWith(t *testing.T, w *Writer, source, target []string) *order.Plan {
	t.Helper()
	read := func(texts []string) *catalog.Catalog {
		c := Engine{}.Blank()
		c.Version = "10.11.1-MariaDB"
		for _, text := range texts {
			if !strings.Contains(text, "ENGINE") {
				text += " ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_general_ci"
			}
			o, err := reader.ParseTable(text)
			if err != nil {
				t.Fatal(err)
			}
			c.Add(o)
		}
		reader.Needs(c)
		c.Sort()
		return c
	}
	p, err := order.Build(choose.All(compare.Compare(read(source), read(target), compare.Options{})), w, func(order.Risk) bool { return true })
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// TestAlter: one statement for all changes of a table, what must stand apart
// apart, in an order that runs.
func TestAlter(t *testing.T) {
	const berth = "CREATE TABLE `berth` (\n  `id` int NOT NULL,\n  `a` int DEFAULT NULL,\n  `b` varchar(20) DEFAULT NULL"
	for _, c := range []struct {
		name           string
		fill           map[string]string
		source, target []string
		want           []string // statements, in order
		risks          string
	}{
		{"columns at every place", nil, []string{"CREATE TABLE `berth` (\n  `n` int,\n  `id` int NOT NULL,\n  `m` int,\n  `a` int,\n  `b` varchar(20),\n  `z` int,\n  `y` int\n)"}, []string{berth + "\n)"},
			[]string{"ALTER TABLE `berth`\n  ADD COLUMN `n` int DEFAULT NULL FIRST,\n  ADD COLUMN `m` int DEFAULT NULL AFTER `id`,\n  ADD COLUMN `z` int DEFAULT NULL,\n  ADD COLUMN `y` int DEFAULT NULL;"}, ""},
		{"one move turns it round", nil, []string{"CREATE TABLE `berth` (\n  `b` varchar(20),\n  `id` int NOT NULL,\n  `a` int\n)"}, []string{berth + "\n)"},
			[]string{"ALTER TABLE `berth` MODIFY COLUMN `b` varchar(20) CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci DEFAULT NULL FIRST;"}, ""},
		{"a narrowing that was allowed", nil, []string{"CREATE TABLE `berth` (\n  `id` int NOT NULL,\n  `a` int,\n  `b` varchar(5)\n)"}, []string{berth + "\n)"},
			[]string{"SET SESSION sql_mode = 'NO_ENGINE_SUBSTITUTION';", "ALTER TABLE `berth` MODIFY COLUMN `b` varchar(5) CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci DEFAULT NULL;", "SET SESSION sql_mode = 'STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION';",
				"ALTER TABLE `berth` MODIFY COLUMN `b` varchar(5) CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci DEFAULT NULL;"}, "loss rewrite"},
		{"a widening within its length byte", nil, []string{"CREATE TABLE `berth` (\n  `id` int NOT NULL,\n  `a` int,\n  `b` varchar(30)\n)"}, []string{berth + "\n)"},
			[]string{"ALTER TABLE `berth` MODIFY COLUMN `b` varchar(30) CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci DEFAULT NULL;"}, ""},
		{"NOT NULL with a default fills", nil, []string{"CREATE TABLE `berth` (\n  `id` int NOT NULL,\n  `a` int NOT NULL DEFAULT 7,\n  `b` varchar(20)\n)"}, []string{berth + "\n)"},
			[]string{"UPDATE `berth` SET `a` = 7 WHERE `a` IS NULL;", "ALTER TABLE `berth` MODIFY COLUMN `a` int NOT NULL DEFAULT 7;"}, "may-fail rewrite"},
		{"a fill that wants the new type and reads what goes", map[string]string{"berth.b": "a"}, []string{"CREATE TABLE `berth` (\n  `id` int NOT NULL,\n  `b` varchar(30) NOT NULL\n)"}, []string{berth + "\n)"},
			[]string{"ALTER TABLE `berth` MODIFY COLUMN `b` varchar(30) CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci DEFAULT NULL;", "UPDATE `berth` SET `b` = a WHERE `b` IS NULL;",
				"ALTER TABLE `berth`\n  DROP COLUMN `a`,\n  MODIFY COLUMN `b` varchar(30) CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci NOT NULL;"}, "loss may-fail rewrite"},
		{"NOT NULL without one may fail", nil, []string{"CREATE TABLE `berth` (\n  `id` int NOT NULL,\n  `a` int NOT NULL,\n  `b` varchar(20)\n)"}, []string{berth + "\n)"},
			[]string{"ALTER TABLE `berth` MODIFY COLUMN `a` int NOT NULL;"}, "may-fail rewrite"},
		{"a new column is filled", map[string]string{"berth.n": "1"}, []string{berth + ",\n  `n` int NOT NULL\n)"}, []string{berth + "\n)"},
			[]string{"ALTER TABLE `berth` ADD COLUMN `n` int NOT NULL DEFAULT (1);", "ALTER TABLE `berth` MODIFY COLUMN `n` int NOT NULL;"}, ""},
		{"an index is renamed, another replaced", nil, []string{berth + ",\n  KEY `young` (`a`),\n  KEY `k` (`b`,`a`)\n)"}, []string{berth + ",\n  KEY `old` (`a`),\n  KEY `k` (`b`)\n)"},
			[]string{"ALTER TABLE `berth`\n  DROP INDEX `k`,\n  RENAME INDEX `old` TO `young`,\n  ADD KEY `k` (`b`,`a`);"}, ""},
		{"a table's options", nil, []string{berth + "\n) ENGINE=Aria DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_general_ci COMMENT='it''s'"}, []string{berth + "\n) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_general_ci ROW_FORMAT=COMPACT"},
			[]string{"ALTER TABLE `berth`\n  ENGINE=Aria,\n  COMMENT='it''s',\n  ROW_FORMAT=DEFAULT;"}, "rewrite"},
		{"a key steps aside at both ends", nil,
			[]string{"CREATE TABLE `p` (\n  `id` bigint NOT NULL,\n  PRIMARY KEY (`id`)\n)", "CREATE TABLE `c` (\n  `p` bigint DEFAULT NULL,\n  KEY `f` (`p`),\n  CONSTRAINT `f` FOREIGN KEY (`p`) REFERENCES `p` (`id`) ON DELETE CASCADE\n)"},
			[]string{"CREATE TABLE `p` (\n  `id` int NOT NULL,\n  PRIMARY KEY (`id`)\n)", "CREATE TABLE `c` (\n  `p` int DEFAULT NULL,\n  KEY `f` (`p`),\n  CONSTRAINT `f` FOREIGN KEY (`p`) REFERENCES `p` (`id`) ON DELETE CASCADE\n)"},
			[]string{"ALTER TABLE `c` DROP FOREIGN KEY `f`;", "ALTER TABLE `c` MODIFY COLUMN `p` bigint DEFAULT NULL;", "ALTER TABLE `p` MODIFY COLUMN `id` bigint NOT NULL;", "ALTER TABLE `c` ADD CONSTRAINT `f` FOREIGN KEY (`p`) REFERENCES `p` (`id`) ON DELETE CASCADE;"}, "rewrite may-fail"},
		{"partitions after the key that allows them", nil, []string{"CREATE TABLE `t` (\n  `id` int NOT NULL,\n  `k` int NOT NULL,\n  PRIMARY KEY (`id`,`k`)\n) ENGINE=InnoDB\n PARTITION BY HASH (`k`)"}, []string{"CREATE TABLE `t` (\n  `id` int NOT NULL,\n  `k` int NOT NULL,\n  PRIMARY KEY (`id`)\n) ENGINE=InnoDB"},
			[]string{"ALTER TABLE `t`\n  DROP PRIMARY KEY,\n  ADD PRIMARY KEY (`id`,`k`);", "ALTER TABLE `t` \nPARTITION BY HASH (`k`);"}, "rewrite may-fail"},
		{"nothing to do", nil, []string{berth + "\n)"}, []string{berth + "\n)"}, nil, ""},
	} {
		p := plan(t, c.fill, c.source, c.target)
		p.Settle(nil, func(order.Risk) bool { return true })
		var got, risks []string
		for _, s := range p.Steps {
			got = append(got, s.SQL...)
			for _, r := range s.Risks {
				if k := string(r.Kind); !strings.Contains(strings.Join(risks, " "), k) {
					risks = append(risks, k)
				}
			}
		}
		if a, b := strings.Join(got, "\n"), strings.Join(c.want, "\n"); a != b {
			t.Errorf("%s:\n got %s\nwant %s", c.name, a, b)
		}
		if a := strings.Join(risks, " "); a != c.risks {
			t.Errorf("%s: risks %q, want %q", c.name, a, c.risks)
		}
	}
}

// TestGently: what others can go on under is told apart from what copies the
// table, and each statement says so.
func TestGently(t *testing.T) {
	const berth = "CREATE TABLE `berth` (\n  `id` int NOT NULL,\n  `a` int DEFAULT NULL,\n  `b` varchar(20) DEFAULT NULL"
	const now, index, off = ",\n  ALGORITHM=INSTANT;", ",\n  ALGORITHM=NOCOPY, LOCK=NONE;", ",\n  ALGORITHM=COPY, LOCK=SHARED;"
	for _, c := range []struct {
		name           string
		source, target string
		want           []string
	}{
		{"all of it online", berth + ",\n  `n` int,\n  KEY `k` (`a`)\n)", berth + "\n)", []string{"ALTER TABLE `berth`\n  ADD COLUMN `n` int DEFAULT NULL" + now, "ALTER TABLE `berth`\n  ADD KEY `k` (`a`)" + index}},
		{"a copy, and an index behind it", strings.Replace(berth, "`a` int", "`a` bigint", 1) + ",\n  KEY `k` (`b`)\n)", berth + "\n)",
			[]string{"ALTER TABLE `berth`\n  MODIFY COLUMN `a` bigint DEFAULT NULL" + off, "ALTER TABLE `berth`\n  ADD KEY `k` (`b`)" + index}},
		{"a check behind what is online", berth + ",\n  KEY `k` (`b`),\n  CONSTRAINT `c` CHECK (`a` > 0)\n)", berth + "\n)",
			[]string{"ALTER TABLE `berth`\n  ADD KEY `k` (`b`)" + index, "ALTER TABLE `berth`\n  ADD CONSTRAINT `c` CHECK (`a` > 0)" + off}},
		{"a full-text index alone", berth + ",\n  FULLTEXT KEY `f` (`b`)\n)", berth + "\n)", []string{"ALTER TABLE `berth`\n  ADD FULLTEXT KEY `f` (`b`),\n  ALGORITHM=INPLACE, LOCK=SHARED;"}},
		{"a primary key changes at once", berth + ",\n  PRIMARY KEY (`id`,`a`)\n)", berth + ",\n  PRIMARY KEY (`id`)\n)", []string{"ALTER TABLE `berth`\n  DROP PRIMARY KEY,\n  ADD PRIMARY KEY (`id`,`a`),\n  ALGORITHM=INPLACE, LOCK=NONE;"}},
		{"a counter keeps its key", "CREATE TABLE `berth` (\n  `id` int NOT NULL AUTO_INCREMENT,\n  `a` bigint DEFAULT NULL,\n  KEY `young` (`id`,`a`)\n)", "CREATE TABLE `berth` (\n  `id` int NOT NULL AUTO_INCREMENT,\n  `a` int DEFAULT NULL,\n  KEY `old` (`id`)\n)",
			[]string{"ALTER TABLE `berth`\n  DROP INDEX `old`,\n  MODIFY COLUMN `a` bigint DEFAULT NULL,\n  ADD KEY `young` (`id`,`a`)" + off}},
		{"another engine copies", berth + ",\n  `n` int\n) ENGINE=Aria DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_general_ci", berth + "\n) ENGINE=Aria DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_general_ci", []string{"ALTER TABLE `berth`\n  ADD COLUMN `n` int DEFAULT NULL" + off}},
		{"a key to another table", berth + ",\n  KEY `f` (`a`),\n  CONSTRAINT `f` FOREIGN KEY (`a`) REFERENCES `berth` (`id`)\n)", berth + ",\n  KEY `f` (`a`)\n)",
			[]string{"ALTER TABLE `berth` ALGORITHM=COPY, LOCK=SHARED, ADD CONSTRAINT `f` FOREIGN KEY (`a`) REFERENCES `berth` (`id`);"}},
	} {
		p := planWith(t, &Writer{AvoidBlocking: true}, []string{c.source}, []string{c.target})
		var got []string
		for _, s := range p.Steps {
			got = append(got, s.SQL...)
			for _, l := range s.Locks {
				if l.Waits == "" || strings.Contains(strings.Join(s.SQL, ""), "=COPY") != strings.Contains(l.Waits, "copied") {
					t.Errorf("%s: the lock is %s", c.name, l.Words())
				}
			}
		}
		if a, b := strings.Join(got, "\n"), strings.Join(c.want, "\n"); a != b {
			t.Errorf("%s:\n got %s\nwant %s", c.name, a, b)
		}
	}
}

// TestGrantPatterns: which databases a pattern of GRANT means.
func TestGrantPatterns(t *testing.T) {
	for pattern, names := range map[string][2]string{`quill\_haven`: {"quill_haven", "quillxhaven"}, "quill%": {"quillhaven", "haven"}, "q_": {"qh", "qhh"}, "%": {"any", "-"}, "a.b": {"a.b", "axb"}} {
		if !matches(pattern, names[0]) || pattern != "%" && matches(pattern, names[1]) {
			t.Errorf("GRANT ON %s: %v", pattern, names)
		}
	}
}

// TestSessions: what a body depends on is set around it and given back.
func TestSessions(t *testing.T) {
	c := &order.Change{Actual: &catalog.Catalog{Version: "10.11.2-MariaDB"}}
	o := &catalog.Object{Kind: vocab.Event, Name: "nightly"}
	o.Set("definition", catalog.PlainSQL("EVENT `nightly` ON SCHEDULE EVERY 1 DAY DO BEGIN END"))
	o.Set("sql mode", catalog.Scalar("ANSI_QUOTES")).Set("time zone", catalog.Scalar("SYSTEM")).Set("connection", catalog.Scalar("latin1 latin1_swedish_ci"))
	want := []string{"SET SESSION sql_mode = 'ANSI_QUOTES';", "SET SESSION time_zone = 'SYSTEM';", "SET character_set_client = latin1, collation_connection = latin1_swedish_ci;",
		"CREATE DEFINER=`a`@`b` EVENT `nightly` ON SCHEDULE EVERY 1 DAY DO BEGIN END;",
		"SET SESSION sql_mode = '" + vocab.Mode + "';", "SET SESSION time_zone = '+00:00';", "SET NAMES utf8mb4 COLLATE utf8mb4_general_ci;"}
	if got := statement(c, o, "CREATE ", "DEFINER=`a`@`b` "); strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got %q", got)
	}
	// What the client would take away goes as a string.
	o.Set("definition", catalog.PlainSQL("EVENT e ON SCHEDULE EVERY 1 DAY DO BEGIN -- it's \\ a note\r\nEND")).Set("sql mode", catalog.Scalar(""))
	if got := strings.Join(statement(c, o, "CREATE ", ""), "\n"); !strings.Contains(got, "EXECUTE IMMEDIATE CONCAT('CREATE EVENT e ON SCHEDULE EVERY 1 DAY DO BEGIN -- it''s \\\\ a note', CHAR(13), '\nEND');") {
		t.Errorf("a comment and a carriage return: %s", got)
	}
	v := &catalog.Object{Kind: catalog.View, Name: "v`w"}
	v.Set("definition", catalog.PlainSQL("select 1 AS `x;y`")).Set("algorithm", catalog.Scalar("merge")).Set("security", catalog.Scalar("invoker"))
	if got := strings.Join(statement(c, v, "CREATE OR REPLACE ", ""), "\n"); got != "DELIMITER ;;\nCREATE OR REPLACE ALGORITHM=MERGE SQL SECURITY INVOKER VIEW `v``w` AS\nselect 1 AS `x;y`\n;;\nDELIMITER ;" {
		t.Errorf("a view: %s", got)
	}
}

// TestSequences: only what differs is said.
func TestSequences(t *testing.T) {
	seq := func(facts ...string) *catalog.Object {
		o := &catalog.Object{Kind: catalog.Sequence, Name: "no"}
		for _, f := range facts {
			n, v, _ := strings.Cut(f, "=")
			o.Set(n, catalog.Scalar(v))
		}
		return o
	}
	all := seq("start=5", "minimum=1", "maximum=9", "increment=-2", "cache=0", "cycle=yes", "engine=InnoDB", "comment=it's")
	for _, c := range []struct {
		now, was *catalog.Object
		want     string
	}{
		{all, nil, "START WITH 5 MINVALUE 1 MAXVALUE 9 INCREMENT BY -2 CACHE 0 CYCLE ENGINE=InnoDB COMMENT='it''s'"},
		{all, seq("start=5", "minimum=1", "maximum=8", "increment=-2", "cache=0", "cycle=yes", "engine=InnoDB", "comment=it's"), "MAXVALUE 9"},
		{seq("start=5"), seq("start=5", "cycle=yes", "comment=x"), "NOCYCLE COMMENT=''"},
	} {
		if got := sequenceOptions(c.now, c.was); got != c.want {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
}

// TestRowQueries: duplicates by prefix and expression, rows no partition takes,
// values written down.
func TestRowQueries(t *testing.T) {
	o, err := reader.ParseTable("CREATE TABLE `be``rth` (\n  `id` int NOT NULL,\n  `raw` varbinary(9) DEFAULT NULL,\n  `t` text DEFAULT NULL,\n  `twice` int GENERATED ALWAYS AS (`id` * 2) STORED,\n  PRIMARY KEY (`id`),\n  UNIQUE KEY `u` (`t`(3),`id` DESC)\n) ENGINE=InnoDB")
	if err != nil {
		t.Fatal(err)
	}
	same := &order.Change{Item: &compare.Item{Source: o, Target: o}}
	if q := (&Writer{}).duplicates(same, o, o.Part(catalog.Index, "u")); q.Count != "SELECT coalesce(sum(n), 0) FROM (SELECT count(*) AS n FROM `be``rth` WHERE LEFT(`t`, 3) IS NOT NULL AND `id` IS NOT NULL GROUP BY LEFT(`t`, 3), `id` HAVING count(*) > 1) AS shared" {
		t.Errorf("duplicates: %s", q.Count)
	}
	if got := insertLines(o); got != "SELECT concat('INSERT INTO `be``rth` (`id`, `raw`, `t`) VALUES (', concat_ws(', ', coalesce(`id`, 'NULL'), coalesce(concat('x''', hex(`raw`), ''''), 'NULL'), if(INSTR(`t`, CHAR(13)) = 0 AND BINARY CONVERT(CONVERT(`t` USING utf8mb4) USING utf8mb4) = BINARY `t` OR `t` IS NULL, quote(CONVERT(`t` USING utf8mb4)), concat('_utf8mb4 x''', hex(`t`), ''''))), ');') FROM `be``rth`" {
		t.Errorf("saved by %s", got)
	}
	for by, want := range map[string]string{
		"PARTITION BY RANGE (`id`)\n(PARTITION `a` VALUES LESS THAN (5),\n PARTITION `b` VALUES LESS THAN (9))":      "`id` >= (9)",
		"PARTITION BY RANGE (`id`)\n(PARTITION `a` VALUES LESS THAN (5),\n PARTITION `b` VALUES LESS THAN MAXVALUE)": "",
		"PARTITION BY LIST (`id`)\n(PARTITION `a` VALUES IN (1,2),\n PARTITION `b` VALUES IN (3))":                   "`id` IS NULL OR `id` NOT IN (1, 2, 3)",
		"PARTITION BY LIST (`id`)\n(PARTITION `a` VALUES IN (1),\n PARTITION `b` DEFAULT)":                           "",
		"PARTITION BY HASH (`id`)": "",
	} {
		now := o.Clone()
		now.Carry("written partitions", catalog.Scalar(by))
		q := outside(&order.Change{Item: &compare.Item{Source: now, Target: o}}, o)
		if got := ""; q != nil {
			_, got, _ = strings.Cut(q.Count, " WHERE ")
			if got != want {
				t.Errorf("%s: %s", by, got)
			}
		} else if want != "" {
			t.Errorf("%s: not asked", by)
		}
	}
}
