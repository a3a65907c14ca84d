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
	"slices"
	"strings"
	"time"

	"manudex/app/payroll"
	"manudex/core/card"
	"manudex/core/when"
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
	"signed": signedHours,
	"clock":  func(t time.Time, loc *time.Location) string { return t.In(loc).Format("15:04") },
	"stamp":  func(t time.Time, loc *time.Location) string { return t.In(loc).Format("15:04:05") },
	"moment": func(t time.Time, loc *time.Location) string { return t.In(loc).Format("Mon 2 Jan 15:04") },
	"day":    func(d when.Date) string { return d.Format("Monday 2 January") },
	"short":  func(d when.Date) string { return d.Format("Mon 2 Jan") },
	"span":   spanWords,
	"plural": plural,
	"dec":    decimalHours,
	"money":  grouped,
	"query":  url.ParseQuery,

	"codewhy": codeWhy,
	"dec1":    func(n int) int { return n - 1 },
}

// codeWhy says why hours get a pay code: whose it is, and who was asked before
// and names none.
func codeWhy(u payroll.CodeUse) string {
	words := "nobody names one"
	var silent []string
	for _, n := range u.Asked {
		switch {
		case n.Used:
			words = "the " + ownerWords[n.Owner] + "’s"
		case !slices.ContainsFunc(u.But, func(b payroll.CodeException) bool { return b.Owner == n.Owner }):
			silent = append(silent, ownerWords[n.Owner])
		}
	}
	switch {
	case u.As != "":
		words += ": as " + u.As
	case !u.Default && len(silent) == 1:
		words += "; the " + silent[0] + " names none"
	case !u.Default && len(silent) > 1:
		words += "; " + strings.Join(silent[:len(silent)-1], ", ") + " and " + silent[len(silent)-1] + " name none"
	}
	return words
}

// signedHours writes a difference with its sign: +0:36, −8:00, 0:00.
func signedHours(seconds int64) string {
	if seconds/60 > 0 {
		return "+" + card.HoursMinutes(seconds)
	}
	if seconds/60 == 0 {
		return "0:00"
	}
	return card.HoursMinutes(seconds)
}

// decimalHours writes hours as payroll wants them, to two decimals.
func decimalHours(seconds int64) string { return grouped(fmt.Sprintf("%.2f", float64(seconds)/3600)) }

// spanWords writes a span of days: "8–21 Nov", "25 Oct – 7 Nov".
func spanWords(p when.Period) string {
	switch {
	case p.From == p.To:
		return p.From.Format("Mon 2 Jan")
	case p.From.Format("Jan 2006") == p.To.Format("Jan 2006"):
		return p.From.Format("2") + "–" + p.To.Format("2 Jan")
	}
	return p.From.Format("2 Jan") + " – " + p.To.Format("2 Jan")
}

func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

func urlEscape(s string) string { return url.QueryEscape(s) }

// grouped writes a decimal with its thousands apart: 39,378.67.
func grouped(amount string) string {
	whole, cents, point := strings.Cut(amount, ".")
	sign := ""
	if digits, negative := strings.CutPrefix(whole, "-"); negative {
		sign, whole = "−", digits
	}
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + "," + whole[i:]
	}
	if point {
		whole += "." + cents
	}
	return sign + whole
}
