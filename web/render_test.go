package web

import (
	"testing"

	"manudex/core/when"
)

func TestWords(t *testing.T) {
	d := when.NewDate(2026, 11, 8)
	for _, c := range []struct{ got, want string }{
		{grouped("39378.67"), "39,378.67"}, {grouped("999.00"), "999.00"}, {grouped("-1234567.5"), "−1,234,567.5"},
		{grouped("1000"), "1,000"},
		{signedHours(36 * 60), "+0:36"}, {signedHours(-8 * 3600), "−8:00"}, {signedHours(59), "0:00"}, {signedHours(-59), "0:00"},
		{decimalHours(5400), "1.50"}, {decimalHours(4226*3600 + 3132), "4,226.87"},
		{spanWords(when.Period{From: d, To: d + 13}), "8–21 Nov"}, {spanWords(when.Period{From: d - 14, To: d - 1}), "25 Oct – 7 Nov"},
		{spanWords(when.Period{From: d, To: d}), "Sun 8 Nov"},
		{plural(1, "card", "cards"), "1 card"}, {plural(0, "card", "cards"), "0 cards"},
	} {
		if c.got != c.want {
			t.Errorf("%q, want %q", c.got, c.want)
		}
	}
}

func TestOwnPath(t *testing.T) {
	for to, want := range map[string]bool{"/": true, "/today?day=2026-11-12": true, "": false, "today": false, "//x": false, `/\x`: false,
		"https://x/": false, "javascript:x": false, "/%zz": false} {
		if got := ownPath(to); got != want {
			t.Errorf("ownPath(%q) = %v", to, got)
		}
	}
}
