package sqlserver

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	mssql "github.com/microsoft/go-mssqldb"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlserver/text"
	"dappermirror/internal/engine/texts"
	"dappermirror/internal/standin/model"
)

var signs = []texts.Sign{
	{Text: "\ngo\n", Weight: 30}, {Text: "set ansi_nulls on", Weight: 40}, {Text: "set quoted_identifier on", Weight: 40}, {Text: "[dbo].", Weight: 40}, {Text: "dbo.", Weight: 15}, {Text: "sp_addextendedproperty", Weight: 40}, {Text: "object_id(n'", Weight: 40},
	{Text: "nvarchar(", Weight: 20}, {Text: "identity(", Weight: 15}, {Text: "identity primary", Weight: 15}, {Text: "uniqueidentifier", Weight: 15}, {Text: "primary key clustered", Weight: 30}, {Text: "datetime2", Weight: 20}, {Text: "set xact_abort", Weight: 40}, {Text: "nonclustered", Weight: 20},
	{Text: "] [", Weight: 15}, {Text: "getdate()", Weight: 20}, {Text: "varbinary(max)", Weight: 30}, {Text: "varchar(max)", Weight: 30}, {Text: "for [", Weight: 5}, {Text: "sysname", Weight: 10}, {Text: " begin transaction", Weight: 3}, {Text: "with schemabinding", Weight: 30},
}

// Speaks implements engine.TextReader.
func (Engine) Speaks(beginning string) int { return texts.Signs(beginning, signs) }

// ReadText implements engine.TextReader: the texts are run on a model of the server.
func (Engine) ReadText(ctx context.Context, files []engine.TextFile, opt engine.TextOptions) (*catalog.Catalog, error) {
	units, name, err := unitsOf(files, opt.Database)
	if err != nil {
		return nil, err
	}
	if name == "" || slices.Contains(text.Served, strings.ToLower(name)) {
		name = "text"
	}
	m := model.New()
	m.Implied, m.Quiet = true, true
	m.Create(name, collationOf(opt.Like))
	m.Default(name, defaultOf(opt.Like))
	d, err := within(ctx, m, name)
	if err != nil {
		return nil, err
	}
	defer d.Close()
	var ran []texts.Parsed
	passed := map[string]bool{}
	var gaps []catalog.Gap
	if err := load(ctx, d, units, false, func(u text.Unit) {
		if u.Why == "" {
			ran = append(ran, u.Parsed)
		} else if !passed[u.Why] {
			passed[u.Why] = true
			gaps = append(gaps, catalog.Gap{Why: fmt.Sprintf("%s: %s was passed over: it is about more than the structure of this database", u.Origin, u.Why)})
		}
	}); err != nil {
		return nil, err
	}
	c, err := d.Read(ctx)
	if err != nil {
		return nil, err
	}
	c.Gaps = append(c.Gaps, gaps...)
	texts.Locate(c, ran)
	return c, nil
}

// missing are the numbers of errors that a thing is not there, which a later
// statement may make.
var missing = map[int32]bool{208: true, 1088: true, 1921: true, 1767: true, 1776: true, 2715: true, 2760: true, 4121: true, 4902: true, 8197: true, 15135: true, 15151: true, 15225: true, 1750: true, 3701: true, 195: true, 4917: true, 33268: true, 33284: true, 7641: true, 7653: true, 9967: true, 6343: true, 6332: true, 12008: true}

// unitsOf cuts texts into what is of one database, the only one where none is named, and
// answers the name that they call it by.
func unitsOf(files []engine.TextFile, database string) ([]text.Unit, string, error) {
	var all []text.Unit
	for _, f := range files {
		units, err := text.Cut(f)
		if err != nil {
			return nil, "", err
		}
		all = append(all, units...)
	}
	all, err := text.Of(all, database)
	if i := slices.IndexFunc(all, func(u text.Unit) bool { return u.Database != "" && u.Action.Runs() }); err == nil && i >= 0 {
		database = all[i].Database
	}
	return all, database, err
}

// load runs the units of texts on a database, each in its place or, where something is not
// there yet, after what makes it. rows are brought too where they are wanted.
func load(ctx context.Context, d *database, queue []text.Unit, rows bool, seen func(text.Unit)) error {
	inForce := ""
	for len(queue) > 0 {
		var left []text.Unit
		var first error
		coming := map[string]int{}
		for _, u := range queue {
			coming[key(u.Makes)]++
		}
		for _, u := range queue {
			if err := ctx.Err(); err != nil {
				return err
			}
			if u.Waits != nil && coming[key(u.Waits)] > 0 {
				left = append(left, u)
				continue
			}
			if u.Why != "" && seen != nil {
				seen(u)
			}
			if u.Action == texts.Pass && !(u.Rows && rows) || u.Times == 0 {
				continue
			}
			if s := strings.Join(u.Settings, " "); s != inForce { // it may run later than where it stands
				if _, err := d.conn.ExecContext(ctx, s); err != nil {
					return explain(err)
				}
				inForce = s
			}
			again, err := try(ctx, d, u)
			if u.Changes {
				inForce = ""
			}
			switch {
			case err == nil:
				coming[key(u.Makes)]--
				if seen != nil {
					seen(u)
				}
			case again:
				if first == nil {
					first = err
				}
				left = append(left, u)
			default:
				return err
			}
		}
		switch {
		case len(left) < len(queue):
		case first != nil:
			return first
		default: // they wait for each other, which no text of a server does
			for i := range left {
				left[i].Waits = nil
			}
		}
		queue = left
	}
	return nil
}

// key is what a thing is known by among those that texts make.
func key(m *texts.Made) string {
	if m == nil {
		return ""
	}
	return strings.ToLower(m.Schema + "\x00" + m.Name + "\x00" + m.Part)
}

// most is how often a batch may run (GO 100).
const most = 100_000

// try runs a unit whole or not at all; again tells that it may run later.
func try(ctx context.Context, d *database, u text.Unit) (again bool, err error) {
	if u.Times > most {
		return false, fmt.Errorf("%s: this batch is to run %d times, more than the %d that are followed%s", u.Origin, u.Times, most, text.Near(u.Statement.SQL))
	}
	for range u.Times {
		if _, err = d.conn.ExecContext(ctx, u.Statement.SQL); err != nil {
			break
		}
	}
	if err == nil {
		return false, nil
	}
	var e mssql.Error
	if !errors.As(err, &e) {
		return false, explain(err)
	}
	if _, rb := d.conn.ExecContext(ctx, "IF @@TRANCOUNT > 0 ROLLBACK TRANSACTION"); rb != nil {
		return false, explain(rb)
	}
	at := u.Origin
	if line := int(e.LineNo); line > 1 {
		at.Line, at.Column = at.Line+line-1, 1
	}
	return u.Times == 1 && missing[e.All[0].Number], fmt.Errorf("%s: %w%s", at, explain(err), text.Near(u.Statement.SQL))
}

// Grammar implements texts.Speaker.
func (Engine) Grammar() texts.Grammar { return text.Grammar }
