package draw

import (
	"strings"
	"testing"

	"manudex/core/mark"
)

// Each texture draws otherwise than the others, within its box; without a mark there is
// nothing.
func TestOwnMark(t *testing.T) {
	seen := map[string]string{}
	for _, texture := range mark.Textures {
		text := wellFormed(t, OwnMark(nil, "KP "+texture))
		if !strings.Contains(text, `>KP</text>`) || !strings.Contains(text, `aria-label="KP `+texture+`"`) {
			t.Errorf("%s doesn't say what it is: %s", texture, text)
		}
		_, path, _ := strings.Cut(text, `<path class="mk" d="`)
		path, _, _ = strings.Cut(path, `"`)
		if other, is := seen[path]; is {
			t.Errorf("%s and %s are drawn alike", texture, other)
		}
		seen[path] = texture
		for _, n := range strings.FieldsFunc(path, func(r rune) bool { return !strings.ContainsRune("-0123456789.", r) }) {
			if strings.HasPrefix(n, "-") || len(n) > 5 {
				t.Errorf("%s reaches out of its box: %s", texture, n)
			}
		}
	}
	if text := OwnMark(nil, ""); len(text) != 0 {
		t.Errorf("no mark draws %s", text)
	}
}
