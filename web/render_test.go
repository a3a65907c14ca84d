package web

import (
	"io/fs"
	"regexp"
	"strings"
	"testing"
)

// A part of a page that keeps itself up to date says so: it doesn't keep a
// session open that nobody uses. What is pressed within it doesn't.
func TestWhatRefreshesItselfSaysSo(t *testing.T) {
	files, err := fs.Glob(templateFiles, "templates/*.html")
	if err != nil {
		t.Fatal(err)
	}
	elements := regexp.MustCompile(`<[a-z][^<>]*hx-trigger="[^>]*>`)
	byItself := regexp.MustCompile(`hx-trigger="[^"]*(load|every|from:document)`)
	found := 0
	for _, name := range files {
		text, err := fs.ReadFile(templateFiles, name)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range elements.FindAllString(string(text), -1) {
			if !byItself.MatchString(e) {
				continue
			}
			found++
			if !strings.Contains(e, `hx-headers='{"X-Refresh": "1"}' hx-disinherit="*"`) {
				t.Errorf("%s: %s", name, e)
			}
		}
	}
	if found < 2 {
		t.Errorf("%d parts refresh themselves", found)
	}
}

func TestOwnPath(t *testing.T) {
	for to, want := range map[string]bool{"/": true, "/today?day=2026-11-12": true, "": false, "today": false, "//x": false, `/\x`: false,
		"https://x/": false, "javascript:x": false, "/%zz": false} {
		if got := ownPath(to); got != want {
			t.Errorf("ownPath(%q) = %v", to, got)
		}
	}
}
