package rewrite

import (
	"bytes"
	"slices"
	"strings"

	"dappermirror/internal/core/sqltext"
)

// batches say of each statement where it stands in a text whose client sends it in
// batches; nothing of other texts.
type batches map[*statement]spot

// spot is the batch of a statement, the one before it there that is not gone, and whether
// one behind it is not.
type spot struct {
	*sqltext.Statement
	before *statement
	more   bool
	last   bool // nothing stands behind it, gone or not
}

func newBatches(d sqltext.Dialect, src []byte, all []*statement) batches {
	if !d.Batches {
		return nil
	}
	out := batches{}
	for _, b := range sqltext.Split(d, string(src)) {
		if b.Client {
			continue
		}
		end := b.Pos + len(b.Text)
		var of []*statement
		for len(all) > 0 && int(all[0].Start) < end {
			of, all = append(of, all[0]), all[1:]
		}
		var before *statement
		for i, s := range of {
			out[s] = spot{Statement: &b, before: before, last: i == len(of)-1}
			if !s.gone() {
				before = s
			}
		}
		more := false
		for _, s := range slices.Backward(of) {
			at := out[s]
			at.more = more
			out[s], more = at, more || !s.gone()
		}
	}
	return out
}

func (s *statement) gone() bool { return s.edited && s.by == "" }

// fit lets what stands in the place of a statement, each of it a batch, end the batch
// before it and begin the one behind it, of which the text has its end already where
// nothing else is left of it. It answers where the text goes on.
func (list batches) fit(s *statement, text string, src []byte) (string, int) {
	end := int(s.End)
	b, in := list[s]
	switch {
	case !in:
		return text, end
	case text == "" && b.before == nil && b.last:
		return "", max(end, b.Next) // nothing is left of the batch
	case text == "":
		return "", end
	case !b.more && b.Next > 0: // its end is there
		text = strings.TrimRight(text[:strings.LastIndexByte(text, '\n')+1], "\r\n")
	case b.more && blankLine(src, end) == end:
		text += "\n"
	}
	if b.before != nil && !b.before.edited {
		if text = "GO\n" + text; len(bytes.Trim(src[bytes.LastIndexByte(src[:s.Start], '\n')+1:s.Start], " \t")) > 0 {
			text = "\n" + text
		}
	}
	return text, end
}
