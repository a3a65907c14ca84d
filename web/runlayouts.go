package web

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"unicode/utf16"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/payroll"
	"manudex/core/refusal"
	"manudex/files"
	"manudex/web/form"
)

type layoutsView struct {
	frameView
	*payroll.LayoutsPage
	Layout  files.Layout
	Columns string // as they're typed
	Codes   string
	From    string
	ID      string
	Run     string // that the preview is of
	Open    bool   // the form of a layout is shown
	Kept    uuid.UUID
	Refusal *refusal.Refusal
	Preview layoutPreview
	Offers  layoutOffers
}

// layoutOffers are what the form of a layout offers.
type layoutOffers struct {
	Rows, Encodings, Separators, Quotes, LineEnds, Decimals, Dates, Hours, Money, FilePer []field.Choice
	Values                                                                                []field.Choice
}

// layoutPreview is the beginning of what a layout makes of a run.
type layoutPreview struct {
	Text    string
	Files   int
	Report  files.LayoutReport
	Refusal *refusal.Refusal
	Empty   bool // there is no closed run to look at
}

// separators are what can stand between fields, by the name that the form gives them.
var separators = map[string]string{"comma": ",", "semicolon": ";", "tab": "\t", "stroke": "|"}

// Separator is the name of what stands between fields.
func (v layoutsView) Separator() string {
	for name, s := range separators {
		if s == v.Layout.Separator {
			return name
		}
	}
	return ""
}

// Money is how many decimals sums have, as the form writes it.
func (v layoutsView) Money() string { return fmt.Sprint(v.Layout.Money) }

func choicesOf(of map[string]string) (choices []field.Choice) {
	for _, key := range slices.Sorted(maps.Keys(of)) {
		choices = append(choices, field.Choice{Value: key, Label: of[key]})
	}
	return choices
}

func offers() layoutOffers {
	o := layoutOffers{Rows: choicesOf(files.LayoutRows), Encodings: choicesOf(files.LayoutEncodings),
		Separators: field.Choices("comma", "a comma", "semicolon", "a semicolon", "tab", "a tab", "stroke", "a stroke"),
		Quotes:     field.Choices("needed", "where they're needed", "always", "always", "never", "never"),
		LineEnds:   field.Choices("crlf", "CRLF", "lf", "LF"), Decimals: field.Choices(".", "a point", ",", "a comma"),
		Money:   field.Choices("0", "0", "1", "1", "2", "2", "3", "3", "4", "4"),
		FilePer: field.Choices("run", "one for the run", "code", "one a pay code", "site", "one a site", "way", "one a way of being paid"),
		Values:  choicesOf(files.LayoutValues)}
	for _, key := range slices.Sorted(maps.Keys(files.LayoutDates)) {
		o.Dates = append(o.Dates, field.Choice{Value: key, Label: key})
	}
	for _, key := range []string{"4 decimals", "2 decimals", "1 decimal", "quarters", "whole", "h:mm", "minutes", "seconds"} {
		o.Hours = append(o.Hours, field.Choice{Value: key, Label: key})
	}
	return o
}

// firstLayout is what a new layout begins with.
var firstLayout = files.Layout{Rows: "person_code", Separator: ",", Quotes: "needed", Encoding: "utf-8", Header: true, LineEnd: "crlf",
	Decimal: ".", Date: "yyyy-mm-dd", Hours: "2 decimals", Money: 2, FilePer: "run",
	Columns: []files.LayoutColumn{{Name: "EMPLOYEE", Value: "number"}, {Name: "CODE", Value: "pay_code"}, {Name: "HOURS", Value: "hours"},
		{Name: "AMOUNT", Value: "amount"}}}

func (s *Server) layoutsPage(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	if q.Get("layout") == "new" {
		return s.showLayouts(w, r, http.StatusOK, &firstLayout, "", nil)
	}
	id, err := uuid.Parse(q.Get("layout"))
	if err != nil {
		return s.showLayouts(w, r, http.StatusOK, nil, "", nil)
	}
	l, from, err := payroll.ReadLayout(r.Context(), s.app, visitOf(r).actor, id)
	if err != nil {
		return err
	}
	return s.showLayouts(w, r, http.StatusOK, &l, from.String(), nil)
}

func (s *Server) showLayouts(w http.ResponseWriter, r *http.Request, status int, l *files.Layout, from string,
	refused *refusal.Refusal) error {
	p, err := payroll.ReadLayoutsPage(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := layoutsView{LayoutsPage: p, ID: newID().String(), Refusal: refused, Offers: offers(), From: from, Open: l != nil}
	if v.From == "" {
		v.From = place.Today(s.app.Now()).Format("2006-01") + "-01"
	}
	if l != nil {
		v.Layout, v.Columns, v.Codes = *l, files.WriteColumns(l.Columns), codesText(l.Codes)
		run := uuid.Nil
		if len(p.Runs) > 0 {
			run = p.Runs[0].ID
			v.Run = run.String()
		}
		v.Preview = s.previewOf(r, run, *l)
	}
	if v.frameView, err = s.stillFrame(r, "Layouts of payroll files", "payruns"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "payrun-layouts", v)
	return nil
}

func codesText(codes map[string]string) string {
	var b strings.Builder
	for _, code := range slices.Sorted(maps.Keys(codes)) {
		fmt.Fprintf(&b, "%s = %s\n", code, codes[code])
	}
	return b.String()
}

// layoutOf reads the form of a layout.
func layoutOf(f *form.Form) (files.Layout, error) {
	l := files.Layout{Name: f.Text("name"), Rows: f.Text("rows"), Quotes: f.Text("quotes"), Encoding: f.Text("encoding"),
		Header: f.Yes("header"), LineEnd: f.Text("line_end"), Decimal: f.Text("decimal"), Date: f.Text("date"), Hours: f.Text("hours"),
		Money: f.Count("money"), FilePer: f.Text("file_per"), Separator: separators[f.Text("separator")]}
	var err error
	if l.Columns, err = files.ParseColumns(f.Text("columns")); err != nil {
		return l, err
	}
	l.Codes, err = files.ParseCodes(f.Text("codes"))
	return l, err
}

// previewOf makes the beginning of a run's file by a layout.
func (s *Server) previewOf(r *http.Request, run uuid.UUID, l files.Layout) layoutPreview {
	if run == uuid.Nil {
		return layoutPreview{Empty: true}
	}
	if strings.TrimSpace(l.Name) == "" {
		l.Name = "preview"
	}
	made, report, err := payroll.TryLayout(r.Context(), s.app, visitOf(r).actor, run, l)
	if refused := refusalIn(err); refused != nil {
		return layoutPreview{Refusal: refused}
	}
	if err != nil {
		s.log.Error("preview of a layout", "error", err)
		return layoutPreview{Refusal: &refusal.Refusal{Wrong: "The run can't be read now", Right: "Try again"}}
	}
	text := readableText(made[0].Data)
	lines := strings.SplitAfter(text, "\n")
	const most = 14
	if len(lines) > most {
		lines = append(lines[:most], "…")
	}
	const named = 6
	if len(report.Moved) > named {
		report.Moved = append(report.Moved[:named], fmt.Sprintf("and %d more", len(report.Moved)-named))
	}
	return layoutPreview{Text: strings.Join(lines, ""), Files: len(made), Report: report}
}

// readableText shows a file's bytes as text, whatever their encoding.
func readableText(data []byte) string {
	if len(data) > 1 && data[0] == 0xff && data[1] == 0xfe {
		var units []uint16
		for i := 2; i+1 < len(data); i += 2 {
			units = append(units, uint16(data[i])|uint16(data[i+1])<<8)
		}
		return string(utf16.Decode(units))
	}
	text := strings.TrimPrefix(string(data), "\xef\xbb\xbf")
	return strings.ToValidUTF8(text, "·")
}

// previewLayout answers what is typed with the beginning of the file that comes of it.
func (s *Server) previewLayout(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	l, err := layoutOf(f)
	run := f.MaybeID("run")
	var v layoutPreview
	if refused := refusalIn(err); refused != nil {
		v.Refusal = refused
	} else if err := f.Err(); err != nil {
		return err
	} else {
		v = s.previewOf(r, run, l)
	}
	s.pages.writePart(w, s.log, http.StatusOK, "payrun-layouts", "layoutpreview", v)
	return nil
}

func (s *Server) putLayout(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	l, err := layoutOf(f)
	act := payroll.PutLayout{ID: f.ID("id"), From: f.Date("from"), Layout: l}
	if wrong := f.Err(); wrong != nil {
		return wrong
	}
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	if refused := refusalIn(err); refused != nil {
		return s.showLayouts(w, r, http.StatusUnprocessableEntity, &l, act.From.String(), refused)
	}
	return s.done(w, r, err, "/payruns/layouts?layout="+url.QueryEscape(act.ID.String()), said{Text: "The layout is kept."})
}

// layoutFile takes a layout from JSON into the form, to be looked at and kept.
func (s *Server) layoutFile(w http.ResponseWriter, r *http.Request) error {
	file, _, err := upload(r, "file", "file", "a layout that was saved as JSON")
	if err != nil {
		return s.done(w, r, err, "/payruns/layouts", said{})
	}
	defer file.Close()
	data, err := io.ReadAll(io.LimitReader(file, 1<<20))
	if err != nil {
		return fmt.Errorf("read a layout: %w", err)
	}
	l, err := files.ParseLayout(data)
	if refused := refusalIn(err); refused != nil {
		return s.done(w, r, refused, "/payruns/layouts", said{})
	}
	return s.showLayouts(w, r, http.StatusOK, &l, "", nil)
}

// layoutJSON gives a layout as a file.
func (s *Server) layoutJSON(w http.ResponseWriter, r *http.Request) error {
	l, _, err := payroll.ReadLayout(r.Context(), s.app, visitOf(r).actor, form.Of(r).PathID("id"))
	if err != nil {
		return err
	}
	data, err := json.MarshalIndent(l, "", "  ")
	if err != nil {
		return fmt.Errorf("write a layout: %w", err)
	}
	s.attach(w, "application/json", "layout-"+files.FileName(l.Name)+".json")
	_, err = w.Write(append(data, '\n'))
	return err
}

func (s *Server) dropLayout(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := payroll.DropLayout{ID: f.PathID("id")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/payruns/layouts",
		said{Text: "Taken out. Files that were made by it stay."})
}

func (s *Server) putWay(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	var act app.Act = payroll.PutWay{Title: f.Text("title"), Layout: f.Text("layout")}
	text := "Kept."
	if f.Text("do") == "drop" {
		act, text = payroll.DropWay{Title: f.Text("title")}, "Taken out."
	}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/payruns/layouts", said{Text: text})
}
