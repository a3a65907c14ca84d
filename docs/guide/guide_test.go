package guide

import (
	"io/fs"
	"strings"
	"testing"
)

// Every file is a page, with a title and steps.
func TestPages(t *testing.T) {
	pages, err := Pages()
	if err != nil {
		t.Fatal(err)
	}
	found, err := fs.Glob(files, "*.md")
	if err != nil || len(found) != len(pages) {
		t.Errorf("%d files, %d pages, %v", len(found), len(pages), err)
	}
	for _, p := range pages {
		if !strings.Contains(string(p.HTML), "<ol>") || strings.Contains(string(p.HTML), "<h1") || p.Title == "" {
			t.Errorf("%s: %q has no steps, or its title twice", p.Key, p.Title)
		}
	}
}

func TestFind(t *testing.T) {
	pages, err := Pages()
	if err != nil {
		t.Fatal(err)
	}
	for words, want := range map[string]string{"clock out": "clock", "Close run": "payruns", "erasing": "setup", "authenticator": "me",
		"zebra": "", "": "", "qr code": "people"} {
		got := Find(pages, words)
		if want == "" && len(got) > 0 || want != "" && (len(got) == 0 || got[0].Key != want) {
			t.Errorf("%q finds %+v, want %s first", words, got, want)
		}
	}
}

// A word shows its sentence, and one that nothing explains is an error: no page is
// rendered with it.
func TestExplain(t *testing.T) {
	html, err := Explain(strings.TrimSpace, "stint", "Stints & more")
	if err != nil || !strings.Contains(string(html), `popovertarget="w-stint">Stints &amp; more<`) ||
		!strings.Contains(string(html), `popover id="w-stint"`) || !strings.Contains(string(html), "unbroken stretch") {
		t.Errorf("%s, %v", html, err)
	}
	if _, err := Explain(strings.TrimSpace, "zebra", "Zebra"); err == nil {
		t.Error("a zebra is explained")
	}
}
