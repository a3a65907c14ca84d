package leave

import (
	"cmp"
	"slices"

	"manudex/core/when"
)

// Entry is what of a kind is booked for a day: of one day and kind there may be several, which
// are added up.
type Entry struct {
	Date   when.Date
	Kind   Kind
	Amount Amount
}

// Due gives what is still to be booked, by date, so that what is booked comes to what a ledger
// says of the days up to one: lines that are new, and the difference where a day of before has
// come to something else since. What is booked for days after it, which then came to nothing,
// is taken back too.
func Due(ledger []Line, booked []Entry, until when.Date) []Entry {
	type key struct {
		date when.Date
		kind Kind
	}
	left, order := map[key]Amount{}, []key{}
	add := func(date when.Date, kind Kind, amount Amount) {
		k := key{date, kind}
		if _, is := left[k]; !is {
			order = append(order, k)
		}
		left[k] += amount
	}
	for _, l := range ledger {
		if l.Date <= until {
			add(l.Date, l.Kind, l.Amount)
		}
	}
	for _, b := range booked {
		add(b.Date, b.Kind, -b.Amount)
	}
	slices.SortStableFunc(order, func(a, b key) int { return cmp.Compare(a.date, b.date) })
	var due []Entry
	for _, k := range order {
		if left[k] != 0 {
			due = append(due, Entry{k.date, k.kind, left[k]})
		}
	}
	return due
}
