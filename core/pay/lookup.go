package pay

import (
	"slices"

	"manudex/core/when"
)

// Owner is who can name a pay code.
type Owner string

// The owners, in the order in which they are looked up at first.
const (
	ByClassification Owner = "classification"
	ByJob            Owner = "job"
	ByJobKind        Owner = "job_kind"
	ByPerson         Owner = "person"
	ByCompany        Owner = "company"
)

// FirstOrder is the order of looking pay codes up until a place says else.
var FirstOrder = []Owner{ByClassification, ByJob, ByJobKind, ByPerson, ByCompany}

// Pays is what a pay code is for.
type Pays string

// What pay codes are for.
const (
	PaysRegular  Pays = "regular"
	PaysOvertime Pays = "overtime"
	PaysDouble   Pays = "double"
	PaysSalary   Pays = "salary"
	PaysLeave    Pays = "leave"
)

// CodeKey names an owner: which kind, and whose id; the company's is "".
type CodeKey struct {
	Owner Owner
	ID    string
}

// Codes are the pay codes that owners name, and the order in which they are
// looked up. The order is data.
type Codes struct {
	Order []Owner
	Named map[CodeKey]map[Pays]string
}

// Find looks a pay code up: that of the first owner in order that names one
// for what is paid. who gives the ids by owner. by says whose it is; ok is
// false where nobody names one.
func (c Codes) Find(who map[Owner]string, pays Pays) (code string, by Owner, ok bool) {
	order := c.Order
	if len(order) == 0 {
		order = FirstOrder
	}
	for _, owner := range order {
		id, known := who[owner]
		if !known && owner != ByCompany {
			continue
		}
		if code, ok := c.Named[CodeKey{owner, id}][pays]; ok {
			return code, owner, true
		}
	}
	return "", "", false
}

// DatedRate is a rate that holds from a date.
type DatedRate struct {
	From when.Date
	Rate Rate
}

// RateOn gives the rate in force on a date: that of the last that has begun,
// zero before the first. Rates may be in any order.
func RateOn(rates []DatedRate, d when.Date) Rate {
	var in DatedRate
	found := false
	for _, r := range rates {
		if r.From <= d && (!found || r.From > in.From) {
			in, found = r, true
		}
	}
	return in.Rate
}

// BasicRate is the rate actually paid on public work: the higher of the wage
// determination's and the person's own (29 CFR 5.5(a)(1)).
func BasicRate(own, determination Rate) Rate { return max(own, determination) }

// ValidOrder says whether an order names every owner once.
func ValidOrder(order []Owner) bool {
	sorted := slices.Sorted(slices.Values(order))
	return slices.Equal(sorted, slices.Sorted(slices.Values(FirstOrder)))
}
