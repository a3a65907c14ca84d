package field

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"manudex/core/pay"
	"manudex/core/when"
)

// A pattern is kept as seven days, Sunday first, apart by spaces: the seconds to be
// worked, or from when to when besides: "0 25200-55800/28800 28800 28800 …".

// longestUsual is the longest stretch that a pattern plans, in seconds: what is
// longer was meant otherwise, such as 7–3:30 for 07:00–15:30.
const longestUsual = 16 * 3600

const daySeconds = 24 * 3600

var patternExample = errors.New("write days and hours, such as Mon–Fri 8, or from when to when: " +
	"Mon–Fri 07:00–15:30 less 0:30, Sat 07:00–12:00")

// PatternValue reads a working pattern as people write it, and keeps it. Seven
// lengths from Sunday to Saturday are taken, too.
func PatternValue(v string) (string, error) {
	if plain := strings.Fields(strings.ReplaceAll(v, ",", " ")); len(plain) == 7 && !strings.ContainsAny(v, "-–/") {
		if kept, err := sevenLengths(plain); err == nil {
			return kept, nil
		}
	}
	days := slices.Repeat([]string{"0"}, 7)
	if strings.EqualFold(strings.TrimSpace(v), noDays) {
		return strings.Join(days, " "), nil
	}
	var on []int // days that wait for their hours: "Mon, Wed 8"
	for _, part := range strings.FieldsFunc(tidyPattern(v), func(r rune) bool { return r == ',' || r == ';' }) {
		words := strings.Fields(part)
		for len(words) > 0 {
			more, ok := patternDays(words[0])
			if !ok {
				break
			}
			on, words = append(on, more...), words[1:]
		}
		if len(words) == 0 {
			continue
		}
		if len(on) == 0 {
			return "", patternExample
		}
		kept, err := patternHours(words)
		if err != nil {
			return "", err
		}
		for _, d := range on {
			if days[d] != "0" {
				return "", fmt.Errorf("write each day once: %s stands there twice", weekdayNames[d])
			}
			days[d] = kept
		}
		on = nil
	}
	if len(on) > 0 || !slices.ContainsFunc(days, func(d string) bool { return d != "0" }) {
		return "", patternExample
	}
	return strings.Join(days, " "), nil
}

func sevenLengths(parts []string) (string, error) {
	kept := make([]string, 7)
	for i, p := range parts {
		seconds, err := lengthSeconds(p)
		if err != nil {
			return "", err
		}
		kept[i] = strconv.FormatInt(seconds, 10)
	}
	return strings.Join(kept, " "), nil
}

var (
	weekdayNames = []string{"Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"}
	halfOfDay    = regexp.MustCompile(`(\d)\s*([ap])\.?m\b\.?`)
	aroundDash   = regexp.MustCompile(`\s*(?:-|\bto\b|\buntil\b)\s*`)
	clockTime    = regexp.MustCompile(`^(\d{1,2})(?::?(\d{2}))?([ap])?$`)
)

// tidyPattern writes a pattern in one manner: small letters, plain dashes without
// room around them, "a" and "p" for the halves of the day.
func tidyPattern(v string) string {
	v = strings.NewReplacer("–", "-", "—", "-", " and ", " ", "&", " ").Replace(strings.ToLower(v))
	return aroundDash.ReplaceAllString(halfOfDay.ReplaceAllString(v, "$1$2"), "-")
}

// patternDays reads "mon" or "mon-fri".
func patternDays(word string) (days []int, ok bool) {
	first, last, span := strings.Cut(word, "-")
	from, ok1 := weekdayOf(first)
	to, ok2 := from, true
	if span {
		to, ok2 = weekdayOf(last)
	}
	if !ok1 || !ok2 {
		return nil, false
	}
	for d := from; ; d = (d + 1) % 7 {
		days = append(days, d)
		if d == to {
			return days, true
		}
	}
}

func weekdayOf(word string) (int, bool) {
	word = strings.TrimSuffix(word, ".")
	if len(word) < 3 {
		return 0, false
	}
	for d, full := range []string{"sundays", "mondays", "tuesdays", "wednesdays", "thursdays", "fridays", "saturdays"} {
		if strings.HasPrefix(full, word) {
			return d, true
		}
	}
	return 0, false
}

// patternHours reads "8", "7:30", "07:00-15:30" or "07:00-15:30 less 30".
func patternHours(words []string) (string, error) {
	first, last, span := strings.Cut(words[0], "-")
	if !span {
		seconds, err := lengthSeconds(words[0])
		if err != nil || len(words) > 1 {
			return "", patternExample
		}
		return strconv.FormatInt(seconds, 10), nil
	}
	from, ok1 := timeOfDaySeconds(first)
	to, ok2 := timeOfDaySeconds(last)
	if !ok1 || !ok2 {
		return "", patternExample
	}
	long := (to-from+daySeconds-1)%daySeconds + 1
	if long > longestUsual {
		return "", fmt.Errorf("%s–%s is %s long: write the times of 24 hours, such as 15:30, or with pm", clockWords(from), clockWords(to),
			lengthWords(long))
	}
	seconds := long
	if len(words) > 1 {
		less, err := lessSeconds(words[1:])
		if err != nil || less >= long {
			return "", patternExample
		}
		seconds -= less
	}
	return fmt.Sprintf("%d-%d/%d", from, to, seconds), nil
}

// lessSeconds reads what isn't paid of a stretch: "less 0:30", "less 30 min".
func lessSeconds(words []string) (int64, error) {
	if words[0] != "less" && words[0] != "minus" || len(words) < 2 || len(words) > 3 {
		return 0, patternExample
	}
	unit := ""
	if len(words) == 3 {
		unit = strings.Trim(words[2], ".s")
	}
	if minutes, err := strconv.ParseInt(words[1], 10, 64); err == nil && (unit == "" && minutes >= 5 || strings.HasPrefix(unit, "min")) {
		return minutes * 60, nil
	}
	if unit != "" && unit != "h" && unit != "hour" {
		return 0, patternExample
	}
	return lengthSeconds(words[1])
}

// timeOfDaySeconds reads "7", "07:00", "0700", "3:30p" and 24:00.
func timeOfDaySeconds(v string) (int64, bool) {
	m := clockTime.FindStringSubmatch(v)
	if m == nil {
		return 0, false
	}
	hour, _ := strconv.ParseInt(m[1], 10, 64)
	minute, _ := strconv.ParseInt("0"+m[2], 10, 64)
	if m[3] != "" {
		if hour < 1 || hour > 12 {
			return 0, false
		}
		hour %= 12
		if m[3] == "p" {
			hour += 12
		}
	}
	if hour > 24 || minute > 59 || hour == 24 && minute > 0 {
		return 0, false
	}
	return (hour*3600 + minute*60) % daySeconds, true
}

// lengthSeconds reads hours as 8, 7.5 or 7:30, at most a day, to the minute.
func lengthSeconds(v string) (int64, error) {
	h, m, colon := strings.Cut(v, ":")
	var seconds int64
	if colon {
		hh, err1 := strconv.ParseInt(h, 10, 16)
		mm, err2 := strconv.ParseInt(m, 10, 16)
		if err1 != nil || err2 != nil || hh < 0 || mm < 0 || mm > 59 || len(m) != 2 {
			return 0, patternExample
		}
		seconds = hh*3600 + mm*60
	} else {
		r, err := pay.ParseRate(v)
		if err != nil || r < 0 || r > 24_000_000 {
			return 0, patternExample
		}
		seconds = (int64(r)*60 + 500_000) / 1_000_000 * 60
	}
	if seconds > daySeconds {
		return 0, patternExample
	}
	return seconds, nil
}

const noDays = "no days"

// patternWords writes a pattern as "Mon–Fri 07:00–15:30 less 0:30", as PatternValue
// reads it.
func patternWords(kept string) string {
	days := strings.Fields(kept)
	if len(days) != 7 {
		return ""
	}
	days = append(days[1:], days[0]) // Monday first
	names := append(slices.Clone(weekdayNames[1:]), weekdayNames[0])
	var out []string
	for i := 0; i < 7; {
		j := i
		for j < 6 && days[j+1] == days[i] {
			j++
		}
		if hours := patternDayWords(days[i]); hours != "" {
			on := names[i]
			if j > i {
				on += "–" + names[j]
			}
			out = append(out, on+" "+hours)
		}
		i = j + 1
	}
	if len(out) == 0 {
		return noDays
	}
	return strings.Join(out, ", ")
}

func patternDayWords(day string) string {
	span, length, timed := strings.Cut(day, "/")
	if !timed {
		length = day
	}
	seconds, err := strconv.ParseInt(length, 10, 64)
	if err != nil || seconds == 0 {
		return ""
	}
	if !timed {
		return lengthWords(seconds)
	}
	first, last, _ := strings.Cut(span, "-")
	from, err1 := strconv.ParseInt(first, 10, 64)
	to, err2 := strconv.ParseInt(last, 10, 64)
	if err1 != nil || err2 != nil {
		return ""
	}
	words := clockWords(from) + "–" + clockWords(to)
	if less := (to-from+daySeconds-1)%daySeconds + 1 - seconds; less > 0 {
		words += " less " + lengthWords(less)
	}
	return words
}

func clockWords(seconds int64) string  { return when.TimeOfDay(time.Duration(seconds) * time.Second) }
func lengthWords(seconds int64) string { return fmt.Sprintf("%d:%02d", seconds/3600, seconds/60%60) }
