package rewrite

import (
	"bytes"
	"slices"
	"strings"

	"dappermirror/internal/core/sqltext"
)

// batches are those of a text whose client sends it in batches, with the statements
// that stand in each; none of other texts.
type batches []batch

type batch struct {
	sqltext.Statement
	of []*statement
}

func newBatches(d sqltext.Dialect, src []byte, all []*statement) batches {
	if !d.Batches {
		return nil
	}
	var out batches
	for _, b := range sqltext.Split(d, string(src)) {
		if b.Client {
			continue
		}
		end := b.Pos + len(b.Text)
		var of []*statement
		for len(all) > 0 && int(all[0].Start) < end {
			of, all = append(of, all[0]), all[1:]
		}
		out = append(out, batch{b, of})
	}
	return out
}

func (s *statement) gone() bool { return s.edited && s.by == "" }

// fit lets what stands in the place of a statement, each of it a batch, end the batch
// before it and begin the one behind it, of which the text has its end already where
// nothing else is left of it. It answers where the text goes on.
func (list batches) fit(s *statement, text string, src []byte) (string, int) {
	end := int(s.End)
	i := slices.IndexFunc(list, func(b batch) bool { return slices.Contains(b.of, s) })
	if i < 0 {
		return text, end
	}
	b := list[i]
	at := slices.Index(b.of, s)
	before := slices.DeleteFunc(slices.Clone(b.of[:at]), (*statement).gone)
	alone := len(slices.DeleteFunc(slices.Clone(b.of[at+1:]), (*statement).gone)) == 0
	switch {
	case text == "" && alone && len(before) == 0 && at == len(b.of)-1:
		return "", max(end, b.Next) // nothing is left of the batch
	case text == "":
		return "", end
	case alone && b.Next > 0: // its end is there
		text = strings.TrimRight(text[:strings.LastIndexByte(text, '\n')+1], "\r\n")
	case !alone && blankLine(src, end) == end:
		text += "\n"
	}
	if len(before) > 0 && !before[len(before)-1].edited {
		if text = "GO\n" + text; len(bytes.Trim(src[bytes.LastIndexByte(src[:s.Start], '\n')+1:s.Start], " \t")) > 0 {
			text = "\n" + text
		}
	}
	return text, end
}
