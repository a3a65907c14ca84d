package manudex_test

import (
	"bytes"
	"io/fs"
	"os"
	"path/filepath"
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
