package app

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// JobWord is the company's own word for a job: works order, docket.
type JobWord string

// Many is the word for several: works orders, dockets.
func (w JobWord) Many() string {
	s := string(w)
	for _, end := range []string{"s", "x", "ch", "sh"} {
		if strings.HasSuffix(s, end) {
			return s + "es"
		}
	}
	if stem, ok := strings.CutSuffix(s, "y"); ok && stem != "" && !strings.ContainsAny(stem[len(stem)-1:], "aeiou") {
		return stem + "ies"
	}
	return s + "s"
}

// Count is so many of them: 1 docket, 3 dockets.
func (w JobWord) Count(n int) string {
	if n == 1 {
		return "1 " + string(w)
	}
	return fmt.Sprintf("%d %s", n, w.Many())
}

// A is the word with its article: a docket, an order.
func (w JobWord) A() string {
	if w != "" && strings.ContainsAny(strings.ToLower(string(w[:1])), "aeio") {
		return "an " + string(w)
	}
	return "a " + string(w)
}

// Title is the word as it begins a sentence.
func (w JobWord) Title() string { return Capital(string(w)) }

// Titles is the word for several as it begins a sentence.
func (w JobWord) Titles() string { return Capital(w.Many()) }

func Capital(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	if n == 0 {
		return s
	}
	return string(unicode.ToUpper(r)) + s[n:]
}
