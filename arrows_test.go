// Package manudex_test holds the whole tree to its structure.
package manudex_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"

	"manudex/app"
)

// arrows says what each part may import of ours. Arrows point one way:
// cmd → web, demo → app → store, files → core.
var arrows = map[string][]string{
	"core/when":   {},
	"core/geo":    {},
	"core/clock":  {"core/when", "core/geo"},
	"core/card":   {"core/when", "core/geo", "core/clock"},
	"core/pay":    {"core/when", "core/clock", "core/card"},
	"files":       {"core"},
	"store":       {"core"},
	"app":         {"core", "store", "files"},
	"web/draw":    {"core"},
	"web":         {"core", "store", "files", "app", "web/draw"},
	"demo":        {"core", "store", "app"},
	"standin":     {},
	"cmd/manudex": {"core", "store", "files", "app", "web", "demo", "standin"},
	"dbtest":      {"core", "store", "app", "demo"},
	"bench":       {"core", "store", "app", "web", "demo"},
	"e2e":         {"core", "store", "app", "web", "demo", "dbtest", "e2e", "files"},
}

// partOf gives the part of the tree that a directory belongs to.
func partOf(dir string) string {
	for dir != "." {
		if _, ok := arrows[dir]; ok {
			return dir
		}
		dir = filepath.Dir(dir)
	}
	return ""
}

func TestArrowsPointOneWay(t *testing.T) {
	seen := map[string]bool{}
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") {
			return err
		}
		dir := filepath.Dir(path)
		part := partOf(dir)
		if part == "" {
			if dir != "." {
				t.Errorf("%s belongs to no part: give it a row here", path)
			}
			return nil
		}
		seen[part] = true
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, imp := range f.Imports {
			name, err := strconv.Unquote(imp.Path.Value)
			if err != nil {
				return err
			}
			if strings.HasPrefix(part, "core") && slices.Contains([]string{"database/sql", "net/http", "log", "log/slog", "os"}, name) && !strings.HasSuffix(path, "_test.go") {
				t.Errorf("%s imports %s: core knows no database, request, log or machine", path, name)
			}
			own, ok := strings.CutPrefix(name, "manudex/")
			if !ok || strings.HasSuffix(path, "_test.go") && (own == "dbtest" || own == "demo" || own == "standin") || partOf(own) == part {
				continue
			}
			if !slices.ContainsFunc(arrows[part], func(may string) bool { return own == may || strings.HasPrefix(own, may+"/") }) {
				t.Errorf("%s imports %s: %s may import %v", path, own, part, arrows[part])
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for part := range arrows {
		if !seen[part] {
			t.Errorf("%s has a row here and no code", part)
		}
	}
}

// Every act in app stands in app.Acts, the list that the permission table and
// its test are held against. An act is a type with a method do.
func TestEveryActIsListed(t *testing.T) {
	listed := map[string]bool{}
	for _, a := range app.Acts {
		listed[reflect.TypeOf(a).Name()] = true
	}
	found := 0
	sources, err := filepath.Glob("app/*.go")
	if err != nil {
		t.Fatal(err)
	}
	for _, path := range sources {
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		for _, decl := range f.Decls {
			fn, ok := decl.(*ast.FuncDecl)
			if !ok || fn.Name.Name != "do" || fn.Recv == nil {
				continue
			}
			found++
			if name, ok := fn.Recv.List[0].Type.(*ast.Ident); !ok || !listed[name.Name] {
				t.Errorf("%s: an act that app.Acts doesn't list: %v", path, fn.Recv.List[0].Type)
			}
		}
	}
	if found != len(app.Acts) {
		t.Errorf("app.Acts lists %d acts, the sources have %d", len(app.Acts), found)
	}
}
