package pay

import (
	"fmt"
	"regexp"
	"strings"
)

// SalaryTerms are what somebody's salary is and what it pays.
type SalaryTerms struct {
	Amount Rate
	Per    Per
	By     SalaryBy
	Hours  int64  // a week's, in seconds; [ForHours]
	Reason string // why they are exempt; [Exempt]
}

var salaryForm = regexp.MustCompile(`(?i)^([0-9][0-9.,]*) +(?:a|an|per) +(week|fortnight|two weeks|half month|month|year),? +` +
	`(?:exempt *\(([^()]{1,60})\)|for ([0-9]+(?:\.[0-9]+)?) ?h(?:ours)?(?: +a +week)?|for all hours)$`)

var thousands = regexp.MustCompile(`,([0-9]{3})`)

// ParseSalary reads a salary as it's written: "52000 a year, exempt (executive)", "1040 a month for 40 h a
// week" or "600 a week for all hours".
func ParseSalary(text string) (t SalaryTerms, err error) {
	bad := fmt.Errorf(`write it as "52000 a year, exempt (executive)", "1040 a month for 40 h a week" or "600 a week for all hours"`)
	m := salaryForm.FindStringSubmatch(strings.Join(strings.Fields(text), " "))
	if m == nil {
		return t, bad
	}
	if t.Amount, err = ParseRate(thousands.ReplaceAllString(m[1], "$1")); err != nil || t.Amount == 0 {
		return t, bad
	}
	t.Per = Per(strings.ReplaceAll(strings.ToLower(m[2]), " ", "_"))
	if t.Per == "fortnight" {
		t.Per = "two_weeks"
	}
	switch {
	case m[3] != "":
		t.By, t.Reason = Exempt, strings.TrimSpace(m[3])
	case m[4] != "":
		hours, err := ParseRate(m[4])
		if err != nil || hours <= 0 || hours > 168*rateScale {
			return t, bad
		}
		t.By, t.Hours = ForHours, int64(hours)*3600/rateScale
	default:
		t.By = AllHours
	}
	return t, nil
}

// String writes it as [ParseSalary] reads it.
func (t SalaryTerms) String() string {
	text := fmt.Sprintf("%s a %s", t.Amount, t.Per.word())
	switch t.By {
	case Exempt:
		return text + ", exempt (" + t.Reason + ")"
	case ForHours:
		return text + " for " + Rate(t.Hours*rateScale/3600).short() + " h a week"
	}
	return text + " for all hours"
}
