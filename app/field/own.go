package field

import (
	"fmt"
	"slices"
	"strings"

	"manudex/core/pay"
	"manudex/core/refusal"
)

// Own is a field that the company made itself, of a kind: "text", "number", "date", or
// "choice" among the choices, one a line.
func Own(key, name, kind, choices string) Field {
	f := Field{Key: key, Label: name, Kind: FieldKind(kind)}
	switch f.Kind {
	case DateField:
		f.Check = Date
	case NumberField:
		f.Check = func(v string) (string, error) {
			if _, err := pay.ParseRate(v); err != nil {
				return "", fmt.Errorf("write a number such as 12.5")
			}
			return v, nil
		}
	case ChoiceField:
		f.Choices = Choices("", "–")
		for c := range strings.Lines(choices) {
			if c = strings.TrimSpace(c); c != "" {
				f.Choices = append(f.Choices, Choice{Value: c, Label: c})
			}
		}
		f.Check = f.Pick
	default:
		f.Check = func(v string) (string, error) {
			if len([]rune(v)) > 200 {
				return "", fmt.Errorf("write at most 200 characters")
			}
			return v, nil
		}
	}
	return f
}

// ChoiceLines reads the choices of a list, one a line.
func ChoiceLines(text string) (string, error) {
	var choices []string
	for line := range strings.Lines(text) {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		if len([]rune(line)) > 60 || slices.Contains(choices, line) {
			return "", refusal.New("choices", "A choice can't be “"+Shorten(line)+"”", "Write each once, with at most 60 characters")
		}
		choices = append(choices, line)
	}
	if len(choices) < 2 {
		return "", refusal.New("choices", "There is nothing to choose", "Write at least two choices, one a line")
	}
	return strings.Join(choices, "\n"), nil
}
