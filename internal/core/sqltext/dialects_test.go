package sqltext

// Dialects like those of the engines.
var (
	SQLite   = Dialect{Backtick: true, Bracket: true, LineEnders: true, Command: ".", OpenComment: true, TriggerEnds: true}
	Postgres = Dialect{EString: true, Dollar: true, Nested: true, Backslashes: true, Variables: true, Command: `\`}
	MySQL    = Dialect{Backtick: true, DoubleIsString: true, Backslash: true, Hash: true, DashSpace: true, Delimiter: true, Backslashes: true}
)
