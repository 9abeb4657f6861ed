package writer

import "dappermirror/internal/engine/postgres/vocab"

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
	quote           = vocab.Quote
	qualified       = vocab.Qualified
	bareName        = vocab.BareName
	literal         = vocab.Literal
	splitName       = vocab.SplitName
	sequenceOptions = vocab.SequenceOptions
)
