package mysql

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	driver "github.com/go-sql-driver/mysql"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/mysql/reader"
	"dappermirror/internal/engine/mysql/vocab"
)

// Claim implements engine.Claimer. The lock goes with the session.
func (d *database) Claim(ctx context.Context) error {
	h := sha256.Sum256([]byte(d.name))
	var got sql.NullInt64
	if err := d.conn.QueryRowContext(ctx, "SELECT GET_LOCK("+vocab.Literal("dapper-mirror "+hex.EncodeToString(h[:12]))+", 0)").Scan(&got); err != nil {
		return explain(err)
	}
	if got.Int64 != 1 {
		return engine.ErrClaimed
	}
	return nil
}

// Identity implements engine.Identifier.
func (d *database) Identity(ctx context.Context) (string, error) {
	var id string
	if err := d.conn.QueryRowContext(ctx, "SELECT concat_ws('/', @@hostname, @@port, @@datadir, database())").Scan(&id); err != nil {
		return "", explain(err)
	}
	return id, nil
}

// Describe implements engine.Describer.
func (d *database) Describe(ctx context.Context) (engine.About, error) {
	var a engine.About
	var version string
	if err := d.conn.QueryRowContext(ctx, "SELECT VERSION(), CURRENT_USER()").Scan(&version, &a.Account); err != nil {
		return a, explain(err)
	}
	if a.Server = "MySQL " + version; d.maria {
		a.Server = "MariaDB " + version
	}
	var name, tls, cipher string
	err := d.conn.QueryRowContext(ctx, "SHOW SESSION STATUS LIKE 'Ssl_version'").Scan(&name, &tls)
	if err == nil {
		err = d.conn.QueryRowContext(ctx, "SHOW SESSION STATUS LIKE 'Ssl_cipher'").Scan(&name, &cipher)
	}
	if a.TLS = tls + ", " + cipher; err != nil || tls == "" {
		a.TLS = "not encrypted"
	}
	return a, nil
}

// LockLimit implements engine.Limiter; the server counts in whole seconds.
func (d *database) LockLimit(t time.Duration) string {
	s := max(int((t+time.Second-1)/time.Second), 1)
	return fmt.Sprintf("SET SESSION lock_wait_timeout = %d, innodb_lock_wait_timeout = %d", s, s)
}

// StepLimit implements engine.Limiter. MySQL limits SELECT only.
func (d *database) StepLimit(t time.Duration) string {
	if !d.maria {
		return ""
	}
	return fmt.Sprintf("SET SESSION max_statement_time = %.3f", max(t.Seconds(), 0.001))
}

// Mark implements engine.Marker by what the server prints of the things.
func (d *database) Mark(ctx context.Context, things []catalog.Ref) (string, error) {
	h := sha256.New()
	for _, t := range things {
		texts, err := d.texts(ctx, t)
		if err != nil {
			return "", err
		}
		fmt.Fprintf(h, "%s\x00%q\x00", t, texts)
	}
	return hex.EncodeToString(h.Sum(nil)[:10]), nil
}

// shows prints the definition of a thing of a kind.
var shows = map[catalog.Kind]string{catalog.Table: "TABLE", catalog.View: "VIEW", catalog.Sequence: "SEQUENCE", vocab.Event: "EVENT", vocab.Package: "PACKAGE", vocab.PackageBody: "PACKAGE BODY"}

func (d *database) texts(ctx context.Context, r catalog.Ref) ([]string, error) {
	switch r.Kind {
	case vocab.Database:
		return d.show(ctx, "SHOW CREATE DATABASE "+vocab.Quote(d.name))
	case vocab.Grant:
		account, _, _ := strings.Cut(r.Name, " on ")
		return d.show(ctx, "SHOW GRANTS FOR "+account)
	case catalog.Routine:
		f, err := d.show(ctx, "SHOW CREATE FUNCTION "+vocab.Quote(r.Name))
		if err != nil || f != nil {
			return f, err
		}
		return d.show(ctx, "SHOW CREATE PROCEDURE "+vocab.Quote(r.Name))
	}
	word := shows[r.Kind]
	if word == "" {
		return nil, nil
	}
	out, err := d.show(ctx, "SHOW CREATE "+word+" "+vocab.Quote(r.Name))
	if err != nil || r.Kind != catalog.Table {
		return out, err
	}
	for i := range out {
		out[i] = reader.WithoutCounter(out[i])
	}
	triggers, err := d.show(ctx, "SHOW TRIGGERS WHERE `Table` = "+vocab.Literal(r.Name))
	return append(out, triggers...), err
}

// missing are the errors that say that a thing is not there.
var missing = []uint16{1146, 1305, 1539, 1360, 1141, 4091, 1347, 1964, 1269, 1133}

// show answers everything the server prints, but for times.
func (d *database) show(ctx context.Context, query string) ([]string, error) {
	rows, err := d.conn.QueryContext(ctx, query)
	var my *driver.MySQLError
	if errors.As(err, &my) && slices.Contains(missing, my.Number) {
		return nil, nil
	}
	if err != nil {
		return nil, explain(err)
	}
	defer rows.Close()
	cols, err := rows.Columns()
	if err != nil {
		return nil, explain(err)
	}
	values := make([]sql.NullString, len(cols))
	into := make([]any, len(cols))
	for i := range values {
		into[i] = &values[i]
	}
	var out []string
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return nil, explain(err)
		}
		for i, v := range values {
			if !strings.EqualFold(cols[i], "created") {
				out = append(out, v.String)
			}
		}
	}
	if err := rows.Err(); err != nil {
		return nil, explain(err)
	}
	return out, nil
}

// granted reads one line of SHOW GRANTS.
var granted = regexp.MustCompile("(?i)^GRANT (.+) ON (?:TABLE )?(`[^`]*`|\\*)\\.(`[^`]*`|\\*) TO ")

// needs are the privileges for making, changing and dropping a thing of a
// kind (MariaDB: GRANT).
var needs = map[catalog.Kind][3]string{
	catalog.Table: {"CREATE", "ALTER", "DROP"}, catalog.Sequence: {"CREATE", "ALTER", "DROP"}, catalog.View: {"CREATE VIEW", "CREATE VIEW", "DROP"},
	catalog.Routine: {"CREATE ROUTINE", "ALTER ROUTINE", "ALTER ROUTINE"}, vocab.Package: {"CREATE ROUTINE", "ALTER ROUTINE", "ALTER ROUTINE"},
	vocab.PackageBody: {"CREATE ROUTINE", "ALTER ROUTINE", "ALTER ROUTINE"}, vocab.Event: {"EVENT", "EVENT", "EVENT"}, vocab.Database: {"CREATE", "ALTER", "DROP"},
}

// Lacking implements engine.Inspector.
func (d *database) Lacking(ctx context.Context, work []engine.Work, _ string) ([]string, error) {
	lines, err := d.show(ctx, "SHOW GRANTS")
	if err != nil {
		return nil, err
	}
	type grant struct {
		rights map[string]bool
		table  string // "" for all of the database
	}
	var grants []grant
	for _, l := range lines {
		m := granted.FindStringSubmatch(l)
		if m == nil {
			continue
		}
		name := func(s string) string {
			return strings.NewReplacer("``", "`", `\_`, "_", `\%`, "%").Replace(strings.Trim(s, "`"))
		}
		if m[2] != "*" && !matches(strings.Trim(m[2], "`"), d.name) {
			continue
		}
		g := grant{rights: map[string]bool{}}
		if m[3] != "*" {
			g.table = name(m[3])
		}
		for _, r := range strings.Split(m[1], ",") {
			g.rights[strings.ToUpper(strings.TrimSpace(r))] = true
		}
		grants = append(grants, g)
	}
	may := func(right, table string) bool {
		for _, g := range grants {
			if (g.rights[right] || g.rights["ALL PRIVILEGES"]) && (g.table == "" || g.table == table) {
				return true
			}
		}
		return false
	}
	var out []string
	say := func(right string, on catalog.Ref) {
		if s := right + " on " + on.Name; !may(right, on.Name) && !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	for _, w := range work {
		if w.Locks {
			say("LOCK TABLES", w.On)
		}
		n, ok := needs[w.On.Kind]
		switch {
		case !ok:
		case w.Creates:
			say(n[0], w.On)
		case w.Drops:
			say(n[2], w.On)
		case w.Part == catalog.Trigger:
			say("TRIGGER", w.On)
		default:
			say(n[1], w.On)
		}
	}
	return out, nil
}

// matches tells whether a database is meant by a pattern of GRANT, in which _
// and % stand for any character and any characters unless a backslash says
// otherwise.
func matches(pattern, name string) bool {
	var b strings.Builder
	b.WriteString("^")
	for i := 0; i < len(pattern); i++ {
		switch c := pattern[i]; {
		case c == '\\' && i+1 < len(pattern):
			i++
			b.WriteString(regexp.QuoteMeta(pattern[i : i+1]))
		case c == '_':
			b.WriteString(".")
		case c == '%':
			b.WriteString(".*")
		default:
			b.WriteString(regexp.QuoteMeta(pattern[i : i+1]))
		}
	}
	re, err := regexp.Compile(b.String() + "$")
	return err == nil && re.MatchString(name)
}
