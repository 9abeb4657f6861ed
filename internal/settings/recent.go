package settings

import (
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"time"

	"dappermirror/internal/files"
)

// Used is a place that was used, without secrets.
type Used struct {
	At    string    `json:"at"`
	Name  string    `json:"name,omitempty"`
	Last  time.Time `json:"last"`
	Times int       `json:"times"`
}

// mostUsed is how many are remembered.
const mostUsed = 50

// recentFile is where they are remembered.
func recentFile() (string, error) { return StateFile("recent.json") }

// StateFile is where something is kept between calls (XDG: state home).
func StateFile(name string) (string, error) {
	dir := os.Getenv("XDG_STATE_HOME")
	if dir == "" {
		home, err := os.UserHomeDir()
		if err != nil {
			return "", err
		}
		dir = filepath.Join(home, ".local", "state")
	}
	return filepath.Join(dir, "dapper-mirror", name), nil
}

// Recent are the places that were used last, the newest first. A file that is not
// there, or that nobody can read, says that there are none.
func Recent() []Used {
	path, err := recentFile()
	if err != nil {
		return nil
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return nil
	}
	var out []Used
	if json.Unmarshal(data, &out) != nil {
		return nil
	}
	return out
}

// Remember notes that places were used.
func Remember(places []Used) error {
	if len(places) == 0 {
		return nil
	}
	path, err := recentFile()
	if err != nil {
		return err
	}
	list := Recent()
	for _, p := range places {
		p.Times = 1
		if i := slices.IndexFunc(list, func(u Used) bool { return u.At == p.At && u.Name == p.Name }); i >= 0 {
			p.Times += list[i].Times
			list = slices.Delete(list, i, i+1)
		}
		list = slices.Insert(list, 0, p)
	}
	data, err := json.MarshalIndent(list[:min(len(list), mostUsed)], "", "  ")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	return files.Write(path, append(data, '\n'))
}
