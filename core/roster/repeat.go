package roster

import (
	"fmt"
	"strings"
	"time"

	"github.com/teambition/rrule-go"

	"manudex/core/refusal"
	"manudex/core/when"
)

// Repeat is a rule by which shifts repeat (RFC 5545 §3.3.10), from a civil date on: days,
// and no times of day, which a series has by itself.
type Repeat struct {
	Rule  string // such as "FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,WE"
	From  when.Date
	Until when.Date // the last day, 0 for none
}

// Check reads the rule, and gives it as it is kept. Its refusal says what to change.
func (r Repeat) Check() (string, error) {
	text := r.text()
	option, err := rrule.StrToROption(text)
	if err != nil {
		return "", refusal.New("rule", "That is no rule: "+err.Error(), "Write it as in RFC 5545, such as FREQ=WEEKLY;BYDAY=MO,WE")
	}
	switch {
	case option.Freq > rrule.DAILY:
		return "", refusal.New("rule", "Shifts repeat by days at the most often", "Write FREQ=DAILY, WEEKLY, MONTHLY or YEARLY")
	case len(option.Byhour)+len(option.Byminute)+len(option.Bysecond) > 0:
		return "", refusal.New("rule", "The times of day are those of the shift", "Take BYHOUR, BYMINUTE and BYSECOND out")
	case r.Until != 0 && r.Until < r.From:
		return "", refusal.New("until", "It ends before it begins", "Choose a later day")
	}
	return text, nil
}

// text is the rule as it is kept.
func (r Repeat) text() string {
	return strings.TrimSpace(strings.TrimPrefix(strings.ToUpper(strings.TrimSpace(r.Rule)), "RRULE:"))
}

// Dates gives the dates of the rule within a span, in order. A date that doesn't exist, such
// as 31 April, is left out (RFC 5545 §3.3.10).
func (r Repeat) Dates(span when.Period) ([]when.Date, error) {
	if _, err := r.Check(); err != nil {
		return nil, err
	}
	option, err := rrule.StrToROption(r.text())
	if err != nil {
		return nil, fmt.Errorf("the rule %q: %w", r.Rule, err)
	}
	if !option.Until.IsZero() { // a day is in it, whatever its time
		y, m, d := option.Until.Date()
		option.Until = time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
	}
	option.Dtstart = r.From.At(0, time.UTC)
	rule, err := rrule.NewRRule(*option)
	if err != nil {
		return nil, fmt.Errorf("the rule %q: %w", r.Rule, err)
	}
	from, to := max(span.From, r.From), span.To
	if r.Until != 0 {
		to = min(to, r.Until)
	}
	if to < from {
		return nil, nil
	}
	var dates []when.Date
	for _, at := range rule.Between(from.At(0, time.UTC), to.At(0, time.UTC), true) {
		dates = append(dates, when.DateOf(at, time.UTC))
	}
	return dates, nil
}

// At gives when a shift of a date begins and ends in a zone: local times of day, in seconds,
// which may be past midnight. A time that a clock change skips is that by the offset before
// it, one that it repeats is the first (RFC 5545 §3.3.5).
func At(d when.Date, from, to int, loc *time.Location) (start, end time.Time) {
	return local(d, from, loc), local(d, to, loc)
}

func local(d when.Date, second int, loc *time.Location) time.Time {
	const day = 24 * 3600
	return (d + when.Date(second/day)).At(time.Duration(second%day)*time.Second, loc)
}
