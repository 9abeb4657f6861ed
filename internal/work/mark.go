package work

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"os"
	"slices"
	"strings"

	"dappermirror/internal/core/judge"
	"dappermirror/internal/place"
)

// Mark is a text that changes when the structure of a place does, or when whether it
// can be read does: the revision of a repository, the state of files, the fingerprint
// of a database.
func (s *Session) Mark(ctx context.Context, at string) string {
	p, err := s.Place(at, false)
	if err != nil {
		return "not there: " + err.Error()
	}
	if !p.Writable() {
		var b strings.Builder
		b.WriteString(p.Identity)
		for _, f := range p.Files() {
			if st, err := os.Stat(f); err == nil {
				fmt.Fprintf(&b, "\n%s %d %d", f, st.Size(), st.ModTime().UnixNano())
			}
		}
		return b.String()
	}
	c, err := s.structure(ctx, p, place.Options{})
	if err != nil {
		return "not read: " + err.Error()
	}
	groups := map[string]bool{}
	for _, g := range p.Engine.Groups() {
		groups[g] = true
	}
	var b strings.Builder
	for _, o := range c.Objects {
		fmt.Fprintf(&b, "%s %s\n", o.Ref(), judge.Fingerprint(o, groups))
	}
	lines := strings.Split(b.String(), "\n")
	slices.Sort(lines)
	sum := sha256.Sum256([]byte(strings.Join(lines, "\n")))
	return hex.EncodeToString(sum[:])
}
