package leave

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/store"
)

// PutLeaveKind adds a kind of leave, or changes it: what is booked keeps the name and code of then.
type PutLeaveKind struct {
	ID         uuid.UUID
	Name       string
	Paid       bool
	PayCode    string
	NoteNeeded bool
	Photo      bool   // a picture of a paper is needed
	MayGive    bool   // people may give it to colleagues
	InDays     bool   // else in hours
	Low        string // what becomes of asking for more than there is: "refuse" or "warn"
	Few        string // and where too few would be left to work
	Closed     bool
	RateBy     string // at which rate it is paid: "" of the day, "regular_rate" or "paid_weeks"
	RateWeeks  int    // how many paid weeks, 0 for twelve
	Banks      bool   // overtime that is banked comes here
	Docks      string // of unpaid leave: why whole days of it lower a salary, "" for no
}

// Permission is what the act takes.
func (PutLeaveKind) Permission() string { return "setup.change" }

// Alone as all that changes settings.
func (PutLeaveKind) Alone() {}

// leaveRates are the rates at which leave can be paid.
var leaveRates = []string{string(pay.AtDayRate), string(pay.AtRegularRate), string(pay.AtPaidWeeks)}

func (p PutLeaveKind) Do(ctx context.Context, t *app.Turn) error {
	k := store.LeaveKind{ID: p.ID, Name: strings.TrimSpace(p.Name), Paid: p.Paid, PayCode: strings.TrimSpace(p.PayCode),
		NoteNeeded: p.NoteNeeded, Photo: p.Photo, MayGive: p.MayGive, InDays: p.InDays, Low: p.Low, Few: p.Few, Closed: p.Closed,
		RateBy: p.RateBy, RateWeeks: cmp.Or(p.RateWeeks, 12), Banks: p.Banks, Docks: p.Docks}
	switch {
	case k.Name == "" || utf8.RuneCountInString(k.Name) > 40:
		return refusal.New("name", "The kind of leave needs a name", "Write at most 40 characters, such as Annual leave")
	case k.PayCode == "" || utf8.RuneCountInString(k.PayCode) > 20 || strings.ContainsAny(k.PayCode, " ,;"):
		return refusal.New("pay_code", "The pay code is missing, or can’t be one", "Write 1 to 20 characters without spaces, such as PTO")
	case k.Low != refuse && k.Low != warn, k.Few != refuse && k.Few != warn:
		return refusal.New("low", "It isn’t said what becomes of asking for too much", "Choose refused, or only warned of")
	case !slices.Contains(leaveRates, k.RateBy):
		return refusal.New("rate_by", "That is no rate of leave", "Choose that of the day, the regular rate, or an average")
	case k.RateWeeks < 1 || k.RateWeeks > 104:
		return refusal.New("rate_weeks", "That is no number of paid weeks", "Write 1 to 104")
	case k.Docks != "" && (k.Paid || pay.DockReasons[k.Docks] == ""):
		return refusal.New("docks", "Paid leave lowers no salary, and others only for a reason of 29 CFR 541.602(b)",
			"Choose none, or let the kind be unpaid")
	case k.Banks && k.InDays:
		return refusal.New("banks", "Banked overtime is hours", "Let the kind be in hours")
	}
	before, err := store.GetLeaveKind(ctx, t, k.ID)
	if err != nil && !store.NotFound(err) {
		return err
	}
	if err == nil && before.InDays != k.InDays {
		used, err := store.LeaveKindUsed(ctx, t, k.ID)
		if err != nil {
			return err
		}
		if used {
			return refusal.New("in_days", k.Name+" is used already, in the unit that it has", "Add a kind of its own for the other")
		}
	}
	if err := store.PutLeaveKind(ctx, t, k); err != nil {
		if store.Violates(err, "leave_kind_banks") {
			return refusal.New("banks", "Banked overtime comes to another kind already", "Take it away there first")
		}
		if store.Violates(err, "leave_kind_name_key") {
			return refusal.New("name", "There is a kind of leave “"+k.Name+"” already", "Choose another name")
		}
		return err
	}
	t.RecordSetting(p.ID, map[string]any{"field": "Kind of leave", "to": k.Name})
	return nil
}
