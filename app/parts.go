package app

import (
	"context"
	"slices"

	"manudex/store"
)

// Part is a part of the product that a place may have no use for. Put away, and as long
// as nothing of it is used, its settings stand on no page.
type Part struct {
	Key, Name, Gives string
	Settings         []string // keys of settings of people, jobs, tasks and the company
}

// Parts are those there are, in the order of Setup.
var Parts = []Part{
	{"customers", "Customers and billing",
		"whom a job is for, whether its hours are billed and at what, and a page of hours to give a customer",
		[]string{"customer", "billable", "billing_asked", "bill_rate", "task_billable"}},
	{"public_work", "Public work", "wage determinations by classification, with the fringe",
		[]string{"public_work", "class", "classes"}},
	{"tags", "Tags", "what somebody must hold to work on a job, such as a licence, and until when they do", []string{"tags"}},
	{"places", "Places", "where people are when they clock, a fence around jobs, and the map of who is where",
		[]string{"location", "location_required", "location_interval", "location_moved", "place"}},
	{"accounts", "Accounts", "to which account payroll books somebody’s or a crew’s hours", []string{"account", "coding", "account_words",
		"no_account", "job_account"}},
	{"expenses", "Expenses", "what people spend at work, with the receipt, approved and paid with the day", []string{"expense_kinds"}},
	{"groups", "Other pay periods", "people who are paid by the month, say, beside those paid by the week", []string{"period_group"}},
	{"subcontractors", "Subcontractors", "people whose hours cost jobs and are in no pay run", []string{"subcontractor"}},
}

// Away are the parts that are put away, by key.
type Away map[string]bool

// Hides says whether a setting stands on no page.
func (a Away) Hides(setting string) bool {
	return slices.ContainsFunc(Parts, func(p Part) bool { return a[p.Key] && slices.Contains(p.Settings, setting) })
}

// ReadAway reads which parts are put away and not used.
func ReadAway(ctx context.Context, q store.Q) (Away, error) {
	keys, err := store.PartsAway(ctx, q)
	away := Away{}
	for _, key := range keys {
		away[key] = true
	}
	return away, err
}
