package sqlserver

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/sqlserver/convert"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// numbers are the types whose values are numbers.
var numbers = map[string]bool{"tinyint": true, "smallint": true, "int": true, "bigint": true, "decimal": true, "numeric": true, "money": true, "smallmoney": true, "float": true, "real": true, "bit": true}

// RowText implements engine.RowLister.
func (Engine) RowText(columns []*catalog.Object, names []string, letters int) (expr, random string) {
	var cells []string
	for i, n := range names {
		typ, _ := convert.Split(columns[i].Text("type"))
		kind := "text"
		if numbers[typ] {
			kind = "number"
		}
		text := "CONVERT(nvarchar(max), " + n + ")"
		switch typ {
		case "float", "real":
			text = "CONVERT(nvarchar(max), " + n + ", 3)"
		case "date", "time", "datetime", "smalldatetime", "datetime2", "datetimeoffset":
			text = "CONVERT(nvarchar(50), " + n + ", 121)"
		}
		length := "LEN(" + text + " + N'.') - 1"
		if typ == "binary" || typ == "varbinary" || typ == "rowversion" || typ == "image" {
			kind = "binary"
			length = "DATALENGTH(" + n + ")"
			text = "CONVERT(nvarchar(max), CONVERT(varbinary(max), " + n + "), 2)"
		}
		cells = append(cells, fmt.Sprintf("CASE WHEN %s IS NULL THEN N'null' ELSE N'[\"%s\",\"' + STRING_ESCAPE(LEFT(%s, %d), N'json') + N'\",' + CONVERT(nvarchar(20), %s) + N']' END", n, kind, text, letters, length))
	}
	return "N'[' + " + strings.Join(cells, " + N',' + ") + " + N']'", "NEWID()"
}

// RowTail implements engine.RowPager.
func (Engine) RowTail(order string, n int) string {
	if order == "" {
		order = "(SELECT NULL)"
	}
	return fmt.Sprintf(" ORDER BY %s OFFSET 0 ROWS FETCH NEXT %d ROWS ONLY", order, n)
}

// ColumnQuery implements engine.RowLister.
func (Engine) ColumnQuery(schema, name string) string {
	return "SELECT N'[\"' + STRING_ESCAPE(c.name, N'json') + N'\",\"' + STRING_ESCAPE(t.name, N'json') + N'\"]' AS line FROM sys.columns AS c JOIN sys.types AS t ON t.user_type_id = c.user_type_id WHERE c.object_id = OBJECT_ID(" +
		vocab.String(vocab.Quote(schema)+"."+vocab.Quote(name)) + ") ORDER BY c.column_id"
}

// SizeQuery implements engine.Measurer.
func (Engine) SizeQuery() (string, bool) {
	return "SELECT N'[\"' + STRING_ESCAPE(s.name, N'json') + N'\",\"' + STRING_ESCAPE(t.name, N'json') + N'\",' + CONVERT(nvarchar(20), SUM(CASE WHEN p.index_id < 2 THEN p.row_count ELSE 0 END)) + N',' + CONVERT(nvarchar(20), SUM(p.used_page_count) * 8192) + N']' AS line FROM sys.tables AS t JOIN sys.schemas AS s ON s.schema_id = t.schema_id JOIN sys.dm_db_partition_stats AS p ON p.object_id = t.object_id GROUP BY s.name, t.name", true
}
