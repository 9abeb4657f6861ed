package judge

// Tolerance is a kind of difference that may be said not to count. What it
// covers on an engine, that engine's kinds say (catalog.Cover).
type Tolerance struct {
	Name  string
	Equal string // what it makes equal
	Still string // what stays different all the same
}

// Tolerances are all of them, by name.
var Tolerances = []Tolerance{
	{"access-methods", "tables and views kept by another access method", "the methods of indexes"},
	{"character-set", "other character sets of databases, tables, columns and routines, with the collations that follow from them", "collations that sort otherwise"},
	{"collation", "other collations of databases, tables, columns and domains", "character sets; COLLATE within an expression or an index"},
	{"column-order", "columns that both sides have, in another order", "columns that one side lacks"},
	{"comments", "other comments on anything, or none", "comments within the text of a routine, which are text-comments"},
	{"constraint-names", "constraints that say the same under other names", "constraints that say anything else"},
	{"default-names", "other names of the constraints that hold defaults", "what a default says"},
	{"default-spelling", "defaults written in another way: letter case, parentheses, casts to their own type, now() for CURRENT_TIMESTAMP", "other values, and a default on one side only"},
	{"definers", "views, routines, triggers and events that belong to another account (with --include definers)", "whose rights they run with"},
	{"display-width", "other widths that whole numbers are shown with", "ZEROFILL, and the type itself"},
	{"enabled", "triggers, rules and events that are enabled here and disabled there, constraints that are enforced or not, indexes that are ignored or not", "what they do"},
	{"extension-versions", "extensions of another version", "an extension that one side lacks, or has in another schema"},
	{"grants", "other grants on anything (with --include grants)", "owners"},
	{"identity", "identity columns that always or only by default make their value", "a column that is no identity"},
	{"index-names", "indexes that say the same under other names", "indexes that say anything else"},
	{"letter-case", "other letters, large or small, in the words of views, routines, triggers, events and rules", "texts within quotes"},
	{"line-endings", "CR LF, CR and LF in the text of views, routines, triggers, events and rules", "an empty line more or less"},
	{"name-case", "columns whose names are written in other letters where the server does not mind", "names in other words"},
	{"not-null-names", "other names of NOT NULL constraints", "whether a column is NOT NULL"},
	{"owners", "things that belong to another role (with --include owners)", "grants"},
	{"partitions", "other partitions of a partitioned table, or partitions that one side lacks", "whether and by what a table is partitioned, where its rows then are in tables of their own"},
	{"replica-identity", "what a table's changes are known by for replication", "keys and indexes themselves"},
	{"row-security", "tables whose row security is enabled here and not there", "the policies"},
	{"security-labels", "other security labels on anything", "policies and grants"},
	{"sequence-options", "other starts, steps, limits and caches of sequences and identity columns", "the type of a sequence, and whose column it is of"},
	{"sql-mode", "routines, triggers and events made under another SQL mode", "their text"},
	{"statistics-targets", "how closely columns and expressions are sampled", "extended statistics objects"},
	{"storage", "how and where rows are kept: fill factors and other parameters, tablespaces, engines, row formats, compression, block sizes", "whether a table is logged, temporary or partitioned"},
	{"text-comments", "comments within the text of views, routines, triggers, events and rules", "comments on them, which are comments"},
	{"trigger-order", "triggers of one event that fire in another order", "what they do, and when"},
	{"validated", "constraints whose rows were checked here and not there", "what they check, and whether they are enforced"},
	{"view-algorithm", "how the server is to work a view out", "what it selects"},
	{"whitespace", "blanks, tabs, line-endings and empty lines in the text of views, routines, triggers, events and rules", "blanks within quotes; the margin of lines where the language gives it a meaning"},
}
