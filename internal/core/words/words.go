// Package words writes numbers for people.
package words

import (
	"fmt"
	"strconv"
)

// Number writes a count with its noun: "1 row", "9,310 rows".
func Number[N int | int64](n N, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return Thousands(int64(n)) + " " + many
}

// Thousands writes a number with its thousands apart.
func Thousands(n int64) string {
	s := strconv.FormatInt(n, 10)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// Size writes a number of bytes: "1.2 MB".
func Size(n int64) string {
	f, unit := float64(n), "bytes"
	for _, u := range []string{"kB", "MB", "GB", "TB"} {
		if f < 1000 {
			break
		}
		f, unit = f/1000, u
	}
	if f < 10 && unit != "bytes" {
		return fmt.Sprintf("%.1f %s", f, unit)
	}
	return fmt.Sprintf("%.0f %s", f, unit)
}
