// Package reader reads SQL Server's catalog views with a fixed number of queries,
// plain joins, whatever there is.
package reader

// The queries. Each names the columns that it wants, so that a view with more of them
// does no harm.
const (
	queryDatabase = `SELECT DB_NAME() AS name, CAST(DATABASEPROPERTYEX(DB_NAME(), N'Collation') AS nvarchar(128)) AS collation, CAST(SERVERPROPERTY(N'ProductVersion') AS nvarchar(128)) AS version,
  CAST(SERVERPROPERTY(N'EngineEdition') AS int) AS edition, HAS_PERMS_BY_NAME(DB_NAME(), N'DATABASE', N'VIEW DEFINITION') AS seen,
  (SELECT g.name FROM sys.filegroups AS g WHERE g.is_default = 1) AS filegroup`
	// queryMoved is what changes when anything is made, changed or dropped.
	queryMoved   = `SELECT COUNT_BIG(*) AS n, MAX(o.modify_date) AS last, SUM(CAST(o.object_id AS bigint)) AS ids FROM sys.objects AS o`
	querySchemas = `SELECT s.schema_id, s.name FROM sys.schemas AS s WHERE s.schema_id > 4 AND s.schema_id < 16384`
	queryTypes   = `SELECT t.user_type_id, s.name AS [schema], t.name, b.name AS base, t.max_length, t.precision, t.scale, t.is_nullable, t.is_table_type, tt.type_table_object_id, tt.is_memory_optimized
FROM sys.types AS t
JOIN sys.schemas AS s ON s.schema_id = t.schema_id
LEFT JOIN sys.types AS b ON b.user_type_id = t.system_type_id
LEFT JOIN sys.table_types AS tt ON tt.user_type_id = t.user_type_id
WHERE t.is_user_defined = 1`
	queryTables = `SELECT t.object_id, s.name AS [schema], t.name, t.lock_escalation_desc, t.temporal_type, t.is_memory_optimized, t.durability_desc, t.is_external, t.is_filetable, t.is_node, t.is_edge,
  t.history_table_id, t.history_retention_period AS retention, t.history_retention_period_unit_desc AS retention_unit, x.odd, l.name AS large
FROM sys.tables AS t
JOIN sys.schemas AS s ON s.schema_id = t.schema_id
LEFT JOIN (SELECT c.object_id, MIN(CASE WHEN c.is_filestream = 1 THEN N'files as values (FILESTREAM)' WHEN c.is_column_set = 1 THEN N'a column set' WHEN c.encryption_type IS NOT NULL THEN N'columns that are encrypted'
    WHEN c.xml_collection_id <> 0 THEN N'XML that keeps to a schema collection' ELSE N'columns of a ledger' END) AS odd
  FROM sys.columns AS c
  WHERE c.is_filestream = 1 OR c.is_column_set = 1 OR c.encryption_type IS NOT NULL OR c.xml_collection_id <> 0 OR c.generated_always_type > 2
  GROUP BY c.object_id) AS x ON x.object_id = t.object_id
LEFT JOIN sys.data_spaces AS l ON l.data_space_id = t.lob_data_space_id AND l.type = 'FG'
WHERE t.is_ms_shipped = 0`
	queryColumns = `SELECT c.object_id, c.column_id, c.name, ty.name AS type, ts.name AS type_schema, ty.is_user_defined, c.max_length, c.precision, c.scale, c.collation_name, c.is_nullable, c.is_rowguidcol, c.is_identity,
  CAST(ic.seed_value AS nvarchar(40)) AS seed, CAST(ic.increment_value AS nvarchar(40)) AS step, ic.is_not_for_replication, c.is_sparse, mc.masking_function, cc.definition AS formula, cc.is_persisted,
  dc.name AS default_name, dc.definition AS default_text, dc.is_system_named, dc.object_id AS default_id,
  c.generated_always_type, c.is_hidden
FROM sys.columns AS c
JOIN sys.objects AS o ON o.object_id = c.object_id
JOIN sys.types AS ty ON ty.user_type_id = c.user_type_id
JOIN sys.schemas AS ts ON ts.schema_id = ty.schema_id
LEFT JOIN sys.identity_columns AS ic ON ic.object_id = c.object_id AND ic.column_id = c.column_id
LEFT JOIN sys.computed_columns AS cc ON cc.object_id = c.object_id AND cc.column_id = c.column_id
LEFT JOIN sys.masked_columns AS mc ON mc.object_id = c.object_id AND mc.column_id = c.column_id
LEFT JOIN sys.default_constraints AS dc ON dc.object_id = c.default_object_id
WHERE o.is_ms_shipped = 0
ORDER BY c.object_id, c.column_id`
	queryTypeColumns = `SELECT c.object_id, c.column_id, c.name, ty.name AS type, ts.name AS type_schema, ty.is_user_defined, c.max_length, c.precision, c.scale, c.collation_name, c.is_nullable, c.is_rowguidcol, c.is_identity,
  CAST(ic.seed_value AS nvarchar(40)) AS seed, CAST(ic.increment_value AS nvarchar(40)) AS step, ic.is_not_for_replication, c.is_sparse, CAST(NULL AS nvarchar(1)) AS masking_function, cc.definition AS formula, cc.is_persisted,
  dc.name AS default_name, dc.definition AS default_text, dc.is_system_named, dc.object_id AS default_id
FROM sys.table_types AS t
JOIN sys.columns AS c ON c.object_id = t.type_table_object_id
JOIN sys.types AS ty ON ty.user_type_id = c.user_type_id
JOIN sys.schemas AS ts ON ts.schema_id = ty.schema_id
LEFT JOIN sys.identity_columns AS ic ON ic.object_id = c.object_id AND ic.column_id = c.column_id
LEFT JOIN sys.computed_columns AS cc ON cc.object_id = c.object_id AND cc.column_id = c.column_id
LEFT JOIN sys.default_constraints AS dc ON dc.object_id = c.default_object_id
ORDER BY c.object_id, c.column_id`
	queryIndexes = `SELECT i.object_id, i.index_id, i.name, i.type, i.is_unique, i.is_primary_key, i.is_unique_constraint, i.ignore_dup_key, i.fill_factor, i.is_padded, i.is_disabled, i.allow_row_locks, i.allow_page_locks,
  i.filter_definition, k.object_id AS key_id, k.is_system_named, p.data_compression_desc AS compression, st.no_recompute, d.type AS space, d.name AS space_name, d.is_default,
  h.bucket_count AS buckets, x.xml_index_type, x.secondary_type_desc AS xml_for, px.name AS xml_using, g.tessellation_scheme AS tessellation, g.cells_per_object AS cells, g.level_1_grid_desc AS grid1, g.level_2_grid_desc AS grid2,
  g.level_3_grid_desc AS grid3, g.level_4_grid_desc AS grid4, g.bounding_box_xmin AS xmin, g.bounding_box_ymin AS ymin, g.bounding_box_xmax AS xmax, g.bounding_box_ymax AS ymax
FROM sys.indexes AS i
LEFT JOIN sys.key_constraints AS k ON k.parent_object_id = i.object_id AND k.unique_index_id = i.index_id
LEFT JOIN sys.partitions AS p ON p.object_id = i.object_id AND p.index_id = i.index_id AND p.partition_number = 1
LEFT JOIN sys.stats AS st ON st.object_id = i.object_id AND st.stats_id = i.index_id
LEFT JOIN sys.data_spaces AS d ON d.data_space_id = i.data_space_id
LEFT JOIN sys.hash_indexes AS h ON h.object_id = i.object_id AND h.index_id = i.index_id
LEFT JOIN sys.xml_indexes AS x ON x.object_id = i.object_id AND x.index_id = i.index_id
LEFT JOIN sys.xml_indexes AS px ON px.object_id = x.object_id AND px.index_id = x.using_xml_index_id
LEFT JOIN sys.spatial_index_tessellations AS g ON g.object_id = i.object_id AND g.index_id = i.index_id
WHERE i.is_hypothetical = 0
ORDER BY i.object_id, i.index_id`
	queryIndexColumns = `SELECT ic.object_id, ic.index_id, ic.column_id, ic.key_ordinal, ic.is_descending_key, ic.is_included_column, ic.partition_ordinal
FROM sys.index_columns AS ic
ORDER BY ic.object_id, ic.index_id, ic.key_ordinal, ic.index_column_id`
	queryStatistics = `SELECT s.object_id, s.stats_id, s.name, s.no_recompute, s.filter_definition, c.column_id
FROM sys.stats AS s
JOIN sys.stats_columns AS c ON c.object_id = s.object_id AND c.stats_id = s.stats_id
WHERE s.user_created = 1
ORDER BY s.object_id, s.stats_id, c.stats_column_id`
	queryTextCatalogs = `SELECT c.fulltext_catalog_id, c.name, c.is_default, c.is_accent_sensitivity_on
FROM sys.fulltext_catalogs AS c`
	queryTextIndexes = `SELECT i.object_id, i.unique_index_id, i.fulltext_catalog_id, i.is_enabled, i.change_tracking_state_desc AS tracking, i.stoplist_id, c.column_id, c.type_column_id, c.language_id, c.statistical_semantics
FROM sys.fulltext_indexes AS i
LEFT JOIN sys.fulltext_index_columns AS c ON c.object_id = i.object_id
ORDER BY i.object_id, c.column_id`
	queryChecks = `SELECT k.object_id, k.parent_object_id, k.name, k.definition, k.is_disabled, k.is_not_trusted, k.is_not_for_replication, k.is_system_named
FROM sys.check_constraints AS k
ORDER BY k.parent_object_id, k.object_id`
	queryForeignKeys = `SELECT f.object_id, f.parent_object_id, f.name, f.referenced_object_id, f.key_index_id, f.is_disabled, f.is_not_trusted, f.is_not_for_replication, f.delete_referential_action_desc AS del,
  f.update_referential_action_desc AS upd, f.is_system_named
FROM sys.foreign_keys AS f
ORDER BY f.parent_object_id, f.object_id`
	queryForeignKeyColumns = `SELECT k.constraint_object_id, k.parent_object_id, k.parent_column_id, k.referenced_object_id, k.referenced_column_id
FROM sys.foreign_key_columns AS k
ORDER BY k.constraint_object_id, k.constraint_column_id`
	queryModules = `SELECT o.object_id, s.name AS [schema], o.name, o.type, o.parent_object_id, m.definition, m.uses_ansi_nulls, m.uses_quoted_identifier, m.is_schema_bound, m.uses_native_compilation, t.is_disabled, t.is_instead_of_trigger
FROM sys.objects AS o
JOIN sys.schemas AS s ON s.schema_id = o.schema_id
JOIN sys.sql_modules AS m ON m.object_id = o.object_id
LEFT JOIN sys.triggers AS t ON t.object_id = o.object_id
WHERE o.is_ms_shipped = 0 AND o.type IN ('V', 'P', 'FN', 'IF', 'TF', 'TR')`
	queryDatabaseTriggers = `SELECT t.object_id, t.name, t.is_disabled, m.definition, m.uses_ansi_nulls, m.uses_quoted_identifier
FROM sys.triggers AS t
JOIN sys.sql_modules AS m ON m.object_id = t.object_id
WHERE t.parent_class = 0 AND t.is_ms_shipped = 0`
	queryTriggerEvents = `SELECT e.object_id, e.type_desc, e.is_first, e.is_last
FROM sys.trigger_events AS e
WHERE e.is_first = 1 OR e.is_last = 1`
	querySequences = `SELECT q.object_id, s.name AS [schema], q.name, ty.name AS type, ts.name AS type_schema, ty.is_user_defined, q.precision, CAST(q.start_value AS nvarchar(40)) AS start, CAST(q.increment AS nvarchar(40)) AS step,
  CAST(q.minimum_value AS nvarchar(40)) AS least, CAST(q.maximum_value AS nvarchar(40)) AS most, q.is_cycling, q.is_cached, q.cache_size
FROM sys.sequences AS q
JOIN sys.schemas AS s ON s.schema_id = q.schema_id
JOIN sys.types AS ty ON ty.user_type_id = q.user_type_id
JOIN sys.schemas AS ts ON ts.schema_id = ty.schema_id`
	querySynonyms = `SELECT y.object_id, s.name AS [schema], y.name, y.base_object_name
FROM sys.synonyms AS y
JOIN sys.schemas AS s ON s.schema_id = y.schema_id`
	queryProperties = `SELECT p.class, p.major_id, p.minor_id, p.name, CAST(p.value AS nvarchar(4000)) AS value
FROM sys.extended_properties AS p
WHERE p.class IN (0, 1, 2, 3, 6, 7)`
	queryUses = `SELECT d.referencing_id, d.referencing_minor_id, d.referencing_class, d.is_schema_bound_reference, d.referenced_class, d.referenced_schema_name, d.referenced_entity_name, d.referenced_id, d.referenced_minor_id
FROM sys.sql_expression_dependencies AS d`
	queryPolicies = `SELECT p.object_id, s.name AS [schema], p.name, p.is_enabled, p.is_not_for_replication, p.is_schema_bound, d.target_object_id, d.predicate_definition AS text, d.predicate_type_desc AS type, d.operation_desc AS operation
FROM sys.security_policies AS p
JOIN sys.schemas AS s ON s.schema_id = p.schema_id
LEFT JOIN sys.security_predicates AS d ON d.object_id = p.object_id
ORDER BY p.object_id, d.security_predicate_id`
	queryPartitions = `SELECT f.function_id, f.name, f.boundary_value_on_right, ty.name AS type, ty.is_user_defined, ts.name AS type_schema, p.max_length, p.precision, p.scale, v.boundary_id,
  CASE WHEN ty.name IN (N'binary', N'varbinary') THEN CONVERT(nvarchar(4000), CONVERT(varbinary(4000), v.value), 1) ELSE CONVERT(nvarchar(4000), v.value, 121) END AS value
FROM sys.partition_functions AS f
JOIN sys.partition_parameters AS p ON p.function_id = f.function_id
JOIN sys.types AS ty ON ty.user_type_id = p.user_type_id
JOIN sys.schemas AS ts ON ts.schema_id = ty.schema_id
LEFT JOIN sys.partition_range_values AS v ON v.function_id = f.function_id
ORDER BY f.function_id, v.boundary_id`
	querySchemes = `SELECT s.data_space_id, s.name, s.function_id, x.destination_id, g.name AS filegroup, g.is_default
FROM sys.partition_schemes AS s
JOIN sys.destination_data_spaces AS x ON x.partition_scheme_id = s.data_space_id
JOIN sys.data_spaces AS g ON g.data_space_id = x.data_space_id
ORDER BY s.data_space_id, x.destination_id`
	// queryRoles tells of roles and who is in them; of those that every database has, where
	// somebody is.
	queryRoles = `SELECT r.principal_id, r.name, r.is_fixed_role, o.name AS owner, m.name AS member
FROM sys.database_principals AS r
LEFT JOIN sys.database_principals AS o ON o.principal_id = r.owning_principal_id
LEFT JOIN sys.database_role_members AS x ON x.role_principal_id = r.principal_id
LEFT JOIN sys.database_principals AS m ON m.principal_id = x.member_principal_id
WHERE r.type = 'R' AND r.principal_id <> 0`
	queryOwners = `SELECT 1 AS class, o.object_id AS id, p.name AS owner FROM sys.objects AS o JOIN sys.database_principals AS p ON p.principal_id = o.principal_id WHERE o.is_ms_shipped = 0
UNION ALL SELECT 3, s.schema_id, p.name FROM sys.schemas AS s JOIN sys.database_principals AS p ON p.principal_id = s.principal_id WHERE s.schema_id > 4 AND s.schema_id < 16384
UNION ALL SELECT 6, t.user_type_id, p.name FROM sys.types AS t JOIN sys.database_principals AS p ON p.principal_id = t.principal_id WHERE t.is_user_defined = 1`
	queryRights = `SELECT d.class, d.class_desc, d.major_id, d.minor_id, d.permission_name, d.state, p.name AS grantee
FROM sys.database_permissions AS d
JOIN sys.database_principals AS p ON p.principal_id = d.grantee_principal_id
WHERE d.major_id >= 0`
	// queryUnread counts what there is that is not read.
	queryUnread = `SELECT N'assembly' AS what, COUNT_BIG(*) AS n FROM sys.assemblies AS a WHERE a.is_user_defined = 1
UNION ALL SELECT N'service queue', COUNT_BIG(*) FROM sys.service_queues AS q WHERE q.is_ms_shipped = 0
UNION ALL SELECT N'XML schema collection', COUNT_BIG(*) FROM sys.xml_schema_collections AS x WHERE x.schema_id <> 4
UNION ALL SELECT N'full-text stoplist', COUNT_BIG(*) FROM sys.fulltext_stoplists AS s
UNION ALL SELECT N'CLR module', COUNT_BIG(*) FROM sys.objects AS o WHERE o.type IN ('AF', 'PC', 'FS', 'FT', 'TA')
UNION ALL SELECT N'rule', COUNT_BIG(*) FROM sys.objects AS o WHERE o.type = 'R'
UNION ALL SELECT N'default object', COUNT_BIG(*) FROM sys.objects AS o WHERE o.type = 'D' AND o.parent_object_id = 0
UNION ALL SELECT N'certificate', COUNT_BIG(*) FROM sys.certificates AS c
UNION ALL SELECT N'symmetric key', COUNT_BIG(*) FROM sys.symmetric_keys AS k
UNION ALL SELECT N'asymmetric key', COUNT_BIG(*) FROM sys.asymmetric_keys AS k
UNION ALL SELECT N'plan guide', COUNT_BIG(*) FROM sys.plan_guides AS g
UNION ALL SELECT N'event notification', COUNT_BIG(*) FROM sys.event_notifications AS n
UNION ALL SELECT N'external data source', COUNT_BIG(*) FROM sys.external_data_sources AS x`
)

// Queries is how many queries a reading makes, in how many batches; a reading that
// finds everything in its place makes no other.
const Queries, Batches = 30, 3
