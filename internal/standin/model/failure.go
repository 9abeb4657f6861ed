// Package model is the stand-in for a server that is not at hand: databases that are
// made by DDL, what the server refuses, the views of the catalog, and rows as far as
// checks, fills, saves and rebuilds need them. What it does not know it refuses.
package model

import (
	"fmt"

	"dappermirror/internal/standin/tds"
)

// unknown is the number of what the stand-in does not know and the server may.
const unknown = 40000

// failure is an error with those that stand before it ("See previous errors").
type failure struct {
	last   tds.Error
	before []tds.Error
	pos    int // in the batch; -1 where the statement is
}

func (f *failure) Error() string { return f.last.Error() }

// all are the errors as they are sent, with the line of the batch.
func (f *failure) all(line int32) []*tds.Error {
	var out []*tds.Error
	for _, e := range append(f.before, f.last) {
		e.Line = line
		out = append(out, &e)
	}
	return out
}

func fail(number int32, format string, args ...any) *failure {
	return &failure{last: tds.Error{Number: number, Class: 16, State: 1, Message: fmt.Sprintf(format, args...)}, pos: -1}
}

// after adds errors that stand before one.
func (f *failure) after(before ...*failure) *failure {
	for _, b := range before {
		f.before = append(f.before, b.last)
	}
	return f
}
