// Package engine says what a database system must offer: a small interface
// every one has, and optional ones, in the manner of database/sql/driver.
package engine

import (
	"context"
	"errors"
	"fmt"
	"io"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
)

// Engine is one database system.
type Engine interface {
	// Name is its word in catalogs and scripts; it never changes.
	Name() string
	// Title is its name for people.
	Title() string
	// Schemes are the words its addresses begin with, the usual one first.
	Schemes() []string
	// Kinds are those it reads and writes.
	Kinds() *catalog.Kinds
	// Proven says on which servers the engine is tested.
	Proven() string
	// Groups are the facts that count only when they are asked for: "owners".
	Groups() []string
	// Blank is a structure of the engine with nothing in it.
	Blank() *catalog.Catalog
	// Dialect is how its SQL is taken apart.
	Dialect() sqltext.Dialect
	// Classes are the first words, or two, of its statements that are not
	// Lasting, in lower case.
	Classes() map[string]Class
	// Writer makes SQL of changes.
	Writer(opt WriteOptions) order.Writer
	// Frame is what stands around the steps of a script.
	Frame(plan *order.Plan) Frame
	// Definition lays an object out as SQL for people, a part to a line, the
	// same for every spelling of the same thing.
	Definition(o *catalog.Object) string
	// Open connects to a database.
	Open(ctx context.Context, address string, opt OpenOptions) (Database, error)
}

// WriteOptions are what the user says about writing.
type WriteOptions struct {
	// Fill is, by column, the SQL expression that gives existing rows a value.
	Fill map[catalog.Ref]string
	// Back says that the script is the way back of another one: what that
	// one put into new columns is no loss.
	Back bool
	// AvoidBlocking writes the variants that keep others working.
	AvoidBlocking bool
}

// Frame is the SQL around the steps.
type Frame struct {
	Client   []string // lines for the engine's own client, which stop it at the first error
	Settings []string // before the transaction
	Begin    string
	Guards   []string // first in the transaction
	Checks   []string // last in the transaction
	Commit   string
	Restore  []string // after it
	Before   string   // before each statement of a step in the transaction
	Apart    string   // before each statement of a step outside of it
	RunWith  string   // a command line that runs the script, %[1]s for the target, %[2]s for the file
	Notes    []string // what the header says about transactions and settings
	Lock     string   // the worst lock, in words
}

// OpenOptions say how to open a database.
type OpenOptions struct {
	Write  bool // it will be changed
	Create bool // it may not be there yet
	// LockWait is how long to wait for somebody else's lock.
	LockWait time.Duration
	// Single has the server take one statement at a time, where it would take
	// several in one text.
	Single bool
}

// Database is an open database.
type Database interface {
	// Read reads the structure, in one consistent view, changing nothing.
	Read(ctx context.Context) (*catalog.Catalog, error)
	// Exec runs one statement.
	Exec(ctx context.Context, sql string) error
	Close() error
}

// ClientSpeller is an Engine whose client does not take an address as it is.
type ClientSpeller interface {
	// ClientWords are the client's arguments for an address, without secrets.
	ClientWords(address string) []string
}

// Roles is an Engine whose scripts can act for another account.
type Roles interface {
	// As makes the statements run with the rights of the role, which the
	// account must be a member of.
	As(f *Frame, role string)
}

// TLS says how a connection is protected.
type TLS struct {
	// Mode is off, prefer, require, verify-ca or verify; "" for the engine's own.
	Mode          string
	CA, Cert, Key string // files
}

// Secured is an Engine whose servers want a password and TLS.
type Secured interface {
	// Secure adds a password, where it is not empty, and TLS to an address.
	Secure(address, password string, tls TLS) (string, error)
}

// Embedded is an Engine whose databases are files. Places that look like one
// are recognised by their contents.
type Embedded interface {
	// Head reads the beginning of a file, in a way that no lock of ours is lost
	// by it.
	Head(path string, n int) ([]byte, error)
	// Recognise tells whether a file that begins so is a database.
	Recognise(head []byte) bool
	// Endings are what its files' names usually end in: ".db".
	Endings() []string
	// Files are all files that a database is made of.
	Files(address string) []string
}

// Verifier is an Engine that can tell whether a structure that did not come
// from a server (a capture) holds nothing but what its kinds are made of.
type Verifier interface {
	// Verify fails, naming the thing, where a definition is not one closed
	// statement of its kind, or not the piece of one that it is meant to be.
	Verify(o *catalog.Object) error
}

// AsSQL tells whether a fact is written as SQL: by its form, or, as a capture can say anything,
// by its name.
func AsSQL(p *catalog.Property) bool {
	return p.Value.Form == catalog.FormSQL || sqlFacts[p.Name]
}

var sqlFacts = func() map[string]bool {
	m := map[string]bool{}
	for _, name := range []string{"type", "definition", "default", "expression", "body", "check", "on update", "partitions", "using", "with check", "start", "minimum", "maximum", "increment", "cache", "engine", "sql name",
		"replica identity", "partition by", "partition bound", "partition of", "of type", "tables", "column comments", "attributes", "subtype", "multirange type", "canonical", "written", "written partitions"} {
		m[name] = true
	}
	return m
}()

// Fragments tells why a fact that is written as SQL is not a piece of one statement.
func Fragments(d sqltext.Dialect, p *catalog.Property) error {
	texts := p.Value.Items
	if p.Value.Items == nil {
		texts = []string{p.Value.String()}
	}
	for _, text := range texts {
		if err := sqltext.Fragment(d, text); err != nil {
			return err
		}
	}
	return nil
}

// VerifyEach verifies an object and its parts.
func VerifyEach(o *catalog.Object, verify func(kind catalog.Kind, name string, p *catalog.Property) error) error {
	check := func(x *catalog.Object, ref catalog.Ref) error {
		for i := range x.Properties {
			if err := verify(x.Kind, x.Name, &x.Properties[i]); err != nil {
				return fmt.Errorf("%s, %s: %w", ref, x.Properties[i].Name, err)
			}
		}
		return nil
	}
	if err := check(o, o.Ref()); err != nil {
		return err
	}
	for _, p := range o.Parts {
		if err := check(p, o.PartRef(p)); err != nil {
			return err
		}
	}
	return nil
}

// Namer is an Engine that finds out what the names in its definitions stand for.
type Namer interface {
	// Mark answers the structure with the names in its texts marked
	// (catalog.Piece); what it was given stays as it is.
	Mark(c *catalog.Catalog) *catalog.Catalog
}

// TextFile is one SQL text of a place.
type TextFile struct {
	Name   string
	Reader io.Reader
}

// Unifier is an Engine whose servers may compare names otherwise than each other.
type Unifier interface {
	// Folds tells whether things of the two sides may be one thing though their
	// names are written in other letters.
	Folds(source, target *catalog.Catalog) bool
	// Unify is the source with such things, and those given, known as the target
	// knows them. Both must have been read whole.
	Unify(source, target *catalog.Catalog, given []match.Given) (*catalog.Catalog, error)
}

// TextReader is an Engine that reads a structure from SQL texts.
type TextReader interface {
	// ReadText reads all texts together; their order does not matter where
	// the statements do not make it matter. Errors carry file:line:column.
	ReadText(ctx context.Context, files []TextFile, opt TextOptions) (*catalog.Catalog, error)
	// Speaks tells how surely a text that begins so is in the engine's SQL; 0
	// where nothing says so.
	Speaks(beginning string) int
}

// TextOptions say how texts are read.
type TextOptions struct {
	// Scratch is where an engine that runs them makes its scratch database:
	// LocalScratch or the address of a server.
	Scratch string
	// Database is the one of several that a text has; "" where it has one.
	Database string
	// Whole says that all of a database is in the texts: what they do not name is
	// not there.
	Whole bool
	// Like is the structure it is compared with, where that is known: what a text
	// leaves to its server is as there.
	Like *catalog.Catalog
}

// LazyReader is a Database that can leave objects and texts unread until they
// are wanted (catalog.Object.Unread, catalog.Value.Unread). Where the catalog
// has a Release, it reads from the database until that is called, which closes
// it.
type LazyReader interface {
	// script says that a script is to be written (compare.SettleForScript),
	// for which what needs what must be known.
	ReadLazy(ctx context.Context, script bool) (*catalog.Catalog, error)
}

// RowReader is a Database whose rows can be asked.
type RowReader interface {
	// Count runs a query that answers one number. It changes nothing and
	// gives up with ErrTime after the limit (0: none); a value that cannot
	// be converted is ErrValue.
	Count(ctx context.Context, query string, limit time.Duration) (int64, error)
	// Lines hands on the first column of every row of a query.
	Lines(ctx context.Context, query string, line func(string) error) error
}

// RowLister is an Engine whose rows can be listed for people.
type RowLister interface {
	// RowText is an expression that is a row as a JSON array: for each column null, or
	// an array of what the value is ("number", "text" or "binary"), its text (of
	// what is binary in hexadecimal), cut after so many letters, and how long it is.
	// names are those of the columns as they stand in a query. random is an expression
	// that is different for every row.
	RowText(columns []*catalog.Object, names []string, letters int) (expr, random string)
	// ColumnQuery answers for each column of a view, whose structure does not say it, a
	// JSON array: its name and type.
	ColumnQuery(schema, name string) string
}

// RowPager is a RowLister that ends a query otherwise than with LIMIT.
type RowPager interface {
	// RowTail orders rows by expressions, "" for none, and lets through so many.
	RowTail(order string, n int) string
}

// Measurer is an Engine that can be asked how large tables are.
type Measurer interface {
	// SizeQuery answers for each table a JSON array: its schema and name, how many rows
	// it has, and how many bytes with its indexes; -1 or null for what is not known.
	// counted tells whether the rows are counted, and not estimated.
	SizeQuery() (query string, counted bool)
}

// Identifier is a Database that can tell which one it is, whatever way led
// there.
type Identifier interface {
	Identity(ctx context.Context) (string, error)
}

// Describer is a Database that can tell what it is connected to.
type Describer interface {
	Describe(ctx context.Context) (About, error)
}

// About is what a connection leads to, in words.
type About struct {
	Server  string // with its version
	Account string
	TLS     string // how it is protected
}

// Claimer is a Database that can be claimed for one run at a time.
type Claimer interface {
	// Claim keeps others from running a script on it until the database is
	// closed; ErrClaimed says that somebody does.
	Claim(ctx context.Context) error
}

// Limiter is a Database whose session can be told how long to wait.
type Limiter interface {
	// LockLimit and StepLimit are statements that set how long a statement
	// may wait for a lock, and how long it may run; "" where the engine has
	// none such.
	LockLimit(d time.Duration) string
	StepLimit(d time.Duration) string
}

// Outcome is what became of a transaction.
type Outcome string

// The outcomes.
const (
	Committed  Outcome = "committed"
	Aborted    Outcome = "aborted"
	InProgress Outcome = "in progress"
	NotKnown   Outcome = "not known"
)

// Transactor is a Database that can tell what became of a transaction whose
// connection was lost.
type Transactor interface {
	// Transaction names the transaction that is open.
	Transaction(ctx context.Context) (string, error)
	// Outcome tells what became of one, on another connection.
	Outcome(ctx context.Context, id string) (Outcome, error)
}

// Marker is a Database whose statements commit one by one. It can tell by a
// short hash whether the things a statement touches are as they were.
type Marker interface {
	Mark(ctx context.Context, things []catalog.Ref) (string, error)
}

// LocalScratch asks for a throw-away server on this machine, ModelScratch for a model of
// a server in this program.
const (
	LocalScratch = "local"
	ModelScratch = "model"
)

// Scratcher is an Engine that can make a database for a rehearsal.
type Scratcher interface {
	// Scratch makes an empty one: in memory where the engine can; else where
	// it is told to, LocalScratch or the address of a server. like is the
	// structure it will hold. remove gives everything back.
	Scratch(ctx context.Context, where string, like *catalog.Catalog) (db Database, about string, remove func() error, err error)
}

// Founder is an Engine whose databases are not empty when they were just made.
type Founder interface {
	// Founded is what is in one, with facts that no other is equal to: whatever
	// a structure says of it is said anew.
	Founded() *catalog.Catalog
}

// Starter is an Engine that can start a throw-away server on this machine, from
// the programs that are installed.
type Starter interface {
	// StartLocal answers the address of one. variant tells servers of the engine
	// apart, in its own words: a version, a way to take names.
	StartLocal(ctx context.Context, variant string) (address string, stop func() error, err error)
}

// Standing is a stand-in server that answers.
type Standing struct {
	Listen         string // host and port
	User, Password string
	Certificate    []byte // in PEM, for clients that verify it
	Databases      []string
	// Address is that of a database as a place, without the password; certificate is
	// the file that holds the certificate.
	Address func(database, certificate string) string
}

// DatabaseText is the text of a database that a stand-in is to have.
type DatabaseText struct {
	Database string
	TextFile
}

// StandIn is an Engine that has a small stand-in for its server.
type StandIn interface {
	// StandIn answers clients until the context ends. Each text is a database of its name;
	// without any there is an empty one. ready is called when it listens.
	StandIn(ctx context.Context, databases []DatabaseText, listen string, ready func(Standing) error) error
}

// RowCopier is an Engine that can copy a few rows to rehearse on.
type RowCopier interface {
	// CopyQuery is a query whose rows are INSERT statements for the first
	// rows of a table; "" where it has none of its own.
	CopyQuery(table *catalog.Object, limit int) string
	// CountQuery counts the rows of a table; "" where it has none of its own.
	CountQuery(table *catalog.Object) string
	// CopySettings are statements for the session that takes them, and for
	// the end.
	CopySettings() (before, after []string)
	// Orphans counts and deletes the rows of a table whose parent was not
	// copied.
	Orphans(table, key *catalog.Object, in *catalog.Catalog) (count, remove string)
}

// Placer is an Engine that knows a value to stand in a column whose own were
// lost.
type Placer interface {
	// Placeholder is SQL for the emptiest value of a column's type; "" where
	// there is none.
	Placeholder(col *catalog.Object, in *catalog.Catalog) string
}

// Sizer is a Database that can tell how big tables are, and who is at work on
// them now.
type Sizer interface {
	Sizes(ctx context.Context, tables []catalog.Ref) (map[catalog.Ref]int64, error)
	Blockers(ctx context.Context, tables []catalog.Ref) ([]string, error)
}

// Work is what a script does to one object.
type Work struct {
	On      catalog.Ref
	Creates bool
	Drops   bool
	Part    catalog.Kind // the part that is changed, "" for the object itself
	Locks   bool         // the script locks it itself: a guard, or rows that are saved
}

// Inspector is a Database that can tell what its account may not do.
type Inspector interface {
	// Lacking lists what the account, or the role it acts for, lacks for the
	// work, in words.
	Lacking(ctx context.Context, work []Work, role string) ([]string, error)
}

// GuardState is the SQLSTATE a guard stops a script with, where the engine has
// such.
const GuardState = "DM001"

// Errors that every engine reports in the same way; test with errors.Is.
var (
	ErrNotFound = errors.New("it does not exist")
	ErrNotOurs  = errors.New("it is not such a database")
	ErrLocked   = errors.New("it is locked by another program")
	// ErrHalfWritten goes when the database is opened for writing.
	ErrHalfWritten = errors.New("a program was stopped while it wrote to it")
	ErrReadOnly    = errors.New("it cannot be written")
	ErrConnect     = errors.New("no connection")
	ErrTooOld      = errors.New("its server is too old")
	ErrDiskFull    = errors.New("there is no space left")
	ErrTime        = errors.New("it took too long")
	ErrValue       = errors.New("a value stands in the way")
	// ErrGuard says that rows came which a guard of the script is there for.
	ErrGuard   = errors.New("the rows are no longer as they were when the script was written")
	ErrClaimed = errors.New("another run is at work on it")
	// ErrNoScratch says that nobody named a place for a scratch database.
	ErrNoScratch = errors.New("a scratch database is needed and nobody said where")
	ErrUncertain = errors.New("it is not known whether the last step was kept")
)

// Remaker is an Engine that makes some columns anew when they get another type, as nothing
// converts what they hold: a value can be given for them then.
type Remaker interface {
	// Remakes tells whether that is so when the column was comes to be now.
	Remakes(was, now *catalog.Object) bool
}
