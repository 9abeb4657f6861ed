// Package words writes numbers and lists for people.
package words

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
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

// Join lists words with commas; of more than most, how many more there are.
func Join(list []string, most int) string {
	out := ""
	for i, w := range list {
		switch {
		case i == most:
			return fmt.Sprintf("%s and %d more", out, len(list)-most)
		case i > 0:
			out += ", "
		}
		out += w
	}
	return out
}

// Suggest is what a misspelled word may have meant, as the end of a sentence.
func Suggest(word string, list []string) string {
	list = slices.Sorted(slices.Values(list)) // the caller keeps its order
	best, distance := "", 1+len(word)/2
	for _, w := range list {
		d := editDistance(strings.ToLower(word), w)
		if word != "" && strings.HasPrefix(w, word) {
			d = 1
		}
		if d < distance {
			best, distance = w, d
		}
	}
	if best == "" {
		return ""
	}
	return "; meant " + best + "?"
}

// editDistance is how many letters lie between two words.
func editDistance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(a); i++ {
		diag := row[0]
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := diag
			if a[i-1] != b[j-1] {
				cost++
			}
			diag = row[j]
			row[j] = min(cost, row[j]+1, row[j-1]+1)
		}
	}
	return row[len(b)]
}

// InOrder compares names as people number them: 2_b before 10_a.
func InOrder(a, b string) int {
	for a != "" && b != "" {
		x, y := digits(a), digits(b)
		if x > 0 && y > 0 {
			p, q := strings.TrimLeft(a[:x], "0"), strings.TrimLeft(b[:y], "0")
			if c := cmp.Or(cmp.Compare(len(p), len(q)), cmp.Compare(p, q)); c != 0 {
				return c
			}
			a, b = a[x:], b[y:]
			continue
		}
		if a[0] != b[0] {
			return cmp.Compare(a[0], b[0])
		}
		a, b = a[1:], b[1:]
	}
	return cmp.Compare(len(a), len(b))
}

func digits(s string) int {
	n := 0
	for n < len(s) && s[n] >= '0' && s[n] <= '9' {
		n++
	}
	return n
}
