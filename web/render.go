package web

import (
	"bytes"
	"embed"
	"fmt"
	"html/template"
	"log/slog"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"

	"manudex/core/card"
	"manudex/core/when"
	"manudex/docs/guide"
	"manudex/tongue"
	"manudex/web/draw"
	"manudex/web/words"
)

//go:embed templates/*.html
var templateFiles embed.FS

// pages are the parsed templates by language: each page with the frame around it,
// and the fragments that several share.
type pages map[string]map[string]*template.Template

// shared are parsed into every page.
var shared = []string{"templates/frame.html", "templates/rows.html", "templates/choices.html", "templates/codeparts.html",
	"templates/extras.html", "templates/payrun-standing.html"}

// translated are the pages that workers meet: they are said in every language of
// the catalogue. What stands around the others is, and says that they are English.
var translated = []string{"",
	"signin", "signin-code", "signin-end", "forgot", "welcome", "error", "clock", "choices", "own-days", "me", "card", "extras", "offline",
	"kept", "terminal", "crew", "byhand", "notices", "shifts", "leave", "dayplan", "own-pay", "payrun-person"}

// tongues says the sentences of pages, by language.
var tongues = sync.OnceValues(tongue.All)

// loadPages parses them, once for all servers of a process.
var loadPages = sync.OnceValues(func() (pages, error) {
	tongues, err := tongues()
	if err != nil {
		return nil, err
	}
	found, err := templateFiles.ReadDir("templates")
	if err != nil {
		return nil, err
	}
	all := pages{}
	for code, t := range tongues {
		set := map[string]*template.Template{}
		all[code] = set
		base, err := template.New("base").Funcs(functions).Funcs(spoken(t, true)).ParseFS(templateFiles, shared...)
		if err != nil {
			return nil, fmt.Errorf("templates: %w", err)
		}
		set[""] = base
		for _, f := range found {
			file := "templates/" + f.Name()
			name := strings.TrimSuffix(f.Name(), ".html")
			page, err := base.Clone()
			if err == nil {
				page, err = page.Funcs(spoken(t, slices.Contains(translated, name))).ParseFS(templateFiles, file)
			}
			if err != nil {
				return nil, fmt.Errorf("template %s: %w", f.Name(), err)
			}
			set[name] = page
		}
	}
	return all, nil
})

// spoken are the functions by which a page says sentences in a language: t and tb
// those of the catalogue, tr what was worded in English before, tw what may
// be a name too.
func spoken(t *tongue.Tongue, whole bool) template.FuncMap {
	code, read, word := t.Code, t.Read, t.Word
	if !whole {
		same := func(text string) string { return text }
		code, read, word = english, same, same
	}
	return template.FuncMap{
		"explain": func(key, shown string) (template.HTML, error) { return guide.Explain(read, key, shown) },
		"t":       t.Say, "tb": t.Bold, "tr": func(text any) string { return read(fmt.Sprint(text)) },
		"tw":        word,
		"refusal":   func(wrong, right string) string { return read(wrong) + ". " + read(right) + "." },
		"lang":      func() string { return code },
		"inenglish": func() bool { return t.Code != code },
	}
}

// wordIn gives what says words in the language of an answer.
func wordIn(h http.Header) (func(string) string, error) {
	all, err := tongues()
	if err != nil {
		return nil, err
	}
	if t, ok := all[h.Get("Content-Language")]; ok {
		return t.Word, nil
	}
	return all[english].Word, nil
}

// english is the language of every page.
const english = "en"

// in gives a page in the language of an answer.
func (p pages) in(h http.Header, page string) *template.Template {
	if set, ok := p[h.Get("Content-Language")]; ok {
		return set[page]
	}
	return p[english][page]
}

// write answers with a page. It is rendered whole before anything is sent, so
// that an error never leaves half a page.
func (p pages) write(w http.ResponseWriter, log *slog.Logger, status int, page string, view any) {
	p.writePart(w, log, status, page, "page", view)
}

func (p pages) writePart(w http.ResponseWriter, log *slog.Logger, status int, page, part string, view any) {
	var b bytes.Buffer
	if err := p.in(w.Header(), page).ExecuteTemplate(&b, part, view); err != nil {
		log.Error("render", "page", page, "err", err)
		http.Error(w, "Something went wrong here. Nothing was changed.", http.StatusInternalServerError)
		return
	}
	h := w.Header()
	if !slices.Contains(translated, page) {
		h.Set("Content-Language", english)
	}
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
	if err := p[english][page].ExecuteTemplate(&b, part, view); err != nil {
		return "", fmt.Errorf("render %s of %s: %w", part, page, err)
	}
	return b.String(), nil
}

var functions = template.FuncMap{
	"asset":   assetURL,
	"hm":      card.HoursMinutes,
	"mark":    func(mark string) template.HTML { return template.HTML(draw.OwnMark(nil, mark)) },
	"signed":  words.Signed,
	"day":     func(d when.Date) string { return d.Format("Monday 2 January") },
	"lower":   strings.ToLower,
	"short":   func(d when.Date) string { return d.Format("Mon 2 Jan") },
	"isoday":  words.ISODay,
	"suits":   words.Suits,
	"lacking": words.Lacking,
	"span":    words.Span,

	"spanyear": func(p when.Period) string { return words.SpanFrom(p, 0) },
	"plural":   words.Plural,
	"dec":      words.Decimal,
	"money":    words.Grouped,
	"query":    url.ParseQuery,

	"dockreasons": func() any { return dockReasons },

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
