package sqlserver

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlserver/convert"
)

// samples are values of each type at the ends of what it holds.
var samples = map[string][]string{
	"bit":              {"0", "1"},
	"tinyint":          {"0", "255"},
	"smallint":         {"-32768", "32767"},
	"int":              {"-2147483648", "2147483647"},
	"bigint":           {"-9223372036854775807", "9223372036854775807"},
	"decimal(5,2)":     {"-999.99", "999.99", "0.01"},
	"decimal(9,2)":     {"-9999999.99", "9999999.99"},
	"decimal(9,4)":     {"-99999.9999", "99999.9999"},
	"decimal(38,10)":   {"9999999999999999999999999999.9999999999"},
	"money":            {"-922337203685477.5", "922337203685477.5807"},
	"smallmoney":       {"-214748.3647", "214748.3647"},
	"float":            {"1e100", "-0.5"},
	"real":             {"1e10", "0.5"},
	"char(4)":          {"'ab'", "'abcd'", "'17'"},
	"varchar(4)":       {"'ab'", "'abcd'", "'17'", "''"},
	"varchar(20)":      {"'12345678901234567890'", "'1'"},
	"varchar(max)":     {"'a long text that nothing short has room for'"},
	"nchar(4)":         {"N'äöü'", "N'abcd'"},
	"nvarchar(4)":      {"N'äöü€'", "N'ab'"},
	"nvarchar(20)":     {"N'12345678901234567890'", "N'ä'"},
	"nvarchar(max)":    {"N'a long text that nothing short has room for €'"},
	"binary(4)":        {"0x01020304"},
	"varbinary(4)":     {"0x01", "0x01020304"},
	"varbinary(20)":    {"0x0102030405060708090a"},
	"varbinary(max)":   {"0x0102030405060708090a0b0c0d0e0f10111213141516"},
	"date":             {"'1753-01-01'", "'2026-05-04'"},
	"time":             {"'10:11:12.1234567'"},
	"time(0)":          {"'10:11:12'"},
	"datetime":         {"'2026-05-04 10:11:12.347'"},
	"smalldatetime":    {"'2026-05-04 10:11:00'"},
	"datetime2":        {"'2026-05-04 10:11:12.1234567'"},
	"datetime2(0)":     {"'2026-05-04 10:11:12'"},
	"datetimeoffset":   {"'2026-05-04 10:11:12.1234567 +02:00'"},
	"uniqueidentifier": {"'0E984725-C51C-4BF4-9960-E1C80E27ABA0'"},
}

// TestEveryPairOfTypes: the server is asked for every pair of types what becomes of
// values at their ends. A pair that is called safe refuses and changes none of them; one
// that is called explicit is refused by ALTER COLUMN; any other is at least answered by
// what the server says of values.
func TestEveryPairOfTypes(t *testing.T) {
	d, _ := empty(t)
	exec := func(sql string) error { return d.Exec(t.Context(), sql) }
	safe, n := 0, 0
	for from, values := range samples {
		for to := range samples {
			if from == to {
				continue
			}
			if err := exec("CREATE TABLE dbo.pair (id int IDENTITY NOT NULL, v " + from + " NULL, was " + from + " NULL)"); err != nil {
				t.Fatal(err)
			}
			for _, v := range values {
				if err := exec("INSERT INTO dbo.pair (v, was) VALUES (" + v + ", " + v + ")"); err != nil {
					t.Fatalf("%s %s: %v", from, v, err)
				}
			}
			n++
			err := exec("ALTER TABLE dbo.pair ALTER COLUMN v " + to + " NULL")
			switch {
			case convert.Explicit(from, to) && convert.Safe(from, to):
				t.Errorf("%s to %s is called both safe and explicit", from, to)
			case convert.Safe(from, to) && err != nil:
				t.Errorf("%s to %s is called safe, and refused: %v", from, to, err)
			case convert.Safe(from, to):
				safe++
				lost, err := d.Count(t.Context(), fmt.Sprintf("SELECT count(*) FROM dbo.pair WHERE TRY_CONVERT(%s, v) IS NULL OR TRY_CONVERT(%s, v) <> was", from, from), 0)
				if err != nil || lost != 0 {
					t.Errorf("%s to %s is called safe, and changes %d values (%v)", from, to, lost, err)
				}
			case (convert.Never(from, to) || convert.Explicit(from, to)) && err == nil:
				t.Errorf("%s to %s is done by itself", from, to)
			case err != nil && strings.Contains(from, "binary") && strings.Contains(to, "datetime"): // which bytes are which moment the model does not say
			case err != nil && !errors.Is(err, engine.ErrValue) && !convert.Explicit(from, to) && !convert.Never(from, to):
				t.Errorf("%s to %s is refused for another reason than a value: %v", from, to, err)
			}
			if err := exec("DROP TABLE dbo.pair"); err != nil {
				t.Fatal(err)
			}
		}
	}
	if safe < 100 || n < 1000 {
		t.Errorf("%d pairs, %d of them safe: the table says little", n, safe)
	}
}

// TestWidens: what only gets room for more, and what is another length.
func TestWidens(t *testing.T) {
	for _, c := range []struct {
		from, to     string
		widens, same bool
	}{
		{"varchar(10)", "varchar(20)", true, true},
		{"varchar(20)", "varchar(10)", false, true},
		{"varchar(10)", "varchar(10)", true, true},
		{"varchar(10)", "varchar(max)", false, true},
		{"varchar(max)", "varchar(max)", false, true},
		{"nvarchar(10)", "nvarchar(11)", true, true},
		{"varbinary(1)", "varbinary(2)", true, true},
		{"char(10)", "char(20)", false, true},
		{"varchar(10)", "nvarchar(10)", false, false},
		{"decimal(5,2)", "decimal(9,2)", false, true},
		{"int", "bigint", false, false},
		{"[dbo].[label]", "[dbo].[label]", false, true},
	} {
		if w, s := convert.Widens(c.from, c.to), convert.Same(c.from, c.to); w != c.widens || s != c.same {
			t.Errorf("%s to %s: widens %v, same %v", c.from, c.to, w, s)
		}
	}
}
