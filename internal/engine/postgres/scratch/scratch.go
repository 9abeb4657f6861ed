// Package scratch makes PostgreSQL databases for rehearsals: on a throw-away
// server, or beside a place that was named for it.
package scratch

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/local"
	"dappermirror/internal/engine/postgres/vocab"
)

// Local starts a throw-away server of the wanted major version, if that is
// installed, else of the newest. It answers its address.
func Local(ctx context.Context, major string, like *catalog.Catalog) (address string, remove func() error, err error) {
	var initdb string
	if major != "" {
		initdb, err = local.Find("initdb", "/usr/lib/postgresql/"+major+"/bin", "/usr/pgsql-"+major+"/bin")
		if !strings.Contains(initdb, major) {
			initdb = ""
		}
	}
	if initdb == "" {
		if initdb, err = local.Find("initdb", "/usr/lib/postgresql/*/bin", "/usr/pgsql-*/bin", "/usr/local/pgsql/bin"); err != nil {
			return "", nil, err
		}
	}
	s, err := local.New("postgres")
	if err != nil {
		return "", nil, err
	}
	defer func() {
		if err != nil {
			s.Stop()
		}
	}()
	data := filepath.Join(s.Dir, "data")
	if err = s.Run(ctx, initdb, "-D", data, "-U", "postgres", "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8", "-N"); err != nil {
		return "", nil, err
	}
	address = (&url.URL{Scheme: "postgres", User: url.User("postgres"), Path: "/postgres", RawQuery: "host=" + s.Dir}).String()
	ready := func(ctx context.Context) error {
		conn, err := pgx.Connect(ctx, address)
		if err == nil {
			err = conn.Close(ctx)
		}
		return err
	}
	if err = s.Start(ctx, ready, filepath.Join(filepath.Dir(initdb), "postgres"), "-D", data, "-k", s.Dir, "-c", "listen_addresses=", "-c", "fsync=off", "-c", "full_page_writes=off",
		"-c", "max_locks_per_transaction=4096", "-c", "wal_level=logical", "-c", "shared_buffers=64MB"); err != nil {
		return "", nil, err
	}
	if err = roles(ctx, address, like); err != nil {
		return "", nil, err
	}
	return address, s.Stop, nil
}

// roles makes the roles that the structure names: policies, owners and grants
// need them.
func roles(ctx context.Context, address string, like *catalog.Catalog) error {
	if like == nil {
		return nil
	}
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	for _, name := range Names(like) {
		var there bool
		if err := conn.QueryRow(ctx, "SELECT EXISTS (SELECT 1 FROM pg_roles WHERE rolname = $1)", name).Scan(&there); err != nil {
			return err
		}
		if !there && !strings.HasPrefix(name, "pg_") {
			if _, err := conn.Exec(ctx, "CREATE ROLE "+vocab.Quote(name)); err != nil {
				return fmt.Errorf("making the role %s for the rehearsal: %w", name, err)
			}
		}
	}
	return nil
}

// Names are the roles a structure names.
func Names(c *catalog.Catalog) []string {
	var out []string
	add := func(name string) {
		switch strings.ToLower(name) {
		case "", "public", "current_user", "session_user", "current_role":
		default:
			if !slices.Contains(out, name) {
				out = append(out, name)
			}
		}
	}
	var walk func(o *catalog.Object)
	walk = func(o *catalog.Object) {
		for _, p := range o.Properties {
			switch p.Name {
			case "owner":
				add(unquoted(p.Value.String()))
			case "roles":
				for _, r := range p.Value.Items {
					add(unquoted(r))
				}
			case "grants", "rights":
				for _, g := range p.Value.Items {
					if i := strings.LastIndex(g, ": "); i > 0 && g[:i] != vocab.TheOwner {
						add(g[:i])
					}
				}
			}
		}
		for _, p := range o.Parts {
			walk(p)
		}
	}
	for _, o := range c.Objects {
		walk(o)
		if o.Kind == vocab.DefaultRights || o.Kind == vocab.UserMapping {
			add(unquoted(o.Text("role")))
			add(unquoted(o.Text("user")))
		}
	}
	return out
}

func unquoted(name string) string {
	if toks := sqltext.Significant(vocab.Dialect, name); len(toks) == 1 {
		return toks[0].Name()
	}
	return name
}

// Beside makes a database on the server of an address, and answers its own.
func Beside(ctx context.Context, address string) (string, func() error, error) {
	u, err := url.Parse(address)
	if err != nil {
		return "", nil, err
	}
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return "", nil, err
	}
	defer conn.Close(ctx)
	b := make([]byte, 6)
	_, _ = rand.Read(b)
	name := "dapper_mirror_scratch_" + hex.EncodeToString(b)
	if _, err := conn.Exec(ctx, "CREATE DATABASE "+name+" TEMPLATE template0"); err != nil {
		return "", nil, fmt.Errorf("making a scratch database: %w", err)
	}
	remove := func() error {
		ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
		defer cancel()
		conn, err := pgx.Connect(ctx, address)
		if err != nil {
			return fmt.Errorf("the scratch database %s could not be removed: %w", name, err)
		}
		defer conn.Close(ctx)
		if _, err := conn.Exec(ctx, "DROP DATABASE IF EXISTS "+name+" WITH (FORCE)"); err != nil {
			return fmt.Errorf("the scratch database %s could not be removed: %w", name, err)
		}
		return nil
	}
	u.Path = "/" + name
	return u.String(), remove, nil
}
