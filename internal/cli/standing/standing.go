// Package standing has the command that answers in place of a server that is not at
// hand.
package standing

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/engine"
	"dappermirror/internal/place/unpack"
	"dappermirror/internal/work"
)

// Command is the command standin. It prints to out at once, as it does not end by itself.
func Command(out io.Writer) *cobra.Command {
	var listen, keys string
	cmd := &cobra.Command{
		Use:   "standin ENGINE [FOLDER]",
		Short: "Run a small stand-in for a server that is not at hand",
		Long: `Answers clients as the server would: the protocol with TLS and a login, the catalog,
DDL with what the server refuses, and rows as far as checks, fills, saves and rebuilds
need them. What it does not know it refuses. It is a model, not the server: what works
here has still to be seen on a real one.

Each .sql file of FOLDER becomes a database of its name, which is held in memory and
never written back; without a folder there is one empty database, port.

Whoever connects needs the password and verifies the certificate, which are written to
the folder of --keys and go when the stand-in ends. What it prints is a project file
with its places.`,
		Example: "  dapper-mirror standin sqlserver\n  dapper-mirror standin sqlserver databases/ --listen 127.0.0.1:14330 --keys keys/",
		Args:    cobra.RangeArgs(1, 2),
		RunE: func(cmd *cobra.Command, args []string) error {
			e, err := engine.Named(args[0])
			if err != nil {
				e = engine.ForScheme(args[0])
			}
			s, ok := e.(engine.StandIn)
			if !ok {
				return work.Troubled("engine", "there is no stand-in for %s; there is one for %s", args[0], standins())
			}
			folder := ""
			if len(args) == 2 {
				folder = args[1]
			}
			dir := keys
			if dir == "" {
				if dir, err = os.MkdirTemp("", "dapper-mirror-standin-"); err != nil {
					return work.Troubled("write", "%w", err)
				}
				defer os.RemoveAll(dir)
			} else if err := os.Mkdir(dir, 0o700); err != nil && !errors.Is(err, os.ErrExist) {
				return work.Troubled("write", "%w", err)
			}
			if dir, err = filepath.Abs(dir); err != nil { // what is printed is used from other folders too
				return work.Troubled("write", "%w", err)
			}
			secret, certificate := filepath.Join(dir, "password"), filepath.Join(dir, "certificate.pem")
			var made []string // which go at the end; what was there stays
			defer func() {
				for _, f := range made {
					os.Remove(f)
				}
			}()
			databases, done, err := databasesOf(cmd.Context(), folder)
			defer done()
			if err != nil {
				return work.Troubled("standin", "%w", err)
			}
			err = s.StandIn(cmd.Context(), databases, listen, func(st engine.Standing) error {
				if err := written(secret, []byte(st.Password+"\n"), 0o600); err != nil {
					return err
				}
				made = append(made, secret)
				if err := written(certificate, st.Certificate, 0o644); err != nil {
					return err
				}
				made = append(made, certificate)
				fmt.Fprintf(out, "# A stand-in for %s answers on %s until it is ended.\nplaces:\n", e.Title(), st.Listen)
				for _, name := range st.Databases {
					fmt.Fprintf(out, "  %s:\n    at: %s\n    password: {file: %s}\n", word(name), word(st.Address(name, certificate)), word(secret))
				}
				return nil
			})
			if err != nil {
				return work.Troubled("standin", "%w", err)
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:0", "the address to listen on; port 0 is any free one")
	cmd.Flags().StringVar(&keys, "keys", "", "the folder for the password and the certificate (a temporary one where it is not given)")
	return cmd
}

// databasesOf are the .sql files of a folder, each a database, without what they are packed
// in: the editors of some servers write UTF-16. done closes them.
func databasesOf(ctx context.Context, folder string) (list []engine.DatabaseText, done func(), err error) {
	var open []io.Closer
	done = func() {
		for _, f := range open {
			f.Close()
		}
	}
	if folder == "" {
		return nil, done, nil
	}
	files, err := os.ReadDir(folder)
	if err != nil {
		return nil, done, fmt.Errorf("%s: it is no folder that can be read: %w", folder, err)
	}
	for _, file := range files {
		name, ok := strings.CutSuffix(file.Name(), ".sql")
		if !ok || file.IsDir() {
			continue
		}
		path := filepath.Join(folder, file.Name())
		f, err := os.Open(path)
		if err != nil {
			return nil, done, err
		}
		text, err := unpack.New(ctx, f)
		if err != nil {
			return nil, done, fmt.Errorf("%s: %w", path, err)
		}
		open = append(open, text)
		list = append(list, engine.DatabaseText{Database: name, TextFile: engine.TextFile{Name: path, Reader: text}})
	}
	return list, done, nil
}

// written writes a file that is not there yet.
func written(file string, data []byte, mode os.FileMode) error {
	f, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, mode)
	if errors.Is(err, os.ErrExist) {
		return fmt.Errorf("%s is there already; name another folder with --keys, or remove it", file)
	}
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return errors.Join(err, f.Close())
}

var plain = regexp.MustCompile(`^[A-Za-z_/.][A-Za-z0-9_/.:@?=%&+-]*$`)

// word writes a text in YAML.
func word(s string) string {
	if plain.MatchString(s) {
		return s
	}
	return strconv.Quote(s)
}

// standins are the engines that have a stand-in.
func standins() string {
	var out []string
	for _, e := range engine.All() {
		if _, ok := e.(engine.StandIn); ok {
			out = append(out, e.Name())
		}
	}
	return strings.Join(out, ", ")
}
