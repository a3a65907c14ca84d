// Package field knows what a setting is: how its value is entered, read,
// shown and kept, and what it may be. Settings of people, jobs, tasks and the
// company are declared with it in their own rooms.
package field

import (
	"errors"
	"fmt"
	"net/mail"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

func OrNothing(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}

// FieldKind says how a setting is entered.
type FieldKind string

// The kinds.
const (
	TextField    FieldKind = "text"
	ChoiceField  FieldKind = "choice"
	DateField    FieldKind = "date"
	NumberField  FieldKind = "number"
	PatternField FieldKind = "pattern" // from when to when, and how long, on each weekday
	SetField     FieldKind = "set"     // some of a list, apart by commas
)

// Choice is a value that a setting can have, with what it is called.
type Choice struct{ Value, Label string }

// Choices makes choices of values and what each is called, in turn.
func Choices(pairs ...string) []Choice {
	choices := make([]Choice, len(pairs)/2)
	for i := range choices {
		choices[i] = Choice{pairs[2*i], pairs[2*i+1]}
	}
	return choices
}

// Field is one setting, be it of a person, a job, a task or the company. Its
// value is a text: on the page, in the list, in files, in the record of changes.
type Field struct {
	Key, Label, Group, Help string
	Kind                    FieldKind
	Choices                 []Choice
	List                    []string // proposals for a text
	Unit                    string   // in which it is entered, "" for none
	Required                bool

	Check func(string) (string, error) // the value as it is kept; the error says what would be right
}

// Normal gives a value as it is kept. Its error is a refusal for the field.
func (f Field) Normal(value string) (string, error) {
	value = strings.TrimSpace(value)
	if value == "" && f.Required {
		return "", refusal.New(f.Key, f.Label+" is missing", "Write it in")
	}
	if value == "" && f.Kind != SetField && f.Kind != ChoiceField {
		return "", nil
	}
	kept, err := f.Check(value)
	var refused *refusal.Refusal
	if err == nil || errors.As(err, &refused) {
		return kept, err
	}
	return "", refusal.New(f.Key, fmt.Sprintf("%s can't be “%s”", f.Label, Shorten(value)), app.Capital(err.Error()))
}

// complete fills in what most settings have in common: they are texts, and
// what has choices takes one or some of them.
func (f *Field) complete() {
	if f.Kind == "" {
		f.Kind = TextField
	}
	if f.Check == nil {
		f.Check = f.Pick
		if f.Kind == SetField {
			f.Check = f.PickSome
		}
	}
}

func Shorten(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:39]) + "…"
	}
	return s
}

// Show writes a value for people to read.
func (f Field) Show(value string) string {
	switch f.Kind {
	case ChoiceField:
		for _, c := range f.Choices {
			if c.Value == value {
				return c.Label
			}
		}
	case PatternField:
		return patternWords(value)
	}
	return value
}

// Enter writes a value as it is entered and put into files.
func (f Field) Enter(value string) string {
	if f.Kind == PatternField {
		return patternWords(value)
	}
	return value
}

var YesNo = []Choice{{"yes", "yes"}, {"no", "no"}}

// Forever is later than any date that is worked on.
var Forever = when.NewDate(2200, 1, 1)

// ClockPoints are the ways of clocking that people can be given.
var ClockPoints = func() []Choice {
	var choices []Choice
	for _, way := range clock.Ways {
		choices = append(choices, Choice{string(way), string(way)})
	}
	return choices
}()

// UnitKinds says where the people of a crew or department are.
var UnitKinds = Choices("department", "in the works", "crew", "in the field", "office", "in the office")

// Has says whether a value is one of some choices.
func Has(choices []Choice, value string) bool {
	return slices.ContainsFunc(choices, func(c Choice) bool { return c.Value == value })
}

// Locations says when where somebody is, is taken.
var Locations = []Choice{{"off", "off"}, {"punch", "at each punch"}, {"along", "also along the way"}}

// Pick takes one of the choices, whatever its case, by value or by label.
func (f Field) Pick(v string) (string, error) {
	for _, c := range f.Choices {
		if strings.EqualFold(c.Value, v) || strings.EqualFold(c.Label, v) {
			return c.Value, nil
		}
	}
	return "", fmt.Errorf("choose %s", orList(f.Choices))
}

// PickSome takes some of the choices, in their order.
func (f Field) PickSome(v string) (string, error) {
	var picked []string
	for _, part := range SplitList(v) {
		one, err := f.Pick(part)
		if err != nil {
			return "", fmt.Errorf("“%s” is none of them; %w", Shorten(part), err)
		}
		if !slices.Contains(picked, one) {
			picked = append(picked, one)
		}
	}
	slices.SortFunc(picked, func(a, b string) int { return f.place(a) - f.place(b) })
	if slices.Contains(picked, "any") {
		return "any", nil
	}
	return strings.Join(picked, ", "), nil
}

func (f Field) place(value string) int {
	return slices.IndexFunc(f.Choices, func(c Choice) bool { return c.Value == value })
}

// orList writes choices as "worker, crew lead or manager", the first few.
func orList(choices []Choice) string {
	var labels []string
	for _, c := range choices {
		if c.Value != "" {
			labels = append(labels, c.Label)
		}
	}
	switch n := len(labels); {
	case n == 0:
		return "nothing: there is none yet"
	case n == 1:
		return labels[0]
	case n > 8:
		return strings.Join(labels[:8], ", ") + " or another that there is"
	default:
		return strings.Join(labels[:n-1], ", ") + " or " + labels[n-1]
	}
}

func NamesOf(named []store.Named) []Choice {
	choices := make([]Choice, len(named))
	for i, n := range named {
		choices[i] = Choice{n.Name, n.Name}
	}
	return choices
}

func IdOf(named []store.Named, name string) uuid.UUID {
	for _, n := range named {
		if n.Name == name {
			return n.ID
		}
	}
	return uuid.Nil
}

func IdsOf(named []store.Named, list string) []uuid.UUID {
	ids := []uuid.UUID{}
	for _, name := range SplitList(list) {
		if id := IdOf(named, name); id != uuid.Nil {
			ids = append(ids, id)
		}
	}
	return ids
}

// SplitList takes what is apart by commas or semicolons.
func SplitList(text string) []string {
	var parts []string
	for _, p := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ';' }) {
		if p = strings.TrimSpace(p); p != "" {
			parts = append(parts, p)
		}
	}
	return parts
}

func OrNull(value string) any {
	if value == "" {
		return nil
	}
	return value
}

func Email(v string) (string, error) {
	a, err := mail.ParseAddress(v)
	if err != nil || a.Address != v || !strings.Contains(v, ".") {
		return "", fmt.Errorf("write an address such as name@company.example")
	}
	return v, nil
}

var mobilePattern = regexp.MustCompile(`^[+(]?[0-9][0-9 ()./-]{4,22}$`)

// MobileIn checks a telephone number: one with its country is kept as it is typed, one
// without is of the region, ISO 3166.
func MobileIn(region string) func(string) (string, error) {
	return func(v string) (string, error) {
		switch {
		case !mobilePattern.MatchString(v):
			return "", fmt.Errorf("write a number such as +1 555 010 0199")
		case strings.HasPrefix(v, "+"):
			return v, nil
		}
		return files.ReadPhone(v, region)
	}
}

func ZoneName(v string) (string, error) {
	if _, err := time.LoadLocation(v); err != nil || v == "Local" {
		return "", fmt.Errorf("write an IANA zone such as America/New_York")
	}
	return v, nil
}

func Date(v string) (string, error) {
	d, err := when.ParseDate(v)
	if err != nil || d < when.NewDate(1900, 1, 1) || d > when.NewDate(2200, 1, 1) {
		return "", fmt.Errorf("write a date as YYYY-MM-DD")
	}
	return d.String(), nil
}

func RateValue(v string) (string, error) {
	r, err := pay.ParseRate(v)
	if err != nil || r < 0 {
		return "", fmt.Errorf("write a sum such as 22.50, not below zero")
	}
	return r.String(), nil
}

func Tags(v string) (string, error) {
	found := ParseTags(v)
	for i, t := range found {
		if t.Tag == "" || utf8.RuneCountInString(t.Tag) > 60 || strings.Contains(t.Tag, " until ") || strings.HasSuffix(t.Tag, " until") ||
			i > 0 && found[i-1].Tag == t.Tag {
			return "", fmt.Errorf("write each tag once, with a date or without: First aid until 2027-03-31, Work at height")
		}
	}
	return tagsText(found), nil
}

func tagsText(tags []store.Tag) string {
	parts := make([]string, len(tags))
	for i, t := range tags {
		parts[i] = t.Tag
		if t.Expires != nil {
			parts[i] += " until " + t.Expires.String()
		}
	}
	return strings.Join(parts, ", ")
}

// ParseTags reads tags, in order of their names. One whose date doesn't read
// keeps it in its name, which tags refuses.
func ParseTags(v string) []store.Tag {
	var found []store.Tag
	for _, part := range SplitList(v) {
		t := store.Tag{Tag: part}
		if name, until, ok := strings.Cut(part, " until "); ok {
			if d, err := when.ParseDate(strings.TrimSpace(until)); err == nil {
				t.Tag, t.Expires = strings.TrimSpace(name), &d
			}
		}
		found = append(found, t)
	}
	slices.SortFunc(found, func(a, b store.Tag) int { return strings.Compare(a.Tag, b.Tag) })
	return found
}

// Text takes a text of so many characters at most.
func Text(most int) func(string) (string, error) {
	return func(v string) (string, error) {
		if utf8.RuneCountInString(v) > most {
			return "", fmt.Errorf("write at most %d characters", most)
		}
		return v, nil
	}
}

// Whole takes a whole number of a unit within bounds, and keeps it times as
// many.
func Whole(unit string, least, most, times int) func(string) (string, error) {
	return func(v string) (string, error) {
		n, err := strconv.Atoi(v)
		if err != nil || n < least || n > most {
			return "", fmt.Errorf("write whole %s, %d to %d", unit, least, most)
		}
		return strconv.Itoa(n * times), nil
	}
}

func Yes(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}
