package mysql

import "testing"

// TestCompound: what is one statement is taken, whatever stands in it, and what
// has a tail is not.
func TestCompound(t *testing.T) {
	for text, one := range map[string]bool{
		"FUNCTION f() RETURNS int RETURN 1":                                                               true,
		"FUNCTION f(a int) RETURNS int RETURN IF(a > 1, 2, 3)":                                            true,
		"PROCEDURE p() BEGIN SELECT 1; SELECT ';'; -- ; end\n END":                                        true,
		"PROCEDURE p() l: BEGIN IF a THEN SELECT 1; ELSEIF (b) = 1 THEN SELECT 2; END IF; LEAVE l; END l": true,
		"PROCEDURE p() BEGIN DECLARE CONTINUE HANDLER FOR NOT FOUND SET d = 1; WHILE x DO SET x = 0; END WHILE; REPEAT SET y = REPEAT('a', 2); UNTIL 1 END REPEAT; END": true,
		"PROCEDURE p() BEGIN FOR i IN 1..3 DO SELECT i; END FOR; FOR r IN (SELECT 1 AS a) DO SELECT r.a; END FOR; SELECT 2; END":                                        true,
		"PROCEDURE p AS BEGIN WHILE a LOOP NULL; END LOOP; FOR i IN 1..3 LOOP NULL; END LOOP; LOOP EXIT; END LOOP; END":                                                 true,
		"PROCEDURE p() IF 1 THEN SELECT 1; END IF": true,
		"PROCEDURE p() BEGIN SELECT CASE a WHEN 1 THEN 2 END; CASE a WHEN 1 THEN SELECT 1; END CASE; DROP TABLE IF EXISTS t; END": true,
		"TRIGGER g AFTER UPDATE ON t FOR EACH ROW INSERT INTO log VALUES (1)":                                                     true,
		"EVENT e ON SCHEDULE EVERY 1 DAY DO BEGIN DELETE FROM t; END":                                                             true,
		"PACKAGE k AS FUNCTION f RETURN int; PROCEDURE p; END":                                                                    true,
		"PACKAGE BODY k AS x int := 0; FUNCTION f RETURN int AS BEGIN RETURN 1; END; PROCEDURE p AS BEGIN NULL; END; END":         true,
		"FUNCTION f() RETURNS int RETURN 1; DROP TABLE keep":                                                                      false,
		"PROCEDURE p() BEGIN SELECT 1; END; DROP TABLE keep":                                                                      false,
		"TRIGGER g AFTER UPDATE ON t FOR EACH ROW SET @a = 1; DROP TABLE keep":                                                    false,
		"PROCEDURE p() BEGIN SELECT 1; ":                                                                                          false,
		"PROCEDURE p() SELECT 'open":                                                                                              false,
		"PROCEDURE p() SELECT 1 \\! touch x":                                                                                      false,
	} {
		if err := compound(text); (err == nil) != one {
			t.Errorf("%s: %v", text, err)
		}
	}
}
