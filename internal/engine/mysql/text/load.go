package text

import (
	"context"
	"database/sql"
	"errors"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	driver "github.com/go-sql-driver/mysql"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/mysql/vocab"
	"dappermirror/internal/engine/texts"
)

// Room is a scratch database for what somebody else wrote.
type Room struct {
	Plain, Raised *sql.Conn // as an ordinary account, and as who made it
	Database      string
	Account       string // the ordinary one: 'name'@'host'
	// Accounts says that accounts may be made as they are named: the server is
	// thrown away.
	Accounts bool
	Read     func(context.Context) (*catalog.Catalog, error)
}

// Server is a scratch database that texts are loaded into.
type Server struct {
	Room
	all     []texts.Parsed
	inForce map[*sql.Conn]string
	gaps    []catalog.Gap
	tables  map[string]bool // that the text makes, folded
	// whole says that the text is a capture: what it does not set is as our scripts
	// have it.
	whole bool
}

// NewServer loads statements into a room.
func NewServer(room Room, all []texts.Parsed, whole bool) *Server {
	s := &Server{whole: whole, Room: room, all: all, inForce: map[*sql.Conn]string{}, tables: map[string]bool{}}
	for _, p := range all {
		if p.Makes != nil && p.Makes.Part == "" {
			s.tables[strings.ToLower(p.Makes.Name)] = true
		}
	}
	return s
}

// base is how a session begins.
var base = []string{"SET SESSION sql_mode = DEFAULT, time_zone = DEFAULT, timestamp = DEFAULT, foreign_key_checks = 0, default_storage_engine = DEFAULT", "SET NAMES utf8mb4 COLLATE utf8mb4_general_ci"}

// errors of the server that say that a thing is not there, and those that
// nothing that comes later can help (MariaDB: Error Codes).
var (
	missing = []uint16{1146, 1305, 1054, 1049, 1356, 1824, 1005, 1091, 1449, 4091, 1133}
	final   = []uint16{1064, 1044, 1142, 1227, 1021, 1419}
)

// Run implements texts.Server.
func (s *Server) Run(ctx context.Context, text string, settings []string, raised bool) error {
	conn := s.Plain
	if raised {
		conn = s.Raised
	}
	if err := s.set(ctx, conn, settings); err != nil {
		return refusal(err, text)
	}
	text = s.here(text)
	if granting := strings.HasPrefix(strings.ToLower(strings.TrimSpace(text)), "grant") || strings.HasPrefix(strings.ToLower(strings.TrimSpace(text)), "revoke"); granting && !s.Accounts {
		s.gaps = append(s.gaps, catalog.Gap{Kind: vocab.Grant, Group: "grants", Why: "nothing is granted on a server that stays"})
		return nil
	}
	_, err := conn.ExecContext(ctx, text)
	var my *driver.MySQLError
	if errors.As(err, &my) && my.Number == 1133 || errors.As(err, &my) && my.Number == 1410 || errors.As(err, &my) && my.Number == 1959 { // no such account
		for _, who := range grantees(text) {
			if _, e := s.Raised.ExecContext(ctx, "CREATE USER IF NOT EXISTS "+who); e != nil {
				return refusal(e, text)
			}
		}
		_, err = conn.ExecContext(ctx, text)
	}
	return refusal(err, text)
}

// grantees are the accounts behind TO or FROM.
func grantees(text string) []string {
	toks := sqltext.Significant(vocab.Dialect, text)
	i := slices.IndexFunc(toks, func(t sqltext.Token) bool { return t.Is("to") || t.Is("from") })
	var out []string
	for i++; i > 0 && i < len(toks) && (toks[i].IsName() || toks[i].Kind == sqltext.String) && !toks[i].Is("with"); i++ {
		who := vocab.Quote(bare(toks[i]))
		switch {
		case i+2 < len(toks) && toks[i+1].IsOp("@"):
			who += "@" + vocab.Quote(bare(toks[i+2]))
			i += 2
		case i+1 < len(toks) && toks[i+1].Kind == sqltext.Param:
			who += "@" + vocab.Quote(toks[i+1].Text[1:])
			i++
		}
		out = append(out, who)
		if i++; i >= len(toks) || !toks[i].IsOp(",") {
			break
		}
	}
	return out
}

// here is a statement in which the text's own database, where it is named, is
// the scratch database. A table of that name may be what is meant.
func (s *Server) here(text string) string {
	own := ""
	for _, p := range s.all {
		if p.Database != "" {
			own = p.Database
		}
	}
	if own == "" || s.tables[strings.ToLower(own)] || !strings.Contains(strings.ToLower(text), strings.ToLower(own)) {
		return text
	}
	toks := sqltext.Lex(vocab.Dialect, text)
	var b strings.Builder
	for i, t := range toks {
		if t.IsName() && t.Name() == own && i+1 < len(toks) && toks[i+1].IsOp(".") && (i == 0 || !toks[i-1].IsOp(".") && !toks[i-1].IsOp("@")) {
			b.WriteString(vocab.Quote(s.Database))
			continue
		}
		b.WriteString(t.Text)
	}
	return b.String()
}

// set puts the settings in force that a statement stands under.
func (s *Server) set(ctx context.Context, conn *sql.Conn, settings []string) error {
	key := strings.Join(settings, ";")
	if was, known := s.inForce[conn]; known && was == key {
		return nil
	}
	delete(s.inForce, conn)
	begin := base
	if s.whole {
		begin = append(slices.Clip(base), "SET SESSION sql_mode = "+vocab.Literal(vocab.Mode))
	}
	for _, set := range slices.Concat(begin, settings) {
		if _, err := conn.ExecContext(ctx, set); err != nil {
			return err
		}
	}
	s.inForce[conn] = key
	return nil
}

// Settle implements texts.Server: nothing was lent.
func (s *Server) Settle(context.Context) error { return nil }

// Loosened implements texts.Server: the server looks into no bodies anyway.
func (s *Server) Loosened(context.Context) error { return nil }

var nearLine = regexp.MustCompile(`(?s)near '(.*)' at line (\d+)$`)

func refusal(err error, text string) error {
	var my *driver.MySQLError
	if !errors.As(err, &my) {
		return err
	}
	r := &texts.Refused{Message: my.Message + " (error " + strconv.Itoa(int(my.Number)) + ")", Missing: slices.Contains(missing, my.Number), Final: slices.Contains(final, my.Number)}
	if m := nearLine.FindStringSubmatch(my.Message); m != nil {
		r.Line, _ = strconv.Atoi(m[2]) // the server wrote digits
		near := m[1][:min(len(m[1]), 60)]
		if i := strings.Index(text, near); near != "" && i >= 0 && i == strings.LastIndex(text, near) {
			r.Offset = utf8.RuneCountInString(text[:i]) + 1
		}
	}
	return r
}

// Read implements texts.Server. Who defined what the text does not say is not
// known, nor what the ordinary account was lent.
func (s *Server) Read(ctx context.Context) (*catalog.Catalog, error) {
	c, err := s.Room.Read(ctx)
	if err != nil {
		return nil, err
	}
	c.Gaps = append(slices.Clip(c.Gaps), s.gaps...)
	kept := c.Objects[:0:0]
	for _, o := range c.Objects {
		if o.Kind != vocab.Grant || !strings.Contains(o.Name, s.account()) {
			kept = append(kept, o)
		}
	}
	c.Objects = kept
	things := texts.ThingsOf(c)
	for i := range s.all {
		p := &s.all[i]
		if p.Makes == nil {
			continue
		}
		cut, account := definer(sqltext.Significant(p.Dialect, Unwrapped(p.Statement.SQL, p.Dialect)))
		if cut[1] == 0 || account == "" {
			continue
		}
		o, part := things.Of(p.Makes)
		if p.Makes.Part != "" {
			o = part
		}
		if o != nil && o.Has("definer") {
			o.Optional("definer", "definers", catalog.Scalar(account))
		}
	}
	unknown := false
	for _, o := range c.Objects {
		for _, x := range append([]*catalog.Object{o}, o.Parts...) {
			if strings.Contains(x.Text("definer"), s.account()) {
				x.Remove("definer")
				unknown = true
			}
		}
	}
	if unknown {
		c.Gaps = append(c.Gaps, catalog.Gap{Property: "definer", Group: "definers", Why: "the text does not say whose all routines, views, triggers and events are"})
	}
	for _, x := range []struct {
		gap  catalog.Gap
		said func(p *texts.Parsed) bool
	}{
		{catalog.Gap{Kind: vocab.Database, Why: "the text does not say its character set"}, func(p *texts.Parsed) bool { return p.Makes != nil && slices.Contains(p.Makes.Kinds, vocab.Database) }},
		{catalog.Gap{Property: "connection", Why: "the text does not say (SET NAMES)"}, sets("character_set_client")},
		{catalog.Gap{Property: "sql mode", Why: "the text does not say (SET sql_mode)"}, sets("sql_mode")},
	} {
		if !s.whole && !slices.ContainsFunc(s.all, func(p texts.Parsed) bool { return x.said(&p) }) {
			c.Gaps = append(c.Gaps, x.gap)
		}
	}
	return c, nil
}

// sets tells whether a statement sets one of some settings.
func sets(names ...string) func(*texts.Parsed) bool {
	return func(p *texts.Parsed) bool {
		return p.Action == texts.Set && slices.ContainsFunc(p.Sets, func(s texts.Setting) bool { return slices.Contains(names, s.Name) })
	}
}

// account is the name of the ordinary account alone.
func (s *Server) account() string {
	name, _, _ := strings.Cut(s.Account, "@")
	return strings.Trim(name, "'`")
}

// Defaults are those of a database that texts are compared with: what they do
// not say of their tables is taken from them.
func Defaults(like *catalog.Catalog) string {
	if like != nil {
		for _, o := range like.Objects {
			if o.Kind == vocab.Database && o.Text("charset") != "" {
				return "CHARACTER SET " + o.Text("charset") + " COLLATE " + o.Text("collation")
			}
		}
	}
	return "CHARACTER SET utf8mb4"
}
