package guide

import "html/template"

// words are those that need a sentence where they stand.
var words = map[string]string{
	"expected": "What the shift or the working pattern makes of the day, less leave. It says nothing of what is paid.",
	"record":   "Three lanes for the three times of a punch: what was claimed, what the device’s clock said, when it was received.",
	"stint":    "An unbroken stretch of time on one job and task, or on one break, made of punches and later changes.",
	"workedas": "Hours are clocked to the other task instead, and get its cost code. What was recorded before stays where it is.",
	"wage":     "What the law sets for public work: a least rate for each work classification, with fringes in cash or into a plan.",
	"rights":   "What somebody may beyond their level, for everyone, a crew or a site. It ends when it is taken away.",
	"claim":    "Time that somebody gave by hand or sent late. It counts only once somebody else has taken it.",
	"hold":     "Nobody else changes the card while you look at it. It ends by itself after a while.",
	"fence":    "How far around its place one may punch. A punch outside is flagged with its distance, not refused.",
}

// Explain gives a word that explains itself, said in a language: pressing it shows
// its sentence.
func Explain(say func(string) string, key, shown string) (template.HTML, error) {
	text, known := words[key]
	if !known {
		return "", errNoWord(key)
	}
	return template.HTML(`<button type="button" class="dotted" popovertarget="w-` + key + `">` + template.HTMLEscapeString(say(shown)) +
		`</button><span popover id="w-` + key + `" class="wordbox">` + template.HTMLEscapeString(say(text)) + `</span>`), nil
}

// errNoWord is a word that nothing explains.
type errNoWord string

func (e errNoWord) Error() string { return "guide: nothing explains " + string(e) }
