package convert

import "dappermirror/facts/sqlserver/chart"

// Never tells whether nothing makes a value of one type one of another: what holds such
// values can only be made anew.
func Never(was, now string) bool { return how(was, now) == chart.Never }

// Explicit tells whether the server converts values of one type to another only when
// it is told to.
func Explicit(was, now string) bool { return how(was, now) == chart.WhenTold }

func how(was, now string) chart.Conversion {
	a, _ := Split(was)
	b, _ := Split(now)
	return chart.Converts(a, b)
}
