package sqlserver

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
)

// What became of a statement or a transaction whose answer was lost is told by the
// structure itself: the server keeps no word of it that it would show.

// everything writes all that was read of an object, what is carried too.
func everything(w io.Writer, o *catalog.Object) {
	fmt.Fprintf(w, "%s %q %q {", o.Kind, o.Schema, o.Name)
	for i := range o.Properties {
		fmt.Fprintf(w, "%q=%q;", o.Properties[i].Name, o.Properties[i].Value.String())
	}
	for _, p := range o.Parts {
		everything(w, p)
	}
	fmt.Fprint(w, "}")
}

func hashOf(objects []*catalog.Object) string {
	h := sha256.New()
	for _, o := range objects {
		everything(h, o)
	}
	return hex.EncodeToString(h.Sum(nil)[:10])
}

// Mark implements engine.Marker.
func (d *database) Mark(ctx context.Context, things []catalog.Ref) (string, error) {
	c, err := d.Read(ctx)
	if err != nil {
		return "", err
	}
	var list []*catalog.Object
	for _, t := range things {
		if o := c.Find(t); o != nil {
			list = append(list, o)
		}
	}
	return hashOf(list), nil
}

// Transaction implements engine.Transactor: how the structure was when it was last read
// before, and how it is within. One that changes none has no name.
func (d *database) Transaction(ctx context.Context) (string, error) {
	before := d.seen
	if _, err := d.Read(ctx); err != nil {
		return "", err
	}
	if d.seen == before {
		return "", nil
	}
	return before + "-" + d.seen, nil
}

// Outcome implements engine.Transactor.
func (d *database) Outcome(ctx context.Context, id string) (engine.Outcome, error) {
	if _, err := d.Read(ctx); err != nil {
		return engine.NotKnown, err
	}
	before, after, _ := strings.Cut(id, "-")
	switch d.seen {
	case after:
		return engine.Committed, nil
	case before:
		return engine.Aborted, nil
	}
	return engine.NotKnown, nil
}
