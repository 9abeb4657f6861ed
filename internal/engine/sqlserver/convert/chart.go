package convert

import "dappermirror/facts/sqlserver"

// Never tells whether nothing makes a value of one type one of another: what holds such
// values can only be made anew.
func Never(was, now string) bool { return how(was, now) == sqlserver.Never }

// Explicit tells whether the server converts values of one type to another only when
// it is told to.
func Explicit(was, now string) bool { return how(was, now) == sqlserver.WhenTold }

func how(was, now string) sqlserver.Conversion {
	a, _ := Split(was)
	b, _ := Split(now)
	return sqlserver.Converts(a, b)
}
