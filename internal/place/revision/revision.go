// Package revision reads files as a revision of a git repository has them,
// without touching its work tree.
package revision

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"strings"

	"github.com/go-git/go-git/v5"
	"github.com/go-git/go-git/v5/plumbing"
	"github.com/go-git/go-git/v5/plumbing/filemode"
	"github.com/go-git/go-git/v5/plumbing/object"

	"dappermirror/internal/files"
)

// At says where a file or folder is.
type At struct {
	Repository string // "" for the one we stand in
	Revision   string
	Path       string
	Database   string // the one of several in a text that is meant
}

// Parse reads "REV:PATH" or "REPO//REV:PATH".
func Parse(text string) (At, error) {
	var at At
	rest := text
	if i := strings.LastIndex(text, "//"); i > 0 && text[i-1] != ':' {
		at.Repository, rest = text[:i], text[i+2:]
	}
	rev, file, ok := strings.Cut(rest, ":")
	if !ok || rev == "" {
		return at, errors.New("write git:REVISION:PATH, as git:main:db, or git:REPOSITORY//REVISION:PATH")
	}
	if strings.HasPrefix(rev, "-") || strings.ContainsAny(rev, " \n\t") {
		return at, fmt.Errorf("%q is no revision", rev)
	}
	at.Revision = rev
	if i := strings.LastIndexByte(file, '#'); i > 0 {
		file, at.Database = file[:i], file[i+1:]
	}
	at.Path = file
	return at, nil
}

// File is a file of a revision.
type File struct {
	Name string // beneath the folder that was asked for
	Data []byte
}

// Found is what stands at a path: a file, or the files of a folder.
type Found struct {
	File     *File
	Files    []File
	Identity string // the same for all names of one revision
}

// The most that is taken into memory of one file, and of all.
const (
	mostOfFile = 256 << 20
	mostOfAll  = 1 << 30
)

// Read reads what stands at a path; of a folder the files that are wanted.
func Read(ctx context.Context, at At, wanted func(name string) bool) (*Found, error) {
	repo, base, done, err := open(ctx, at)
	if err != nil {
		return nil, err
	}
	defer done()
	rev := at.Revision
	if remote(at.Repository) {
		rev = "FETCH_HEAD"
	}
	hash, err := repo.ResolveRevision(plumbing.Revision(rev))
	if err != nil {
		return nil, fmt.Errorf("there is no revision %s (%w)", at.Revision, err)
	}
	commit, err := repo.CommitObject(*hash)
	if err != nil {
		return nil, fmt.Errorf("%s is no commit: %w", at.Revision, err)
	}
	tree, err := commit.Tree()
	if err != nil {
		return nil, err
	}
	name := path.Clean(path.Join(base, filepath.ToSlash(at.Path)))
	if strings.HasPrefix(name, "../") || name == ".." {
		return nil, fmt.Errorf("%s is outside of the repository", at.Path)
	}
	found := &Found{Identity: "git:" + hash.String() + ":" + name}
	if name != "." && name != "/" {
		entry, err := tree.FindEntry(name)
		if err != nil {
			return nil, fmt.Errorf("%s has no %s", at.Revision, name)
		}
		switch entry.Mode {
		case filemode.Regular, filemode.Executable, filemode.Deprecated:
			f, err := tree.File(name)
			if err != nil {
				return nil, err
			}
			data, err := contents(f)
			if err != nil {
				return nil, err
			}
			found.File = &File{name, data}
			return found, nil
		case filemode.Dir:
			if tree, err = tree.Tree(name); err != nil {
				return nil, err
			}
		default:
			return nil, fmt.Errorf("%s is neither a file nor a folder there, but a link or another repository", name)
		}
	}
	return found, collect(ctx, tree, wanted, found)
}

func collect(ctx context.Context, tree *object.Tree, wanted func(string) bool, found *Found) error {
	total := 0
	return tree.Files().ForEach(func(f *object.File) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		if !wanted(f.Name) || !f.Mode.IsRegular() && f.Mode != filemode.Executable || hidden(f.Name) {
			return nil
		}
		data, err := contents(f)
		if err != nil {
			return err
		}
		if total += len(data); total > mostOfAll {
			return fmt.Errorf("there are more than %d MB of files", mostOfAll>>20)
		}
		found.Files = append(found.Files, File{f.Name, data})
		return nil
	})
}

// hidden tells files that begin with a dot, or are in a folder that does.
func hidden(name string) bool { return strings.HasPrefix(name, ".") || strings.Contains(name, "/.") }

func contents(f *object.File) ([]byte, error) {
	if f.Size > mostOfFile {
		return nil, fmt.Errorf("%s has more than %d MB", f.Name, mostOfFile>>20)
	}
	r, err := f.Reader()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return io.ReadAll(io.LimitReader(r, mostOfFile+1))
}

// remote tells the address of a repository that is not a folder here.
func remote(repository string) bool {
	if repository == "" {
		return false
	}
	if _, err := os.Stat(repository); err == nil {
		return false
	}
	return strings.Contains(repository, "://") || strings.Contains(strings.SplitN(repository, "/", 2)[0], ":")
}

// open opens a repository. base is the folder in it from which paths count: the
// one we stand in.
func open(ctx context.Context, at At) (repo *git.Repository, base string, done func(), err error) {
	done = func() {}
	if remote(at.Repository) {
		dir, err := fetch(ctx, at)
		if err != nil {
			return nil, "", done, err
		}
		forget := files.OnExit(func() { os.RemoveAll(dir) })
		done = func() { os.RemoveAll(dir); forget() }
		if repo, err = git.PlainOpen(dir); err != nil {
			done()
			return nil, "", func() {}, err
		}
		return repo, "", done, nil
	}
	dir := at.Repository
	if dir == "" {
		dir = "."
	}
	repo, err = git.PlainOpenWithOptions(dir, &git.PlainOpenOptions{DetectDotGit: true, EnableDotGitCommonDir: true})
	if errors.Is(err, git.ErrRepositoryNotExists) {
		where := "this folder is"
		if at.Repository != "" {
			where = at.Repository + " is"
		}
		return nil, "", done, fmt.Errorf("%s in no git repository", where)
	}
	if err != nil {
		return nil, "", done, fmt.Errorf("the repository cannot be opened: %w", err)
	}
	if at.Repository != "" {
		return repo, "", done, nil
	}
	tree, err := repo.Worktree()
	if err != nil {
		return repo, "", done, nil // a bare one: paths count from its top
	}
	here, err := os.Getwd()
	if err == nil {
		here, err = filepath.EvalSymlinks(here)
	}
	if err != nil {
		return nil, "", done, err
	}
	root, err := filepath.EvalSymlinks(tree.Filesystem.Root())
	if err != nil {
		return nil, "", done, err
	}
	rel, err := filepath.Rel(root, here)
	if err != nil {
		return nil, "", done, err
	}
	return repo, filepath.ToSlash(rel), done, nil
}

// fetch gets one revision of a repository elsewhere, by git itself and with what
// that knows of accounts; it is not to ask.
func fetch(ctx context.Context, at At) (string, error) {
	dir, err := os.MkdirTemp("", "dapper-mirror-git-")
	if err != nil {
		return "", err
	}
	for _, args := range [][]string{{"init", "--quiet", "--bare", "."}, {"fetch", "--quiet", "--depth=1", "--no-tags", "--", at.Repository, at.Revision}} {
		cmd := exec.CommandContext(ctx, "git", args...)
		cmd.Dir = dir
		cmd.Env = append(os.Environ(), "GIT_TERMINAL_PROMPT=0", "GIT_SSH_COMMAND=ssh -o BatchMode=yes", "GIT_DIR="+dir)
		cmd.Stdin = nil
		out, err := cmd.CombinedOutput()
		if err != nil {
			os.RemoveAll(dir)
			if errors.Is(err, exec.ErrNotFound) {
				return "", errors.New("git is not installed here, which reads repositories elsewhere")
			}
			return "", fmt.Errorf("git %s: %s", args[0], strings.Join(strings.Fields(string(bytes.TrimSpace(out))), " "))
		}
	}
	// What was fetched is named as any other reference is.
	data, err := os.ReadFile(filepath.Join(dir, "FETCH_HEAD"))
	if err == nil {
		hash, _, _ := strings.Cut(string(data), "\t")
		err = os.WriteFile(filepath.Join(dir, "FETCH_HEAD"), []byte(hash+"\n"), 0o600)
	}
	if err != nil {
		os.RemoveAll(dir)
		return "", err
	}
	return dir, nil
}
