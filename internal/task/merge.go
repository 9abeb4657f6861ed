package task

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"dappermirror/internal/report"
)

// mostDepth is how deep in a folder results are looked for, mostParts how many.
const (
	mostDepth = 6
	mostParts = 10_000
)

// Found are the results in files and folders: of a folder the newest run of each
// share. Where there is none it is an error.
func Found(paths []string) ([]report.Output, error) {
	var out []report.Output
	for _, path := range paths {
		st, err := os.Stat(path)
		if err != nil {
			return nil, err
		}
		if !st.IsDir() {
			o, err := Read(path)
			if err != nil {
				return nil, err
			}
			out = append(out, o)
			continue
		}
		newest := map[string]report.Output{}
		err = filepath.WalkDir(path, func(p string, d fs.DirEntry, err error) error {
			switch {
			case err != nil:
				return err
			case d.IsDir() && strings.Count(strings.TrimPrefix(p, path), string(filepath.Separator)) > mostDepth:
				return fs.SkipDir
			case d.IsDir() || d.Name() != runFile:
				return nil
			}
			o, err := Read(p)
			if err != nil {
				return err
			}
			key := o.TaskRun.Task + "\x00" + o.TaskRun.Share
			if was, ok := newest[key]; !ok || was.TaskRun.Began < o.TaskRun.Began {
				newest[key] = o
			}
			if len(newest) > mostParts {
				return fmt.Errorf("%s holds more than %d results", path, mostParts)
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
		if len(newest) == 0 {
			return nil, fmt.Errorf("%s holds no result of a run", path)
		}
		for _, key := range slices.Sorted(maps.Keys(newest)) {
			out = append(out, newest[key])
		}
	}
	return out, nil
}

// Merged are the results of the parts of one piece of work.
type Merged struct {
	Task    string
	Targets []report.JSONTarget
	Ways    []report.JSONWay
	Exit    int
	// Missing are shares that no part has, as "3/10"; Twice are targets in two parts.
	Missing, Twice []string
	Unfinished     []string // parts that never came to their end
}

// Merge puts parts together.
func Merge(parts []report.Output) (*Merged, error) {
	m := &Merged{}
	if len(parts) == 0 {
		return nil, errors.New("there are no results")
	}
	seen, have := map[string]bool{}, map[int]bool{}
	of := 0
	ways := map[string]int{} // by what differs
	for _, p := range parts {
		if r := p.TaskRun; r != nil {
			if m.Task == "" {
				m.Task = r.Task
			}
			if r.Task != m.Task {
				return nil, fmt.Errorf("these are results of two tasks, %s and %s", m.Task, r.Task)
			}
			if r.State != report.Ended {
				m.Unfinished = append(m.Unfinished, fmt.Sprintf("run %d %s", r.Number, r.Share))
				m.Exit = Worse(m.Exit, 2)
			}
			m.Exit = Worse(m.Exit, r.Exit)
			if n, total, ok := strings.Cut(r.Share, "/"); ok {
				a, errA := strconv.Atoi(n)
				b, errB := strconv.Atoi(total)
				if errA != nil || errB != nil || of != 0 && b != of || b < 1 || b > mostParts {
					return nil, fmt.Errorf("share %s is of another division than the rest", r.Share)
				}
				of = b
				have[a] = true
			}
		}
		renumber := map[int]int{}
		for _, w := range p.Ways {
			key := prints(w)
			n, ok := ways[key]
			if !ok {
				n = len(m.Ways) + 1
				ways[key] = n
				w := w
				old := w.Number
				w.Number, w.Targets = n, 0
				m.Ways = append(m.Ways, w)
				renumber[old] = n
				continue
			}
			renumber[w.Number] = n
		}
		for _, j := range p.Targets {
			if j.Way > 0 {
				if j.Way = renumber[j.Way]; j.Way > 0 {
					m.Ways[j.Way-1].Targets++
				}
			}
			if seen[j.Target] {
				m.Twice = append(m.Twice, j.Target)
			}
			seen[j.Target] = true
			if p.TaskRun == nil {
				m.Exit = Worse(m.Exit, j.Exit)
			}
			m.Targets = append(m.Targets, j)
		}
	}
	for n := 1; n <= of; n++ {
		if !have[n] {
			m.Missing = append(m.Missing, fmt.Sprintf("%d/%d", n, of))
			m.Exit = Worse(m.Exit, 2)
		}
	}
	if len(m.Twice) > 0 {
		m.Exit = Worse(m.Exit, 2)
	}
	return m, nil
}

// prints are what a way is recognised by.
func prints(w report.JSONWay) string {
	var list []string
	for _, d := range w.Differences {
		list = append(list, d.Print+" "+d.Label())
	}
	slices.Sort(list)
	return strings.Join(list, "\n")
}
