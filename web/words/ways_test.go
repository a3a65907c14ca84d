package words

import (
	"strings"
	"testing"
)

// Before a way of clocking is taken from somebody it is said what they lack and gain.
func TestWaysTaken(t *testing.T) {
	const own, device = "own phone or browser", "device at the site"
	for _, c := range []struct {
		was, is      []string
		lacks, gains string
	}{
		{[]string{own}, []string{own}, "", ""}, {[]string{own}, []string{own, device}, "", ""}, {nil, nil, "", ""},
		{[]string{own, device}, []string{device}, "nowhere but at the site", "needs no phone"},
		{[]string{own, device}, []string{own}, "at what stands at the site", "by their own phone alone"},
		{[]string{own}, nil, "can’t clock in by themselves", "Somebody else writes their hours"},
	} {
		wrong, right := WaysTaken("Dao", c.was, c.is)
		if !strings.Contains(wrong, c.lacks) || !strings.Contains(right, c.gains) || (wrong == "") != (c.lacks == "") {
			t.Errorf("%v to %v: %q, %q", c.was, c.is, wrong, right)
		}
	}
}
