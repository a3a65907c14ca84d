// Guards takes the guards of app/ out one at a time and names those that no
// test misses.
//
// A guard is a condition (of an if, or of a case in a switch without a value)
// whose branch ends by answering "no": refusal.New, app.ErrForbidden,
// app.ErrNotFound, app.ErrConflict; or the call of a function that asks who
// may, named below. All of them get a switch in one overlay build, so that the
// tests are compiled once; then they run once for each guard that is out.
//
// It needs a server for tests, as ./test.sh starts one (MANUDEX_TEST_DATABASE).
//
//	go run ./scripts/guards [-only file.go] [-from 0] [-rooms=false]
//
// A line for each guard: "table" if the tables of app's own tests fail without
// it, "room" if only the tests of its package do, NONE if none does. It exits
// with 1 at any NONE. The tables alone take some ten minutes.
package main

import (
	"encoding/json"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"sort"
	"strings"
	"time"
)

const variable = "MANUDEX_GUARD_OUT"

// tables are the tests of app that are nothing but rows.
const tables = "^(TestGuards.*|TestReadsAskWhoMay|TestAFilesTaskIsNamed|TestRefused.*)$"

// The functions that ask who may, or whether it may be at all, and answer with
// an error alone.
var asks = regexp.MustCompile(`(^|\.)(may[A-Z]\w*|notPaid\w*|check[A-Z]\w*|` +
	`meetsPaid|beyond|clockable|keepsUsed|Proved|prove|KnownCostCode)$`)

// A guard stands in a file from one offset to another.
type guard struct {
	file     string
	line     int
	from, to int
	text     string
}

func main() {
	log.SetFlags(0)
	only := flag.String("only", "", "only guards of files that end so")
	first := flag.Int("from", 0, "begin at this guard")
	rooms := flag.Bool("rooms", true, "ask the tests of a guard's own package too, where the tables miss nothing")
	flag.Parse()
	dir, err := os.MkdirTemp("", "guards")
	if err != nil {
		log.Fatal(err)
	}
	defer os.RemoveAll(dir)
	found, overlay := mutate(dir)
	bins := map[string]string{}
	build := func(pkg string) string {
		if bins[pkg] == "" {
			bins[pkg] = filepath.Join(dir, strings.ReplaceAll(pkg, "/", "_")+".test")
			out, err := exec.Command("go", "test", "-c", "-vet=off", "-overlay", overlay, "-o", bins[pkg], "./"+pkg).CombinedOutput()
			if err != nil {
				log.Fatalf("%s: %v\n%s", pkg, err, out)
			}
		}
		return bins[pkg]
	}
	count := map[string]int{}
	for i, g := range found {
		if i < *first || !strings.HasSuffix(g.file, *only) {
			continue
		}
		verdict := "NONE"
		if room := filepath.Dir(g.file); fails(build("app"), "app", tables, i) {
			verdict = "table"
		} else if *rooms && room != "app" && fails(build(room), room, ".", i) {
			verdict = "room"
		}
		count[verdict]++
		fmt.Printf("%-5s %3d %s:%d %s\n", verdict, i, g.file, g.line, g.text)
	}
	fmt.Printf("%d guards: %d fail app's own tests, %d their room's, %d none\n", len(found), count["table"], count["room"], count["NONE"])
	if count["NONE"] > 0 {
		os.Exit(1)
	}
}

// fails says whether some of a package's tests fail without guard i.
func fails(bin, pkg, tests string, i int) bool {
	c := exec.Command(bin, "-test.run", tests, "-test.failfast", "-test.timeout", (3 * time.Minute).String())
	c.Dir, c.Env = pkg, append(os.Environ(), fmt.Sprintf("%s=%d", variable, i))
	return c.Run() != nil
}

// mutate writes app/'s files with a switch at each guard into dir, and an
// overlay for the go command that puts them in their place.
func mutate(dir string) (found []guard, overlay string) {
	replace := map[string]string{}
	write := func(name, as string, text []byte) {
		abs, err := filepath.Abs(name)
		if err == nil {
			replace[abs] = filepath.Join(dir, as)
			err = os.WriteFile(replace[abs], text, 0o600)
		}
		if err != nil {
			log.Fatal(err)
		}
	}
	write("app/guardout/guardout.go", "guardout.go", []byte(`package guardout
import "os"
var out = os.Getenv("`+variable+`")
func In(i string) bool { return i != out }
`))
	names, _ := filepath.Glob("app/*.go")
	rooms, _ := filepath.Glob("app/*/*.go")
	for n, name := range append(names, rooms...) {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		text, err := os.ReadFile(name)
		if err != nil {
			log.Fatal(err)
		}
		guards, after := guardsOf(name, text)
		if len(guards) == 0 {
			continue
		}
		for i := len(guards) - 1; i >= 0; i-- {
			g := guards[i]
			text = fmt.Appendf(nil, "%sguardout.In(%q) && (%s)%s", text[:g.from], fmt.Sprint(len(found)+i), text[g.from:g.to], text[g.to:])
		}
		text = fmt.Appendf(nil, "%s; import %q%s", text[:after], "manudex/app/guardout", text[after:])
		write(name, fmt.Sprintf("%d.go", n), text)
		found = append(found, guards...)
	}
	text, err := json.Marshal(map[string]any{"Replace": replace})
	if err != nil {
		log.Fatal(err)
	}
	overlay = filepath.Join(dir, "overlay.json")
	if err := os.WriteFile(overlay, text, 0o600); err != nil {
		log.Fatal(err)
	}
	return found, overlay
}

// guardsOf finds a file's guards, in order, and where its package clause ends.
func guardsOf(name string, text []byte) (found []guard, after int) {
	fset := token.NewFileSet()
	f, err := parser.ParseFile(fset, name, text, 0)
	if err != nil {
		log.Fatal(err)
	}
	add := func(e ast.Expr) {
		from, to := fset.Position(e.Pos()), fset.Position(e.End()).Offset
		found = append(found, guard{name, from.Line, from.Offset, to, strings.Join(strings.Fields(string(text[from.Offset:to])), " ")})
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.IfStmt:
			if refuses(n.Body.List) && !passesOn(n.Cond) || asksWhoMay(n) {
				add(n.Cond)
			}
		case *ast.SwitchStmt:
			for _, c := range n.Body.List {
				if c := c.(*ast.CaseClause); n.Tag == nil && refuses(c.Body) {
					for _, e := range c.List {
						if !passesOn(e) {
							add(e)
						}
					}
				}
			}
		}
		return true
	})
	sort.Slice(found, func(i, j int) bool { return found[i].from < found[j].from })
	return found, fset.Position(f.Name.End()).Offset
}

// refuses says whether a branch ends by answering "no".
func refuses(body []ast.Stmt) bool {
	if len(body) == 0 {
		return false
	}
	r, ok := body[len(body)-1].(*ast.ReturnStmt)
	if !ok || len(r.Results) == 0 {
		return false
	}
	no := false
	ast.Inspect(r.Results[len(r.Results)-1], func(n ast.Node) bool {
		if id, ok := n.(*ast.Ident); ok {
			switch id.Name {
			case "refusal", "ErrForbidden", "ErrNotFound", "ErrConflict":
				no = true
			}
		}
		return true
	})
	return no
}

// passesOn says whether a condition asks about an error that came from
// elsewhere: without it the error is still an error.
func passesOn(e ast.Expr) bool {
	on := false
	ast.Inspect(e, func(n ast.Node) bool {
		if id, ok := n.(*ast.Ident); ok && id.Name == "err" {
			on = true
		}
		return true
	})
	return on
}

// asksWhoMay says whether a statement is "if err := mayX(…); err != nil".
func asksWhoMay(n *ast.IfStmt) bool {
	a, ok := n.Init.(*ast.AssignStmt)
	if !ok || len(a.Rhs) != 1 || len(a.Lhs) != 1 || len(n.Body.List) != 1 {
		return false
	}
	c, ok := a.Rhs[0].(*ast.CallExpr)
	if _, leaves := n.Body.List[0].(*ast.ReturnStmt); !ok || !leaves {
		return false
	}
	switch f := c.Fun.(type) {
	case *ast.Ident:
		return asks.MatchString(f.Name)
	case *ast.SelectorExpr:
		return asks.MatchString("." + f.Sel.Name)
	}
	return false
}
