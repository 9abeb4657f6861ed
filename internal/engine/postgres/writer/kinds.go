package writer

import (
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/vocab"
)

// Kinds says of each kind how it is written.
func Kinds() []engine.KindNote {
	const whole = "dropped and made anew when its definition changes"
	out := []engine.KindNote{
		{Kind: catalog.Schema, Note: "with owner, grants and default privileges"},
		{Kind: catalog.Table, Note: "ordinary, unlogged, partitioned, inheriting, of a type; recast with its rows when its partitioning changes"},
		{Kind: catalog.Column, Note: "type, collation, NOT NULL and its name (18), default, identity, generated, storage, compression, statistics target, options"},
		{Kind: catalog.PrimaryKey, Note: "also over time (18)"}, {Kind: catalog.Unique, Note: "NULLS NOT DISTINCT, deferrable"}, {Kind: catalog.Check, Note: "NO INHERIT, NOT VALID, NOT ENFORCED (18)"},
		{Kind: catalog.ForeignKey, Note: "all actions, deferrable, NOT VALID; SET NULL of some columns"}, {Kind: vocab.Exclusion},
		{Kind: catalog.Index, Note: "every method; one that is not valid is made anew"}, {Kind: catalog.Trigger, Note: "with its enabled state"},
		{Kind: vocab.Policy, Note: "with row security of the table"}, {Kind: vocab.Rule},
		{Kind: catalog.View, Note: "replaced in place where its columns allow it"}, {Kind: vocab.MatView, Note: "with its indexes; filled again when made anew"},
		{Kind: catalog.Routine, Note: "functions, procedures, window functions; replaced in place where the signature allows it"},
		{Kind: catalog.Sequence, Note: "the counter is no structure"}, {Kind: catalog.Enum, Note: "values added in place; else a new type and a cast"},
		{Kind: vocab.Domain}, {Kind: vocab.Composite, Note: "attributes changed in place"}, {Kind: vocab.Range, Note: whole}, {Kind: vocab.BaseType, Note: "made through its shell; " + whole},
		{Kind: vocab.Extension, Note: "version and schema; its members are not objects of their own"},
		{Kind: vocab.ForeignTable, Note: "with options of table and columns"}, {Kind: vocab.Wrapper, Note: "changed in place"}, {Kind: vocab.ForeignServer, Note: "changed in place"},
		{Kind: vocab.UserMapping, Note: "without secrets"}, {Kind: vocab.Publication, Note: "changed in place"}, {Kind: vocab.Subscription, Note: "names and options; not where it connects to"},
		{Kind: vocab.DefaultRights, Note: "with --include grants"},
	}
	for _, k := range vocab.SimpleKinds {
		if k.Kind != vocab.Extension {
			out = append(out, engine.KindNote{Kind: k.Kind, Note: whole})
		}
	}
	return out
}
