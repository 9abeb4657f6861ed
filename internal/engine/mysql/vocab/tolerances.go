package vocab

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/tolerance"
)

// storageOptions are the options of a table that say how its rows are kept
// (MariaDB: CREATE TABLE, Table Options).
var storageOptions = []string{"AVG_ROW_LENGTH", "CHECKSUM", "COMPRESSION", "DELAY_KEY_WRITE", "ENCRYPTED", "ENCRYPTION", "ENCRYPTION_KEY_ID", "KEY_BLOCK_SIZE", "MAX_ROWS", "MIN_ROWS", "PACK_KEYS", "PAGE_CHECKSUM",
	"PAGE_COMPRESSED", "PAGE_COMPRESSION_LEVEL", "ROW_FORMAT", "STATS_AUTO_RECALC", "STATS_PERSISTENT", "STATS_SAMPLE_PAGES", "TABLESPACE", "TABLE_CHECKSUM", "TRANSACTIONAL"}

func tolerances() []catalog.Cover {
	keys, bodies := tolerance.Kinds(catalog.Index, catalog.PrimaryKey), tolerance.Kinds(catalog.Routine, catalog.Trigger, Event, Package, PackageBody)
	texts := append(tolerance.Kinds(catalog.View), bodies...)
	storage := []string{"engine", "compressed"}
	for _, o := range storageOptions {
		storage = append(storage, "option "+o)
	}
	heads := tolerance.Kinds(catalog.Routine, Event, Package, PackageBody)
	return slices.Concat(tolerance.Names(), tolerance.Texts(Dialect, texts, []string{"definition", "body"}, nil), []catalog.Cover{
		tolerance.Defaults(Dialect, "default", "on update"),
		tolerance.Of("comments", nil, "comment"), tolerance.Clauses(Dialect, "comments", keys, cutComment, "written"), tolerance.Clauses(Dialect, "comments", heads, inHead(cutComment)),
		tolerance.Of("collation", nil, "collation"), tolerance.Clauses(Dialect, "collation", tolerance.Kinds(catalog.Routine), inHead(cutCollation)),
		tolerance.Of("character-set", nil, "charset", "connection"), tolerance.Clauses(Dialect, "character-set", tolerance.Kinds(catalog.Routine), inHead(cutCharset)),
		{Tolerance: "character-set", Facts: []string{"collation"}, Like: func(text string) string { _, order, _ := strings.Cut(text, "_"); return order }},
		tolerance.Of("column-order", tolerance.Kinds(catalog.Table), "column order"),
		tolerance.Of("definers", nil, "definer"),
		tolerance.Of("display-width", tolerance.Kinds(catalog.Column), "display width"),
		tolerance.Clauses(Dialect, "enabled", tolerance.Kinds(Event), inHead(cutState)), tolerance.Clauses(Dialect, "enabled", tolerance.Kinds(catalog.Index), cutIgnored, "written"),
		tolerance.Of("grants", tolerance.Kinds(Grant), catalog.CoverThing, "privileges", "grant option"),
		{Tolerance: "name-case", Kinds: tolerance.Kinds(catalog.Column), Facts: []string{catalog.Letters}, Letters: true},
		{Tolerance: "name-case", Kinds: tolerance.Kinds(catalog.PrimaryKey, catalog.Index, catalog.Check, catalog.ForeignKey), Facts: []string{"definition"}, Like: strings.ToLower},
		{Tolerance: "partitions", Kinds: tolerance.Kinds(catalog.Table), Facts: []string{"partitions"}, With: []string{"written partitions"}},
		tolerance.Of("sequence-options", tolerance.Kinds(catalog.Sequence), "start", "minimum", "maximum", "increment", "cache", "cycle"),
		tolerance.Of("sql-mode", bodies, "sql mode"),
		tolerance.Of("storage", nil, storage...), tolerance.Clauses(Dialect, "storage", keys, cutStorage, "written"),
		tolerance.Of("trigger-order", tolerance.Kinds(catalog.Trigger), "follows"),
		tolerance.Of("view-algorithm", tolerance.Kinds(catalog.View), "algorithm"),
	})
}

// inHead cuts only what stands before the body.
func inHead(cut func([]sqltext.Token, int) int) func([]sqltext.Token, int) int {
	return func(toks []sqltext.Token, i int) int {
		n := cut(toks, i)
		if n > 0 && slices.ContainsFunc(toks[:i], func(t sqltext.Token) bool {
			return t.Is("begin") || t.Is("return") || t.Is("do") || t.Is("is") || t.Is("as")
		}) {
			return 0
		}
		return n
	}
}

func cutComment(toks []sqltext.Token, i int) int {
	if toks[i].Is("comment") && i+1 < len(toks) && toks[i+1].Kind == sqltext.String {
		return 2
	}
	return 0
}

func cutCollation(toks []sqltext.Token, i int) int {
	if toks[i].Is("collate") && i+1 < len(toks) {
		return 2
	}
	return 0
}

func cutCharset(toks []sqltext.Token, i int) int {
	switch {
	case toks[i].Is("charset") && i+1 < len(toks):
		return 2 + cutCollationAt(toks, i+2)
	case toks[i].Is("character") && i+2 < len(toks) && toks[i+1].Is("set"):
		return 3 + cutCollationAt(toks, i+3)
	}
	return 0
}

func cutCollationAt(toks []sqltext.Token, i int) int {
	if i >= len(toks) {
		return 0
	}
	return cutCollation(toks, i)
}

func cutState(toks []sqltext.Token, i int) int {
	switch {
	case toks[i].Is("disable") && i+2 < len(toks) && toks[i+1].Is("on"):
		return 3
	case toks[i].Is("enable"), toks[i].Is("disable"):
		return 1
	}
	return 0
}

func cutIgnored(toks []sqltext.Token, i int) int {
	if toks[i].Is("ignored") || toks[i].Is("invisible") {
		return 1
	}
	return 0
}

// cutStorage cuts how an index is kept.
func cutStorage(toks []sqltext.Token, i int) int {
	switch {
	case toks[i].Is("using") && i+1 < len(toks):
		return 2
	case toks[i].Is("key_block_size") && i+2 < len(toks) && toks[i+1].IsOp("="):
		return 3
	}
	return 0
}
