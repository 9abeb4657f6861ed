package work

import "fmt"

// Class is what kind of failure an error is, as far as it matters to who asked.
type Class int

// The classes.
const (
	Trouble   Class = iota // usage, connection, bad input: nothing was touched
	Refusal                // safety said no
	Uncertain              // the target is not as it should be, or it is not known how it is
)

// Failure is an error with its class and a stable code for programs.
type Failure struct {
	Class Class
	Code  string
	Err   error
}

func (f *Failure) Error() string { return f.Err.Error() }
func (f *Failure) Unwrap() error { return f.Err }

// Troubled is a failure of usage, connection or input.
func Troubled(code, format string, args ...any) error {
	return &Failure{Trouble, code, fmt.Errorf(format, args...)}
}

// Refused is a failure where safety says no.
func Refused(code, format string, args ...any) error {
	return &Failure{Refusal, code, fmt.Errorf(format, args...)}
}

func uncertain(code, format string, args ...any) error {
	return &Failure{Uncertain, code, fmt.Errorf(format, args...)}
}
