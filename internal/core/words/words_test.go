package words

import "testing"

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
