package keep

import (
	"strings"
	"testing"
)

// The sources: 29 CFR 516.5 (payroll records, three years), 516.6 (time cards,
// two); Ontario ESA s. 15; NMW Regulations 2015 reg. 59 as amended in 2021.
func TestKept(t *testing.T) {
	for _, c := range []struct {
		country     string
		asked, want int
		source      string
	}{
		{"US", 0, 3, "516.5"}, {"US", 2, 3, "516.6"}, {"US", 7, 7, "1174(d)"}, {"CA", 1, 3, "Ontario"}, {"GB", 3, 6, "reg. 59"},
		{"GB", 99, MostYears, "reg. 9"}, {"NZ", 1, 6, "is known here"}, {"", 0, 6, "is known here"},
	} {
		r := Of(c.country)
		if got := r.Kept(c.asked); got != c.want || !strings.Contains(r.Source, c.source) {
			t.Errorf("%s, asked for %d: %d years by %q, want %d by %s", c.country, c.asked, got, r.Source, c.want, c.source)
		}
	}
}
