package sqlserver

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"net"
	"net/url"
	"slices"
	"strings"

	mssql "github.com/microsoft/go-mssqldb"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/engine/sqlserver/writer"
	"dappermirror/internal/standin/model"
	"dappermirror/internal/standin/tds"
)

// pipe connects a client in this process to a server in this process.
type pipe struct{ server *tds.Server }

// DialContext implements mssql.Dialer.
func (p pipe) DialContext(context.Context, string, string) (net.Conn, error) {
	ours, theirs := net.Pipe()
	go p.server.Client(theirs)
	return ours, nil
}

// within opens a database of a model in this process.
func within(ctx context.Context, m *model.Server, name string) (*database, error) {
	server, err := tds.New(m.Open)
	if err != nil {
		return nil, err
	}
	connector, err := mssql.NewConnector("sqlserver://model@127.0.0.1?encrypt=disable&connection+timeout=0&app+name=dapper-mirror&database=" + url.QueryEscape(name))
	if err != nil {
		return nil, err
	}
	connector.Dialer = pipe{server}
	d, err := connect(ctx, connector, name)
	if err != nil {
		return nil, err
	}
	d.gone = server.Close
	return d, nil
}

// collationOf is that of a structure, or the server's own.
func collationOf(like *catalog.Catalog) string {
	if like != nil && like.Settings[vocab.Collation] != "" {
		return like.Settings[vocab.Collation]
	}
	return model.Collation
}

// defaultOf is the filegroup where things of a structure lie that say nothing; "" for PRIMARY.
func defaultOf(like *catalog.Catalog) string {
	if like == nil {
		return ""
	}
	return like.Settings[vocab.DefaultFilegroup]
}

// Scratch implements engine.Scratcher: a model of the server in this process, or a
// database beside a place.
func (e Engine) Scratch(ctx context.Context, where string, like *catalog.Catalog) (engine.Database, string, func() error, error) {
	switch where {
	case "", engine.ModelScratch:
		m := model.New()
		m.Implied = true
		m.Create("scratch", collationOf(like))
		m.Default("scratch", defaultOf(like))
		d, err := within(ctx, m, "scratch")
		if err != nil {
			return nil, "", nil, err
		}
		return d, "a model of SQL Server in this program, which is not a real server", d.Close, nil
	case engine.LocalScratch:
		return nil, "", nil, fmt.Errorf("%w: no SQL Server can be started on this machine; give --scratch model (a model of the server in this program) or --scratch PLACE (a database beside that place, removed afterwards)", engine.ErrNoScratch)
	}
	return e.beside(ctx, where, like)
}

// beside makes a database on the server of an address.
func (e Engine) beside(ctx context.Context, at string, like *catalog.Catalog) (engine.Database, string, func() error, error) {
	admin, err := e.Open(ctx, at, engine.OpenOptions{Write: true})
	if err != nil {
		return nil, "", nil, err
	}
	defer admin.Close()
	b := make([]byte, 6)
	_, _ = rand.Read(b)
	name := "dapper_mirror_scratch_" + hex.EncodeToString(b)
	if err := admin.Exec(ctx, "CREATE DATABASE "+name); err != nil {
		return nil, "", nil, fmt.Errorf("making a scratch database: %w", err)
	}
	drop := func() error {
		admin, err := e.Open(context.WithoutCancel(ctx), at, engine.OpenOptions{Write: true})
		if err == nil {
			defer admin.Close()
			err = admin.Exec(context.WithoutCancel(ctx), "DROP DATABASE "+name)
		}
		if err != nil {
			return fmt.Errorf("the scratch database %s could not be removed: %w", name, err)
		}
		return nil
	}
	u, err := url.Parse(at)
	if err != nil {
		return nil, "", nil, err
	}
	q := u.Query()
	q.Del("database")
	u.Path, u.RawQuery = "/"+name, q.Encode()
	d, err := e.Open(ctx, u.String(), engine.OpenOptions{Write: true})
	if err != nil {
		_ = drop()
		return nil, "", nil, err
	}
	for _, who := range writer.Principals(like) {
		if err := d.Exec(ctx, "CREATE USER "+vocab.Quote(who)+" WITHOUT LOGIN"); err != nil {
			d.Close()
			_ = drop()
			return nil, "", nil, fmt.Errorf("making a scratch database: %w", err)
		}
	}
	return d, "a scratch database on the server of the place", func() error { d.Close(); return drop() }, nil
}

// StandIn implements engine.StandIn; nothing is written back.
func (Engine) StandIn(ctx context.Context, databases []engine.DatabaseText, listen string, ready func(engine.Standing) error) error {
	m := model.New()
	m.Implied = true // filegroups and users are made by who makes a database
	var names []string
	for _, text := range databases {
		if slices.ContainsFunc(names, func(n string) bool { return strings.EqualFold(n, text.Database) }) {
			return fmt.Errorf("%s: two files are of the database %s, but for letter case; a server has one of a name", text.Name, text.Database)
		}
		m.Create(text.Database, model.Collation)
		if err := fillFrom(ctx, m, text); err != nil {
			return err
		}
		names = append(names, text.Database)
	}
	if len(names) == 0 {
		m.Create("port", model.Collation)
		names = []string{"port"}
	}
	m.Implied = false
	password := make([]byte, 12)
	_, _ = rand.Read(password)
	secret := hex.EncodeToString(password)
	m.Auth = func(l tds.Login) bool { return l.User == "sa" && l.Password == secret }
	server, err := tds.New(m.Open)
	if err != nil {
		return err
	}
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf("listening on %s: %w", listen, err)
	}
	defer server.Close()
	standing := engine.Standing{Listen: l.Addr().String(), User: "sa", Password: secret, Certificate: server.Certificate(), Databases: names}
	standing.Address = func(database, certificate string) string {
		u := url.URL{Scheme: "sqlserver", User: url.User("sa"), Host: l.Addr().String(), Path: "/" + database}
		if certificate != "" {
			u.RawQuery = url.Values{"certificate": {certificate}}.Encode()
		}
		return u.String()
	}
	if err := ready(standing); err != nil {
		l.Close()
		return err
	}
	stop := context.AfterFunc(ctx, func() { l.Close() })
	defer stop()
	err = server.Serve(l)
	if ctx.Err() != nil {
		return nil
	}
	return err
}

// fillFrom runs a text on a database of a model, rows and all.
func fillFrom(ctx context.Context, m *model.Server, text engine.DatabaseText) error {
	d, err := within(ctx, m, text.Database)
	if err != nil {
		return err
	}
	defer d.Close()
	units, _, err := unitsOf([]engine.TextFile{text.TextFile}, "")
	if err != nil {
		return err
	}
	return load(ctx, d, units, true, nil)
}

// CopyQuery implements engine.RowCopier.
func (Engine) CopyQuery(o *catalog.Object, limit int) string {
	if o.Kind != catalog.Table || o.Text(vocab.Current) != "" { // a history writes itself
		return ""
	}
	return writer.InsertLines(o, limit)
}

// CountQuery implements engine.RowCopier.
func (Engine) CountQuery(o *catalog.Object) string {
	if o.Kind != catalog.Table || o.Text(vocab.Current) != "" {
		return ""
	}
	return order.RowsWhere(vocab.Qualified(o), "", "").Count
}

// CopySettings implements engine.RowCopier.
func (Engine) CopySettings() (before, after []string) { return nil, nil }

// Orphans implements engine.RowCopier.
func (Engine) Orphans(table, key *catalog.Object, in *catalog.Catalog) (count, remove string) {
	for _, n := range key.Needs {
		if parent := in.Find(n.On); n.On.Kind == catalog.Table && !n.On.IsPart() && parent != nil {
			q := writer.Orphans(table, key, parent)
			return q.Count, strings.Replace(q.List, "SELECT * FROM", "DELETE c FROM", 1)
		}
	}
	return "", ""
}
