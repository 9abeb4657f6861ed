package mysql

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"net/url"
	"path/filepath"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/local"
	"dappermirror/internal/engine/mysql/vocab"
)

// Scratch implements engine.Scratcher.
func (e Engine) Scratch(ctx context.Context, where string, like *catalog.Catalog) (engine.Database, string, func() error, error) {
	address, stop := where, func() error { return nil }
	switch where {
	case "":
		return nil, "", nil, fmt.Errorf("%w: give --scratch local (a throw-away server on this machine) or --scratch PLACE (a database beside that place, removed afterwards)", engine.ErrNoScratch)
	case engine.ModelScratch:
		return nil, "", nil, fmt.Errorf("%w: there is no model of this server; give --scratch local or --scratch PLACE", engine.ErrNoScratch)
	case engine.LocalScratch:
		lease, err := e.rent(ctx, like, "rehearsals")
		if err != nil {
			return nil, "", nil, err
		}
		address, stop = lease.Address, lease.Release
	}
	db, name, err := e.beside(ctx, address)
	if err != nil {
		stop()
		return nil, "", nil, err
	}
	about := "a scratch database on " + like.Version
	if where == engine.LocalScratch {
		about = "a throw-away server on this machine"
	}
	return db, about, func() error {
		err := e.dropScratch(address, name, db)
		if e := stop(); err == nil {
			err = e
		}
		return err
	}, nil
}

// foldingNames is the variant of a server that keeps the names of tables in small
// letters.
const foldingNames = "folding"

// rent answers a throw-away server that takes names as the one that was read does:
// one that an earlier call left, or a new one.
func (e Engine) rent(ctx context.Context, like *catalog.Catalog, purpose string) (local.Lease, error) {
	variant := ""
	if like != nil && like.Engine == e.Name() && folding(like) == "1" {
		variant = foldingNames
	}
	return local.Rent(ctx, local.Key(e.Name(), variant, purpose), e.answers, func(ctx context.Context) (string, func() error, error) { return e.StartLocal(ctx, variant) })
}

// StartLocal implements engine.Starter.
func (Engine) StartLocal(ctx context.Context, variant string) (string, func() error, error) {
	server, err := local.Find("mariadbd", "/usr/sbin", "/usr/libexec", "/usr/local/mysql/bin")
	if err != nil {
		return "", nil, err
	}
	install, err := local.Find("mariadb-install-db", "/usr/bin", "/usr/local/mysql/scripts")
	if err != nil {
		return "", nil, err
	}
	s, err := local.New("mysql")
	if err != nil {
		return "", nil, err
	}
	data, socket := filepath.Join(s.Dir, "data"), filepath.Join(s.Dir, "s")
	if err := s.Run(ctx, install, "--no-defaults", "--datadir="+data, "--skip-test-db", "--auth-root-authentication-method=normal"); err != nil {
		s.Stop()
		return "", nil, err
	}
	address := (&url.URL{Scheme: "mariadb", User: url.User("root"), Path: "/mysql", RawQuery: "socket=" + socket}).String()
	ready := func(ctx context.Context) error { return Engine{}.answers(ctx, address) }
	options := []string{"--no-defaults", "--datadir=" + data, "--socket=" + socket, "--skip-networking", "--pid-file=" + filepath.Join(s.Dir, "pid"), "--innodb-flush-log-at-trx-commit=0",
		"--innodb-flush-method=nosync", "--event-scheduler=OFF"}
	if variant == foldingNames {
		options = append(options, "--lower-case-table-names=1")
	}
	if err := s.Start(ctx, ready, server, options...); err != nil {
		s.Stop()
		return "", nil, err
	}
	return address, s.Stop, nil
}

// beside makes a database on the server of an address and opens it.
func (e Engine) beside(ctx context.Context, address string) (engine.Database, string, error) {
	admin, err := e.Open(ctx, address, engine.OpenOptions{Write: true})
	if err != nil {
		return nil, "", err
	}
	defer admin.Close()
	ctx, cancel := local.Calm(ctx)
	defer cancel()
	name := "dapper_mirror_scratch_" + random()
	if err := admin.Exec(ctx, "CREATE DATABASE "+name); err != nil {
		return nil, "", fmt.Errorf("making a scratch database: %w", err)
	}
	u, err := url.Parse(address)
	if err == nil {
		u.Path = "/" + name
		var db engine.Database
		if db, err = e.Open(ctx, u.String(), engine.OpenOptions{Write: true}); err == nil {
			return db, name, nil
		}
	}
	_ = e.dropScratch(address, name, nil)
	return nil, "", err
}

// random are letters that nobody else has thought of.
func random() string {
	b := make([]byte, 6)
	_, _ = rand.Read(b)
	return hex.EncodeToString(b)
}

// dropScratch drops a scratch database, and runs what else is to be done then,
// over a connection of its own: the others may have been given up.
func (e Engine) dropScratch(address, name string, db engine.Database, also ...string) error {
	if db != nil {
		db.Close()
	}
	ctx, cancel := local.Calm(context.Background())
	defer cancel()
	admin, err := e.Open(ctx, address, engine.OpenOptions{Write: true})
	if err == nil {
		defer admin.Close()
		for _, sql := range append([]string{"DROP DATABASE IF EXISTS " + name}, also...) {
			if err = admin.Exec(ctx, sql); err != nil {
				break
			}
		}
	}
	if err != nil {
		return fmt.Errorf("the scratch database %s could not be removed: %w", name, err)
	}
	return nil
}

// CopyQuery implements engine.RowCopier.
func (Engine) CopyQuery(o *catalog.Object, limit int) string {
	q := ""
	if o.Kind == catalog.Table {
		q = insertLines(o)
	}
	if q == "" {
		return ""
	}
	return fmt.Sprintf("%s LIMIT %d", q, limit)
}

// CountQuery implements engine.RowCopier.
func (Engine) CountQuery(o *catalog.Object) string {
	if o.Kind != catalog.Table || insertLines(o) == "" {
		return ""
	}
	return order.RowsWhere(vocab.Quote(o.Name), "", "").Count
}

// CopySettings implements engine.RowCopier.
func (Engine) CopySettings() (before, after []string) {
	return []string{"SET @dapper_mirror_copy = @@SESSION.sql_mode, SESSION sql_mode = 'NO_AUTO_VALUE_ON_ZERO', SESSION time_zone = '+00:00', SESSION foreign_key_checks = 0;"},
		[]string{"SET SESSION sql_mode = @dapper_mirror_copy, SESSION foreign_key_checks = 1;"}
}

// Orphans implements engine.RowCopier.
func (Engine) Orphans(table, key *catalog.Object, in *catalog.Catalog) (count, remove string) {
	q := (&Writer{}).orphans(&order.Change{Actual: in, Desired: in}, table, key)
	if q == nil {
		return "", ""
	}
	return q.Count, strings.Replace(q.List, "SELECT * FROM", "DELETE c FROM", 1) + ";"
}
