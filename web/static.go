package web

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"fmt"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"regexp"
	"strings"
	"time"

	"manudex/app"
)

//go:embed static
var staticFiles embed.FS

type asset struct {
	content []byte
	version string
	kind    string
}

// imported is a module that another one imports.
var imported = regexp.MustCompile(`(?m)^(import .*?)"\./([a-z-]+\.js)";$`)

// assets are the shipped files, by name, with a version that changes with
// their content and with that of the modules that they import, whose versions
// stand in the addresses they are imported by.
var assets = func() map[string]asset {
	found, contents := map[string]asset{}, map[string][]byte{}
	err := fs.WalkDir(staticFiles, "static", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		contents[strings.TrimPrefix(name, "static/")], err = staticFiles.ReadFile(name)
		return err
	})
	if err != nil {
		panic(err) // embedded files are always readable
	}
	var add func(name string) asset
	add = func(name string) asset {
		if a, ok := found[name]; ok {
			return a
		}
		content := imported.ReplaceAllFunc(contents[name], func(line []byte) []byte {
			m := imported.FindSubmatch(line)
			return fmt.Appendf(nil, `%s"./%s?v=%s";`, m[1], m[2], add(string(m[2])).version)
		})
		sum := sha256.Sum256(content)
		kind := mime.TypeByExtension(path.Ext(name))
		if path.Ext(name) == ".woff2" {
			kind = "font/woff2"
		}
		found[name] = asset{content, hex.EncodeToString(sum[:6]), kind}
		return found[name]
	}
	for name := range contents {
		add(name)
	}
	return found
}()

// assetURL is the address of a shipped file, versioned so that it can be kept
// for ever.
func assetURL(name string) string { return "/static/" + name + "?v=" + assets[name].version }

func (s *Server) static(w http.ResponseWriter, r *http.Request) error {
	name := strings.TrimPrefix(r.URL.Path, "/static/")
	a, ok := assets[name]
	if !ok {
		return app.ErrNotFound
	}
	h := w.Header()
	h.Set("Content-Type", a.kind)
	h.Set("ETag", `"`+a.version+`"`)
	if r.URL.Query().Get("v") == a.version {
		h.Set("Cache-Control", "public, max-age=31536000, immutable")
	} else {
		h.Set("Cache-Control", "no-cache")
	}
	http.ServeContent(w, r, name, time.Time{}, bytes.NewReader(a.content))
	return nil
}

func (s *Server) favicon(w http.ResponseWriter, r *http.Request) error {
	http.Redirect(w, r, assetURL("mark.svg"), http.StatusFound)
	return nil
}
