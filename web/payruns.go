package web

import (
	"cmp"
	"encoding/hex"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/app/payroll"
	"manudex/core/card"
	"manudex/core/refusal"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

type payRunView struct {
	frameView
	*payroll.RunPage
	L                         listQuery
	Units                     []string // crews that are in the run
	Shown                     int      // people
	Rows                      []payRowView
	AllRows                   []payroll.PayRow
	MoreHref                  string
	Sentence                  string
	WaitingWords, WaitingHref string
	AsOf                      string // when it was worked out
	RunID, Seen               string
	CheckID, TaskID           string
	BackIDs                   []string // one for each of whom money is taken back
	Checked                   string   // when
	WaitsFor                  []string // crews with cards that nobody has approved, the most first
	Asked, Unanswered         int      // people with hours that nobody has approved, and those of whom nothing is said
	Digest                    string   // of a closed run, as far as one reads it
	ClosedID                  uuid.UUID
	Earlier                   []runRow
	Steps                     []runStep
	SheetHref                 string
}

// runStep is a state of a run that it is in, was in or will come to.
type runStep struct {
	Name, Words string
	On          bool // it is in it
}

// steps are the states of a run: a check is one of them where one is wanted or made.
func (v *payRunView) steps() (steps []runStep) {
	state := v.State()
	steps = []runStep{{Name: "Draft", On: state == payroll.StateDraft, Words: "follows the cards"}}
	switch {
	case v.Check != nil && !v.Lapsed:
		steps = append(steps, runStep{"Checked", "by " + v.Check.ByName + ", " + v.Checked, state == payroll.StateChecked})
	case v.Check != nil:
		steps = append(steps, runStep{Name: "Checked", Words: "not any more: it changed"})
	case v.SecondCheck:
		steps = append(steps, runStep{Name: "Checked", Words: "not yet"})
	}
	closed := runStep{Name: "Closed", On: state == payroll.StateClosed, Words: "not yet"}
	if closed.On {
		closed.Words = v.Closed.ClosedAt.In(v.Loc).Format("Mon 2 Jan 2006") + " by " + v.Closed.ByName
	}
	return append(steps, closed)
}

// runRow is a run that was closed.
type runRow struct {
	store.Run
	Closed     words.Local
	Comparable bool // its sums are in the same currency
}

type payRowView struct {
	payroll.PayRow
	Href, WaitingHref string
}

// runOf reads which run is meant, zero for the open one.
func runOf(r *http.Request) (run uuid.UUID, err error) {
	text := chi.URLParam(r, "run")
	if text == "" {
		return uuid.Nil, nil
	}
	if run, err = uuid.Parse(text); err != nil || run == uuid.Nil {
		return run, app.ErrNotFound
	}
	return run, nil
}

func (s *Server) payRunPage(w http.ResponseWriter, r *http.Request) error {
	run, err := runOf(r)
	if err != nil {
		return err
	}
	page, p, err := listOf(s, w, r, func() (*payroll.RunPage, error) {
		against, over := comparedBy(r)
		return payroll.ComparedRun(r.Context(), s.app, visitOf(r).actor, r.URL.Query().Get("group"), run, against, over)
	})
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	list := listQueryOf(r)
	sorted, err := sortedPay(list, page.Rows)
	if err != nil {
		return err
	}
	rows, more := app.Piece(sorted, p.offset, p.rows)
	v := payRunView{RunPage: page, L: list, Units: unitsOf(page.Rows), Shown: len(sorted), AllRows: page.Rows,
		MoreHref: p.next(r, more)}
	for _, row := range rows {
		v.Rows = append(v.Rows, payRowView{row, payPersonHref(page, row.Employment), waitingHref(page, row)})
	}
	if !p.first {
		s.pages.writePart(w, s.log, http.StatusOK, "payruns", "payrows", v)
		return nil
	}
	v.words()
	frame, err := s.app.ReadFrame(r.Context(), visitOf(r).actor, page.Period)
	if err != nil {
		return err
	}
	v.frameView = s.frame(r, "Pay runs", "payruns", frame)
	v.Rail = nil   // a run is a whole period: there is no day to choose
	v.Still = true // nothing is paid otherwise because somebody punched
	for _, run := range v.Runs {
		v.Earlier = append(v.Earlier, runRow{run, words.At(run.ClosedAt, place.Loc), cmp.Or(run.Currency, place.Currency) == page.Currency})
	}
	v.AsOf, v.Steps, v.SheetHref = s.app.Now().In(place.Loc).Format("15:04"), v.steps(), sheetHref(page, r)
	s.pages.write(w, s.log, http.StatusOK, "payruns", v)
	return nil
}

// waitsFor says whose cards nobody has approved, by crew, the most first.
func waitsFor(rows []payroll.PayRow) (crews []string) {
	cards := map[string]int{}
	for _, r := range rows {
		cards[r.UnitName] += r.Waiting
	}
	names := slices.SortedFunc(maps.Keys(cards), func(a, b string) int { return cmp.Or(cards[b]-cards[a], strings.Compare(a, b)) })
	for _, name := range names {
		if cards[name] > 0 {
			crews = append(crews, fmt.Sprintf("%s %d", name, cards[name]))
		}
	}
	return crews
}

// comparedBy reads which run a run is to be held against, and by how much percent what stands out differs.
func comparedBy(r *http.Request) (against uuid.UUID, over int) {
	q := r.URL.Query()
	against, err := uuid.Parse(q.Get("against"))
	if err != nil {
		return uuid.Nil, 0
	}
	if over, err = strconv.Atoi(q.Get("over")); err != nil || over < 0 || over > 1000 {
		over = 20
	}
	return against, over
}

// waitingHref is where somebody's cards are that nobody has approved.
func waitingHref(p *payroll.RunPage, row payroll.PayRow) string {
	return fmt.Sprintf("/timecards?person=%s&from=%s&to=%s", row.Person, max(row.WaitingFrom, p.Period.To-62), p.Period.To)
}

// payOrders are what the people of a run can be ordered by.
var payOrders = map[string]func(a, b payroll.PayRow) int{
	"person":   func(a, b payroll.PayRow) int { return strings.Compare(a.Name(), b.Name()) },
	"regular":  func(a, b payroll.PayRow) int { return cmp.Compare(a.Regular, b.Regular) },
	"overtime": func(a, b payroll.PayRow) int { return cmp.Compare(a.Overtime, b.Overtime) },
	"double":   func(a, b payroll.PayRow) int { return cmp.Compare(a.Double, b.Double) },
	"leave":    func(a, b payroll.PayRow) int { return cmp.Compare(a.Leave, b.Leave) },
	"holiday":  besidesOrder(payroll.Holiday), "differentials": besidesOrder(payroll.Differential), "extras": besidesOrder(payroll.Extra),
	"expenses": besidesOrder(payroll.Expense), "fringe": besidesOrder(payroll.Fringe),
	"deducted": func(a, b payroll.PayRow) int { return money(a.Deducted).Cmp(money(b.Deducted)) },
	"gross":    func(a, b payroll.PayRow) int { return money(a.Gross).Cmp(money(b.Gross)) },
	"waiting":  func(a, b payroll.PayRow) int { return cmp.Compare(a.Waiting, b.Waiting) },
}

// money is a sum of a row, zero for none; nothing else that can't be read is written there.
func money(sum string) decimal.Decimal {
	d, _ := decimal.NewFromString(sum)
	return d
}

func besidesOrder(of int) func(a, b payroll.PayRow) int {
	return func(a, b payroll.PayRow) int { return money(a.Beside[of]).Cmp(money(b.Beside[of])) }
}

// sortedPay are the people of a run as a list asks for them: of some crews, in an
// order.
func sortedPay(l listQuery, all []payroll.PayRow) ([]payroll.PayRow, error) {
	rows := slices.Clone(all)
	if crews := l.Q["crew"]; len(crews) > 0 {
		rows = slices.DeleteFunc(rows, func(r payroll.PayRow) bool { return !slices.Contains(crews, r.UnitName) })
	}
	by, falling := l.sort()
	order, known := payOrders[by]
	if by != "" && !known {
		return nil, app.ErrNotFound
	}
	if known {
		slices.SortStableFunc(rows, func(a, b payroll.PayRow) int {
			if falling {
				return order(b, a)
			}
			return order(a, b)
		})
	}
	return rows, nil
}

// unitsOf are the crews of the people of a run.
func unitsOf(rows []payroll.PayRow) []string {
	var names []string
	for _, r := range rows {
		names = append(names, r.UnitName)
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// words says what the run comes to and what it waits for.
func (v *payRunView) words() {
	p := v.RunPage
	overtime := card.HoursMinutes(p.Total.Overtime) + " overtime"
	if p.Total.Double != 0 {
		overtime += ", " + card.HoursMinutes(p.Total.Double) + " double time"
	}
	v.Sentence = fmt.Sprintf("%s hours regular, %s, %s leave. It pays %s %s.", card.HoursMinutes(p.Total.Regular), overtime,
		card.HoursMinutes(p.Total.Leave), words.Grouped(p.Total.Gross), v.Currency)
	if p.Check != nil {
		v.Checked = words.At(p.Check.MadeAt, p.Loc).Moment()
	}
	if p.Closed != nil {
		v.ClosedID = p.Closed.ID
		if len(p.Closed.Digest) > 0 {
			v.Digest = hex.EncodeToString(p.Closed.Digest)[:16]
		}
		if len(p.Closed.Head) > 0 {
			v.Sentence += " The audit list was sealed to " + hex.EncodeToString(p.Closed.Head)[:16] + "… by then."
		}
		return
	}
	v.CheckID, v.TaskID = newID().String(), newID().String()
	for range p.TakesBack {
		v.BackIDs = append(v.BackIDs, newID().String())
	}
	v.WaitsFor = waitsFor(p.Rows)
	for _, row := range p.Rows {
		if row.Asked {
			v.Asked++
		}
		if row.Asked && row.Answer == nil {
			v.Unanswered++
		}
	}
	v.RunID, v.Seen = newID().String(), p.Period.From.String()+" "+p.Total.Gross
	// From the first that waits, be it of an earlier period, as far as one page goes.
	from := p.Period.From
	for _, row := range p.Rows {
		if row.Waiting > 0 {
			from = min(from, row.WaitingFrom)
		}
	}
	to := min(p.Period.To, from+62)
	v.WaitingHref = fmt.Sprintf("/timecards?from=%s&to=%s", from, to)
	if p.Total.Waiting > 0 {
		v.WaitingWords = fmt.Sprintf("%s with %s hours not approved yet, and so not in this run",
			words.Plural(p.Total.Waiting, "card", "cards"),
			card.HoursMinutes(p.Total.WaitingWorked))
	}
}

// closePage asks once more before a run is closed: what it pays, what is left
// out, and the password. Closing can't be undone.
func (s *Server) closePage(w http.ResponseWriter, r *http.Request) error {
	return s.showClose(w, r, http.StatusOK, r.URL.Query().Get("group"), nil)
}

func (s *Server) showClose(w http.ResponseWriter, r *http.Request, status int, group string, refused *refusal.Refusal) error {
	p, err := payroll.PayRunOf(r.Context(), s.app, visitOf(r).actor, group, uuid.Nil)
	if err != nil {
		return err
	}
	v := closeView{payRunView: payRunView{RunPage: p, AllRows: p.Rows}, Refusal: refused}
	v.words()
	for _, row := range p.Rows {
		if row.Waiting > 0 {
			v.LeftOut = append(v.LeftOut, row)
		}
		if !money(row.Gross).IsZero() {
			v.Paid++
		}
	}
	if v.frameView, err = s.stillFrame(r, "Close the run", "payruns"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "payrun-close", v)
	return nil
}

type closeView struct {
	payRunView
	Paid    int // people with something to be paid
	LeftOut []payroll.PayRow
	OwnID   string // of a run for chosen people
	Refusal *refusal.Refusal
}

func (s *Server) closeRun(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id, own := f.ID("id"), f.MaybeID("own")
	if err := f.Err(); err != nil {
		return err
	}
	actor, err := s.proved(r)
	if err == nil {
		err = s.app.Do(r.Context(), actor, payroll.CloseRun{ID: id, Group: f.Text("group"), Own: own, Seen: f.Text("seen"),
			Lines: f.Text("lines")})
	}
	if refused := refusalIn(err); refused != nil && own != uuid.Nil {
		return s.showPrepared(w, r, http.StatusUnprocessableEntity, own, refused)
	}
	if refused := refusalIn(err); refused != nil {
		return s.showClose(w, r, http.StatusUnprocessableEntity, f.Text("group"), refused)
	}
	if err != nil {
		return err
	}
	return s.done(w, r, nil, "/payruns/"+id.String(),
		said{Text: "The run is closed. Its file can be downloaded; what is approved later lands in the next run."})
}
