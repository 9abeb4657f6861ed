package sqlserver

import (
	"context"
	"fmt"
	"strings"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// Claim implements engine.Claimer. The lock is the database's and goes with the
// session (SQL Server: sp_getapplock).
func (d *database) Claim(ctx context.Context) error {
	var got int
	err := d.conn.QueryRowContext(ctx, "DECLARE @got int; EXEC @got = sp_getapplock @Resource = N'dapper-mirror', @LockMode = N'Exclusive', @LockOwner = N'Session', @LockTimeout = 0; SELECT @got AS got").Scan(&got)
	if err != nil {
		return explain(err)
	}
	if got < 0 {
		return engine.ErrClaimed
	}
	return nil
}

// Identity implements engine.Identifier.
func (d *database) Identity(ctx context.Context) (string, error) {
	var id string
	err := d.conn.QueryRowContext(ctx, "SELECT CONCAT(CAST(SERVERPROPERTY(N'ServerName') AS nvarchar(128)), N'/', b.database_id, N'/', b.name, N'/', CONVERT(nvarchar(40), b.create_date, 121)) AS id FROM sys.databases AS b WHERE b.name = DB_NAME()").Scan(&id)
	if err != nil {
		return "", explain(err)
	}
	return id, nil
}

// Describe implements engine.Describer.
func (d *database) Describe(ctx context.Context) (engine.About, error) {
	a := engine.About{TLS: d.tls}
	var version string
	if err := d.conn.QueryRowContext(ctx, "SELECT @@VERSION AS v, SUSER_SNAME() AS who").Scan(&version, &a.Account); err != nil {
		return a, explain(err)
	}
	version, _, _ = strings.Cut(version, "\n")
	a.Server = strings.TrimPrefix(strings.TrimSpace(version), "Microsoft ") + "; this engine has been checked against a model of the server, not yet against a real one"
	return a, nil
}

// LockLimit implements engine.Limiter.
func (d *database) LockLimit(t time.Duration) string {
	return fmt.Sprintf("SET LOCK_TIMEOUT %d", max(t.Milliseconds(), 1))
}

// StepLimit implements engine.Limiter: the server has none such.
func (d *database) StepLimit(time.Duration) string { return "" }

func objectID(r catalog.Ref) string {
	return "OBJECT_ID(" + vocab.String(vocab.Quote(r.Schema)+"."+vocab.Quote(r.Name)) + ")"
}

// Sizes implements engine.Sizer.
func (d *database) Sizes(ctx context.Context, tables []catalog.Ref) (map[catalog.Ref]int64, error) {
	out := map[catalog.Ref]int64{}
	for _, t := range tables {
		var n int64
		if err := d.conn.QueryRowContext(ctx, "SELECT COALESCE(SUM(p.used_page_count), 0) * 8192 AS bytes FROM sys.dm_db_partition_stats AS p WHERE p.object_id = "+objectID(t)).Scan(&n); err != nil {
			return nil, explain(err)
		}
		out[t] = n
	}
	return out, nil
}

// Blockers implements engine.Sizer.
func (d *database) Blockers(ctx context.Context, tables []catalog.Ref) ([]string, error) {
	if len(tables) == 0 {
		return nil, nil
	}
	var ids []string
	for _, t := range tables {
		ids = append(ids, objectID(t))
	}
	var out []string
	rows, err := d.conn.QueryContext(ctx, "SELECT DISTINCT s.session_id, s.login_name, s.program_name, l.request_mode, OBJECT_NAME(l.resource_associated_entity_id) AS name FROM sys.dm_tran_locks AS l JOIN sys.dm_exec_sessions AS s ON s.session_id = l.request_session_id WHERE l.resource_type = N'OBJECT' AND l.request_status = N'GRANT' AND l.resource_database_id = DB_ID() AND l.request_session_id <> @@SPID AND l.resource_associated_entity_id IN ("+strings.Join(ids, ", ")+")")
	if err != nil {
		return nil, explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var id int64
		var login, program, mode, name *string
		if err := rows.Scan(&id, &login, &program, &mode, &name); err != nil {
			return nil, explain(err)
		}
		word := func(s *string) string {
			if s == nil || *s == "" {
				return "?"
			}
			return *s
		}
		out = append(out, fmt.Sprintf("session %d (%s, %s) holds %s on %s", id, word(login), word(program), word(mode), word(name)))
	}
	return out, explain(rows.Err())
}

// creates are the permissions on the database that making something wants (SQL
// Server: Permissions of the CREATE statements).
var creates = map[catalog.Kind]string{catalog.Table: "CREATE TABLE", catalog.View: "CREATE VIEW", catalog.Schema: "CREATE SCHEMA", vocab.AliasType: "CREATE TYPE", vocab.TableType: "CREATE TYPE", vocab.Synonym: "CREATE SYNONYM", vocab.TextCatalog: "CREATE FULLTEXT CATALOG"}

// Lacking implements engine.Inspector.
func (d *database) Lacking(ctx context.Context, work []engine.Work, _ string) ([]string, error) {
	var out []string
	seen := map[string]bool{}
	ask := func(what, query string) error {
		if seen[what] {
			return nil
		}
		seen[what] = true
		var ok *int64
		if err := d.conn.QueryRowContext(ctx, "SELECT "+query+" AS ok").Scan(&ok); err != nil {
			return explain(err)
		}
		if ok != nil && *ok == 0 {
			out = append(out, what)
		}
		return nil
	}
	made := map[catalog.Ref]bool{}
	for _, w := range work {
		if w.Creates {
			made[w.On] = true
			if p := creates[w.On.Kind]; p != "" {
				if err := ask(p+" on the database", "HAS_PERMS_BY_NAME(DB_NAME(), N'DATABASE', N'"+p+"')"); err != nil {
					return nil, err
				}
			}
			if w.On.Schema != "" {
				if err := ask("ALTER on schema "+w.On.Schema, "HAS_PERMS_BY_NAME("+vocab.String(vocab.Quote(w.On.Schema))+", N'SCHEMA', N'ALTER')"); err != nil {
					return nil, err
				}
			}
		}
	}
	for _, w := range work {
		if w.Creates || made[w.On] || w.On.Schema == "" || w.On.Kind == vocab.AliasType || w.On.Kind == vocab.TableType {
			continue
		}
		if err := ask("ALTER on "+w.On.String(), "HAS_PERMS_BY_NAME("+vocab.String(vocab.Quote(w.On.Schema)+"."+vocab.Quote(w.On.Name))+", N'OBJECT', N'ALTER')"); err != nil {
			return nil, err
		}
	}
	return out, nil
}
