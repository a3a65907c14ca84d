package web

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"manudex/tongue"
)

// workersRefuse are the files whose refusals reach workers on pages that are said in
// their language, and the pages' own words in Go.
var workersRefuse = []string{"../core/clock/check.go", "../core/clock/amend.go", "../app/hours/punch.go", "cardedit.go", "card.go",
	"../app/hours/clock.go", "../app/hours/claim.go", "../app/hours/note.go", "../app/hours/request.go",
	"../app/hours/objection.go", "../app/hours/endstint.go", "../app/hours/expense.go", "../app/hours/photo.go", "../files/photo.go",
	"../app/points/swipe.go", "../app/hours/crewpunch.go", "../app/hours/crewsheet.go", "../app/people/newcomer.go",
	"../core/clock/written.go", "crewsheet.go", "../app/hours/report.go", "byhand.go", "extras.go",
	"../app/people/password.go", "../app/people/onetimecode.go", "../app/people/signinlink.go", "../app/people/pin.go",
	"../app/people/language.go", "signin.go", "welcome.go", "errors.go", "me.go", "clock.go", "owndays.go", "notices.go",
	"../app/notice/acts.go", "../app/leave/ask.go", "../app/leave/gift.go", "../app/leave/outlook.go",
	"../app/leave/withdraw.go", "leave.go"}

// Every sentence that a worker meets stands in the catalogue, in every language.
func TestEveryLanguageIsWhole(t *testing.T) {
	entries, err := tongue.Catalogue()
	if err != nil {
		t.Fatal(err)
	}
	known := map[string]bool{}
	for _, e := range entries {
		if known[e["en"]] {
			t.Errorf("%q stands twice in the catalogue", e["en"])
		}
		known[e["en"]] = true
		for _, l := range tongue.Languages {
			if e[l.Code] == "" {
				t.Errorf("%q isn't said in %s", e["en"], l.Name)
			}
			for _, mark := range []string{"%s", "*"} {
				if strings.Count(e[l.Code], mark) != strings.Count(e["en"], mark) {
					t.Errorf("%q has not as many %s as %q", e[l.Code], mark, e["en"])
				}
			}
		}
	}
	for _, key := range templateKeys(t) {
		if !known[key] {
			t.Errorf("a page says %q, which isn't in the catalogue", key)
		}
	}
	tongues, err := tongue.All()
	if err != nil {
		t.Fatal(err)
	}
	for _, l := range tongue.Languages[1:] {
		said := tongues[l.Code]
		missed := ""
		said.Missed = func(s string) { missed = s }
		for _, file := range workersRefuse {
			for _, sentence := range sentencesOf(t, file) {
				if missed = ""; strings.Trim(sentence, "Xyz. ") != "" {
					said.Read(sentence)
				}
				if missed != "" {
					t.Errorf("%s says %q, which isn't said in %s", file, missed, l.Name)
				}
			}
		}
	}
}

// templateKeys are the sentences that templates say by t and tb.
func templateKeys(t *testing.T) []string {
	t.Helper()
	found, err := filepath.Glob("templates/*.html")
	if err != nil || len(found) == 0 {
		t.Fatalf("%d templates, %v", len(found), err)
	}
	says := regexp.MustCompile(`(?:\{\{-? ?|\()tb? ("(?:[^"\\]|\\.)*")`)
	var keys []string
	for _, name := range found {
		text, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range says.FindAllStringSubmatch(string(text), -1) {
			key, err := strconv.Unquote(m[1])
			if err != nil {
				t.Fatal(err)
			}
			keys = append(keys, key)
		}
	}
	return keys
}

// sentencesOf are what a file refuses with, and the texts it keeps in fields of that
// name, with a word in the place of what is only known later.
func sentencesOf(t *testing.T, file string) []string {
	t.Helper()
	parsed, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	var found []string
	ast.Inspect(parsed, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.CallExpr:
			if called(n) == "refusal.New" {
				found = append(found, sample(n.Args[1]), sample(n.Args[2]))
			}
			if called(n) == "s.say" {
				found = append(found, sample(n.Args[3]), sample(n.Args[4]))
			}
		case *ast.KeyValueExpr:
			if key, ok := n.Key.(*ast.Ident); ok && slices.Contains([]string{"Text", "Wrong", "Right"}, key.Name) {
				found = append(found, sample(n.Value))
			}
		}
		return true
	})
	return found
}

func called(call *ast.CallExpr) string {
	if sel, ok := call.Fun.(*ast.SelectorExpr); ok {
		return fmt.Sprint(sel.X, ".", sel.Sel.Name)
	}
	return ""
}

// sample writes an expression as it might come out; "" where nothing of it is known.
func sample(e ast.Expr) string {
	switch e := e.(type) {
	case *ast.BasicLit:
		if text, err := strconv.Unquote(e.Value); err == nil {
			return text
		}
	case *ast.BinaryExpr:
		left, right := sample(e.X), sample(e.Y)
		if left == "" && right == "" {
			return ""
		}
		return orWord(left) + orWord(right)
	case *ast.CallExpr:
		if called(e) == "fmt.Sprintf" {
			return regexp.MustCompile(`%[a-z]`).ReplaceAllString(sample(e.Args[0]), "Xyz")
		}
	}
	return ""
}

func orWord(text string) string {
	if text == "" {
		return "Xyz"
	}
	return text
}
