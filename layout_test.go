package manudex_test

import (
	"bytes"
	"go/ast"
	"go/parser"
	"go/token"
	"go/types"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"
)

// What is written by hand has lines that fit a screen, so that a change of one
// thing is a change of one line.
func TestNoLineIsLongerThan140(t *testing.T) {
	const columns, tab = 140, 4
	theirs := []string{"web/static/lib", "e2e/lib", "bin", ".git"}
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		for _, prefix := range theirs {
			if strings.HasPrefix(path, prefix) {
				return nil
			}
		}
		switch filepath.Ext(path) {
		case ".go", ".html", ".css", ".js", ".sql", ".sh":
		default:
			return err
		}
		text, err := os.ReadFile(path)
		if bytes.Contains(text, []byte("\n-- as the library ships it.\n")) {
			return nil
		}
		for i, line := range strings.Split(string(text), "\n") {
			if utf8.RuneCountInString(line)+(tab-1)*strings.Count(line, "\t") > columns {
				t.Errorf("%s:%d is longer than %d columns", path, i+1, columns)
			}
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

// An instant reaches a page with the zone in which it is shown (words.Local):
// no template names a field that holds a bare one, and no function of templates
// takes one. A name that is a date's elsewhere is let pass.
func TestInstantsReachPagesWithTheirZone(t *testing.T) {
	bare, other := map[string]string{}, map[string]bool{}
	for _, dir := range []string{"app", "core", "store", "web"} {
		for _, file := range sources(t, dir, ".go") {
			parsed, err := parser.ParseFile(token.NewFileSet(), file, nil, parser.SkipObjectResolution)
			if err != nil {
				t.Fatal(err)
			}
			ast.Inspect(parsed, func(n ast.Node) bool {
				if s, ok := n.(*ast.StructType); ok && !strings.HasSuffix(file, "_test.go") {
					for _, f := range s.Fields.List {
						for _, name := range f.Names {
							if kind := types.ExprString(f.Type); strings.TrimPrefix(kind, "*") == "time.Time" {
								bare[name.Name] = file
							} else {
								other[name.Name] = true
							}
						}
					}
				}
				return true
			})
		}
	}
	if bare["MadeAt"] == "" || bare["ClosedAt"] == "" {
		t.Fatal("the fields that hold instants are not found")
	}
	action, chain := regexp.MustCompile(`(?s)\{\{.*?\}\}`), regexp.MustCompile(`\.([A-Z]\w*)`)
	for _, file := range sources(t, "web/templates", ".html") {
		text, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		for _, a := range action.FindAll(text, -1) {
			for _, m := range chain.FindAllSubmatch(a, -1) {
				if name := string(m[1]); bare[name] != "" && !other[name] {
					t.Errorf("%s: %s shows an instant without a zone: %s is a time.Time in %s", file, a, name, bare[name])
				}
			}
		}
	}
	text, err := os.ReadFile("web/render.go")
	if err != nil {
		t.Fatal(err)
	}
	if bytes.Contains(text, []byte("func(t time.Time")) {
		t.Error("a function of templates takes an instant without its zone")
	}
}

// sources lists the files of an ending below a directory.
func sources(t *testing.T, dir, ending string) (files []string) {
	t.Helper()
	err := filepath.WalkDir(dir, func(path string, _ fs.DirEntry, err error) error {
		if filepath.Ext(path) == ending {
			files = append(files, path)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return files
}
