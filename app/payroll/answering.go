package payroll

import (
	"context"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// AnswerHours says what becomes of somebody's hours in the open run that nobody has approved: they are
// paid as clocked and looked at later, or left out with a reason; "" takes back what was said.
type AnswerHours struct {
	ID         uuid.UUID
	Group      string
	Employment uuid.UUID
	Answer     string // [store.AsClocked], [store.LeftOut] or ""
	Reason     string
	PayBy      string // "" for the end of the next period
}

// CheckRun says that somebody looked the open run over: as it stands, Seen being what they were shown.
type CheckRun struct {
	ID    uuid.UUID
	Group string
	Seen  string
	Lines string // as for [CloseRun]
}

// AddTask puts something on the list of a group's last day.
type AddTask struct {
	ID    uuid.UUID
	Group string
	Words string
}

// DropTask takes something off it.
type DropTask struct{ ID uuid.UUID }

// TickTask says that something on it is done for the open run, or not.
type TickTask struct {
	ID    uuid.UUID
	Group string
	Done  bool
}

// Permission is the act's name in the permission table.
func (AnswerHours) Permission() string { return "payrun.answer" }

// Permission is the act's name in the permission table.
func (CheckRun) Permission() string { return "payrun.check" }

// Permission is the act's name in the permission table.
func (AddTask) Permission() string { return "payrun.task" }

// Permission is the act's name in the permission table.
func (DropTask) Permission() string { return "payrun.task" }

// Permission is the act's name in the permission table.
func (TickTask) Permission() string { return "payrun.task" }

// What will be paid is changed by an answer alone, so that a check holds what stands.
func (AnswerHours) Alone() {}

func (a AnswerHours) Do(ctx context.Context, t *app.Turn) error {
	period, err := openPeriod(ctx, t, t.Company, a.Group, t.Now)
	if err != nil {
		return err
	}
	payees, err := payeesIn(ctx, t, a.Group, period, a.Employment)
	switch {
	case err != nil:
		return err
	case payees[0].Person == t.Actor.ID:
		return refusal.New("employment", "These hours are your own", "Somebody else answers them")
	}
	answer := store.RunAnswer{ID: a.ID, Group: a.Group, From: period.From, Employment: a.Employment, Answer: a.Answer,
		Reason: strings.TrimSpace(a.Reason), By: t.Actor.ID, MadeAt: t.Now}
	switch {
	case a.Answer != "" && a.Answer != store.AsClocked && a.Answer != store.LeftOut:
		return app.ErrNotFound
	case utf8.RuneCountInString(answer.Reason) > 200:
		return refusal.New("reason", "The reason is too long", "Write at most 200 characters")
	case a.Answer == store.LeftOut && answer.Reason == "":
		return refusal.New("reason", "Nobody says why "+payees[0].Name()+" is left out",
			"Write it: paid elsewhere, hours in dispute, …")
	}
	if a.Answer == store.LeftOut {
		by, err := a.payBy(period, t)
		if err != nil {
			return err
		}
		answer.PayBy = &by
	}
	if err := store.InsertRunAnswers(ctx, t, answer); err != nil {
		return err
	}
	detail := map[string]any{"person": payees[0].Name(), "answer": a.Answer, "reason": answer.Reason}
	if answer.PayBy != nil {
		detail["pay_by"] = answer.PayBy
	}
	t.Record(store.Event{Act: a.Permission()}, payees[0].Person, detail)
	return nil
}

// payBy is when law wants what is left out paid: at the latest on the payday of the next period (29
// CFR 778.106).
func (a AnswerHours) payBy(period when.Period, t *app.Turn) (when.Date, error) {
	text := strings.TrimSpace(a.PayBy)
	if text == "" {
		return period.To + 1 + period.To - period.From + 1, nil
	}
	by, err := when.ParseDate(text)
	if err != nil {
		return 0, refusal.New("pay_by", "The day can't be “"+field.Shorten(text)+"”", "Write a date as YYYY-MM-DD")
	}
	if by < t.Company.Today(t.Now) {
		return 0, refusal.New("pay_by", by.Format("2 January 2006")+" is over", "Say a day to come")
	}
	return by, nil
}

func (c CheckRun) Do(ctx context.Context, t *app.Turn) error {
	r, err := readOpenRun(ctx, t, t.Company, c.Group, t.Now)
	if err != nil {
		return err
	}
	if r.pays(t.Actor.ID) {
		return refusal.New("run", "Your own pay is in this run", "Somebody else checks it")
	}
	if err := r.same(c.Seen, c.Lines, "Look at it, and check it again"); err != nil {
		return err
	}
	people := make([]store.CheckedPerson, 0, len(r.of))
	for id, d := range r.of {
		people = append(people, store.CheckedPerson{Employment: id, Digest: d,
			Gross: decimal.New(int64(r.draft.Sums[id].Gross), int32(-r.place.CurrencyDecimals))})
	}
	if err := store.InsertRunCheck(ctx, t, store.RunCheck{ID: c.ID, Group: c.Group, From: r.period.From, By: t.Actor.ID, MadeAt: t.Now,
		Gross: decimal.New(int64(r.draft.Gross), int32(-r.place.CurrencyDecimals)), Digest: r.digest}, people); err != nil {
		return err
	}
	t.Record(store.Event{Act: c.Permission()}, c.ID, map[string]any{"group": c.Group, "from": r.period.From, "to": r.period.To,
		"gross": r.draft.Gross.Decimal(r.place.CurrencyDecimals)})
	return nil
}

func (a AddTask) Do(ctx context.Context, t *app.Turn) error {
	words := strings.TrimSpace(a.Words)
	if words == "" || utf8.RuneCountInString(words) > 120 {
		return refusal.New("words", "Nothing was written", "Write what is to be done, in at most 120 characters")
	}
	if _, err := periodsOf(ctx, t, t.Company, a.Group); err != nil {
		return err
	}
	if err := store.AddRunTask(ctx, t, a.ID, a.Group, words); err != nil {
		return err
	}
	t.Record(store.Event{Act: a.Permission()}, a.ID, map[string]any{"added": words, "group": a.Group})
	return nil
}

func (d DropTask) Do(ctx context.Context, t *app.Turn) error {
	dropped, err := store.DropRunTask(ctx, t, d.ID, t.Now)
	if err != nil {
		return err
	}
	if !dropped {
		return app.ErrNotFound
	}
	t.Record(store.Event{Act: d.Permission()}, d.ID, map[string]any{"dropped": true})
	return nil
}

func (k TickTask) Do(ctx context.Context, t *app.Turn) error {
	period, err := openPeriod(ctx, t, t.Company, k.Group, t.Now)
	if err != nil {
		return err
	}
	changed, err := store.TickRunTask(ctx, t, k.ID, period.From, t.Actor.ID, t.Now, k.Done)
	if err != nil || !changed {
		return err
	}
	t.Record(store.Event{Act: k.Permission()}, k.ID, map[string]any{"done": k.Done, "period": period.From})
	return nil
}

// payeesIn reads who employments are of, all of whom are in the runs of a group in a period or before it;
// [app.ErrNotFound] where one isn't.
func payeesIn(ctx context.Context, q store.Q, group string, period when.Period, of ...uuid.UUID) ([]store.Payee, error) {
	members, err := store.Members(ctx, q, group, period.From-366, period.To)
	if err != nil {
		return nil, err
	}
	payees, err := store.Payees(ctx, q, of)
	if err != nil {
		return nil, err
	}
	for _, e := range of {
		if !members[e] {
			return nil, app.ErrNotFound
		}
	}
	return payees, nil
}
