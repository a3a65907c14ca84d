package job

import "testing"

func TestBudget(t *testing.T) {
	const h = 3600
	for name, c := range map[string]struct {
		b     Budget
		left  int64
		days  int
		known bool
	}{
		"no hours":                       {Budget{0, 10 * h, 5 * h}, -10 * h, 0, false},
		"nobody lately":                  {Budget{100 * h, 40 * h, 0}, 60 * h, 0, false},
		"at ten hours a day six days":    {Budget{100 * h, 40 * h, 140 * h}, 60 * h, 6, true},
		"a day that is begun isn't over": {Budget{100 * h, 40*h + 1, 140 * h}, 60*h - 1, 5, true},
		"just used up":                   {Budget{100 * h, 100 * h, 0}, 0, 0, true},
		"passed":                         {Budget{100 * h, 112*h + 1800, 10 * h}, -12*h - 1800, 0, true},
	} {
		days, known := c.b.Ends()
		if left := c.b.Left(); left != c.left || days != c.days || known != c.known {
			t.Errorf("%s: left %d, ends in %d, %v", name, left, days, known)
		}
	}
}
