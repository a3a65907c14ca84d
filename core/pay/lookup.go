package pay

import (
	"cmp"
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
	for _, owner := range c.order() {
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

// Named is an owner asked for a pay code: its answer, "" for none, and
// whether that is the code used.
type Named struct {
	Owner Owner
	Code  string
	Used  bool
}

// Trace tells how [Codes.Find] goes: every owner that is asked, in order, up
// to the one whose code is used.
func (c Codes) Trace(who map[Owner]string, pays Pays) []Named {
	var asked []Named
	used := c
	for _, owner := range c.order() {
		used.Order = []Owner{owner}
		code, _, ok := used.Find(who, pays)
		asked = append(asked, Named{owner, code, ok})
		if ok {
			break
		}
	}
	return asked
}

func (c Codes) order() []Owner {
	if len(c.Order) == 0 {
		return FirstOrder
	}
	return c.Order
}

// PaysFor is what the hours of a class are paid by.
func PaysFor(c Class) Pays { return [...]Pays{PaysRegular, PaysOvertime, PaysDouble}[c] }

// NamedFrom is a code that an owner names from a date on; an empty one takes
// the name back.
type NamedFrom struct {
	CodeKey
	Pays Pays
	From when.Date
	Code string
}

// OrderFrom is the order of looking codes up from a date on.
type OrderFrom struct {
	From  when.Date
	Order []Owner
}

// DatedCodes are the pay codes that hold from a date.
type DatedCodes struct {
	From when.Date
	Codes
}

// CodesFrom puts dated names and orders together: the codes that hold from
// each date on which any of them changes, the oldest first.
func CodesFrom(named []NamedFrom, orders []OrderFrom) []DatedCodes {
	var dates []when.Date
	for _, n := range named {
		dates = append(dates, n.From)
	}
	for _, o := range orders {
		dates = append(dates, o.From)
	}
	slices.Sort(dates)
	dates = slices.Compact(dates)
	named, orders = slices.Clone(named), slices.Clone(orders)
	slices.SortStableFunc(named, func(a, b NamedFrom) int { return cmp.Compare(a.From, b.From) })
	slices.SortStableFunc(orders, func(a, b OrderFrom) int { return cmp.Compare(a.From, b.From) })
	all := make([]DatedCodes, len(dates))
	for i, d := range dates {
		all[i] = DatedCodes{From: d, Codes: Codes{Named: map[CodeKey]map[Pays]string{}}}
		for _, o := range orders {
			if o.From <= d {
				all[i].Order = o.Order
			}
		}
		for _, n := range named {
			if n.From > d {
				break
			}
			all[i].put(n)
		}
	}
	return all
}

func (c Codes) put(n NamedFrom) {
	if n.Code == "" {
		delete(c.Named[n.CodeKey], n.Pays)
		return
	}
	if c.Named[n.CodeKey] == nil {
		c.Named[n.CodeKey] = map[Pays]string{}
	}
	c.Named[n.CodeKey][n.Pays] = n.Code
}

// CodesOn gives the index of the codes in force on a date, -1 before the
// first.
func CodesOn(all []DatedCodes, d when.Date) int {
	in := -1
	for i, c := range all {
		if c.From <= d {
			in = i
		}
	}
	return in
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
