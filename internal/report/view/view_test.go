package view

import "testing"

func TestChangedWords(t *testing.T) {
	for _, c := range []struct {
		a, b   string
		as, bs []Span
	}{
		{"a b c", "a x c", []Span{{2, 3}}, []Span{{2, 3}}},
		{"a c", "a b c", nil, []Span{{1, 3}}},
		{"über alles", "über alle", []Span{{5, 10}}, []Span{{5, 9}}},
		{"same", "same", nil, nil},
		{"nothing alike here", "quite another thing", nil, nil},
	} {
		as, bs := changedWords(c.a, c.b)
		if len(as) != len(c.as) || len(bs) != len(c.bs) {
			t.Errorf("%q %q: %v %v", c.a, c.b, as, bs)
			continue
		}
		for i := range as {
			if as[i] != c.as[i] {
				t.Errorf("%q %q: %v", c.a, c.b, as)
			}
		}
		for i := range bs {
			if bs[i] != c.bs[i] {
				t.Errorf("%q %q: %v", c.a, c.b, bs)
			}
		}
	}
}
