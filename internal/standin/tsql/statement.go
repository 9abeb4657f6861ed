package tsql

// Statement is one statement of a batch. Body is one of the types below.
type Statement struct {
	Pos, End int
	Body     any
}

// The statements that define things.
type (
	// CreateTable is CREATE TABLE, and CREATE TYPE … AS TABLE.
	CreateTable struct {
		Name    []string
		Type    bool
		Columns []Column
		Rest    []Constraint
		Indexes []Index
		Options Options
		Period  []string // the columns of PERIOD FOR SYSTEM_TIME
		// Filegroup, where it is given, and the one of large values.
		On          Space
		TextImageOn string
	}
	// Column is a column as it is written.
	Column struct {
		Name        string
		Type        TypeName
		Collation   string
		Null        byte // 'y', 'n', or 0 where nothing is said
		Identity    bool
		Seed, Step  string
		NotRepl     bool // NOT FOR REPLICATION of the identity
		RowGuid     bool
		Sparse      bool
		Mask        string
		Computed    Expr
		Persisted   bool
		Generated   byte // 's' or 'e' for AS ROW START or END
		Hidden      bool
		Constraints []Constraint
		Pos         int
	}
	// Constraint is a constraint, of a column or of the table. Kind is PRIMARY,
	// UNIQUE, CHECK, FOREIGN or DEFAULT.
	Constraint struct {
		Kind       string
		Name       string
		Clustered  byte // 'y', 'n' or 0
		Hash       bool
		Columns    []IndexColumn
		X          Expr // of a check or default
		For        string
		WithValues bool
		Parent     []string
		ParentCols []string
		Delete     string
		Update     string
		NotRepl    bool
		Options    Options
		On         Space
		Pos        int
	}
	// IndexColumn is a column of a key.
	IndexColumn struct {
		Name string
		Desc bool
	}
	// Index is CREATE INDEX. Columnstore indexes have columns only where they are
	// not clustered.
	Index struct {
		Name        string
		On          []string
		Unique      bool
		Clustered   bool
		Columnstore bool
		Columns     []IndexColumn
		Include     []string
		Where       Expr
		Options     Options
		Group       Space
		Special     *Special // nil of all but those on XML or in space
		Hash        bool
		Pos         int
	}
	// Options are those in WITH (…), names in capitals.
	Options map[string]string
	// Module is a view, function, procedure or trigger. Kind is VIEW, FUNCTION,
	// PROCEDURE or TRIGGER; Verb is CREATE, ALTER or CREATE OR ALTER.
	Module struct {
		Kind, Verb string
		Name       []string
		On         []string // of a trigger
		Database   bool     // a trigger ON DATABASE
		Events     []string
		InsteadOf  bool
		Bound      bool // SCHEMABINDING
		Encrypted  bool
		Metadata   bool // VIEW_METADATA
		NativeComp bool
		ExecuteAs  string
		Columns    []string
		Params     []Param
		Returns    *TypeName    // of a scalar function
		Table      *CreateTable // of a multi-statement function
		Inline     bool
		Query      *Query // of a view or an inline function
		Check      bool   // WITH CHECK OPTION
		NullOnNull bool
		NamePos    int
		BodyPos    int // where the text behind AS begins
	}
	// Param is a parameter of a module.
	Param struct {
		Name     string
		Type     TypeName
		Default  Expr
		Output   bool
		ReadOnly bool
		Table    *CreateTable // of a variable that is a table
	}
	// CreateType is an alias type.
	CreateType struct {
		Name []string
		Base TypeName
		Null byte
	}
	// Sequence is CREATE and ALTER SEQUENCE.
	Sequence struct {
		Name    []string
		Alter   bool
		Type    *TypeName
		Start   string
		Step    string
		Min     string // "no" for NO MINVALUE
		Max     string
		Cycle   string // "yes", "no"
		Cache   string // a number, "yes" or "no"
		Restart string // "yes" where it is no number
	}
	// CreateSchema is CREATE SCHEMA.
	CreateSchema struct{ Name, Owner string }
	// Synonym is CREATE SYNONYM.
	CreateSynonym struct{ Name, For []string }
	// Drop is DROP of one kind; of an index, On is its table.
	Drop struct {
		Kind   string
		If     bool
		Names  [][]string
		On     [][]string
		OnBase bool // a trigger ON DATABASE
	}
	// AlterTable is ALTER TABLE with one of its actions.
	AlterTable struct {
		Name    []string
		Action  string // ADD, DROP, ALTER COLUMN, CHECK, NOCHECK, ENABLE TRIGGER, DISABLE TRIGGER, REBUILD, ADD ROWGUIDCOL …
		WithChk byte   // 'y', 'n' or 0
		Columns []Column
		Rest    []Constraint
		Indexes []Index
		Drops   []Dropped
		Column  *Column
		Flag    string // of ALTER COLUMN … ADD or DROP something
		Names   []string
		Options Options
		Period  []string // of ADD; not nil, and empty, of DROP
	}
	// Dropped is one thing that ALTER TABLE … DROP names.
	Dropped struct {
		Column bool
		Index  bool
		If     bool
		Name   string
	}
	// AlterIndex is ALTER INDEX: REBUILD, DISABLE, REORGANIZE or SET.
	AlterIndex struct {
		Name    string // "" for ALL
		On      []string
		Action  string
		Options Options
	}
	// AlterSchema is ALTER SCHEMA … TRANSFER.
	AlterSchema struct {
		Schema string
		Class  string
		Name   []string
	}
	// TriggerState is ENABLE and DISABLE TRIGGER.
	TriggerState struct {
		Enable   bool
		Name     []string
		On       []string
		Database bool
	}
)

// The statements that do things.
type (
	// Select is a query.
	SelectStmt struct{ Query *Query }
	// Insert is INSERT.
	Insert struct {
		Into    []string
		Hints   []string
		Columns []string
		Values  [][]Expr
		Query   *Query
		Default bool
		Exec    bool
		Output  bool
	}
	// Update is UPDATE.
	Update struct {
		Table  []string
		Hints  []string
		Top    Expr
		Sets   []Item // Alias is the column
		Output bool
		From   []From
		Where  Expr
		With   []CTE
	}
	// Delete is DELETE.
	Delete struct {
		Output bool
		Table  []string
		Hints  []string
		Top    Expr
		From   []From
		Where  Expr
		With   []CTE
	}
	// Truncate is TRUNCATE TABLE.
	Truncate struct{ Table []string }
	// Set is SET of an option, or of IDENTITY_INSERT for a table.
	Set struct {
		Option string // in capitals
		Value  string
		Table  []string
	}
	// Assign is SET @v = ….
	Assign struct {
		Var string
		Op  string
		X   Expr
	}
	// Declare is DECLARE of variables.
	Declare struct{ Vars []Param }
	// If is IF.
	If struct {
		Cond Expr
		Then Statement
		Else *Statement
	}
	// While is WHILE.
	While struct {
		Cond Expr
		Body Statement
	}
	// Block is BEGIN … END.
	Block struct{ List []Statement }
	// Try is BEGIN TRY … END TRY BEGIN CATCH … END CATCH.
	Try struct{ List, Catch []Statement }
	// Transaction is BEGIN, COMMIT, ROLLBACK and SAVE.
	Transaction struct{ Verb, Name string }
	// Exec is a call of a procedure; Text is EXEC (…).
	Exec struct {
		Proc   []string
		Args   []Arg
		Text   Expr
		At     string // another server
		Result string
	}
	// Merge is MERGE, which is not taken apart.
	Merge struct{}
	// Arg is one argument.
	Arg struct {
		Name   string
		X      Expr
		Output bool
	}
	// Raise is RAISERROR and THROW.
	Raise struct {
		Throw bool
		Args  []Expr
	}
	// Print is PRINT.
	PrintStmt struct{ X Expr }
	// Use is USE.
	Use struct{ Database string }
	// Checkident is DBCC CHECKIDENT.
	Checkident struct {
		Table  string
		Reseed *string
		No     bool
	}
	// Return, Break and Continue leave a batch or loop.
	Return struct {
		Word string
		X    Expr // of RETURN, where it has one
	}
	// Waitfor is WAITFOR DELAY.
	Waitfor struct{ Delay string }
	// Passed is what says nothing about the structure.
	Passed struct{ What string }
)
