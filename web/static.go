package web

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"io/fs"
	"mime"
	"net/http"
	"path"
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

// assets are the shipped files, by name, with a version that changes with
// their content.
var assets = func() map[string]asset {
	found := map[string]asset{}
	err := fs.WalkDir(staticFiles, "static", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		content, err := staticFiles.ReadFile(name)
		sum := sha256.Sum256(content)
		kind := mime.TypeByExtension(path.Ext(name))
		if path.Ext(name) == ".woff2" {
			kind = "font/woff2"
		}
		found[strings.TrimPrefix(name, "static/")] = asset{content, hex.EncodeToString(sum[:6]), kind}
		return err
	})
	if err != nil {
		panic(err) // embedded files are always readable
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
