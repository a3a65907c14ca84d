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
	"manudex/app/bringin"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/leave"
	"manudex/app/notice"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/app/points"
	"manudex/app/roster"
)

// arrows says what each part may import of ours. Arrows point one way:
// cmd → web, demo → app → store, files → core.
var arrows = map[string][]string{
	"core/when":    {},
	"core/notice":  {"core/when"},
	"core/geo":     {},
	"core/refusal": {},
	"core/seal":    {},
	"core/job":     {},
	"core/keep":    {},
	"core/leave":   {"core/when"},
	"core/mark":    {},
	"core/badge":   {},
	"core/clock":   {"core/when", "core/geo", "core/refusal"},
	"core/card":    {"core/when", "core/geo", "core/clock", "core/refusal"},
	"core/roster":  {"core/when", "core/card", "core/refusal"},
	"core/pay":     {"core/when", "core/clock", "core/card"},
	"files":        {"core"},
	"tongue":       {},
	"store":        {"core"},
	"app":          {"core", "store", "files"},
	"app/field":    {"core", "store", "files", "app"},
	"app/bringin":  {"core", "store", "files", "app", "app/field"},
	"app/hours":    {"core", "store", "files", "app", "app/field", "app/bringin"},
	"app/payroll":  {"core", "store", "files", "app", "app/field", "app/hours"},
	"app/points":   {"core", "store", "app", "app/field", "app/hours", "app/people"},
	"app/people":   {"core", "store", "files", "app", "app/field", "app/bringin", "app/hours", "app/payroll"},
	"app/jobs":     {"core", "store", "files", "app", "app/field", "app/bringin", "app/hours", "app/payroll"},
	"app/company":  {"core", "store", "files", "app", "app/field", "app/bringin", "app/hours", "app/payroll", "app/people", "app/jobs"},
	"app/notice":   {"core", "tongue", "store", "app"},
	"app/roster":   {"core", "files", "store", "app", "app/hours"},
	"app/leave":    {"core", "store", "files", "app", "app/bringin", "app/hours", "app/roster"},
	"app/work":     {"app", "app/bringin", "app/hours", "app/leave", "app/notice", "app/people", "app/roster"},
	"app/apptest":  {"core", "store", "app", "dbtest"},
	"web/draw":     {"core"},
	"web":          {"core", "tongue", "store", "files", "app", "web/draw", "docs", "docs/guide"},
	"demo":         {"core", "store", "app"},
	"standin":      {},
	"authority":    {},
	"backup":       {"store"},
	"cmd/manudex":  {"core", "store", "files", "app", "web", "demo", "standin", "authority", "backup"},
	"scripts":      {},
	"docs":         {},
	"docs/guide":   {},
	"dbtest":       {"core", "store", "app", "demo"},
	"bench":        {"core", "store", "app", "web", "demo"},
	"e2e":          {"core", "store", "app", "web", "demo", "dbtest", "e2e", "files", "standin"},
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

// allows says whether a part that may import another may import a package. The
// kernel of app stands apart from its rooms for those that are rooms too.
func allows(part, may, own string) bool {
	if may == "app" && strings.HasPrefix(part, "app/") && part != "app/apptest" {
		return own == "app"
	}
	return own == may || strings.HasPrefix(own, may+"/")
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
			if strings.HasPrefix(part, "core") && slices.Contains([]string{"database/sql", "net/http", "log", "log/slog", "os"}, name) &&
				!strings.HasSuffix(path, "_test.go") {
				t.Errorf("%s imports %s: core knows no database, request, log or machine", path, name)
			}
			own, ok := strings.CutPrefix(name, "manudex/")
			test := strings.HasSuffix(path, "_test.go") &&
				(own == "dbtest" || own == "demo" || own == "standin" || strings.HasPrefix(part, "app") && strings.HasPrefix(own, "app/") ||
					part == "backup" && partOf(own) != "web")
			if !ok || test || partOf(own) == part {
				continue
			}
			if !slices.ContainsFunc(arrows[part], func(may string) bool { return allows(part, may, own) }) {
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

// acts lists every act there is, by the rooms of app.
var acts = slices.Concat(app.Acts, bringin.Acts, hours.Acts, notice.Acts, payroll.Acts, points.Acts, people.Acts, jobs.Acts,
	company.Acts, roster.Acts, leave.Acts)

// Every act stands in the Acts of its room, the lists that the permission
// table and its test are held against. An act is a type with a method Do.
func TestEveryActIsListed(t *testing.T) {
	listed := map[string]bool{}
	for _, a := range acts {
		listed[reflect.TypeOf(a).String()] = true
	}
	found := 0
	sources, err := filepath.Glob("app/*/*.go")
	if err != nil {
		t.Fatal(err)
	}
	sources = append(sources, "app/work.go", "app/undo.go")
	for _, path := range sources {
		if strings.HasSuffix(path, "_test.go") {
			continue
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		for _, decl := range f.Decls {
			fn, ok := decl.(*ast.FuncDecl)
			if !ok || fn.Name.Name != "Do" || fn.Recv == nil {
				continue
			}
			found++
			name, ok := fn.Recv.List[0].Type.(*ast.Ident)
			if !ok || !listed[f.Name.Name+"."+name.Name] {
				t.Errorf("%s: an act that its room's Acts don't list: %v", path, fn.Recv.List[0].Type)
			}
		}
	}
	if found != len(acts) {
		t.Errorf("the rooms list %d acts, the sources have %d", len(acts), found)
	}
}
