package mysql

import (
	"context"
	"fmt"
	"net/url"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/local"
	"dappermirror/internal/engine/mysql/text"
	"dappermirror/internal/engine/mysql/vocab"
	"dappermirror/internal/engine/texts"
)

// ReadText implements engine.TextReader.
func (e Engine) ReadText(ctx context.Context, files []engine.TextFile, opt engine.TextOptions) (*catalog.Catalog, error) {
	return texts.Read(ctx, files, text.Grammar, opt.Database, func(ctx context.Context, all []texts.Parsed) (texts.Server, func() error, error) {
		room, remove, err := e.room(ctx, opt)
		if err != nil {
			return nil, nil, err
		}
		return text.NewServer(*room, all, opt.Whole), remove, nil
	})
}

// Speaks implements engine.TextReader.
func (Engine) Speaks(beginning string) int { return texts.Signs(beginning, text.Signs) }

// Grammar implements texts.Speaker.
func (Engine) Grammar() texts.Grammar { return text.Grammar }

// Founded implements engine.Founder: a database has defaults.
func (e Engine) Founded() *catalog.Catalog {
	c := e.Blank()
	o := &catalog.Object{Kind: vocab.Database, Name: "defaults"}
	o.Set("charset", catalog.Scalar(""))
	o.Set("collation", catalog.Scalar(""))
	c.Add(o)
	return c
}

// room makes a scratch database with an ordinary account for it.
func (e Engine) room(ctx context.Context, opt engine.TextOptions) (room *text.Room, remove func() error, err error) {
	address, release := opt.Scratch, func() error { return nil }
	switch opt.Scratch {
	case "":
		return nil, nil, fmt.Errorf("%w: texts of MariaDB and MySQL are run in one to be read; give --scratch local (a throw-away server on this machine) or --scratch PLACE (a database beside that place, removed afterwards)", engine.ErrNoScratch)
	case engine.LocalScratch:
		lease, err := e.rent(ctx, opt.Like, "texts")
		if err != nil {
			return nil, nil, err
		}
		address, release = lease.Address, lease.Release
	}
	opened, name, err := e.beside(ctx, address)
	if err != nil {
		_ = release()
		return nil, nil, err
	}
	raised := opened.(*database)
	room = &text.Room{Database: name, Accounts: opt.Scratch == engine.LocalScratch, Read: raised.Read}
	var plain, single engine.Database
	undo := func() error {
		for _, db := range []engine.Database{plain, single} {
			if db != nil {
				db.Close()
			}
		}
		var also []string
		if room.Account != "" {
			also = append(also, "DROP USER IF EXISTS "+room.Account)
		}
		err := e.dropScratch(address, name, raised, also...)
		if e := release(); err == nil {
			err = e
		}
		return err
	}
	defer func() {
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			_ = undo()
		}
	}()
	calm, cancel := local.Calm(ctx)
	defer cancel()
	if err = raised.Exec(calm, "ALTER DATABASE "+text.Defaults(opt.Like)); err != nil {
		return nil, nil, err
	}
	u, err := url.Parse(address)
	if err != nil {
		return nil, nil, err
	}
	u.Path = "/" + name
	if single, err = e.Open(calm, u.String(), engine.OpenOptions{Write: true, Single: true}); err != nil {
		return nil, nil, err
	}
	if plain, err = e.admit(calm, room, raised, address); err != nil {
		return nil, nil, err
	}
	room.Raised, room.Plain = single.(*database).conn, single.(*database).conn
	if plain != nil {
		room.Plain = plain.(*database).conn
	}
	return room, undo, nil
}

// admit makes an ordinary account and logs in as it. Where none can be made the
// one that we have must be such itself: what could read files is not to run what
// somebody else wrote.
func (e Engine) admit(ctx context.Context, room *text.Room, raised *database, address string) (engine.Database, error) {
	var host string
	if err := raised.conn.QueryRowContext(ctx, "SELECT SUBSTRING_INDEX(USER(), '@', -1)").Scan(&host); err != nil {
		return nil, explain(err)
	}
	name, password := "dm_"+strings.TrimPrefix(room.Database, "dapper_mirror_"), random()+"#A1"
	account := vocab.Literal(name) + "@" + vocab.Literal(host)
	if err := raised.Exec(ctx, "CREATE USER "+account+" IDENTIFIED BY "+vocab.Literal(password)); err != nil {
		var mighty int
		query := "SELECT COUNT(*) FROM information_schema.USER_PRIVILEGES WHERE PRIVILEGE_TYPE IN ('FILE', 'SUPER', 'SET USER', 'SYSTEM_USER', 'SET_USER_ID')"
		if e := raised.conn.QueryRowContext(ctx, query).Scan(&mighty); e != nil || mighty > 0 {
			return nil, fmt.Errorf("the account may do more than a text is to be run with, and an ordinary one cannot be made (%w); name a place whose account may only make databases", err)
		}
		return nil, nil
	}
	room.Account = account
	if err := raised.Exec(ctx, "GRANT ALL PRIVILEGES ON "+vocab.Quote(room.Database)+".* TO "+account); err != nil {
		return nil, err
	}
	u, err := url.Parse(address)
	if err != nil {
		return nil, err
	}
	u.User, u.Path = url.UserPassword(name, password), "/"+room.Database
	return e.Open(ctx, u.String(), engine.OpenOptions{Write: true, Single: true})
}

// answers tells why no server answers at an address.
func (e Engine) answers(ctx context.Context, address string) error {
	db, err := e.Open(ctx, address, engine.OpenOptions{})
	if err == nil {
		err = db.Close()
	}
	return err
}
