package cli

import (
	"bytes"
	"io"
)

// Stdout implements reviews.App.
func (d desk) Stdout() io.Writer { return d.stdout }

// Colours implements reviews.App.
func (d desk) Colours() bool { return d.style().Color }

// Hush implements reviews.App.
func (d desk) Hush() (loud func()) {
	to := d.stderr
	var said bytes.Buffer
	d.stderr = &said
	return func() {
		d.stderr = to
		_, _ = said.WriteTo(to)
	}
}
