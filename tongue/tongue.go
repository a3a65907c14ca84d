// Package tongue says what the pages of workers say in their language. Whole
// sentences stand in one catalogue, English first; what a room of app has already
// worded in English is read by the sentences of the catalogue and said again.
package tongue

import (
	_ "embed"
	"fmt"
	"html/template"
	"regexp"
	"slices"
	"strings"

	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/message/catalog"
)

//go:embed catalogue.txt
var source string

// Language is one that pages are said in.
type Language struct {
	Code, Name string
	tag        language.Tag
}

// Languages lists them, English first.
var Languages = []Language{{"en", "English", language.English}, {"es", "Español", language.Spanish}, {"fr", "Français", language.French}}

// Tongue says sentences in one language.
type Tongue struct {
	Language
	printer  *message.Printer
	known    map[string]bool
	patterns []pattern
	// Missed is told what isn't in the catalogue, where it is set.
	Missed func(sentence string)
}

// pattern reads a sentence of the catalogue that has places for words.
type pattern struct {
	key string
	of  *regexp.Regexp
}

// Entry is a sentence in all languages, by code.
type Entry map[string]string

// Source is the catalogue as it is written.
func Source() string { return source }

// Catalogue reads the sentences: blocks of a line for each language.
func Catalogue() ([]Entry, error) {
	var entries []Entry
	for block := range strings.SplitSeq(strings.TrimSpace(source), "\n\n") {
		e := Entry{}
		for line := range strings.SplitSeq(strings.TrimSpace(block), "\n") {
			code, text, found := strings.Cut(line, ": ")
			if !found || len(code) != 2 {
				return nil, fmt.Errorf("catalogue: %q begins with no language", line)
			}
			e[code] = text
		}
		entries = append(entries, e)
	}
	return entries, nil
}

// All reads the catalogue and gives a tongue for each language, by its code.
func All() (map[string]*Tongue, error) {
	entries, err := Catalogue()
	if err != nil {
		return nil, err
	}
	all := map[string]*Tongue{}
	for _, l := range Languages {
		b := catalog.NewBuilder(catalog.Fallback(language.English))
		t := &Tongue{Language: l, known: map[string]bool{}}
		for _, e := range entries {
			key, text := e["en"], e[l.Code]
			if text == "" {
				continue
			}
			if err := b.SetString(l.tag, key, text); err != nil {
				return nil, fmt.Errorf("catalogue: %q: %w", text, err)
			}
			t.known[key] = true
			if strings.Contains(key, "%s") {
				parts := strings.Split(key, "%s")
				for i := range parts {
					parts[i] = regexp.QuoteMeta(parts[i])
				}
				of, err := regexp.Compile("^" + strings.Join(parts, "(.+?)") + "$")
				if err != nil {
					return nil, fmt.Errorf("catalogue: %q: %w", key, err)
				}
				t.patterns = append(t.patterns, pattern{key, of})
			}
		}
		// The more a sentence says itself, the sooner it is tried.
		slices.SortStableFunc(t.patterns, func(a, b pattern) int {
			return len(strings.ReplaceAll(b.key, "%s", "")) - len(strings.ReplaceAll(a.key, "%s", ""))
		})
		t.printer = message.NewPrinter(l.tag, message.Catalog(b))
		all[l.Code] = t
	}
	return all, nil
}

// Match gives the code of the language that a browser asks for, as in its
// Accept-Language (RFC 9110), else English.
func Match(accept string) string {
	tags := make([]language.Tag, len(Languages))
	for i, l := range Languages {
		tags[i] = l.tag
	}
	wanted, _, err := language.ParseAcceptLanguage(accept)
	if err != nil {
		return Languages[0].Code
	}
	_, i, _ := language.NewMatcher(tags).Match(wanted...)
	return Languages[i].Code
}

// Say says a sentence of the catalogue with words in its places.
func (t *Tongue) Say(key string, words ...any) string {
	said := make([]any, len(words))
	for i, w := range words {
		said[i] = t.Word(fmt.Sprint(w))
	}
	if t.Code != Languages[0].Code && !t.known[key] {
		t.miss(key)
	}
	if len(said) == 0 && !t.known[key] {
		return key
	}
	return t.printer.Sprintf(message.Key(key, key), said...)
}

// Bold is Say with what stands between stars in bold.
func (t *Tongue) Bold(key string, words ...any) template.HTML {
	safe := make([]any, len(words))
	for i, w := range words {
		safe[i] = strings.ReplaceAll(template.HTMLEscapeString(fmt.Sprint(w)), "*", "&#42;")
	}
	parts := strings.Split(t.Say(key, safe...), "*")
	for i := 1; i < len(parts); i += 2 {
		parts[i] = "<b>" + parts[i] + "</b>"
	}
	return template.HTML(strings.Join(parts, ""))
}

// Read says what was already worded in English.
func (t *Tongue) Read(english string) string {
	said, known := t.read(english)
	if !known {
		t.miss(english)
	}
	return said
}

func (t *Tongue) miss(sentence string) {
	if t.Missed != nil && sentence != "" {
		t.Missed(sentence)
	}
}

// Word is Read for what may be a name, which stays as it is.
func (t *Tongue) Word(english string) string {
	said, _ := t.read(english)
	return said
}

func (t *Tongue) read(english string) (said string, known bool) {
	if said, known = t.one(english); known {
		return said, true
	}
	return t.sentences(english)
}

// one reads what is a single sentence.
func (t *Tongue) one(english string) (said string, known bool) {
	switch {
	case t.Code == Languages[0].Code || english == "":
		return english, true
	case t.known[english]:
		return t.printer.Sprintf(message.Key(english, english)), true
	case isDate.MatchString(english):
		return dateWord.ReplaceAllStringFunc(english, func(w string) string { return t.printer.Sprintf(message.Key(w, w)) }), true
	}
	for _, p := range t.patterns {
		m := p.of.FindStringSubmatch(english)
		if m == nil {
			continue
		}
		words := make([]any, len(m)-1)
		for i, w := range m[1:] {
			words[i] = t.Word(w)
		}
		return t.printer.Sprintf(message.Key(p.key, p.key), words...), true
	}
	return english, false
}

// sentences reads what is several sentences, or one with its full stop.
func (t *Tongue) sentences(english string) (said string, known bool) {
	whole, stop := strings.CutSuffix(english, ".")
	parts := strings.Split(whole, ". ")
	if !stop && len(parts) == 1 {
		return english, false
	}
	for i, p := range parts {
		s, ok := t.one(p)
		if !ok {
			if s, ok = t.one(p + "."); !ok { // it stands there with its stop
				return english, false
			}
			s = strings.TrimSuffix(s, ".")
		}
		parts[i] = s
	}
	said = strings.Join(parts, ". ")
	if stop {
		said += "."
	}
	return said, true
}

const dateNames = `Mon|Tue|Wed|Thu|Fri|Sat|Sun|Monday|Tuesday|Wednesday|Thursday|Friday|Saturday|Sunday|` +
	`Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec|January|February|March|April|June|July|August|September|October|November|December`

// What is made of figures and the names of days and months alone is a date or a time.
var (
	isDate   = regexp.MustCompile(`^(?:(?:` + dateNames + `)\b|[0-9:,.–+−-]| )+$`)
	dateWord = regexp.MustCompile(`\b(?:` + dateNames + `)\b`)
)
