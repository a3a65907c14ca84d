package files

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

func TestDates(t *testing.T) {
	for _, c := range []struct {
		column []string
		manner Manner
		ask    bool
		read   string
	}{
		{[]string{"4/4/2021", "4/7/2021", "4/30/2021"}, MonthFirst, false, "2021-04-04 2021-04-07 2021-04-30"},
		{[]string{"04.07.2021", "30.4.21"}, DayFirst, false, "2021-07-04 2021-04-30"},
		{[]string{"4/7/2021", "5/6/2021"}, "", true, "? ?"},
		{[]string{"4/4/2021", "12/12/99"}, "", false, "2021-04-04 1999-12-12"}, // the same either way
		{[]string{"2021-04-07", "2021/4/7", "20210407", "2021-04-07 00:00:00"}, "", false, "2021-04-07 ? 2021-04-07 2021-04-07"},
		{[]string{"7 Apr 2021", "April 7, 2021", "7-Apr-21", "Apr. 7 2021"}, "", false, "2021-04-07 2021-04-07 2021-04-07 2021-04-07"},
		{[]string{"44293", "4/31/2021", "soon"}, MonthFirst, false, "2021-04-07 ? ?"},
		{[]string{"13/4/2021", "14/4/2021", "4/15/2021"}, DayFirst, false, "2021-04-13 2021-04-14 ?"},
	} {
		m, ask := DateManner(c.column)
		var read []string
		for _, v := range c.column {
			d, err := ReadDate(v, m)
			if err != nil {
				d = "?"
			}
			read = append(read, d)
		}
		if m != c.manner || ask != c.ask || strings.Join(read, " ") != c.read {
			t.Errorf("%q: %q, ask %v, read as %v", c.column, m, ask, read)
		}
	}
	for m, want := range map[Manner]string{DayFirst: "2021-07-04", MonthFirst: "2021-04-07"} {
		if got, err := ReadDate("4/7/2021", m); got != want {
			t.Errorf("%s: %s, %v", m, got, err)
		}
	}
}

func TestNumbers(t *testing.T) {
	for _, c := range []struct {
		column []string
		manner Manner
		ask    bool
		read   string
	}{
		{[]string{"$21.50", "22", "1,234.50"}, Point, false, "21.50 22 1234.50"},
		{[]string{"21,50", "22", "1.234,50 €"}, Comma, false, "21.50 22 1234.50"},
		{[]string{"1.234", "2.500"}, "", true, "? ?"},
		{[]string{"1.234", "2,5"}, Comma, false, "1234 2.5"},
		{[]string{"1.234.567", "1.234"}, Comma, false, "1234567 1234"},
		{[]string{"0.125", "1.234"}, Point, false, "0.125 1.234"},
		{[]string{"120h", "24.50 / hr", "USD 30", "1 234.5"}, Point, false, "120 24.50 30 1234.5"},
		{[]string{"21.50", "21,50"}, Point, false, "21.50 ?"},
		{[]string{"abc", "", "12.5.1", "--3"}, "", false, "? ? ? ?"},
	} {
		m, ask := NumberManner(c.column)
		var read []string
		for _, v := range c.column {
			n, err := ReadNumber(v, m)
			if err != nil {
				n = "?"
			}
			read = append(read, n)
		}
		if m != c.manner || ask != c.ask || strings.Join(read, " ") != c.read {
			t.Errorf("%q: %q, ask %v, read as %q", c.column, m, ask, read)
		}
	}
}

func TestPhones(t *testing.T) {
	for _, c := range []struct{ typed, region, want string }{
		{"(617) 555-0142", "US", "+1 617-555-0142"}, {"617.555.0142", "US", "+1 617-555-0142"}, {"16175550142", "us", "+1 617-555-0142"},
		{"+44 20 7946 0958", "US", "+44 20 7946 0958"}, {"020 7946 0958", "GB", "+44 20 7946 0958"},
		{"1.61756E+10", "US", "?the spreadsheet kept only its first digits"}, {"1,61756E10", "US", "?the spreadsheet kept"},
		{"12", "US", "?no telephone number"}, {"ask Bo", "US", "?no telephone number"}, {"1800FLOWERS", "US", "?no telephone number"},
	} {
		got, err := ReadPhone(c.typed, c.region)
		if why, refused := strings.CutPrefix(c.want, "?"); refused {
			if err == nil || !strings.Contains(err.Error(), why) {
				t.Errorf("%q: %q, %v", c.typed, got, err)
			}
		} else if got != c.want || err != nil {
			t.Errorf("%q: %q, %v", c.typed, got, err)
		}
	}
}

// Whatever date there is, written in a manner, reads back as itself; and a column of
// every day of a month decides.
func FuzzReadDate(f *testing.F) {
	f.Add(2021, 4, 7, true)
	f.Add(1999, 12, 31, false)
	f.Fuzz(func(t *testing.T, y, m, d int, dayFirst bool) {
		day := time.Date(1969+abs(y)%100, time.Month(abs(m)%12+1), abs(d)%28+1, 0, 0, 0, 0, time.UTC)
		manner, layout := MonthFirst, "1/2/2006"
		if dayFirst {
			manner, layout = DayFirst, "02.01.06"
		}
		if got, err := ReadDate(day.Format(layout), manner); got != day.Format("2006-01-02") {
			t.Errorf("%s: %s, %v", day.Format(layout), got, err)
		}
	})
}

// A number written with groups and a rest reads back as itself.
func FuzzReadNumber(f *testing.F) {
	f.Add(uint32(1234567), uint8(50), true)
	f.Add(uint32(7), uint8(0), false)
	f.Fuzz(func(t *testing.T, whole uint32, cents uint8, comma bool) {
		group, decimal, manner := ",", ".", Point
		if comma {
			group, decimal, manner = ".", ",", Comma
		}
		digits := fmt.Sprint(whole)
		for i := len(digits) - 3; i > 0; i -= 3 {
			digits = digits[:i] + group + digits[i:]
		}
		written := digits + decimal + fmt.Sprintf("%02d", cents%100)
		if got, err := ReadNumber(written, manner); got != fmt.Sprintf("%d.%02d", whole, cents%100) {
			t.Errorf("%s: %s, %v", written, got, err)
		}
	})
}

func abs(n int) int { return max(n, -(n + 1)) }

func TestTimesAndHours(t *testing.T) {
	for v, want := range map[string]string{"7:00": "07:00:00", "07:00:30": "07:00:30", "7:05 PM": "19:05:00", "7:05 p.m.": "19:05:00",
		"12am": "00:00:00", "7": "?", "25:00": "?", "7.30": "?"} {
		got, err := ReadTime(v)
		if err != nil {
			got = "?"
		}
		if got != want {
			t.Errorf("%q is %s o'clock, want %s", v, got, want)
		}
	}
	for v, want := range map[string]string{"7.5": "27000", "7,5": "27000", "7:30": "27000", "7:30:15": "27015", "7.33": "26388",
		"0.0001": "0", "1,204.50 h": "4336200", "-1": "?", "seven": "?", "7:60": "?", "1.234": "?", "9999999": "?"} {
		got, err := ReadHours(v, "")
		if err != nil {
			got = "?"
		}
		if got != want {
			t.Errorf("%q is %s s, want %s", v, got, want)
		}
	}
	if _, err := ReadHours("1.234", ""); err == nil || !strings.Contains(err.Error(), "can be two numbers") {
		t.Errorf("a length that can be two: %v", err)
	}
	if got, err := ReadHours("1.234", Comma); err != nil || got != "4442400" {
		t.Errorf("with a decimal comma: %s, %v", got, err)
	}
}
