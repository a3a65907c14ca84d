package web

import (
	"bytes"
	"embed"
	"fmt"
	"html/template"
	"log/slog"
	"net/http"
	"net/url"
	"path"
	"strings"

	"manudex/core/card"
	"manudex/core/when"
	"manudex/docs/guide"
	"manudex/web/words"
)

//go:embed templates/*.html
var templateFiles embed.FS

// pages are the parsed templates: each page with the frame around it, and the
// fragments that several share.
type pages map[string]*template.Template

// shared are parsed into every page.
var shared = []string{"templates/frame.html", "templates/rows.html", "templates/choices.html", "templates/codeparts.html"}

func loadPages() (pages, error) {
	found, err := templateFiles.ReadDir("templates")
	if err != nil {
		return nil, err
	}
	base, err := template.New("base").Funcs(functions).ParseFS(templateFiles, shared...)
	if err != nil {
		return nil, fmt.Errorf("templates: %w", err)
	}
	p := pages{"": base}
	for _, f := range found {
		name := "templates/" + f.Name()
		t, err := base.Clone()
		if err == nil {
			t, err = t.ParseFS(templateFiles, name)
		}
		if err != nil {
			return nil, fmt.Errorf("template %s: %w", f.Name(), err)
		}
		p[strings.TrimSuffix(path.Base(name), ".html")] = t
	}
	return p, nil
}

// write answers with a page. It is rendered whole before anything is sent, so
// that an error never leaves half a page.
func (p pages) write(w http.ResponseWriter, log *slog.Logger, status int, page string, view any) {
	p.writePart(w, log, status, page, "page", view)
}

func (p pages) writePart(w http.ResponseWriter, log *slog.Logger, status int, page, part string, view any) {
	var b bytes.Buffer
	if err := p[page].ExecuteTemplate(&b, part, view); err != nil {
		log.Error("render", "page", page, "err", err)
		http.Error(w, "Something went wrong here. Nothing was changed.", http.StatusInternalServerError)
		return
	}
	h := w.Header()
	h.Set("Content-Type", "text/html; charset=utf-8")
	h.Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	if _, err := w.Write(b.Bytes()); err != nil {
		log.Debug("the browser went away", "err", err)
	}
}

// html renders a piece of a page that is put into another.
func (p pages) html(page, part string, view any) (template.HTML, error) {
	text, err := p.part(page, part, view)
	return template.HTML(text), err
}

// part renders a piece of a page.
func (p pages) part(page, part string, view any) (string, error) {
	var b strings.Builder
	if err := p[page].ExecuteTemplate(&b, part, view); err != nil {
		return "", fmt.Errorf("render %s of %s: %w", part, page, err)
	}
	return b.String(), nil
}

var functions = template.FuncMap{
	"asset":  assetURL,
	"hm":     card.HoursMinutes,
	"signed": words.Signed,
	"day":    func(d when.Date) string { return d.Format("Monday 2 January") },
	"short":  func(d when.Date) string { return d.Format("Mon 2 Jan") },
	"isoday": words.ISODay,
	"span":   words.Span,

	"spanyear": func(p when.Period) string { return words.SpanFrom(p, 0) },
	"plural":   words.Plural,
	"dec":      words.Decimal,
	"money":    words.Grouped,
	"query":    url.ParseQuery,

	"explain": guide.Explain,
	"dict":    dict,
	"codewhy": words.CodeWhy,
	"dec1":    func(n int) int { return n - 1 },
	"inc1":    func(n int) int { return n + 1 },
}

// dict gives a template that is called several values by name, in pairs.
func dict(pairs ...any) (map[string]any, error) {
	d := make(map[string]any, len(pairs)/2)
	for i := 0; i+1 < len(pairs); i += 2 {
		name, ok := pairs[i].(string)
		if !ok {
			return nil, fmt.Errorf("dict: %v is no name", pairs[i])
		}
		d[name] = pairs[i+1]
	}
	return d, nil
}

func urlEscape(s string) string { return url.QueryEscape(s) }
