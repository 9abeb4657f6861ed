package words

import (
	"slices"
	"testing"
)

func TestWords(t *testing.T) {
	for n, want := range map[int64]string{0: "0 rows", 1: "1 row", 999: "999 rows", 9310: "9,310 rows", 1234567: "1,234,567 rows", -1: "-1 rows", -999: "-999 rows", -1000: "-1,000 rows"} {
		if got := Number(n, "row", "rows"); got != want {
			t.Errorf("%d is %q, want %q", n, got, want)
		}
	}
	for n, want := range map[int64]string{7: "7 bytes", 999: "999 bytes", 1200: "1.2 kB", 49152: "49 kB", 5e9: "5.0 GB", 3e15: "3000 TB"} {
		if got := Size(n); got != want {
			t.Errorf("%d is %q, want %q", n, got, want)
		}
	}
}

func TestEditDistance(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{{"detail", "detail", 0}, {"detial", "detail", 2}, {"", "all", 3}, {"olny", "only", 2}, {"fil", "fill", 1}} {
		if got := editDistance(c.a, c.b); got != c.want {
			t.Errorf("%s %s: %d, want %d", c.a, c.b, got, c.want)
		}
	}
}

func TestInOrder(t *testing.T) {
	want := []string{"1_a.sql", "2_b.sql", "2_c.sql", "010_d.sql", "10_e.sql", "V1.2__x.sql", "V1.10__y.sql", "a/2.sql", "a/10.sql", "a.sql", "berth.sql"}
	got := slices.Clone(want)
	slices.Reverse(got)
	slices.SortFunc(got, InOrder)
	slices.SortFunc(want, InOrder)
	if !slices.Equal(got, want) {
		t.Errorf("the order hangs on what it was: %v", got)
	}
	for _, c := range [][2]string{{"2_b", "10_a"}, {"1", "2"}, {"V1.2", "V1.10"}, {"a", "b"}, {"a", "aa"}, {"9", "10"}, {"001", "2"}, {"x99999999999999999999", "x100000000000000000000"}} {
		if InOrder(c[0], c[1]) >= 0 || InOrder(c[1], c[0]) <= 0 || InOrder(c[0], c[0]) != 0 {
			t.Errorf("%s does not come before %s", c[0], c[1])
		}
	}
}
