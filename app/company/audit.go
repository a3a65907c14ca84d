package company

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/store"
)

// AuditLine is a row of the audit list in words.
type AuditLine struct {
	store.AuditRow
	Did  string // "changed a person"
	What string // "Title: Fitter → Rigger"
}

// AuditPage is a piece of the audit list.
type AuditPage struct {
	Lines []AuditLine
	Acts  []field.Choice
	Loc   *time.Location
	More  int64      // ask for what is before this row; 0 at the end
	Seal  store.Seal // the newest; a zero one where nothing is sealed yet
}

const (
	auditPiece = 100     // rows of a page
	auditMost  = 100_000 // rows of a file
)

// AuditQuery says what of the audit list is read.
type AuditQuery struct {
	store.AuditFilter
	From, To when.Date // days on which it was done, by the company's clock
	Whole    bool      // all of it, as a file wants it
}

// Audit reads the audit list, the newest first.
func Audit(ctx context.Context, a *app.App, actor app.Actor, q AuditQuery) (*AuditPage, error) {
	if !actor.May("audit.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	f, limit := q.AuditFilter, auditPiece
	if q.From != 0 {
		f.From = q.From.At(0, place.Loc)
	}
	if q.To != 0 {
		f.To = (q.To + 1).At(0, place.Loc)
	}
	if q.Whole {
		limit = auditMost
	}
	rows, err := store.AuditRows(ctx, a.DB, f, limit)
	if err != nil {
		return nil, err
	}
	fields, err := people.ReadFields(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	p := &AuditPage{}
	for name, words := range actNames {
		p.Acts = append(p.Acts, field.Choice{Value: name, Label: words})
	}
	slices.SortFunc(p.Acts, func(a, b field.Choice) int { return strings.Compare(a.Label, b.Label) })
	p.Loc = place.Loc
	if p.Seal, err = store.LastSeal(ctx, a.DB); err != nil {
		return nil, err
	}
	for _, r := range rows {
		p.Lines = append(p.Lines, AuditLine{r, did(r), auditWords(actor, fields, r)})
	}
	if len(rows) == limit {
		p.More = rows[len(rows)-1].Seq
	}
	return p, nil
}

// auditWords says what a row tells. What the reader may not see of a person
// is not in it.
func auditWords(actor app.Actor, fields *people.PersonFields, r store.AuditRow) string {
	name, from, to := r.Field, r.Old, r.New
	if f := fields.Get(r.Field); f != nil {
		if !actor.Reaches(f.See, store.IDOrNil(r.Subject), store.IDOrNil(r.Unit)) {
			return f.Label
		}
		name, from, to = f.Label, f.Show(r.Old), f.Show(r.New)
	}
	if ofPay[r.Act] && actor.Scope("rates.see") != app.All {
		return "" // sums that somebody is paid
	}
	var detail map[string]any
	if json.Unmarshal([]byte(r.Detail), &detail) != nil {
		return ""
	}
	if field, ok := detail["field"].(string); ok {
		return fmt.Sprintf("%s: %s", field, arrow(from, to))
	}
	if job, ok := detail["job"].(string); ok && to != "" {
		return fmt.Sprintf("%s: %s", job, to)
	}
	if name != "" {
		return fmt.Sprintf("%s: %s", name, arrow(from, to))
	}
	var parts []string
	for k, v := range detail {
		if s := fmt.Sprint(v); s != "" && s != uuid.Nil.String() && k != "change" && k != "gross" && k != "move" &&
			k != "unit" && k != "site" && k != "sign-in" {
			parts = append(parts, k+" "+s)
		}
	}
	slices.Sort(parts)
	return strings.Join(parts, " · ")
}

// did says what a row's act did: by its name; where it has none, in the row's
// own words of a sign-in, or by the permission it took.
func did(r store.AuditRow) string {
	for _, words := range []string{actNames[r.Name], r.SignIn, actWords[r.Act]} {
		if words != "" {
			return words
		}
	}
	return r.Act
}

// ofPay are the acts whose rows tell what somebody is paid.
var ofPay = map[string]bool{"payrun.adjust": true, "payrun.answer": true}

// actWords says what an act of the permission table did.
var actWords = map[string]string{
	"clock.punch": "clocked", "note.add": "wrote a note", "card.sign": "signed a card", "card.approve": "approved a card",
	"card.take_back": "took an approval back",
	"payrun.close":   "closed a pay run", "payrun.turn": "turned a pay run", "payrun.check": "checked a pay run",
	"payrun.answer": "said what becomes of hours nobody approved", "payrun.task": "changed the list of the last day",
	"payrun.adjust": "adjusted pay", "payrun.layout": "changed the payroll files",
	"payrun.accounts": "handled credit transfers",
	"people.add":      "added a person", "people.change": "changed a person",
	"people.import": "brought a file in",
	"jobs.change":   "changed a job", "setup.change": "set something up", "customers.share": "showed hours outside",
	"people.grant": "changed rights", "people.erase": "erased personal data", "settings": "set something of the place",
	"self": "did something with their own sign-in",
}

func arrow(from, to string) string {
	if from == "" {
		return field.OrNothing(to)
	}
	return from + " → " + field.OrNothing(to)
}
