// Package guide is the short guide that the pages lead to: steps for each page, as
// Markdown, rendered once.
package guide

import (
	"bytes"
	"embed"
	"fmt"
	"html/template"
	"slices"
	"strings"

	"github.com/yuin/goldmark"
)

//go:embed *.md
var files embed.FS

// Page is one page of the guide.
type Page struct {
	Key   string // the screen it is about, as pages are called
	Title string
	Needs string // the permission that its readers have, "" for everybody
	HTML  template.HTML
	text  string
}

// order is in which order the pages stand, and who has a use for them.
var order = []struct{ key, needs string }{{"clock", "clock.see"}, {"days", "clock.see"}, {"byhand", "hours.report"}, {"crew",
	"clock.other"}, {"today", "today.see"},
	{"roster", "roster.see"}, {"shifts", "clock.see"}, {"notices", ""}, {"timecards", "timecards.see"}, {"payruns", "payrun.see"},
	{"jobs", "jobs.see"}, {"people", "people.see"}, {"setup", "setup.see"},
	{"me", ""}}

// Pages reads the guide.
func Pages() ([]Page, error) {
	pages := make([]Page, len(order))
	for i, o := range order {
		text, err := files.ReadFile(o.key + ".md")
		if err != nil {
			return nil, fmt.Errorf("guide: %w", err)
		}
		head, body, found := strings.Cut(string(text), "\n")
		title, isHead := strings.CutPrefix(head, "# ")
		if !found || !isHead {
			return nil, fmt.Errorf("guide: %s.md doesn't begin with its title", o.key)
		}
		var html bytes.Buffer
		if err := goldmark.Convert([]byte(body), &html); err != nil {
			return nil, fmt.Errorf("guide: %s.md: %w", o.key, err)
		}
		pages[i] = Page{Key: o.key, Title: title, Needs: o.needs, HTML: template.HTML(html.String()), text: strings.ToLower(string(text))}
	}
	return pages, nil
}

// Find gives the pages that hold every word, those that have them in their title
// first.
func Find(pages []Page, words string) []Page {
	wanted := strings.Fields(strings.ToLower(words))
	holds := func(text string) bool {
		return !slices.ContainsFunc(wanted, func(w string) bool { return !strings.Contains(text, w) })
	}
	var titled, others []Page
	for _, p := range pages {
		switch {
		case len(wanted) == 0 || !holds(p.text):
		case holds(strings.ToLower(p.Title)):
			titled = append(titled, p)
		default:
			others = append(others, p)
		}
	}
	return append(titled, others...)
}
