package files

import (
	"fmt"
	"math/big"
	"regexp"
	"strconv"
	"strings"
	"time"
	"unicode"

	"github.com/nyaruka/phonenumbers"

	"manudex/core/when"
)

// Manner says how the dates or the numbers of a column are written, where that can't
// be told from each one alone.
type Manner string

// The manners.
const (
	DayFirst   Manner = "dmy"   // 4/7/2021 is in July
	MonthFirst Manner = "mdy"   // 4/7/2021 is in April
	Point      Manner = "point" // 1.234 is little more than one
	Comma      Manner = "comma" // 1.234 is more than a thousand
)

var (
	parted    = regexp.MustCompile(`^(\d{1,2})([/.-])(\d{1,2})[/.-](\d{2}|\d{4})$`)
	yearFirst = regexp.MustCompile(`^(\d{4})[/.-]?(\d{2})[/.-]?(\d{2})$`)
	timeAfter = regexp.MustCompile(`[ T]\d{1,2}:\d{2}(:\d{2}(\.\d+)?)?( ?[AaPp][Mm])?Z?$`)
	serial    = regexp.MustCompile(`^[2-6]\d{4}$`)
)

// DateManner finds how the dates of a column are written: by those that can be read
// in one way only. Ask says that some can be read in both and none decides.
func DateManner(values []string) (m Manner, ask bool) {
	day, month, either := 0, 0, 0
	for _, v := range values {
		parts := parted.FindStringSubmatch(tidyDate(v))
		if parts == nil {
			continue
		}
		a, _ := strconv.Atoi(parts[1])
		b, _ := strconv.Atoi(parts[3])
		switch {
		case a > 12:
			day++
		case b > 12:
			month++
		case a != b:
			either++
		}
	}
	switch {
	case day > month:
		return DayFirst, false
	case month > 0:
		return MonthFirst, false
	}
	return "", either > 0
}

func tidyDate(v string) string { return timeAfter.ReplaceAllString(strings.TrimSpace(v), "") }

// ReadDate reads a date as offices write it, and gives it as YYYY-MM-DD: year first,
// with the month's name, as a spreadsheet's own number, or in the manner of its
// column. Years of two digits are from 1969 to 2068 (POSIX). Its errors say what to
// change.
func ReadDate(v string, m Manner) (string, error) {
	v = tidyDate(v)
	if y := yearFirst.FindStringSubmatch(v); y != nil {
		return dateOf(v, y[1], y[2], y[3])
	}
	if p := parted.FindStringSubmatch(v); p != nil {
		a, b := p[1], p[3]
		switch {
		case m == MonthFirst:
			a, b = b, a
		case m == "" && a != b:
			return "", fmt.Errorf("“%s” can be two days: say above which comes first in this column, day or month", v)
		}
		return dateOf(v, fullYear(p[4]), b, a)
	}
	if serial.MatchString(v) { // days since 30 December 1899, as spreadsheets count
		n, _ := strconv.Atoi(v)
		return (when.NewDate(1899, 12, 30) + when.Date(n)).String(), nil
	}
	named := strings.Join(strings.FieldsFunc(v, func(r rune) bool { return unicode.IsSpace(r) || strings.ContainsRune(",.-/", r) }), " ")
	for _, layout := range []string{"2 Jan 2006", "2 January 2006", "Jan 2 2006", "January 2 2006", "2 Jan 06", "Jan 2 06", "2006 Jan 2"} {
		if t, err := time.Parse(layout, named); err == nil {
			return t.Format("2006-01-02"), nil
		}
	}
	return "", fmt.Errorf("“%s” is no date: write one such as 2021-04-30", v)
}

func fullYear(y string) string {
	if len(y) == 4 {
		return y
	}
	if y < "69" {
		return "20" + y
	}
	return "19" + y
}

func dateOf(said, y, m, d string) (string, error) {
	t, err := time.Parse("2006-1-2", y+"-"+strings.TrimPrefix(m, "0")+"-"+strings.TrimPrefix(d, "0"))
	if err != nil {
		return "", fmt.Errorf("“%s” is no day of the calendar: look at the day and the month", said)
	}
	return t.Format("2006-01-02"), nil
}

var (
	aroundNumber = regexp.MustCompile(`(?i)^(USD|CAD|EUR|GBP|AUD|NZD|\p{Sc}|\s)+|\s*((USD|CAD|EUR|GBP|AUD|NZD|\p{Sc})\s*)?` +
		`((/|per|an?)\s*)?(h|hr|hrs|hour|hours)?\.?$`)
	digitsOnly = regexp.MustCompile(`^-?\d+([.,]\d+)*$`)
)

func tidyNumber(v string) string {
	v = aroundNumber.ReplaceAllString(strings.TrimSpace(v), "")
	return strings.NewReplacer(" ", "", "\u00a0", "", "\u202f", "", "'", "", "’", "").Replace(v)
}

// NumberManner finds how the numbers of a column are written, as [DateManner] does.
func NumberManner(values []string) (m Manner, ask bool) {
	point, comma, either := 0, 0, 0
	for _, v := range values {
		v = tidyNumber(v)
		points, commas := strings.Count(v, "."), strings.Count(v, ",")
		last := strings.LastIndexAny(v, ".,")
		if last < 0 || !digitsOnly.MatchString(v) {
			continue
		}
		isPoint := v[last] == '.'
		whole, rest := strings.TrimPrefix(v[:last], "-"), len(v)-last-1
		switch {
		case points > 0 && commas > 0, points+commas == 1 && (rest != 3 || len(whole) > 3 || whole == "0"):
			if isPoint { // the last mark parts whole and rest
				point++
			} else {
				comma++
			}
		case points+commas > 1: // the same mark again and again groups
			switch {
			case !grouped(v, v[last:last+1]):
			case isPoint:
				comma++
			default:
				point++
			}
		default:
			either++
		}
	}
	switch {
	case comma > point:
		return Comma, false
	case point > 0:
		return Point, false
	}
	return "", either > 0
}

// ReadNumber reads a number or a sum as offices write it, and gives it with a point:
// "$1,234.50" as 1234.50. Its errors say what to change.
func ReadNumber(v string, m Manner) (string, error) {
	plain := tidyNumber(v)
	if !digitsOnly.MatchString(plain) {
		return "", fmt.Errorf("“%s” is no number: write one such as 21.50", strings.TrimSpace(v))
	}
	last := strings.LastIndexAny(plain, ".,")
	if last < 0 {
		return plain, nil
	}
	if m == "" {
		own, ask := NumberManner([]string{v})
		if ask {
			return "", fmt.Errorf("“%s” can be two numbers: say above what parts the whole from the rest in this column",
				strings.TrimSpace(v))
		}
		m = own
	}
	group, decimal := ",", "."
	if m == Comma {
		group, decimal = ".", ","
	}
	whole, rest, _ := strings.Cut(plain, decimal)
	if strings.Contains(rest, group) || strings.Contains(rest, decimal) || !grouped(whole, group) {
		return "", fmt.Errorf("“%s” isn't written as the other numbers of this column are", strings.TrimSpace(v))
	}
	whole = strings.ReplaceAll(whole, group, "")
	if rest == "" {
		return whole, nil
	}
	return whole + "." + rest, nil
}

// grouped says whether digits are whole, or grouped by threes.
func grouped(whole, mark string) bool {
	parts := strings.Split(strings.TrimPrefix(whole, "-"), mark)
	for i, p := range parts {
		if i > 0 && len(p) != 3 || i == 0 && len(parts) > 1 && (len(p) > 3 || p == "") {
			return false
		}
	}
	return true
}

var spoiled = regexp.MustCompile(`(?i)^\d([.,]\d+)?E\+?\d+$`)

// ReadPhone reads a telephone number, and gives it with its country: "+1
// 617-555-0142". One without a country is of the region, ISO 3166. Its errors say
// what to change.
func ReadPhone(v, region string) (string, error) {
	v = strings.TrimSpace(v)
	if spoiled.MatchString(v) {
		return "", fmt.Errorf("“%s” was a telephone number: the spreadsheet kept only its first digits. Write it anew, as text", v)
	}
	wrong := fmt.Errorf("“%s” is no telephone number: write it with its country, such as +1 617 555 0142", v)
	if strings.ContainsFunc(v, unicode.IsLetter) && !strings.Contains(strings.ToLower(v), "ext") {
		return "", wrong
	}
	n, err := phonenumbers.Parse(v, strings.ToUpper(region))
	if err != nil || !phonenumbers.IsPossibleNumber(n) {
		return "", wrong
	}
	return phonenumbers.Format(n, phonenumbers.INTERNATIONAL), nil
}

// ReadTime reads a time of day as offices write it, "7:00", "07:00:30" or "7:05 PM", and
// gives it as 07:00:00. Its errors say what to change.
func ReadTime(v string) (string, error) {
	plain := strings.ToUpper(strings.NewReplacer(" ", "", "\u00a0", "", "\u202f", "", ".", "").Replace(strings.TrimSpace(v)))
	for _, layout := range []string{"15:04", "15:04:05", "3:04PM", "3:04:05PM", "3PM"} {
		if t, err := time.Parse(layout, plain); err == nil {
			return t.Format("15:04:05"), nil
		}
	}
	return "", fmt.Errorf("“%s” is no time of day: write one such as 07:00", strings.TrimSpace(v))
}

var hoursMinutes = regexp.MustCompile(`^(\d{1,5}):([0-5]\d)(?::([0-5]\d))?$`)

// ReadHours reads a length in hours, "7.5" or "7:30", and gives whole seconds: a length
// that has been rounded to decimals is that of the nearest second. Its errors say what
// to change.
func ReadHours(v string, m Manner) (string, error) {
	if parts := hoursMinutes.FindStringSubmatch(strings.TrimSpace(v)); parts != nil {
		var seconds int64
		for i, worth := range []int64{3600, 60, 1} {
			n, _ := strconv.ParseInt("0"+parts[i+1], 10, 64)
			seconds += n * worth
		}
		return strconv.FormatInt(seconds, 10), nil
	}
	text, err := ReadNumber(v, m)
	if err != nil && digitsOnly.MatchString(tidyNumber(v)) {
		return "", err
	}
	if err != nil {
		return "", fmt.Errorf("“%s” is no length: write hours such as 7.5 or 7:30", strings.TrimSpace(v))
	}
	hours, ok := new(big.Rat).SetString(text)
	if !ok || hours.Sign() < 0 || hours.Cmp(big.NewRat(100_000, 1)) > 0 {
		return "", fmt.Errorf("“%s” is no length: write hours such as 7.5 or 7:30", strings.TrimSpace(v))
	}
	return hours.Mul(hours, big.NewRat(3600, 1)).FloatString(0), nil
}
