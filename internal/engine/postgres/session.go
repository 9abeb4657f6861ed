package postgres

import (
	"context"
	"fmt"
	"strings"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/vocab"
)

// claim is the advisory lock a run holds; such locks are the database's own.
const claim = 0x64617070 // "dapp"

// Claim implements engine.Claimer. The lock goes with the session.
func (d *database) Claim(ctx context.Context) error {
	var got bool
	if err := d.conn.QueryRow(ctx, "SELECT pg_try_advisory_lock($1)", int64(claim)).Scan(&got); err != nil {
		return explain(err)
	}
	if !got {
		return engine.ErrClaimed
	}
	return nil
}

// Identity implements engine.Identifier.
func (d *database) Identity(ctx context.Context) (string, error) {
	var id string
	if err := d.conn.QueryRow(ctx, "SELECT system_identifier || '/' || oid || '/' || datname FROM pg_control_system(), pg_database WHERE datname = current_database()").Scan(&id); err != nil {
		if err = d.conn.QueryRow(ctx, "SELECT oid || '/' || datname FROM pg_database WHERE datname = current_database()").Scan(&id); err != nil {
			return "", explain(err)
		}
	}
	return id, nil
}

// LockLimit implements engine.Limiter.
func (d *database) LockLimit(t time.Duration) string {
	return fmt.Sprintf("SET lock_timeout = '%dms'", max(t.Milliseconds(), 1))
}

// StepLimit implements engine.Limiter.
func (d *database) StepLimit(t time.Duration) string {
	return fmt.Sprintf("SET statement_timeout = '%dms'", max(t.Milliseconds(), 1))
}

// Transaction implements engine.Transactor.
func (d *database) Transaction(ctx context.Context) (string, error) {
	var id string
	if err := d.conn.QueryRow(ctx, "SELECT pg_current_xact_id()::text").Scan(&id); err != nil {
		return "", explain(err)
	}
	return id, nil
}

// Outcome implements engine.Transactor (PostgreSQL: Transaction ID and
// Snapshot Information Functions, pg_xact_status).
func (d *database) Outcome(ctx context.Context, id string) (engine.Outcome, error) {
	var status *string
	if err := d.conn.QueryRow(ctx, "SELECT pg_xact_status($1::text::xid8)", id).Scan(&status); err != nil {
		return engine.NotKnown, explain(err)
	}
	if status == nil {
		return engine.NotKnown, nil
	}
	return engine.Outcome(*status), nil
}

// superuser are the kinds only a superuser makes.
var superuser = map[catalog.Kind]bool{vocab.BaseType: true, vocab.Wrapper: true, vocab.Subscription: true, "operator-class": true, "operator-family": true, "access-method": true,
	"event-trigger": true, "text-search-parser": true, "text-search-template": true}

// owners asks who owns an object; $1 is its schema and $2 its name.
var owners = map[catalog.Kind]string{
	"relation":        "SELECT c.relowner FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = $1 AND c.relname = $2",
	catalog.Routine:   "SELECT p.proowner FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace WHERE n.nspname = $1 AND p.proname = $2",
	"type":            "SELECT t.typowner FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace WHERE n.nspname = $1 AND t.typname = $2",
	catalog.Schema:    "SELECT nspowner FROM pg_namespace WHERE $1 = '' AND nspname = $2",
	vocab.Publication: "SELECT pubowner FROM pg_publication WHERE $1 = '' AND pubname = $2",
	vocab.Extension:   "SELECT extowner FROM pg_extension WHERE $1 IS NOT NULL AND extname = $2",
	catalog.Sequence:  "SELECT c.relowner FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = $1 AND c.relname = $2",
}

// ownerOf is the query for a kind; "" where only the server knows.
func ownerOf(k catalog.Kind) string {
	switch k {
	case catalog.Table, vocab.ForeignTable, catalog.View, vocab.MatView:
		k = "relation"
	case catalog.Enum, vocab.Domain, vocab.Composite, vocab.Range:
		k = "type"
	}
	return owners[k]
}

// Lacking implements engine.Inspector: what is changed or dropped must be
// owned, a schema that something is made in must allow it (PostgreSQL:
// Privileges).
func (d *database) Lacking(ctx context.Context, work []engine.Work, role string) ([]string, error) {
	who := "current_user"
	if role != "" {
		who = vocab.Literal(role)
	}
	var super bool
	var name string
	if err := d.conn.QueryRow(ctx, "SELECT rolsuper, rolname FROM pg_roles WHERE rolname = "+who).Scan(&super, &name); err != nil {
		return []string{fmt.Sprintf("the role %s is not there", role)}, nil
	}
	var out []string
	if role != "" {
		var member bool
		if err := d.conn.QueryRow(ctx, "SELECT pg_has_role($1, 'MEMBER')", role).Scan(&member); err != nil {
			return nil, explain(err)
		}
		if !member {
			out = append(out, "membership in "+role)
		}
	}
	if super {
		return out, nil
	}
	made := map[catalog.Ref]bool{}
	for _, w := range work {
		if w.Creates {
			made[w.On] = true
		}
	}
	seen := map[string]bool{}
	say := func(s string) {
		if !seen[s] {
			seen[s] = true
			out = append(out, s)
		}
	}
	yes := func(sql string, args ...any) (bool, error) {
		var ok *bool
		err := d.conn.QueryRow(ctx, sql, args...).Scan(&ok)
		if err != nil {
			return false, explain(err)
		}
		return ok == nil || *ok, nil
	}
	for _, w := range work {
		if superuser[w.On.Kind] && w.Creates {
			say("to be a superuser, for " + w.On.String())
			continue
		}
		if w.Creates {
			sql, args := "SELECT has_schema_privilege($1, oid, 'CREATE') FROM pg_namespace WHERE nspname = $2 UNION ALL SELECT true LIMIT 1", []any{name, w.On.Schema}
			what := "CREATE on schema " + w.On.Schema
			if w.On.Schema == "" {
				sql, args, what = "SELECT has_database_privilege($1, current_database(), 'CREATE')", []any{name}, "CREATE on the database, for "+w.On.String()
			}
			if ok, err := yes(sql, args...); err != nil {
				return nil, err
			} else if !ok {
				say(what)
			}
			continue
		}
		sql := ownerOf(w.On.Kind)
		if sql == "" || made[w.On] {
			continue
		}
		object, _, _ := strings.Cut(w.On.Name, "(")
		if ok, err := yes("SELECT bool_and(pg_has_role($3, o.owner, 'USAGE')) FROM ("+strings.Replace(sql, " FROM", " AS owner FROM", 1)+") AS o", w.On.Schema, object, name); err != nil {
			return nil, err
		} else if !ok {
			say("to own " + w.On.String())
		}
	}
	return out, nil
}
