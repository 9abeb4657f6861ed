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

	"github.com/jackc/pgx/v5"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/local"
	"dappermirror/internal/engine/postgres/vocab"
)

// Local starts a throw-away server of the wanted major version, if that is
// installed, else of the newest. It answers its address.
func Local(ctx context.Context, major string) (address string, remove func() error, err error) {
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
	ready := func(ctx context.Context) error { return answers(ctx, address) }
	if err = s.Start(ctx, ready, filepath.Join(filepath.Dir(initdb), "postgres"), "-D", data, "-k", s.Dir, "-c", "listen_addresses=", "-c", "fsync=off", "-c", "full_page_writes=off",
		"-c", "max_locks_per_transaction=4096", "-c", "wal_level=logical", "-c", "shared_buffers=64MB"); err != nil {
		return "", nil, err
	}
	return address, s.Stop, nil
}

// answers tells why no server answers at an address.
func answers(ctx context.Context, address string) error {
	conn, err := pgx.Connect(ctx, address)
	if err == nil {
		err = conn.Close(ctx)
	}
	return err
}

// Rent answers a throw-away server of a major version, where that is installed:
// one that an earlier call left, or a new one.
func Rent(ctx context.Context, major, purpose string) (local.Lease, error) {
	return local.Rent(ctx, local.Key("postgres", major, purpose), answers, func(ctx context.Context) (string, func() error, error) { return Local(ctx, major) })
}

// Rehearsal makes a database on a throw-away server that has the roles that a
// structure names.
func Rehearsal(ctx context.Context, major string, like *catalog.Catalog) (string, func() error, error) {
	lease, err := Rent(ctx, major, "rehearsals")
	if err != nil {
		return "", nil, err
	}
	if err = roles(ctx, lease.Address, like); err == nil {
		var address string
		var remove func() error
		if address, remove, err = Beside(ctx, lease.Address); err == nil {
			return address, func() error {
				err := remove()
				if e := lease.Release(); err == nil {
					err = e
				}
				return err
			}, nil
		}
	}
	_ = lease.Release()
	return "", nil, err
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

// random are letters that nobody else has thought of.
func random() string {
	b := make([]byte, 6)
	_, _ = rand.Read(b)
	return hex.EncodeToString(b)
}

// Beside makes a database on the server of an address, and answers its own.
func Beside(ctx context.Context, address string) (string, func() error, error) {
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return "", nil, err
	}
	defer conn.Close(ctx)
	name := "dapper_mirror_scratch_" + random()
	return made(ctx, conn, address, name, "")
}

// made makes a database, for an owner where one is named. Removing it removes
// the owner.
func made(ctx context.Context, conn *pgx.Conn, address, name, owner string) (string, func() error, error) {
	u, err := url.Parse(address)
	if err != nil {
		return "", nil, err
	}
	remove := func() error {
		ctx, cancel := local.Calm(context.Background())
		defer cancel()
		conn, err := pgx.Connect(ctx, address)
		if err != nil {
			return fmt.Errorf("the scratch database %s could not be removed: %w", name, err)
		}
		defer conn.Close(ctx)
		gone := []string{"DROP DATABASE IF EXISTS " + name + " WITH (FORCE)"}
		if owner != "" {
			gone = append(gone, "DROP ROLE IF EXISTS "+owner)
		}
		for _, sql := range gone {
			if _, err := conn.Exec(ctx, sql); err != nil {
				return fmt.Errorf("the scratch database %s could not be removed: %w", name, err)
			}
		}
		return nil
	}
	ctx, cancel := local.Calm(ctx)
	defer cancel()
	sql := "CREATE DATABASE " + name + " TEMPLATE template0"
	if owner != "" {
		sql += " OWNER " + owner
	}
	if _, err := conn.Exec(ctx, sql); err != nil {
		_ = remove()
		return "", nil, fmt.Errorf("making a scratch database: %w", err)
	}
	u.Path = "/" + name
	return u.String(), remove, nil
}

// Room is a scratch database for what somebody else wrote: its statements run
// as an account that may do nothing outside of it.
type Room struct {
	Plain, Raised string // its addresses for that account, and for who made it
	Account       string
	// Roles says that roles may be made as they are named: the server is thrown
	// away.
	Roles bool
	// Give are statements that give back what the account was lent.
	Give   []string
	Remove func() error
}

// Make makes one on a throw-away server of this machine (engine.LocalScratch), of
// a major version where that is installed, or on the server of an address.
func Make(ctx context.Context, where, major string) (room *Room, err error) {
	address, release := where, func() error { return nil }
	switch where {
	case "":
		return nil, fmt.Errorf("%w: texts of PostgreSQL are run in one to be read; give --scratch local (a throw-away server on this machine) or --scratch PLACE (a database beside that place, removed afterwards)", engine.ErrNoScratch)
	case engine.LocalScratch:
		lease, err := Rent(ctx, major, "texts")
		if err != nil {
			return nil, err
		}
		address, release = lease.Address, lease.Release
	}
	defer func() {
		if err != nil {
			_ = release()
		}
	}()
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return nil, err
	}
	defer conn.Close(ctx)
	room = &Room{Roles: where == engine.LocalScratch}
	var mighty bool
	if err := conn.QueryRow(ctx, "SELECT rolsuper, rolname FROM pg_roles WHERE rolname = current_user").Scan(&mighty, &room.Account); err != nil {
		return nil, err
	}
	name, owner, password := "dapper_mirror_scratch_"+random(), "", random()+random()
	if mighty {
		owner, room.Account = name, name
		calm, cancel := local.Calm(ctx)
		defer cancel()
		if _, err := conn.Exec(calm, "CREATE ROLE "+owner+" LOGIN PASSWORD '"+password+"'"); err != nil {
			return nil, fmt.Errorf("making an ordinary account for the scratch database: %w", err)
		}
	}
	raised, remove, err := made(ctx, conn, address, name, owner)
	if err != nil {
		return nil, err
	}
	room.Raised, room.Plain = raised, raised
	room.Remove = func() error {
		err := remove()
		if e := release(); err == nil {
			err = e
		}
		return err
	}
	if !mighty {
		return room, nil
	}
	if err = room.admit(ctx, owner, password); err != nil {
		_ = remove()
		return nil, err
	}
	return room, nil
}

// admit makes the ordinary account at home in the database, and sees that it can
// log in: what runs as the superuser who only changed his name can change it back.
func (r *Room) admit(ctx context.Context, account, password string) error {
	conn, err := pgx.Connect(ctx, r.Raised)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	var own string // before version 15 who owns a database may make nothing in it
	if err := conn.QueryRow(ctx, "SELECT pg_get_userbyid(nspowner) FROM pg_namespace WHERE nspname = 'public'").Scan(&own); err != nil {
		return err
	}
	if own != "pg_database_owner" {
		if _, err := conn.Exec(ctx, "ALTER SCHEMA public OWNER TO "+account); err != nil {
			return err
		}
		r.Give = []string{"ALTER SCHEMA public OWNER TO " + vocab.Quote(own)}
	}
	u, err := url.Parse(r.Raised)
	if err != nil {
		return err
	}
	u.User = url.UserPassword(account, password)
	q := u.Query()
	q.Del("user")
	q.Del("password")
	u.RawQuery = q.Encode()
	r.Plain = u.String()
	plain, err := pgx.Connect(ctx, r.Plain)
	if err != nil {
		return fmt.Errorf("the account is a superuser, as whom no text is run, and an ordinary one that was made for it cannot log in (%w); name a place whose account may make databases and is none", err)
	}
	return plain.Close(ctx)
}
