package web

import (
	"encoding/hex"
	"net/http"
	"net/url"
	"strconv"

	"manudex/app/company"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/words"
)

type auditView struct {
	frameView
	*company.AuditPage
	Act, Who, From, To, Card string
	Rows                     []auditRow
	Earlier, File            string // addresses
	Head                     string
	Sealed                   words.Local
}

type auditRow struct {
	company.AuditLine
	At words.Local
}

// auditQuery reads which rows of the audit list an address asks for.
func auditQuery(q url.Values) (a company.AuditQuery, err error) {
	before, err := parseCount(q.Get("before"))
	if err != nil {
		return a, err
	}
	a.Before, a.Act, a.Who = int64(before), q.Get("act"), q.Get("who")
	for name, into := range map[string]*when.Date{"from": &a.From, "to": &a.To} {
		if text := q.Get(name); text != "" {
			if *into, err = when.ParseDate(text); err != nil {
				return a, errOdd
			}
		}
	}
	if text := q.Get("card"); text != "" {
		refs, err := tickedIn([]string{text})
		if err != nil {
			return a, err
		}
		a.Card = store.EmploymentDate{Employment: refs[0].Employment, Date: refs[0].Date}
	}
	return a, nil
}

func (s *Server) auditPage(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	query, err := auditQuery(q)
	if err != nil {
		return err
	}
	v := auditView{Act: query.Act, Who: query.Who, From: q.Get("from"), To: q.Get("to"), Card: q.Get("card")}
	if v.AuditPage, err = company.Audit(r.Context(), s.app, visitOf(r).actor, query); err != nil {
		return err
	}
	for _, line := range v.Lines {
		v.Rows = append(v.Rows, auditRow{line, words.At(line.MadeAt, v.Loc)})
	}
	q.Del("before")
	v.File = "/setup/audit.csv?" + q.Encode()
	if v.More > 0 {
		q.Set("before", strconv.FormatInt(v.More, 10))
		v.Earlier = "/setup/audit?" + q.Encode()
	}
	if v.Seal.Batch > 0 {
		v.Head, v.Sealed = hex.EncodeToString(v.Seal.Digest), words.At(v.Seal.MadeAt, v.Loc)
	}
	if v.frameView, err = s.stillFrame(r, "What was done", "setup"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "audit", v)
	return nil
}

// auditCSV is what an address picks of the audit list, as a file.
func (s *Server) auditCSV(w http.ResponseWriter, r *http.Request) error {
	query, err := auditQuery(r.URL.Query())
	if err != nil {
		return err
	}
	query.Whole, query.Before = true, 0
	p, err := company.Audit(r.Context(), s.app, visitOf(r).actor, query)
	if err != nil {
		return err
	}
	rows := make([][]string, len(p.Lines))
	for i, l := range p.Lines {
		rows[i] = []string{strconv.FormatInt(l.Seq, 10), l.MadeAt.In(p.Loc).Format("2006-01-02T15:04:05Z07:00"), l.ByName, l.About, l.Did,
			l.What}
	}
	return writeCSV(w, "audit.csv", []string{"Row", "When", "Who", "About", "Did what", "From what to what"}, rows)
}
