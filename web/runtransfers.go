package web

import (
	"net/http"
	"net/url"

	"github.com/google/uuid"

	"manudex/app/payroll"
	"manudex/core/refusal"
	"manudex/files"
	"manudex/web/form"
	"manudex/web/words"
)

type transfersView struct {
	frameView
	*payroll.TransfersPage
	Period      string
	Rows        []transferRow
	Total       string // of what people get
	Unsaid      int    // of whom nobody has said it
	Without     int    // accounts
	Today       string
	ID          string
	Typed       url.Values
	Refusal     *refusal.Refusal
	NameOfPlace string
}

type transferRow struct {
	payroll.TransferRow
	GrossText, NetText string
}

// T gives what was typed into a field before it was refused.
func (v transfersView) T(name string) string { return v.Typed.Get(name) }

func (s *Server) transfersPage(w http.ResponseWriter, r *http.Request) error {
	return s.showTransfers(w, r, http.StatusOK, nil)
}

func (s *Server) showTransfers(w http.ResponseWriter, r *http.Request, status int, refused *refusal.Refusal) error {
	f := form.Of(r)
	run := f.PathID("run")
	if err := f.Err(); err != nil {
		return err
	}
	p, err := payroll.ReadTransfersPage(r.Context(), s.app, visitOf(r).actor, run)
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := transfersView{TransfersPage: p, Period: words.SpanFrom(p.Run.Period(), 0), Today: place.Today(s.app.Now()).String(),
		ID:    newID().String(),
		Typed: r.PostForm, Refusal: refused, NameOfPlace: place.Name}
	decimals := int32(p.Decimals)
	total := p.Run.Gross.Sub(p.Run.Gross)
	for _, row := range p.Rows {
		t := transferRow{TransferRow: row, GrossText: words.Grouped(row.Gross.StringFixed(decimals))}
		if row.Net != nil {
			t.NetText, total = words.Grouped(row.Net.StringFixed(decimals)), total.Add(*row.Net)
		} else {
			v.Unsaid++
		}
		if row.Account == "" {
			v.Without++
		}
		v.Rows = append(v.Rows, t)
	}
	v.Total = words.Grouped(total.StringFixed(decimals))
	if v.frameView, err = s.stillFrame(r, "Credit transfers", "payruns"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "payrun-transfers", v)
	return nil
}

// transferred answers what was done on the page.
func (s *Server) transferred(w http.ResponseWriter, r *http.Request, run uuid.UUID, err error, text string) error {
	if refused := refusalIn(err); refused != nil {
		return s.showTransfers(w, r, http.StatusUnprocessableEntity, refused)
	}
	return s.done(w, r, err, "/payruns/"+run.String()+"/transfers", said{Text: text})
}

// account reads an account as it's typed: an IBAN, or a number and where it's kept.
func account(f *form.Form) files.Account {
	return files.Account{IBAN: f.Text("iban"), Number: f.Text("number"), Member: f.Text("member"), BIC: f.Text("bic")}
}

func (s *Server) putAccount(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	run, who := f.PathID("run"), f.Text("who")
	if err := f.Err(); err != nil {
		return err
	}
	p, err := payroll.ReadTransfersPage(r.Context(), s.app, visitOf(r).actor, run)
	if err != nil {
		return err
	}
	of, err := p.Called(who)
	if err != nil {
		return s.transferred(w, r, run, err, "")
	}
	return s.transferred(w, r, run, s.app.Do(r.Context(), visitOf(r).actor,
		payroll.PutAccount{Person: of.Person, Account: account(f), Keys: s.app.Keys}), "The account is kept, encrypted.")
}

func (s *Server) putDebtor(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	run, act := f.PathID("run"), payroll.PutDebtor{ID: f.ID("id"), Title: f.Text("title"), Account: account(f), Keys: s.app.Keys}
	if err := f.Err(); err != nil {
		return err
	}
	return s.transferred(w, r, run, s.app.Do(r.Context(), visitOf(r).actor, act), "People can be paid out of it.")
}

// bringNet takes what people get from a file of the payroll: number or name, and net.
func (s *Server) bringNet(w http.ResponseWriter, r *http.Request) error {
	run := form.Of(r).PathID("run")
	file, _, err := upload(r, "file", "file", "a CSV file or a workbook")
	if err != nil {
		return s.transferred(w, r, run, err, "")
	}
	defer file.Close()
	table, err := files.ReadTable(file)
	if err != nil {
		return s.transferred(w, r, run, refusal.New("file", "The file can't be read", err.Error()), "")
	}
	rows, err := payroll.NetRows(table)
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, payroll.BringNet{Run: run, Rows: rows})
	}
	return s.transferred(w, r, run, err, words.Plural(len(rows), "person", "people")+" came in.")
}

func (s *Server) makeTransfers(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	run := f.PathID("run")
	act := payroll.MakeTransfers{Run: run, Debtor: f.MaybeID("debtor"), On: f.MaybeDate("on"), Keys: s.app.Keys}
	if err := f.Err(); err != nil {
		return err
	}
	return s.transferred(w, r, run, s.app.Do(r.Context(), visitOf(r).actor, act), "The transfers are made. They are among the run's files.")
}
