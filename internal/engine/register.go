package engine

import (
	"fmt"
	"slices"
	"strings"
)

var registered []Engine

// Register makes an engine known; engines do it when they are linked in.
func Register(e Engine) {
	registered = append(registered, e)
	slices.SortFunc(registered, func(a, b Engine) int { return strings.Compare(a.Title(), b.Title()) })
}

// All are the engines there are, by title.
func All() []Engine { return slices.Clone(registered) }

// Named finds an engine by the name catalogs and scripts carry.
func Named(name string) (Engine, error) {
	for _, e := range registered {
		if e.Name() == name {
			return e, nil
		}
	}
	return nil, fmt.Errorf("this program does not know the engine %q; it may be too old", name)
}

// ForScheme finds the engine whose addresses begin with a scheme, or nil.
func ForScheme(scheme string) Engine {
	for _, e := range registered {
		if slices.Contains(e.Schemes(), scheme) {
			return e
		}
	}
	return nil
}

// Title is an engine's name for people; of one that is not known, the name.
func Title(name string) string {
	e, err := Named(name)
	if err != nil {
		return name
	}
	return e.Title()
}
