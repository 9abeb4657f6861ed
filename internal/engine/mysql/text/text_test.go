package text

import (
	"fmt"
	"strings"
	"testing"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/mysql/vocab"
	"dappermirror/internal/engine/texts"
	"dappermirror/internal/fuzzing"
)

func TestRead(t *testing.T) {
	const p, main, early, late, refuse, set, use = texts.Pass, texts.Main, texts.Early, texts.Late, texts.Refuse, texts.Set, texts.Switch
	for _, c := range []struct {
		sql    string
		action texts.Action
		makes  string // name/part
		runs   string // what runs in its place
	}{
		{"CREATE TABLE `berth` (id int);", main, "berth/", ""},
		{"CREATE TABLE IF NOT EXISTS harbour.berth (id int);", main, "berth/", ""},
		{"CREATE TEMPORARY TABLE t (a int);", p, "", ""},
		{"CREATE UNIQUE INDEX i ON berth (id);", main, "berth/i", ""},
		{"CREATE DEFINER=`root`@`localhost` TRIGGER t BEFORE INSERT ON berth FOR EACH ROW SET @a = 1;", main, "berth/t", "CREATE                            TRIGGER t BEFORE INSERT ON berth FOR EACH ROW SET @a = 1;"},
		{"CREATE DEFINER=root@localhost SQL SECURITY INVOKER VIEW v AS SELECT 1;", main, "v/", "CREATE                        SQL SECURITY INVOKER VIEW v AS SELECT 1;"},
		{"/*!50001 CREATE ALGORITHM=UNDEFINED */\n/*!50013 DEFINER=`a`@`%` SQL SECURITY DEFINER */\n/*!50001 VIEW `v` AS SELECT 1 */;", main, "v/", "/*!50001 CREATE ALGORITHM=UNDEFINED */\n/*!50013                 SQL SECURITY DEFINER */\n/*!50001 VIEW `v` AS SELECT 1 */;"},
		{"CREATE OR REPLACE AGGREGATE FUNCTION f() RETURNS int RETURN 1;", main, "f/", ""},
		{"CREATE DEFINER=CURRENT_USER() PROCEDURE p() SELECT 1;", main, "p/", "CREATE                        PROCEDURE p() SELECT 1;"},
		{"CREATE PACKAGE BODY k AS END;", main, "k/", ""},
		{"CREATE FUNCTION f RETURNS STRING SONAME 'x.so';", refuse, "", ""},
		{"CREATE TABLE t (a int) ENGINE=InnoDB;", main, "t/", ""},
		{"CREATE TABLE t (a int) ENGINE = 'CONNECT';", refuse, "", ""},
		{"CREATE TABLE t (a int) /*!50000 ENGINE=FEDERATED */;", refuse, "", ""},
		{"CREATE TABLE t (a int) DATA DIRECTORY='/tmp';", refuse, "", ""},
		{"ALTER TABLE t ADD KEY k (a);", main, "", ""},
		{"DROP TABLE IF EXISTS t;", main, "", ""},
		{"RENAME TABLE a TO b;", main, "", ""},
		{"CREATE DATABASE /*!32312 IF NOT EXISTS*/ `harbour` /*!40100 DEFAULT CHARACTER SET utf8mb4 */;", early, "defaults/", "ALTER DATABASE DEFAULT CHARACTER SET utf8mb4"},
		{"CREATE DATABASE harbour;", p, "", ""},
		{"ALTER DATABASE CHARACTER SET = utf8mb4;", early, "defaults/", "ALTER DATABASE CHARACTER SET = utf8mb4"},
		{"DROP DATABASE harbour;", p, "", ""},
		{"USE `harbour`;", use, "", ""},
		{"GRANT SELECT ON harbour.* TO 'office'@'%';", late, "", "GRANT SELECT ON * TO 'office'@'%';"},
		{"GRANT EXECUTE ON PROCEDURE `harbour`.`p` TO office;", late, "", "GRANT EXECUTE ON PROCEDURE `p` TO office;"},
		{"GRANT FILE ON *.* TO office;", p, "", ""},
		{"GRANT PROXY ON root TO office;", p, "", ""},
		{"GRANT SELECT ON t TO office IDENTIFIED BY 'x';", p, "", ""},
		{"GRANT reader TO office;", p, "", ""},
		{"CREATE USER office;", p, "", ""},
		{"SET NAMES utf8mb4;", set, "", ""},
		{"/*!40101 SET @OLD_SQL_MODE=@@SQL_MODE, SQL_MODE='NO_AUTO_VALUE_ON_ZERO' */;", set, "", ""},
		{"SET SESSION timestamp = UNIX_TIMESTAMP('2020-01-01 00:00:00') - 1;", set, "", ""},
		{"SET timestamp = SLEEP(100);", p, "", ""},
		{"SET @x = LOAD_FILE('/etc/passwd');", p, "", ""},
		{"SET GLOBAL general_log = 1;", p, "", ""},
		{"SET @@GLOBAL.gtid_purged = 'x';", p, "", ""},
		{"SET default_storage_engine = CONNECT;", p, "", ""},
		{"INSERT INTO t VALUES (1);", p, "", ""},
		{"LOAD DATA INFILE 'x' INTO TABLE t;", p, "", ""},
		{"INSTALL PLUGIN x SONAME 'x';", refuse, "", ""},
		{"ROLLBACK;", refuse, "", ""},
		{"FROBNICATE;", refuse, "", ""},
		{"/* nothing */", p, "", ""},
		{"/*!50003 SET x */", p, "", ""},
	} {
		r := read(c.sql, vocab.Dialect)
		made := ""
		if r.Makes != nil {
			made = r.Makes.Name + "/" + r.Makes.Part
		}
		if r.Action != c.action || made != c.makes || r.SQL != c.runs {
			t.Errorf("%s\nis %d makes %q runs %q, want %d %q %q (%s)", c.sql, r.Action, made, r.SQL, c.action, c.makes, c.runs, r.Why)
		}
	}
	for line, action := range map[string]texts.Action{"DELIMITER ;;": p, "source x.sql": refuse, `\. x.sql`: refuse, "system id": refuse, `\! id`: refuse, `\-`: p} {
		if r := client(line); r.Action != action {
			t.Errorf("%s is %+v", line, r)
		}
	}
}

// TestSettings: what is in force where a statement stands is what the text means,
// through the variables that keep what was before.
func TestSettings(t *testing.T) {
	text := `CREATE TABLE a (x int);
/*!40101 SET @OLD_CS=@@CHARACTER_SET_CLIENT, @OLD_COL=@@COLLATION_CONNECTION */;
/*!40101 SET NAMES utf8mb4 */;
/*!40101 SET @OLD_MODE=@@SQL_MODE, SQL_MODE='ANSI' */;
CREATE TABLE b (x int);
SET @saved = @@character_set_client;
SET character_set_client = latin1, collation_connection = latin1_bin;
CREATE TABLE c (x int);
SET character_set_client = @saved;
SET SQL_MODE=@OLD_MODE;
CREATE TABLE d (x int);
SET CHARACTER_SET_CLIENT=@OLD_CS, COLLATION_CONNECTION=@OLD_COL, character_set_results = DEFAULT;
CREATE TABLE e (x int);
`
	all, err := texts.Parse(t.Context(), []engine.TextFile{{Name: "x.sql", Reader: strings.NewReader(text)}}, Grammar)
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]string{
		"a": "[]",
		"b": "[SET character_set_client = utf8mb4 SET character_set_results = utf8mb4 SET character_set_connection = utf8mb4 SET sql_mode = 'ANSI']",
		"c": "[SET character_set_client = latin1 SET character_set_results = utf8mb4 SET collation_connection = latin1_bin SET sql_mode = 'ANSI']",
		"d": "[SET character_set_client = utf8mb4 SET character_set_results = utf8mb4 SET collation_connection = latin1_bin]",
		"e": "[SET character_set_results = DEFAULT]",
	}
	for _, p := range all {
		if p.Makes != nil && fmt.Sprint(p.Settings) != want[p.Makes.Name] {
			t.Errorf("%s stands under %v, want %s", p.Makes.Name, p.Settings, want[p.Makes.Name])
		}
	}
}

func TestGrantees(t *testing.T) {
	for sql, want := range map[string]string{
		"GRANT SELECT ON t TO 'office'@'%'":                      "[`office`@`%`]",
		"GRANT SELECT ON t TO office, `mara`@localhost":          "[`office` `mara`@`localhost`]",
		"REVOKE SELECT ON t FROM 'a`b'@'x' , c@'y'":              "[`a``b`@`x` `c`@`y`]",
		"GRANT SELECT ON t TO office WITH GRANT OPTION":          "[`office`]",
		"GRANT SELECT ON t":                                      "[]",
		"GRANT SELECT ON t TO":                                   "[]",
		"GRANT SELECT ON t TO office@db.quillhaven.example, x@y": "[`office`@`db`]",
	} {
		if got := fmt.Sprint(grantees(sql)); got != want {
			t.Errorf("%s: %s, want %s", sql, got, want)
		}
	}
}

// FuzzRead: whatever a statement is, something is said of it, opening its
// comments moves nothing, and what runs as who may make databases holds one
// statement.
func FuzzRead(f *testing.F) {
	for _, s := range []string{"CREATE TABLE a (b int);", "/*!50003 CREATE*/ /*!50017 DEFINER=`a`@`b`*/ /*!50003 TRIGGER t BEFORE INSERT ON x FOR EACH ROW BEGIN END */", "SET @a=@@b, c=d", "GRANT a ON b.* TO c", "CREATE DATABASE x; GRANT y", "/*!", "SET", "DEFINER", "CREATE DEFINER=", "GRANT x ON"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, sql string) {
		defer fuzzing.Bound()()
		if open := Unwrapped(sql, vocab.Dialect); len(open) != len(sql) {
			t.Fatalf("%q opened is %q", sql, open)
		}
		r := read(sql, vocab.Dialect)
		if r.Action == texts.Refuse && r.Why == "" {
			t.Fatalf("%q is refused without a word", sql)
		}
		if r.Action == texts.Late { // the server takes one statement at a time; so it has to be one
			for i, tok := range sqltext.Significant(vocab.Dialect, r.SQL) {
				if tok.IsOp(";") && i+1 < len(sqltext.Significant(vocab.Dialect, r.SQL)) {
					t.Fatalf("%q runs %q", sql, r.SQL)
				}
			}
		}
	})
}
