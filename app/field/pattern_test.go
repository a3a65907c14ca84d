package field

import (
	"strings"
	"testing"
)

// Patterns as people write them, how they are kept, and how they are read back.
func TestPatternValue(t *testing.T) {
	const early, plain = "0 25200-55800/28800 25200-55800/28800 25200-55800/28800 25200-55800/28800 25200-55800/28800 0",
		"0 28800 28800 28800 28800 28800 0"
	for _, c := range []struct{ typed, kept, read string }{
		{"0 8 8 8 8 8 0", plain, "Mon–Fri 8:00"},
		{"Mon–Fri 8:00", plain, "Mon–Fri 8:00"},
		{"monday to friday 8", plain, "Mon–Fri 8:00"},
		{"0, 7.5, 7:30, 7.5, 7.5, 8, 0", "0 27000 27000 27000 27000 28800 0", "Mon–Thu 7:30, Fri 8:00"},
		{"Mon–Fri 07:00–15:30 less 0:30", early, "Mon–Fri 07:00–15:30 less 0:30"},
		{"mon - fri 7 - 15:30 less 30", early, "Mon–Fri 07:00–15:30 less 0:30"},
		{"Mon-Fri 7:00 am – 3:30 p.m. less 30 min", early, "Mon–Fri 07:00–15:30 less 0:30"},
		{"Mon-Fri 0700-1530 less 0.5 h", early, "Mon–Fri 07:00–15:30 less 0:30"},
		{"Mon, Tue, Wed, Thu and Fri 7:00am to 3:30pm less 30 minutes", early, "Mon–Fri 07:00–15:30 less 0:30"},
		{"Fri–Sat 22:00–06:00; Sun 5", "18000 0 0 0 0 79200-21600/28800 79200-21600/28800", "Fri–Sat 22:00–06:00, Sun 5:00"},
		{"Sat 16:00–24:00", "0 0 0 0 0 0 57600-0/28800", "Sat 16:00–00:00"},
		{"Sat–Mon 6", "21600 21600 0 0 0 0 21600", "Mon 6:00, Sat–Sun 6:00"},
		{"0 0 0 0 0 0 0", "0 0 0 0 0 0 0", "no days"},
		{"no days", "0 0 0 0 0 0 0", "no days"},
	} {
		kept, err := PatternValue(c.typed)
		if err != nil || kept != c.kept || patternWords(kept) != c.read {
			t.Errorf("%q: kept as %q (%v), read as %q", c.typed, kept, err, patternWords(kept))
		}
	}
	for typed, says := range map[string]string{
		"8":                             "write days and hours",
		"Mon":                           "write days and hours",
		"Mon–Fri":                       "write days and hours",
		"Mon 25":                        "write days and hours",
		"Mon 7–3:30":                    "07:00–03:30 is 20:30 long",
		"Mon 07:00–15:00 less 9:00":     "write days and hours",
		"Mon 07:00–15:00 less a little": "write days and hours",
		"Mon 07:61–15:00":               "write days and hours",
		"Mon 13pm–15:00":                "write days and hours",
		"Mon–Wed 8, Tue 7":              "write each day once: Tue",
		"8 8 8 8 8 8 8 8":               "write days and hours",
		"-1 8 8 8 8 8 0":                "write days and hours",
	} {
		if kept, err := PatternValue(typed); err == nil || !strings.HasPrefix(err.Error(), says) {
			t.Errorf("%q: %q, %v", typed, kept, err)
		}
	}
}

// Whatever is taken reads back as the same pattern.
func FuzzPatternValue(f *testing.F) {
	for _, typed := range []string{"0 8 8 8 8 8 0", "Mon–Fri 07:00–15:30 less 0:30, Sat 6", "Sat 10pm to 6:15 a.m. less 45", "no days"} {
		f.Add(typed)
	}
	f.Fuzz(func(t *testing.T, typed string) {
		kept, err := PatternValue(typed)
		if err != nil {
			return
		}
		if again, err := PatternValue(patternWords(kept)); err != nil || again != kept {
			t.Errorf("%q is kept as %q, read as %q, and that is kept as %q (%v)", typed, kept, patternWords(kept), again, err)
		}
	})
}
