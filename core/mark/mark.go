// Package mark reads the short marks of a company's own: two letters and a texture, never
// colour alone.
package mark

import (
	"errors"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Textures are those there are.
var Textures = []string{"plain", "bars", "lines", "slant", "dots", "checks"}

// Parse reads a mark: one or two letters or digits and a texture, plain where none is said. Its
// error says what to write.
func Parse(v string) (string, error) {
	wrong := errors.New("write two letters and one of " + strings.Join(Textures, ", ") + ", such as KP dots")
	parts := strings.Fields(v)
	if len(parts) == 0 {
		return "", nil
	}
	if len(parts) == 1 {
		parts = append(parts, "plain")
	}
	letters, texture := strings.ToUpper(parts[0]), strings.ToLower(parts[1])
	odd := func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }
	if len(parts) > 2 || utf8.RuneCountInString(letters) > 2 || strings.ContainsFunc(letters, odd) || !slices.Contains(Textures, texture) {
		return "", wrong
	}
	return letters + " " + texture, nil
}
