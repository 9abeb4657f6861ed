package model

import (
	"maps"
	"slices"
	"strings"

	"dappermirror/internal/standin/tsql"
)

// view is a view of the catalog: its columns as the server documents them, and its
// rows.
type sysView struct {
	columns string
	rows    func(x *session, add func(...any))
}

func bit(b bool) int64 {
	if b {
		return 1
	}
	return 0
}

func orNull(s string) any {
	if s == "" {
		return nil
	}
	return s
}

// system is what a view of the catalog shows. Only the columns that the server
// documents are there; one that is not is error 207, as there.
func (x *session) system(f *tsql.From) *relation {
	name := strings.ToLower(f.Name[len(f.Name)-1])
	space := "sys"
	if len(f.Name) > 1 {
		space = strings.ToLower(f.Name[len(f.Name)-2])
	}
	v, ok := sysViews[name]
	switch {
	case space == "information_schema":
		v, ok = standardViews[name]
	case compatible[name]:
		v, ok = oldViews[name]
	}
	if !ok {
		panic(fail(208, "Invalid object name '%s'.", strings.Join(f.Name, ".")))
	}
	x.sysRead = true
	if !strings.HasPrefix(name, "dm_") && !slices.Contains(f.Hints, "NOLOCK") {
		x.catalogLock()
	}
	r := &relation{}
	for _, c := range strings.Fields(v.columns) { // # marks numbers, ~ those with a point
		n := strings.TrimRight(c, "#~")
		r.cols = append(r.cols, relCol{name: n, whole: strings.HasSuffix(c, "#"), typ: systemByNameType(map[string]string{"#": "int", "~": "float", "": "sysname"}[c[len(n):]])})
	}
	if v.rows == nil {
		return r
	}
	v.rows(x, func(vals ...any) {
		if len(vals) != len(r.cols) {
			panic(fail(unknown, "The stand-in gives %d values for sys.%s.", len(vals), name))
		}
		r.rows = append(r.rows, vals)
	})
	return r
}

const indexColumns = "object_id# name index_id# type# type_desc is_unique# data_space_id# ignore_dup_key# is_primary_key# is_unique_constraint# fill_factor# is_padded# is_disabled# is_hypothetical# allow_row_locks# allow_page_locks# has_filter# filter_definition compression_delay# optimize_for_sequential_key#"

const objectColumns = "name object_id# principal_id# schema_id# parent_object_id# type type_desc create_date modify_date is_ms_shipped# is_published# is_schema_published#"

func (o *object) base() []any {
	typ := o.typ
	for len(typ) < 2 {
		typ += " "
	}
	var owner any
	if o.owner > 0 {
		owner = int64(o.owner)
	}
	return []any{o.name, o.id, owner, int64(o.schema.id), o.parent, typ, typeDesc[o.typ], moment{o.created, "datetime", 3}, moment{o.modified, "datetime", 3}, int64(0), int64(0), int64(0)}
}

// objectsOf shows the objects of some types, each with columns more.
func objectsOf(more func(x *session, o *object) []any, types ...string) func(*session, func(...any)) {
	return func(x *session, add func(...any)) {
		for _, o := range x.d.list(types...) {
			row := o.base()
			if more != nil {
				row = append(row, more(x, o)...)
			}
			add(row...)
		}
	}
}

// sysViews are the views of the catalog, by name. They are filled in init, as some of
// them ask others.
var sysViews = map[string]sysView{}

func init() {
	maps.Copy(sysViews, map[string]sysView{
		"databases": {"name database_id# create_date collation_name compatibility_level# is_read_only# state# recovery_model# snapshot_isolation_state# is_read_committed_snapshot_on#", func(x *session, add func(...any)) {
			for _, d := range x.s.dbs {
				add(d.name, int64(d.id), moment{d.created, "datetime", 3}, d.collation, int64(160), int64(0), int64(0), int64(3), int64(0), int64(0))
			}
		}},
		"schemas": {"name schema_id# principal_id#", func(x *session, add func(...any)) {
			for _, s := range x.d.schemas {
				add(s.name, int64(s.id), int64(s.owner))
			}
		}},
		"database_principals":   {"name principal_id# type type_desc default_schema_name create_date modify_date owning_principal_id# sid is_fixed_role#", showPrincipals},
		"database_permissions":  {"class# class_desc major_id# minor_id# grantee_principal_id# grantor_principal_id# type permission_name state state_desc", showRights},
		"database_role_members": {"role_principal_id# member_principal_id#", showMembers},
		"objects":               {objectColumns, objectsOf(nil, "U", "V", "P", "FN", "IF", "TF", "TR", "SO", "SN", "PK", "UQ", "C", "F", "D", "SP")},
		"all_objects":           {objectColumns, objectsOf(nil, "U", "V", "P", "FN", "IF", "TF", "TR", "SO", "SN", "PK", "UQ", "C", "F", "D", "SP")},
		"procedures":            {objectColumns + " is_auto_executed# is_execution_replicated# is_repl_serializable_only# skips_repl_constraints#", objectsOf(func(*session, *object) []any { return []any{int64(0), int64(0), int64(0), int64(0)} }, "P")},
		"tables": {objectColumns + " lob_data_space_id# filestream_data_space_id# max_column_id_used# lock_on_bulk_load# uses_ansi_nulls# is_replicated# text_in_row_limit# large_value_types_out_of_row# is_tracked_by_cdc# lock_escalation# lock_escalation_desc is_filetable# is_memory_optimized# durability# durability_desc temporal_type# temporal_type_desc history_table_id# is_external# is_node# is_edge# history_retention_period# history_retention_period_unit# history_retention_period_unit_desc",
			objectsOf(func(_ *session, o *object) []any {
				kind, history := int64(0), any(nil)
				var retention, unit, word any
				switch {
				case o.history != 0:
					kind, history = 2, o.history
					retention, unit, word = retentionOf(o)
				case o.historyOf != 0:
					kind = 1
				}
				return []any{int64(o.large), nil, int64(o.nextCol), int64(0), int64(1), int64(0), int64(0), int64(0), int64(0), map[string]int64{"TABLE": 0, "DISABLE": 1, "AUTO": 2}[o.escalation], o.escalation, int64(0), bit(o.memory != ""), bit(o.memory == "SCHEMA_ONLY"), durable(o), kind, map[int64]string{0: "NON_TEMPORAL_TABLE", 1: "HISTORY_TABLE", 2: "SYSTEM_VERSIONED_TEMPORAL_TABLE"}[kind], history, int64(0), int64(0), int64(0), retention, unit, word}
			}, "U")},
		"periods": {"name period_type# period_type_desc object_id# start_column_id# end_column_id#", showPeriods},
		"views": {objectColumns + " is_replicated# has_replication_filter# has_opaque_metadata# has_unchecked_assembly_data# with_check_option# is_date_correlation_view#",
			objectsOf(func(_ *session, o *object) []any {
				return []any{int64(0), int64(0), bit(o.module.ast.Metadata), int64(0), bit(o.module.ast.Check), int64(0)}
			}, "V")},
		"columns":     {sysColumns, func(x *session, add func(...any)) { showColumns(x, add, "U", "V", "TF", "IF", "TT") }},
		"all_columns": {sysColumns, func(x *session, add func(...any)) { showColumns(x, add, "U", "V", "TF", "IF", "TT") }},
		"types":       {"name system_type_id# user_type_id# schema_id# principal_id# max_length# precision# scale# collation_name is_nullable# is_user_defined# is_assembly_type# default_object_id# rule_object_id# is_table_type#", showTypes},
		"table_types": {"name system_type_id# user_type_id# schema_id# is_user_defined# is_table_type# type_table_object_id# is_memory_optimized#", func(x *session, add func(...any)) {
			for _, o := range x.d.list("TT") {
				add(o.name, int64(243), int64(o.userType), int64(o.schema.id), int64(1), int64(1), o.id, bit(o.memory != ""))
			}
		}},
	})
}

func init() {
	maps.Copy(sysViews, map[string]sysView{
		"identity_columns": {"object_id# name column_id# seed_value increment_value last_value is_not_for_replication#", func(x *session, add func(...any)) {
			for _, o := range x.d.list("U", "TT") {
				if c := o.identityColumn(); c != nil {
					var last any
					if o.identityUsed {
						last = o.identity
					}
					add(o.id, c.name, int64(c.id), c.seed, c.step, last, bit(c.notRepl))
				}
			}
		}},
		"computed_columns": {"object_id# name column_id# definition is_persisted# uses_database_collation#", func(x *session, add func(...any)) {
			for _, o := range x.d.list("U", "TT") {
				for _, c := range o.cols {
					if c.computed != nil {
						add(o.id, c.name, int64(c.id), c.formula, bit(c.persisted), int64(0))
					}
				}
			}
		}},
		"masked_columns": {"object_id# name column_id# is_masked# masking_function", func(x *session, add func(...any)) {
			for _, o := range x.d.list("U") {
				for _, c := range o.cols {
					if c.mask != "" {
						add(o.id, c.name, int64(c.id), int64(1), c.mask)
					}
				}
			}
		}},
		"default_constraints": {objectColumns + " parent_column_id# definition is_system_named#", objectsOf(func(_ *session, o *object) []any {
			return []any{int64(o.con.col), o.con.definition, bit(o.systemNamed)}
		}, "D")},
		"check_constraints": {objectColumns + " is_disabled# is_not_for_replication# is_not_trusted# parent_column_id# definition uses_database_collation# is_system_named#", objectsOf(func(_ *session, o *object) []any {
			return []any{bit(o.con.disabled), bit(o.con.notRepl), bit(o.con.untested), int64(o.con.col), o.con.definition, int64(0), bit(o.systemNamed)}
		}, "C")},
		"key_constraints": {objectColumns + " unique_index_id# is_system_named# is_enforced#", objectsOf(func(_ *session, o *object) []any {
			return []any{int64(o.con.index), bit(o.systemNamed), int64(1)}
		}, "PK", "UQ")},
		"foreign_keys": {objectColumns + " referenced_object_id# key_index_id# is_disabled# is_not_for_replication# is_not_trusted# delete_referential_action# delete_referential_action_desc update_referential_action# update_referential_action_desc is_system_named#", objectsOf(func(_ *session, o *object) []any {
			return []any{o.con.parent, int64(o.con.key), bit(o.con.disabled), bit(o.con.notRepl), bit(o.con.untested), actionCode[o.con.del], actionWord(o.con.del), actionCode[o.con.upd], actionWord(o.con.upd), bit(o.systemNamed)}
		}, "F")},
		"foreign_key_columns": {"constraint_object_id# constraint_column_id# parent_object_id# parent_column_id# referenced_object_id# referenced_column_id#", func(x *session, add func(...any)) {
			for _, o := range x.d.list("F") {
				for i := range o.con.cols {
					add(o.id, int64(i+1), o.parent, int64(o.con.cols[i]), o.con.parent, int64(o.con.refs[i]))
				}
			}
		}},
	})
}

func init() {
	maps.Copy(sysViews, map[string]sysView{
		"indexes":                     {indexColumns, showIndexes},
		"hash_indexes":                {indexColumns + " bucket_count#", showHashIndexes},
		"xml_indexes":                 {indexColumns + " using_xml_index_id# secondary_type secondary_type_desc xml_index_type# xml_index_type_description path_id#", showXMLIndexes},
		"spatial_index_tessellations": {"object_id# index_id# tessellation_scheme bounding_box_xmin~ bounding_box_ymin~ bounding_box_xmax~ bounding_box_ymax~ level_1_grid# level_1_grid_desc level_2_grid# level_2_grid_desc level_3_grid# level_3_grid_desc level_4_grid# level_4_grid_desc cells_per_object#", showTessellations},
		"index_columns":               {"object_id# index_id# index_column_id# column_id# key_ordinal# partition_ordinal# is_descending_key# is_included_column#", showIndexColumns},
		"stats":                       {"object_id# name stats_id# auto_created# user_created# no_recompute# has_filter# filter_definition is_temporary# is_incremental#", showStatistics},
		"stats_columns":               {"object_id# stats_id# stats_column_id# column_id#", showStatisticsColumns},
		"partitions": {"partition_id# object_id# index_id# partition_number# hobt_id# rows# filestream_filegroup_id# data_compression# data_compression_desc", func(x *session, add func(...any)) {
			for _, o := range x.d.list("U", "V", "TT") {
				for _, i := range o.indexes {
					if i.special != nil { // its rows are those of a table within
						continue
					}
					word := i.compression
					if word == "" {
						word = "NONE"
					}
					code := map[string]int64{"NONE": 0, "ROW": 1, "PAGE": 2, "COLUMNSTORE": 3, "COLUMNSTORE_ARCHIVE": 4}
					if i.columnstore && word == "NONE" {
						word = "COLUMNSTORE"
					}
					for n, rows := range x.partitionsOf(o, i) {
						add(o.id<<8|int64(i.id), o.id, int64(i.id), int64(n+1), o.id<<8|int64(i.id), rows, int64(0), code[word], word)
					}
				}
			}
		}},
		"filegroups":  {"name data_space_id# type type_desc is_default# is_system# is_read_only#", showFilegroups},
		"data_spaces": {"name data_space_id# type type_desc is_default# is_system#", showDataSpaces},
		"sql_modules": {"object_id# definition uses_ansi_nulls# uses_quoted_identifier# is_schema_bound# uses_database_collation# is_recompiled# null_on_null_input# execute_as_principal_id# uses_native_compilation#", func(x *session, add func(...any)) {
			for _, o := range x.d.list("V", "P", "FN", "IF", "TF", "TR", "DT") {
				m := o.module
				add(o.id, m.text, bit(m.ansiNulls), bit(m.quoted), bit(m.ast.Bound), int64(0), int64(0), bit(m.ast.NullOnNull), nil, bit(m.ast.NativeComp))
			}
		}},
		"triggers": {"name object_id# parent_class# parent_class_desc parent_id# type type_desc create_date modify_date is_ms_shipped# is_disabled# is_not_for_replication# is_instead_of_trigger#", func(x *session, add func(...any)) {
			for _, o := range x.d.list("DT") {
				add(o.name, o.id, int64(0), "DATABASE", int64(0), "TR", "SQL_TRIGGER", moment{o.created, "datetime", 3}, moment{o.modified, "datetime", 3}, int64(0), bit(o.trig.disabled), int64(0), int64(0))
			}
			for _, o := range x.d.list("TR") {
				add(o.name, o.id, int64(1), "OBJECT_OR_COLUMN", o.parent, "TR", "SQL_TRIGGER", moment{o.created, "datetime", 3}, moment{o.modified, "datetime", 3}, int64(0), bit(o.trig.disabled), int64(0), bit(o.module.ast.InsteadOf))
			}
		}},
		"trigger_events": {"object_id# type# type_desc is_first# is_last# event_group_type# event_group_type_desc is_trigger_event#", func(x *session, add func(...any)) {
			for _, o := range x.d.list("TR") {
				for _, e := range o.module.ast.Events {
					add(o.id, map[string]int64{"INSERT": 1, "UPDATE": 2, "DELETE": 3}[e], e, bit(o.trig.first[e]), bit(o.trig.last[e]), nil, nil, int64(1))
				}
			}
			for _, o := range x.d.list("DT") {
				for n, e := range eventsOf(o.module.ast) {
					add(o.id, int64(20+n), e, bit(o.trig.first[e]), bit(o.trig.last[e]), nil, nil, int64(0))
				}
			}
		}},
	})
}

func init() {
	maps.Copy(sysViews, map[string]sysView{
		"parameters": {"object_id# name parameter_id# system_type_id# user_type_id# max_length# precision# scale# is_output# has_default_value# is_readonly#", func(x *session, add func(...any)) {
			for _, o := range x.d.list("P", "FN", "IF", "TF") {
				for i, p := range o.module.ast.Params {
					t := x.d.typeOf(p.Type, "")
					sys, length, prec, scale := int64(243), int64(-1), int64(0), int64(0)
					if t.system != nil {
						sys, length, prec, scale = int64(t.system.system), int64(t.length), int64(t.precision), int64(t.scale)
					}
					add(o.id, p.Name, int64(i+1), sys, int64(t.userID()), length, prec, scale, bit(p.Output), bit(p.Default != nil), bit(p.ReadOnly))
				}
			}
		}},
		"sequences": {objectColumns + " start_value increment minimum_value maximum_value is_cycling# is_cached# cache_size# system_type_id# user_type_id# precision# scale# current_value is_exhausted#", objectsOf(func(_ *session, o *object) []any {
			q := o.seq
			at := q.start
			if q.used {
				at = q.current
			}
			var size any
			if q.cache > 0 {
				size = int64(q.cache)
			}
			return []any{q.start, q.step, q.min, q.max, bit(q.cycle), bit(q.cache != 0), size, int64(q.dataType.system.system), int64(q.dataType.userID()), int64(q.precision), int64(q.scale), at, int64(0)}
		}, "SO")},
		"synonyms": {objectColumns + " base_object_name", objectsOf(func(_ *session, o *object) []any { return []any{o.syn} }, "SN")},
		"extended_properties": {"class# class_desc major_id# minor_id# name value", func(x *session, add func(...any)) {
			words := map[int]string{0: "DATABASE", 1: "OBJECT_OR_COLUMN", 2: "PARAMETER", 3: "SCHEMA", 6: "TYPE", 7: "INDEX"}
			for k, v := range x.d.props {
				add(int64(k.class), words[k.class], k.major, k.minor, k.name, v)
			}
		}},
		"sql_expression_dependencies": {"referencing_id# referencing_minor_id# referencing_class# referencing_class_desc is_schema_bound_reference# referenced_class# referenced_class_desc referenced_server_name referenced_database_name referenced_schema_name referenced_entity_name referenced_id# referenced_minor_id# is_caller_dependent# is_ambiguous#", showUses},
		"security_policies": {objectColumns + " is_enabled# is_not_for_replication# uses_database_collation# is_schema_bound#", objectsOf(func(_ *session, o *object) []any {
			return []any{bit(o.policy.enabled), bit(o.policy.notRepl), int64(0), bit(o.policy.bound)}
		}, "SP")},
		"security_predicates":     {"object_id# security_predicate_id# target_object_id# predicate_definition predicate_type# predicate_type_desc operation# operation_desc", showPredicates},
		"partition_functions":     {"name function_id# type type_desc fanout# boundary_value_on_right# is_system#", showPartFunctions},
		"partition_parameters":    {"function_id# parameter_id# system_type_id# user_type_id# max_length# precision# scale# collation_name", showPartParameters},
		"partition_range_values":  {"function_id# boundary_id# parameter_id# value", showPartValues},
		"partition_schemes":       {"name data_space_id# type type_desc is_default# is_system# function_id#", showPartSchemes},
		"destination_data_spaces": {"partition_scheme_id# destination_id# data_space_id#", showDestinations},
	})
}

func init() {
	maps.Copy(sysViews, map[string]sysView{
		"assemblies":             {"name principal_id# assembly_id# clr_name permission_set# permission_set_desc is_visible# create_date modify_date is_user_defined#", nil},
		"service_queues":         {objectColumns, nil},
		"certificates":           {"name certificate_id# principal_id# subject start_date expiry_date", nil},
		"symmetric_keys":         {"name symmetric_key_id# principal_id# key_length# key_algorithm", nil},
		"asymmetric_keys":        {"name asymmetric_key_id# principal_id# key_length# algorithm", nil},
		"plan_guides":            {"plan_guide_id# name is_disabled# scope_type#", nil},
		"event_notifications":    {"name object_id# parent_class# parent_id#", nil},
		"external_data_sources":  {"data_source_id# name location type_desc", nil},
		"xml_schema_collections": {"xml_collection_id# schema_id# principal_id# name create_date modify_date", func(_ *session, add func(...any)) { add(int64(1), int64(4), nil, "sys", nil, nil) }},
		"fulltext_catalogs":      {"fulltext_catalog_id# name path is_default# is_accent_sensitivity_on# data_space_id# file_id# principal_id# is_importing#", showTextCatalogs},
		"fulltext_indexes":       {"object_id# unique_index_id# fulltext_catalog_id# is_enabled# change_tracking_state change_tracking_state_desc stoplist_id#", showTextIndexes},
		"fulltext_stoplists":     {"stoplist_id# name create_date modify_date principal_id#", nil},
		"fulltext_index_columns": {"object_id# column_id# type_column_id# language_id# statistical_semantics#", showTextColumns},
		"dm_db_partition_stats": {"partition_id# object_id# index_id# partition_number# used_page_count# row_count#", func(x *session, add func(...any)) {
			for _, o := range x.d.list("U", "V") {
				for _, i := range o.indexes {
					if i.special != nil {
						continue
					}
					for n, rows := range x.partitionsOf(o, i) {
						add(o.id<<8|int64(i.id), o.id, int64(i.id), int64(n+1), rows/50+1, rows)
					}
				}
			}
		}},
		"dm_exec_sessions": {"session_id# login_time host_name program_name login_name status", func(x *session, add func(...any)) {
			for _, s := range x.s.sessions {
				add(s.id, nil, orNull(s.who.Host), s.who.App, s.who.User, "running")
			}
		}},
		"dm_tran_locks": {"resource_type resource_database_id# resource_associated_entity_id# resource_description request_mode request_status request_session_id#", func(x *session, add func(...any)) {
			for _, s := range x.s.sessions {
				for k, m := range s.locks {
					if k.name != "" {
						add("APPLICATION", int64(s.d.id), int64(0), k.name, "X", "GRANT", s.id)
					} else {
						add("OBJECT", int64(k.d.id), k.id, "", lockWords[m], "GRANT", s.id)
					}
				}
				if s.waiting != nil && s.waiting.name == "" {
					add("OBJECT", int64(s.waiting.d.id), s.waiting.id, "", lockWords[s.wants], "WAIT", s.id)
				}
			}
		}},
	})
}

var actionCode = map[string]int64{"": 0, "CASCADE": 1, "SET NULL": 2, "SET DEFAULT": 3}

func actionWord(s string) string {
	if s == "" {
		return "NO_ACTION"
	}
	return strings.ReplaceAll(s, " ", "_")
}

const sysColumns = "object_id# name column_id# system_type_id# user_type_id# max_length# precision# scale# collation_name is_nullable# is_ansi_padded# is_rowguidcol# is_identity# is_computed# is_filestream# is_replicated# is_sparse# is_column_set# generated_always_type# is_hidden# is_masked# default_object_id# rule_object_id# encryption_type# xml_collection_id# is_xml_document#"

func showColumns(x *session, add func(...any), types ...string) {
	for _, o := range x.d.list(types...) {
		for _, c := range o.cols {
			add(o.id, c.name, int64(c.id), int64(c.dataType.system.system), int64(c.userID()), int64(c.length), int64(c.precision), int64(c.scale), orNull(c.collation), bit(c.nullable), int64(1), bit(c.rowGuid), bit(c.identity), bit(c.computed != nil), int64(0), int64(0),
				bit(c.sparse), int64(0), always(o, c), bit(c.hidden), bit(c.mask != ""), c.defaultID, int64(0), nil, int64(0), int64(0))
		}
	}
}

func showTypes(x *session, add func(...any)) {
	for _, t := range systemTypes {
		var collation any
		if t.class == 'c' || t.class == 'n' {
			collation = x.d.collation
		}
		add(t.name, int64(t.system), int64(t.user), int64(4), nil, int64(t.length), int64(t.precision), int64(t.scale), collation, int64(1), int64(0), int64(0), int64(0), int64(0), int64(0))
	}
	for _, t := range x.d.types {
		var collation any
		if t.class == 'c' || t.class == 'n' {
			collation = x.d.collation
		}
		var owner any
		if t.owner > 0 {
			owner = int64(t.owner)
		}
		add(t.name, int64(t.system.system), int64(t.id), int64(x.d.schema(t.schema).id), owner, int64(t.length), int64(t.precision), int64(t.scale), collation, bit(t.null), int64(1), int64(0), int64(0), int64(0), int64(0))
	}
	for _, o := range x.d.list("TT") {
		var owner any
		if o.owner > 0 {
			owner = int64(o.owner)
		}
		add(o.name, int64(243), int64(o.userType), int64(o.schema.id), owner, int64(-1), int64(0), int64(0), nil, int64(0), int64(1), int64(0), int64(0), int64(0), int64(1))
	}
}

func showIndexes(x *session, add func(...any)) {
	for _, o := range x.d.list("U", "V", "TT") {
		for _, i := range o.indexes {
			add(indexRow(o, i)...)
		}
	}
}

// indexRow is an index as sys.indexes shows it.
func indexRow(o *object, i *index) []any {
	code, word := int64(2), "NONCLUSTERED"
	switch {
	case i.special != nil && i.special.kind == "SPATIAL":
		code, word = 4, "SPATIAL"
	case i.special != nil:
		code, word = 3, "XML"
	case i.id == 0:
		code, word = 0, "HEAP"
	case i.hash:
		code, word = 7, "NONCLUSTERED HASH"
	case i.columnstore && i.id == 1:
		code, word = 5, "CLUSTERED COLUMNSTORE"
	case i.columnstore:
		code, word = 6, "NONCLUSTERED COLUMNSTORE"
	case i.id == 1:
		code, word = 1, "CLUSTERED"
	}
	fill := int64(0)
	if f := i.options["FILLFACTOR"]; f != "" && f != "100" {
		fill = number64(f)
	}
	return []any{o.id, orNull(i.name), int64(i.id), code, word, bit(i.unique), spaceOf(i), bit(i.options["IGNORE_DUP_KEY"] == "ON"), bit(i.primary), bit(i.key), fill, bit(i.options["PAD_INDEX"] == "ON"), bit(i.disabled), int64(0),
		bit(i.options["ALLOW_ROW_LOCKS"] != "OFF"), bit(i.options["ALLOW_PAGE_LOCKS"] != "OFF"), bit(i.filter != ""), orNull(i.filter), nil, bit(i.options["OPTIMIZE_FOR_SEQUENTIAL_KEY"] == "ON")}
}

func showIndexColumns(x *session, add func(...any)) {
	for _, o := range x.d.list("U", "V", "TT") {
		for _, i := range o.indexes {
			ordinal := int64(0)
			for n, c := range i.cols {
				at := int64(0)
				if !c.included && !i.columnstore {
					ordinal++
					at = ordinal
				}
				add(o.id, int64(i.id), int64(n+1), int64(c.col), at, bit(c.col == i.partCol), bit(c.desc), bit(c.included || i.columnstore))
			}
			if i.partCol != 0 && !slices.ContainsFunc(i.cols, func(c indexCol) bool { return c.col == i.partCol }) {
				add(o.id, int64(i.id), int64(len(i.cols)+1), int64(i.partCol), int64(0), int64(1), int64(0), int64(0))
			}
		}
	}
}

func showUses(x *session, add func(...any)) {
	row := func(from, minor int64, class int64, u use) {
		if u.typ {
			add(from, minor, class, "OBJECT_OR_COLUMN", int64(1), int64(6), "TYPE", nil, nil, nil, u.name, u.id, int64(0), int64(0), int64(0))
			return
		}
		var id any
		schema, name := any(nil), u.name
		if o := x.d.objects[u.id]; o != nil {
			id, schema, name = o.id, o.schema.name, o.name
		} else if i := strings.LastIndexByte(u.name, '.'); i >= 0 {
			schema, name = u.name[:i], u.name[i+1:]
		}
		add(from, minor, class, "OBJECT_OR_COLUMN", bit(u.bound), int64(1), "OBJECT_OR_COLUMN", nil, nil, schema, name, id, int64(u.col), int64(0), int64(0))
	}
	for _, o := range x.d.list("V", "P", "FN", "IF", "TF", "TR", "C", "D") {
		for _, u := range x.uses(o) {
			row(o.id, 0, 1, u)
		}
	}
	for _, o := range x.d.list("U") {
		for _, c := range o.cols {
			if c.computed == nil {
				continue
			}
			for _, d := range x.used(o, c.computed) {
				row(o.id, int64(c.id), 1, use{id: o.id, col: d.id, bound: true})
			}
			for _, f := range callsOf(c.computed) {
				if fn := x.d.find(f, "FN"); fn != nil {
					row(o.id, int64(c.id), 1, use{id: fn.id, name: fn.name, bound: true})
				}
			}
		}
		for _, i := range o.indexes {
			if i.where != nil {
				for _, d := range x.used(o, i.where) {
					row(o.id, int64(i.id), 7, use{id: o.id, col: d.id, bound: true})
				}
			}
		}
	}
}
