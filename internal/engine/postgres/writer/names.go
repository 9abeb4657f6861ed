package writer

import (
	"dappermirror/internal/engine/postgres/convert"
	"dappermirror/internal/engine/postgres/ddl"
	"dappermirror/internal/engine/postgres/vocab"
)

// The words writing shares with reading, under their short names.
const (
	kindDomain        = vocab.Domain
	kindComposite     = vocab.Composite
	kindRange         = vocab.Range
	kindMatView       = vocab.MatView
	kindPolicy        = vocab.Policy
	kindRule          = vocab.Rule
	kindExclusion     = vocab.Exclusion
	kindPublication   = vocab.Publication
	kindDefaultRights = vocab.DefaultRights
)

var (
	quote     = vocab.Quote
	qualified = vocab.Qualified
	bareName  = vocab.BareName
	literal   = vocab.Literal
	splitName = vocab.SplitName
)

// What types are.
var (
	splitType = convert.SplitType
	userType  = convert.UserType
	isText    = convert.IsText
	number    = convert.Number
)

// How things are spelled.
var (
	columnSQL       = ddl.Column
	identitySQL     = ddl.Identity
	columnExtras    = ddl.ColumnExtras
	optionList      = ddl.OptionList
	partitionColumn = ddl.PartitionColumn
	typedColumn     = ddl.TypedColumn
	tableHead       = ddl.TableHead
	tableTail       = ddl.TableTail
	partOf          = ddl.PartOf
	alterPrefix     = ddl.AlterPrefix
	constraintSQL   = ddl.Constraint
	partComment     = ddl.PartComment
	enabled         = ddl.Enabled
	policySQL       = ddl.Policy
	policyBody      = ddl.PolicyBody
	commentText     = ddl.CommentText
	keyword         = ddl.Keyword
	sqlName         = ddl.Name
	isConstraint    = ddl.IsConstraint
	enumSQL         = ddl.Enum
	domainSQL       = ddl.Domain
	viewSQL         = ddl.View
	labels          = ddl.Labels
	objectExtras    = ddl.Extras
	partExtras      = ddl.PartExtras
	optionClauses   = ddl.OptionClauses
	changedGeneric  = ddl.ChangedGeneric
	renameSQL       = ddl.Rename
	deferClause     = ddl.DeferClause
	columnComment   = ddl.ColumnComment
)
