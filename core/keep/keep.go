// Package keep says how long records must be kept, with the source of each rule.
package keep

// Rule is how long a place must keep what it knows of somebody's hours and pay
// after they left, in years.
type Rule struct {
	Country string // ISO 3166-1
	Years   int
	Source  string
}

// rules are the longest that the law of a country, or of a part of it that we know
// of, asks for the records of hours and pay: one setting then does for all.
var rules = []Rule{
	{"US", 3, "29 CFR 516.5: three years for payroll records; 516.6: two for the time cards they rest on; " +
		"California Labor Code 1174(d): three"},
	{"CA", 3, "Ontario, Employment Standards Act 2000, s. 15(5) and (6): three years"},
	{"GB", 6, "National Minimum Wage Regulations 2015, reg. 59: six years; Working Time Regulations 1998, reg. 9: two"},
}

// Of gives the rule of a country. Of one that isn't known it is the longest of all,
// and its source says so.
func Of(country string) Rule {
	longest := 0
	for _, r := range rules {
		if r.Country == country {
			return r
		}
		longest = max(longest, r.Years)
	}
	return Rule{Country: country, Years: longest,
		Source: "No rule of this country is known here; it is the longest of those that are. Ask somebody who knows the law"}
}

// MostYears is the longest that somebody can ask for.
const MostYears = 30

// Kept is for how many years records are kept: what was asked for, never less than
// the rule.
func (r Rule) Kept(asked int) int { return min(max(asked, r.Years), MostYears) }
