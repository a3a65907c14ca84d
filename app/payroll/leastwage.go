package payroll

import (
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// LeastWage is the least that an hour is paid: everywhere or at a site, from a day on.
type LeastWage struct {
	Site string // "" for everywhere
	Rate pay.Rate
	From when.Date
}

// LeastWagesValue reads least wages, such as "15.00; Harbour yard = 17.25 from 2027-01-01", and writes
// them as they are kept.
func LeastWagesValue(text string) (string, error) {
	wages, err := readLeastWages(text)
	var parts []string
	for _, w := range wages {
		part := w.Rate.String()
		if w.Site != "" {
			part = w.Site + " = " + part
		}
		if w.From > always {
			part += " from " + w.From.String()
		}
		parts = append(parts, part)
	}
	return strings.Join(parts, "; "), err
}

// always is a day before any that hours are worked on.
const always = when.Date(-25_567) // 1900-01-01

func readLeastWages(text string) (wages []LeastWage, err error) {
	for part := range strings.SplitSeq(text, ";") {
		part = strings.TrimSpace(part)
		if part == "" {
			continue
		}
		w := LeastWage{From: always}
		site, sum, named := strings.Cut(part, "=")
		if !named {
			site, sum = "", part
		}
		w.Site = strings.TrimSpace(site)
		sum, from, dated := strings.Cut(strings.TrimSpace(sum), " from ")
		if w.Rate, err = pay.ParseRate(strings.TrimSpace(sum)); err != nil || w.Rate <= 0 || named && w.Site == "" {
			return wages, refusal.New("least_wages", "“"+part+"” is no least wage", "Write 15.00; Harbour yard = 17.25 from 2027-01-01")
		}
		if dated {
			if w.From, err = when.ParseDate(strings.TrimSpace(from)); err != nil {
				return wages, refusal.New("least_wages", "“"+part+"” has no day", "Write the day as 2027-01-01")
			}
		}
		if slices.ContainsFunc(wages, func(o LeastWage) bool { return strings.EqualFold(o.Site, w.Site) && o.From == w.From }) {
			return wages, refusal.New("least_wages", "“"+part+"” stands there twice", "Keep one of the two")
		}
		wages = append(wages, w)
	}
	slices.SortStableFunc(wages, func(a, b LeastWage) int { return int(a.From - b.From) })
	return wages, nil
}

// leastOn gives the least wage at a site on a day, 0 for none: that of the site before that of everywhere.
func leastOn(wages []LeastWage, site string, d when.Date) (least pay.Rate) {
	own := false
	for _, w := range wages {
		mine := w.Site != "" && strings.EqualFold(w.Site, site)
		if w.From <= d && (mine || w.Site == "" && !own) {
			least, own = w.Rate, own || mine
		}
	}
	return least
}

// Below is somebody who is paid less than the least.
type Below struct {
	store.Payee
	Words string
}

// below lists who is paid less than the least wage of their site for an hour in the run; who would be left with
// less after deductions; whose exempt salary is less than the least a week.
func (r *openRun) below() (hours, deducted, salaried []Below) {
	wages, err := readLeastWages(r.place.LeastWages)
	if err != nil {
		return nil, nil, nil // it's checked where it's set
	}
	worst, owed := map[uuid.UUID]store.PayLine{}, map[uuid.UUID]pay.Amount{}
	sites := map[uuid.UUID]string{}
	for _, p := range r.payees {
		sites[p.Employment] = p.SiteName
	}
	for _, l := range r.draft.Lines {
		if l.Kind != pay.Straight || l.Seconds <= 0 {
			continue
		}
		least := leastOn(wages, sites[l.Employment], l.Date)
		owed[l.Employment] += pay.Amount(int64(least.Minor(r.place.CurrencyDecimals)) * l.Seconds / 3600)
		if at, is := worst[l.Employment]; l.Rate > 0 && l.Rate < least && (!is || l.Rate < at.Rate) {
			worst[l.Employment] = l
		}
	}
	leastSalary, _ := pay.ParseRate(r.place.LeastSalary) // it's checked where it's set
	for _, p := range r.payees {
		if l, is := worst[p.Employment]; is {
			hours = append(hours, Below{p, fmt.Sprintf("%s on %s, the least is %s", l.Rate, l.Date.Format("Mon 2 Jan"),
				leastOn(wages, p.SiteName, l.Date))})
		}
		sum := r.draft.Sums[p.Employment]
		if sum != nil && sum.Deducted > 0 && sum.Gross-sum.Deducted < owed[p.Employment] {
			deducted = append(deducted, Below{p, fmt.Sprintf("%s of %s are left, the least for the hours is %s",
				(sum.Gross - sum.Deducted).Decimal(r.place.CurrencyDecimals), sum.Gross.Decimal(r.place.CurrencyDecimals),
				owed[p.Employment].Decimal(r.place.CurrencyDecimals))})
		}
		for _, s := range r.payroll.salaries[p.Employment] {
			week := pay.Weekly(s.Amount, s.Per)
			if s.By == pay.Exempt && week < leastSalary && s.Days.To == r.period.To {
				salaried = append(salaried, Below{p, fmt.Sprintf("%s a week, the least is %s", week.Decimals(2), leastSalary)})
			}
		}
	}
	return hours, deducted, salaried
}
