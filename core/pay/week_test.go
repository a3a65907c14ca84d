package pay

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"manudex/core/clock"
	"manudex/core/when"
)

var sunday = when.NewDate(2026, 3, 1)

// parsed reads rules as the contract writes them, "" for none, in New York.
func parsed(t testing.TB, rules string) Rules {
	t.Helper()
	return parsedIn(t, "America/New_York", rules)
}

func parsedIn(t testing.TB, zoneName, rules string) Rules {
	t.Helper()
	r, wrong := ParseRules(json.RawMessage("{"+rules+"}"), zone(t, zoneName))
	if len(wrong) > 0 {
		t.Fatalf("%s: %v", rules, wrong)
	}
	return r
}

// timesheet reads stints written as "Mon 07:00-12:00 @20, meal 12:00-12:30,
// 12:30-15:30 +1.50": a weekday of the week of Sunday 1 March 2026, with a
// digit for a later week; day, kind and rate stay until they change; an end
// at or before its start is on the next day. Words after it set flags.
func timesheet(t testing.TB, loc *time.Location, text string) []Stint {
	t.Helper()
	day, rateNow, kind := sunday, rate("20"), clock.Work
	var stints []Stint
	for i, part := range strings.Split(text, ",") {
		s := Stint{ID: fmt.Sprint("s", i+1), PayCode: "REG", Job: "2231"}
		kind = clock.Work
		for _, word := range strings.Fields(part) {
			switch {
			case strings.Contains("Sun Mon Tue Wed Thu Fri Sat", word[:min(3, len(word))]):
				day = sunday + when.Date(strings.Index("Sun Mon Tue Wed Thu Fri Sat", word[:3])/4)
				if len(word) > 3 {
					day += 7 * when.Date(word[3]-'1')
				}
			case word == "meal" || word == "rest":
				kind = clock.Kind(word)
			case word[0] == '@':
				rateNow = rate(word[1:])
			case word[0] == '+':
				s.PremiumPerHour = rate(word[1:])
			case strings.HasPrefix(word, "planned="):
				of, err := clockTime(fmt.Sprintf("%05s", word[8:]))
				if err != nil {
					t.Fatal(err)
				}
				s.Planned = int64(of / time.Second)
			case word == "callout":
				s.Callout = true
			case word == "as_work":
				s.Paid = AsWork
			case word == "not_as_work":
				s.Paid = NotAsWork
			case strings.HasPrefix(word, "cash="):
				s.FringeCash = rate(word[5:])
			case strings.HasPrefix(word, "plan="):
				s.FringePlan = rate(word[5:])
			case strings.HasPrefix(word, "job="):
				s.Job = word[4:]
			default:
				from, to, _ := strings.Cut(word, "-")
				a, err := clockTime(from)
				b, err2 := clockTime(to)
				if err != nil || err2 != nil {
					t.Fatalf("%q is no stint", part)
				}
				s.Start, s.End = day.At(a, loc), day.At(b, loc)
				if b <= a {
					s.End = (day + 1).At(b, loc)
				}
			}
		}
		s.Kind, s.Rate = kind, rateNow
		stints = append(stints, s)
	}
	return stints
}

// changed reads a change of the plan: "Mon 07:00-15:00 to 07:00-13:00, told Sun 12:00", with
// "none" for a side where nothing is planned, and "asked" at the end.
func changed(t testing.TB, loc *time.Location, text string) Change {
	t.Helper()
	c := Change{Rate: rate("20"), PayCode: "NOTICE"}
	plan, told, _ := strings.Cut(text, ", told ")
	told, c.Asked = strings.CutSuffix(told, " asked")
	day, plan, _ := strings.Cut(plan, " ")
	c.Date = when.DateOf(timesheet(t, loc, day+" 00:00-01:00")[0].Start, loc)
	was, is, _ := strings.Cut(plan, " to ")
	for text, into := range map[string]*Planned{was: &c.Was, is: &c.Is} {
		if text == "none" {
			continue
		}
		s := timesheet(t, loc, day+" "+text)[0]
		*into = Planned{Start: s.Start, End: s.End, Seconds: int64(s.End.Sub(s.Start) / time.Second)}
	}
	c.Told = timesheet(t, loc, told+"-23:59")[0].Start
	return c
}

func clockTime(s string) (time.Duration, error) {
	if len(s) == len("15:04:05") {
		at, err := when.ParseTimeOfDay(s[:5])
		sec, _ := time.ParseDuration(s[6:] + "s")
		return at + sec, err
	}
	return when.ParseTimeOfDay(s)
}

// byDays writes the classes of each day: "Mon 8:00 2:00" is regular and
// overtime, a third figure double time.
func byDays(days []Day) string {
	var out []string
	for _, d := range days {
		s := d.Date.Format("Mon") + " " + hms(d.Regular)
		if d.Overtime+d.Double > 0 {
			s += " " + hms(d.Overtime)
		}
		if d.Double > 0 {
			s += " " + hms(d.Double)
		}
		out = append(out, s)
	}
	return strings.Join(out, ", ")
}

// linesText writes the lines of some kinds: "Mon 2:00 at 11.1786 = 22.36".
func linesText(res Result, kinds ...LineKind) string {
	var out []string
	for _, l := range res.Lines {
		for _, k := range kinds {
			if l.Kind == k {
				out = append(out,
					fmt.Sprintf("%s %s at %s = %s", l.Date.Format("Mon"), hms(l.Seconds), l.Rate.Decimals(4), l.Amount.Decimal(2)))
			}
		}
	}
	return strings.Join(out, "; ")
}
