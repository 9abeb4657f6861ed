package demo

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"path/filepath"

	"dappermirror/internal/engine"
	"dappermirror/internal/place"
)

// InFolder makes both sides as files in a folder, and answers their names in
// it.
func InFolder(ctx context.Context, folder string) (dev, live string, w Words, err error) {
	eng := embedded()
	if w, err = wordsFor(eng); err != nil {
		return "", "", w, err
	}
	names := map[Side]string{Dev: "dev.db", Live: "live.db"}
	for side, file := range names {
		if err := build(ctx, eng, filepath.Join(folder, file), side); err != nil {
			return "", "", w, err
		}
	}
	return names[Dev], names[Live], w, nil
}

// build makes one side at an address, which may not be there yet.
func build(ctx context.Context, eng engine.Engine, address string, side Side) error {
	db, err := eng.Open(ctx, address, engine.OpenOptions{Write: true, Create: true})
	if err != nil {
		return fmt.Errorf("making the %s side: %w", side, err)
	}
	defer db.Close()
	return Build(ctx, eng, db, side)
}

// OnServer makes both sides as databases beside a place, and answers their
// addresses.
func OnServer(ctx context.Context, p *place.Place) (dev, live string, w Words, err error) {
	if w, err = wordsFor(p.Engine); err != nil {
		return "", "", w, err
	}
	admin, err := p.Open(ctx, engine.OpenOptions{Write: true})
	if err != nil {
		return "", "", w, err
	}
	defer admin.Close()
	at := map[Side]string{}
	for _, side := range []Side{Dev, Live} {
		name := "quillhaven_" + string(side)
		if err := admin.Exec(ctx, "CREATE DATABASE "+name); err != nil {
			return "", "", w, fmt.Errorf("creating the database %s: %w", name, err)
		}
		address, err := p.Secured(ctx)
		if err != nil {
			return "", "", w, err
		}
		u, err := url.Parse(address)
		if err != nil {
			return "", "", w, err
		}
		u.Path = "/" + name
		if err := build(ctx, p.Engine, u.String(), side); err != nil {
			return "", "", w, err
		}
		at[side] = u.String()
	}
	return at[Dev], at[Live], w, nil
}

// Hidden gives two databases that want a password names, in a project file in a folder
// beside a file with the password, so that no command line shows it. Others stay as
// they are.
func Hidden(folder, dev, live string) (string, string, error) {
	u, err := url.Parse(dev)
	if err != nil || u.User == nil {
		return dev, live, err
	}
	secret, has := u.User.Password()
	if !has {
		return dev, live, nil
	}
	if err := os.WriteFile(filepath.Join(folder, "password"), []byte(secret+"\n"), 0o600); err != nil {
		return dev, live, err
	}
	text := "places:\n"
	for i, address := range []string{dev, live} {
		v, err := url.Parse(address)
		if err != nil {
			return dev, live, err
		}
		v.User = url.User(v.User.Username())
		text += fmt.Sprintf("  %s:\n    at: %q\n    password: {file: password}\n", []Side{Dev, Live}[i], v)
	}
	return string(Dev), string(Live), os.WriteFile(filepath.Join(folder, "dapper-mirror.yaml"), []byte(text), 0o644)
}
