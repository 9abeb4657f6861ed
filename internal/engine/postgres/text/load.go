package text

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/scratch"
	"dappermirror/internal/engine/postgres/vocab"
	"dappermirror/internal/engine/texts"
)

// Server is a scratch database that texts are loaded into.
type Server struct {
	plain, raised *pgx.Conn
	// inForce are the settings of each, joined.
	inForce map[*pgx.Conn]string
	base    []string
	room    *scratch.Room
	read    func(context.Context, *pgx.Conn) (*catalog.Catalog, error)
	gaps    []catalog.Gap
}

// Open makes a scratch database where it is told to, for some statements. read reads a structure over a connection.
func Open(ctx context.Context, opt engine.TextOptions, all []texts.Parsed, read func(context.Context, *pgx.Conn) (*catalog.Catalog, error)) (s *Server, remove func() error, err error) {
	room, err := scratch.Make(ctx, opt.Scratch, major(opt.Like))
	if err != nil {
		return nil, nil, err
	}
	s = &Server{inForce: map[*pgx.Conn]string{}, room: room, read: read}
	remove = func() error {
		ctx := context.WithoutCancel(ctx)
		for _, c := range []*pgx.Conn{s.plain, s.raised} {
			if c != nil {
				_ = c.Close(ctx)
			}
		}
		return room.Remove()
	}
	if opt.Whole && !slices.ContainsFunc(all, func(p texts.Parsed) bool { return p.Reading.SQL == publicAnew }) {
		room.Give = append(room.Give, "DO $$ BEGIN DROP SCHEMA IF EXISTS public; EXCEPTION WHEN dependent_objects_still_exist THEN NULL; END $$")
	}
	if s.raised, err = pgx.Connect(ctx, room.Raised); err == nil {
		s.plain, err = pgx.Connect(ctx, room.Plain)
	}
	if err != nil {
		_ = remove()
		return nil, nil, fmt.Errorf("the scratch database cannot be opened: %w", err)
	}
	return s, remove, nil
}

// major is the version of the server that a text is compared with: it is read by
// one that prints things alike, where that is installed.
func major(like *catalog.Catalog) string {
	if like == nil || like.Engine != "postgres" {
		return ""
	}
	version, _, _ := strings.Cut(like.Version, ".")
	return version
}

// missing are the states of errors that say that a thing is not there
// (PostgreSQL: Error Codes).
var missing = []string{"42P01", "42703", "42704", "42883", "3F000", "42P10", "42809", "42830"}

// Run implements texts.Server.
func (s *Server) Run(ctx context.Context, sql string, settings []string, raised bool) error {
	conn := s.plain
	if raised {
		conn = s.raised
	}
	if err := s.set(ctx, conn, settings); err != nil {
		return refusal(err)
	}
	err := s.exec(ctx, conn, sql)
	var pg *pgconn.PgError
	for tries := 0; errors.As(err, &pg) && pg.Code == "42704" && tries < 100; tries++ {
		role, ok := roleIn(pg.Message)
		if !ok || !s.room.Roles {
			break
		}
		if _, e := s.raised.Exec(ctx, "CREATE ROLE "+sqltext.Always(role)); e != nil {
			break
		}
		err = s.exec(ctx, conn, sql)
	}
	if errors.As(err, &pg) {
		if skipped, why := s.without(sql, pg); skipped {
			if why.Why != "" {
				s.gaps = append(s.gaps, why)
			}
			return nil
		}
	}
	return refusal(err)
}

// exec runs a statement of a text, or the few that one of our own stands for. The
// server takes one at a time this way, whatever is in the text.
func (s *Server) exec(ctx context.Context, conn *pgx.Conn, sql string) error {
	list := []string{sql}
	switch name, serves := strings.CutPrefix(sql, lent); {
	case sql == publicAnew:
		list, s.room.Give = []string{"DROP SCHEMA IF EXISTS public", "CREATE SCHEMA public AUTHORIZATION " + account}, nil
	case serves:
		list = []string{"GRANT USAGE ON FOREIGN SERVER " + name + " TO " + account}
		s.room.Give = append(s.room.Give, "REVOKE USAGE ON FOREIGN SERVER "+name+" FROM "+vocab.Quote(s.room.Account))
	}
	for _, one := range list {
		if _, err := conn.Exec(ctx, strings.ReplaceAll(one, account, vocab.Quote(s.room.Account)), pgx.QueryExecModeExec); err != nil {
			return err
		}
	}
	return nil
}

// Settle implements texts.Server.
func (s *Server) Settle(ctx context.Context) error {
	for _, sql := range append([]string{"RESET ALL"}, s.room.Give...) {
		if _, err := s.raised.Exec(ctx, sql); err != nil {
			return err
		}
	}
	delete(s.inForce, s.raised)
	return nil
}

// without says what is not seen where the scratch server lacks what a statement
// wants, and the rest can do without it.
func (s *Server) without(sql string, pg *pgconn.PgError) (bool, catalog.Gap) {
	words := leading(sqltext.Significant(vocab.Dialect, sql))
	switch {
	case len(words) > 1 && words[0] == "create" && words[1] == "extension" && pg.Code == "42710": // every database has it
		return true, catalog.Gap{}
	case len(words) > 1 && words[1] == "extension" && (pg.Code == "58P01" || pg.Code == "0A000" || pg.Code == "42704"):
		name := "an extension"
		if m := made(sql, words[1:]); m != nil {
			name = "the extension " + sqltext.CommentSafe(m.Name)
		}
		return true, catalog.Gap{Kind: vocab.Extension, Why: "the scratch server has not got " + name + " (" + pg.Message + ")"}
	case pg.Code == "42704" && !s.room.Roles:
		if _, role := roleIn(pg.Message); !role {
			return false, catalog.Gap{}
		}
		group := "grants"
		if ownerAt(sqltext.Significant(vocab.Dialect, sql)) > 0 {
			group = "owners"
		} else if len(words) == 0 || words[0] != "grant" && words[0] != "revoke" && words[0] != "alter" {
			return false, catalog.Gap{}
		}
		return true, catalog.Gap{Property: group[:len(group)-1], Group: group, Why: "the scratch server has not got a role (" + pg.Message + ")"}
	}
	return false, catalog.Gap{}
}

// roleIn is the role that a message says is not there.
func roleIn(message string) (string, bool) {
	rest, ok := strings.CutPrefix(message, `role "`)
	name, after, found := strings.Cut(rest, `" `)
	return name, ok && found && after == "does not exist"
}

// set puts the settings in force that a statement stands under.
func (s *Server) set(ctx context.Context, conn *pgx.Conn, settings []string) error {
	want := slices.Concat(s.base, settings)
	key := strings.Join(want, ";")
	if s.inForce[conn] == key {
		return nil
	}
	s.inForce[conn] = ""
	for _, sql := range append([]string{"RESET ALL"}, want...) {
		if _, err := conn.Exec(ctx, sql, pgx.QueryExecModeExec); err != nil {
			return err
		}
	}
	s.inForce[conn] = key
	return nil
}

// Loosened implements texts.Server: bodies of routines are not looked into.
func (s *Server) Loosened(context.Context) error {
	s.base = []string{"SET check_function_bodies = off"}
	return nil
}

func refusal(err error) error {
	var pg *pgconn.PgError
	if !errors.As(err, &pg) {
		return err
	}
	text := pg.Message
	if pg.Detail != "" {
		text += "; " + strings.Join(strings.Fields(pg.Detail), " ")
	}
	r := &texts.Refused{Message: fmt.Sprintf("%s (SQLSTATE %s)", text, pg.Code), Offset: int(pg.Position), Missing: slices.Contains(missing, pg.Code)}
	r.Final = pg.Code == "42601" || strings.HasPrefix(pg.Code, "57P") || pg.Code == "53100" // a syntax error, a server that goes, a full disk
	return r
}

// Read implements texts.Server. Who owns what was loaded by the ordinary account
// is not known.
func (s *Server) Read(ctx context.Context) (*catalog.Catalog, error) {
	if _, err := s.raised.Exec(ctx, "RESET ALL"); err != nil {
		return nil, err
	}
	c, err := s.read(ctx, s.raised)
	if err != nil {
		return nil, err
	}
	c.Gaps = append(slices.Clip(c.Gaps), s.gaps...)
	unknown := false
	for _, o := range c.Objects {
		if vocab.Bare(o.Text("owner")) == s.room.Account {
			o.Remove("owner")
			unknown = true
		}
	}
	if unknown {
		c.Gaps = append(c.Gaps, catalog.Gap{Property: "owner", Group: "owners", Why: "the text does not say who owns everything"})
	}
	return c, nil
}
