package payroll

import (
	"context"
	"encoding/hex"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// openRun is the run of a group's open pay period as it stands: what it would pay, and what isn't
// settled yet.
type openRun struct {
	group   string
	place   *app.Company
	now     time.Time
	period  when.Period
	payroll *Payroll
	draft   *Draft
	payees  []store.Payee               // who is paid, and who waits
	waits   map[uuid.UUID]store.Waiting // whose cards of days that are over nobody has approved
	answers map[uuid.UUID]store.RunAnswer
	check   *store.RunCheck          // the last, nil for none
	own     *store.PreparedRun       // a run of its own, nil for that of the period
	back    map[uuid.UUID]pay.Amount // what corrections take back
	taken   map[uuid.UUID]store.TakenBack
	digest  []byte
	of      map[uuid.UUID][]byte // digest by person
}

// readOpenRun reads and works out the run of a group's open period.
func readOpenRun(ctx context.Context, q store.Q, place *app.Company, group string, now time.Time) (*openRun, error) {
	return readRun(ctx, q, place, group, nil, now)
}

// readRun is [readOpenRun], or reads and works out a run of its own that was prepared.
func readRun(ctx context.Context, q store.Q, place *app.Company, group string, own *store.PreparedRun, now time.Time) (*openRun, error) {
	place, err := place.OfGroup(ctx, q, group)
	if err != nil {
		return nil, err
	}
	r := &openRun{group: group, own: own, place: place, now: now,
		waits: map[uuid.UUID]store.Waiting{}, answers: map[uuid.UUID]store.RunAnswer{}}
	if r.period, err = openPeriod(ctx, q, place, group, now); err != nil {
		return nil, err
	}
	answers, err := store.RunAnswers(ctx, q, group, r.period.From)
	if err != nil {
		return nil, err
	}
	for _, a := range answers {
		r.answers[a.Employment] = a
	}
	ask := payrollAsk{group: group, period: r.period, whole: r.period, asClocked: clockedOf(answers)}
	if own != nil {
		r.period.To = own.To
		ask.period, ask.only, ask.final = r.period, own.Of, own.Final
	}
	if r.payroll, err = readPayrollOf(ctx, q, place, ask); err != nil {
		return nil, err
	}
	if r.draft, err = r.payroll.WorkOut(); err != nil {
		return nil, err
	}
	waiting, err := store.NotApproved(ctx, q, group, min(r.period.To, place.Today(now)-1))
	if err != nil {
		return nil, err
	}
	listed := slices.Collect(maps.Keys(r.draft.Sums))
	for _, w := range waiting {
		if r.holds(w.Employment) {
			r.waits[w.Employment] = w
			listed = append(listed, w.Employment)
		}
	}
	if r.payees, err = store.Payees(ctx, q, listed); err != nil {
		return nil, err
	}
	ofJobs, err := store.JobAccounts(ctx, q)
	if err != nil {
		return nil, err
	}
	r.draft.bookTo(r.payees, ofJobs, place.NoAccount == "crew")
	r.back = r.draft.takesBack(r.payroll)
	if r.taken, err = store.TakenBacks(ctx, q, group, r.period.From); err != nil {
		return nil, err
	}
	r.of, r.digest = r.draft.digests(place.CurrencyDecimals)
	check, found, err := store.LastRunCheck(ctx, q, group, r.period.From)
	if found {
		r.check = &check
	}
	return r, err
}

// holds says whether somebody's pay can be in it.
func (r *openRun) holds(employment uuid.UUID) bool {
	return r.own == nil || slices.Contains(r.own.Of, employment)
}

// clockedOf lists whose hours are paid as they were clocked.
func clockedOf(answers []store.RunAnswer) (employments []uuid.UUID) {
	for _, a := range answers {
		if a.Answer == store.AsClocked {
			employments = append(employments, a.Employment)
		}
	}
	return employments
}

// clockedIn reads whose hours the open run of a group pays as they were clocked.
func clockedIn(ctx context.Context, q store.Q, group string, from when.Date) ([]uuid.UUID, error) {
	answers, err := store.RunAnswers(ctx, q, group, from)
	return clockedOf(answers), err
}

// seen is what somebody was shown who closes or checks the run.
func (r *openRun) seen() string {
	return r.period.From.String() + " " + r.draft.Gross.Decimal(r.place.CurrencyDecimals)
}

// same refuses a run that isn't what somebody was shown: its period and gross, and where they were given, its lines.
func (r *openRun) same(seen, lines, right string) error {
	if seen == r.seen() && (lines == "" || lines == hex.EncodeToString(r.digest)) {
		return nil
	}
	return refusal.New("run", "The run changed while you were looking", right)
}

// mayClose says why an actor can't close the run now.
func (r *openRun) mayClose(actor app.Actor) error {
	if from := app.ClosesFrom(r.place, r.period); r.own == nil && r.now.Before(from) {
		return refusal.New("run", "The pay period is still running",
			"It can be closed from "+from.In(r.place.Loc).Format("Mon 2 Jan, 15:04"))
	}
	if r.pays(actor.ID) {
		return refusal.New("run", "Your own pay is in this run", "Another manager or the owner closes it")
	}
	if without := r.draft.lacking(r.payees); len(without) > 0 {
		return refusal.New("run", "An account is required and missing for "+some(without),
			"Give them one on their pages, or for many at once under People")
	}
	if _, deducted, _ := r.below(); len(deducted) > 0 && r.place.DeductUnder == "refuse" {
		return refusal.New("run", "After deductions less than the least wage would be left to "+deducted[0].Name()+": "+deducted[0].Words,
			"Take the deduction back, or keep less")
	}
	if silent := r.unanswered(); len(silent) > 0 {
		return refusal.New("run", "Nobody has said what becomes of the hours of "+some(silent),
			"Approve them, let them be paid as clocked, or leave them out with a reason")
	}
	if names := r.undecided(); len(names) > 0 {
		return refusal.New("run", "A correction takes money back from "+some(names)+", and nobody has said how",
			"Say whether it is taken by this run, over several, or not at all")
	}
	switch {
	case !r.place.SecondCheck:
		return nil
	case r.own != nil && r.own.By == actor.ID:
		return refusal.New("run", "You prepared this run yourself", "Somebody else looks it over and closes it")
	case r.own != nil:
		return nil
	case r.check == nil:
		return refusal.New("run", "Nobody has looked this run over yet", "Ask somebody else who may run payroll to check it")
	case r.lapsed():
		return refusal.New("run", "It changed since "+r.check.ByName+" checked it", "Ask them, or somebody else, to check it again")
	case r.check.By == actor.ID:
		return refusal.New("run", "You checked this run yourself", "Somebody else closes it, or checks it")
	}
	return nil
}

// pays says whether a person is in the run, with pay or with an answer.
func (r *openRun) pays(person uuid.UUID) bool {
	return slices.ContainsFunc(r.payees, func(p store.Payee) bool {
		return p.Person == person && (r.draft.Sums[p.Employment] != nil || r.answers[p.Employment].Answer == store.AsClocked)
	})
}

// unanswered lists of whom nobody has said what becomes of hours that nobody has approved.
func (r *openRun) unanswered() (names []string) {
	for _, p := range r.payees {
		if r.waits[p.Employment].Asked && r.answers[p.Employment].Answer == "" {
			names = append(names, p.Name())
		}
	}
	return names
}

// lapsed says whether the run isn't any more what was checked.
func (r *openRun) lapsed() bool { return r.check != nil && !slices.Equal(r.check.Digest, r.digest) }

// Differs is how somebody's pay differs from what was checked.
type Differs struct {
	store.Payee
	Was, Is string // gross, "" for not in it
}

// differs lists whose lines aren't what was checked.
func (r *openRun) differs(ctx context.Context, q store.Q) ([]Differs, error) {
	if !r.lapsed() {
		return nil, nil
	}
	checked, err := store.CheckedPeople(ctx, q, r.check.ID)
	if err != nil {
		return nil, err
	}
	var changed []uuid.UUID
	for id, now := range r.of {
		if !slices.Equal(checked[id].Digest, now) {
			changed = append(changed, id)
		}
	}
	for id := range checked {
		if r.of[id] == nil {
			changed = append(changed, id)
		}
	}
	payees, err := store.Payees(ctx, q, changed)
	if err != nil {
		return nil, err
	}
	out := make([]Differs, len(payees))
	for i, p := range payees {
		out[i].Payee = p
		if c, was := checked[p.Employment]; was {
			out[i].Was = c.Gross.StringFixed(int32(r.place.CurrencyDecimals))
		}
		if s := r.draft.Sums[p.Employment]; s != nil {
			out[i].Is = s.Gross.Decimal(r.place.CurrencyDecimals)
		}
	}
	return out, nil
}

// some names the first few of many.
func some(names []string) string {
	text := ""
	for i, n := range names[:min(3, len(names))] {
		if i > 0 {
			text += ", "
		}
		text += n
	}
	if len(names) > 3 {
		text += fmt.Sprintf(" and %d more", len(names)-3)
	}
	return text
}

// withoutRate lists of whom hours in the run are at no rate, and no salary pays them.
func (r *openRun) withoutRate() (names []string) {
	without := map[uuid.UUID]bool{}
	for _, l := range r.draft.Lines {
		if l.Kind == pay.Straight && l.Rate == 0 && l.Seconds > 0 {
			without[l.Employment] = true
		}
	}
	for _, p := range r.payees {
		if without[p.Employment] && !p.Salaried {
			names = append(names, p.Name())
		}
	}
	return names
}

// withoutCode lists of whom hours in the run go by no pay code, where codes are named at all.
func (r *openRun) withoutCode() (names []string) {
	if len(r.payroll.Codes) == 0 || slices.ContainsFunc(r.payroll.Codes, func(d pay.DatedCodes) bool {
		for _, named := range d.Named {
			for _, code := range named {
				if code == DefaultPayCode {
					return true // it's meant
				}
			}
		}
		return false
	}) {
		return nil
	}
	without := map[uuid.UUID]bool{}
	for _, l := range r.draft.Lines {
		if l.PayCode == DefaultPayCode && l.Seconds > 0 {
			without[l.Employment] = true
		}
	}
	for _, p := range r.payees {
		if without[p.Employment] {
			names = append(names, p.Name())
		}
	}
	return names
}

// withoutHours lists who is in the pay periods and has nothing in the run, and nothing that waits.
func (r *openRun) withoutHours(ctx context.Context, q store.Q) (names []string, err error) {
	var of []uuid.UUID
	members, err := store.Members(ctx, q, r.group, r.period.From, r.period.To)
	if err != nil {
		return nil, err
	}
	for id := range members {
		if r.draft.Sums[id] == nil && !r.waits[id].Asked {
			of = append(of, id)
		}
	}
	payees, err := store.Payees(ctx, q, of)
	for _, p := range payees {
		names = append(names, p.Name())
	}
	return names, err
}

// unknownCodes says which layouts have no name for a pay code of the run.
func (r *openRun) unknownCodes(ctx context.Context, q store.Q) (unknown []string, err error) {
	layouts, err := layoutsOn(ctx, q, r.period.To)
	if err != nil {
		return nil, err
	}
	codes := map[string]bool{}
	for _, l := range r.draft.Lines {
		codes[l.PayCode] = true
	}
	for _, l := range layouts {
		for _, code := range slices.Sorted(maps.Keys(codes)) {
			if _, knows := l.Codes[code]; !knows && len(l.Codes) > 0 {
				unknown = append(unknown, l.Name+" doesn't know "+code)
			}
		}
	}
	return unknown, nil
}
