package mark_test

import (
	"testing"

	"manudex/core/mark"
)

func TestMarks(t *testing.T) {
	for text, want := range map[string]string{"kp dots": "KP dots", "A": "A plain", " 7b  SLANT ": "7B slant", "": "", "ÅÉ": "ÅÉ plain"} {
		if got, err := mark.Parse(text); got != want || err != nil {
			t.Errorf("%q is %q, %v, not %q", text, got, err, want)
		}
	}
	for _, text := range []string{"ABC dots", "AB stars", "AB dots dots", "A- dots", "<b plain"} {
		if got, err := mark.Parse(text); err == nil {
			t.Errorf("%q is taken as %q", text, got)
		}
	}
}
