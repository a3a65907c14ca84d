package card

import (
	"testing"
	"time"

	"manudex/core/when"
)

func h(hours float64) int64 { return int64(hours * 3600) }

// A day's expected hours and its difference: patterns that change in mid
// period, non-working days, holidays, leave of a part of the day.
func TestAttendance(t *testing.T) {
	monday := when.NewDate(2026, 3, 2)
	week := func(hours float64) (p [7]int64) {
		for d := 1; d <= 5; d++ {
			p[d] = h(hours)
		}
		return p
	}
	patterns := []Pattern{ // from Thursday on, six hours a day; given in any order
		{From: monday + 3, Seconds: week(6)},
		{From: monday - 30, Seconds: week(8)},
	}
	for _, c := range []struct {
		name                string
		day                 when.Date
		holiday             bool
		leave, worked       float64
		expected, due, over float64
	}{
		{"a day of the pattern", monday, false, 0, 8.25, 8, 8, 0.25},
		{"too little", monday, false, 0, 7, 8, 8, -1},
		{"part of the day on leave", monday, false, 3, 5, 8, 5, 0},
		{"a whole day on leave, and worked", monday, false, 8, 2, 8, 0, 2},
		{"more leave than expected is not below zero", monday, false, 10, 0, 8, 0, 0},
		{"a holiday", monday, true, 0, 0, 0, 0, 0},
		{"worked on a holiday", monday, true, 0, 4, 0, 0, 4},
		{"a non-working day", monday + 5, false, 0, 3, 0, 0, 3},
		{"leave on a non-working day costs nothing", monday + 5, false, 8, 0, 0, 0, 0},
		{"the last day of a pattern", monday + 2, false, 0, 8, 8, 8, 0},
		{"the pattern changed in mid-week", monday + 3, false, 0, 8, 6, 6, 2},
		{"leave by the new pattern", monday + 4, false, 3, 3, 6, 3, 0},
		{"before the first pattern", monday - 40, false, 0, 1, 0, 0, 1},
	} {
		expected := UsualOn(c.day, patterns, c.holiday, time.UTC).Seconds
		got := Card{Date: c.day, Worked: h(c.worked), Plan: Plan{Expected: expected, Leave: h(c.leave)}}
		if expected != h(c.expected) || got.Due() != h(c.due) || got.Over() != h(c.over) {
			t.Errorf("%s: expected %d, due %d, over %d; want %d %d %d", c.name, expected, got.Due(), got.Over(),
				h(c.expected), h(c.due), h(c.over))
		}
	}
}

// The positive part stands apart: it is not made undone by other days.
func TestAttended(t *testing.T) {
	day := func(expected, leave, worked float64) Card {
		return Card{Worked: h(worked), Plan: Plan{Expected: h(expected), Leave: h(leave)}}
	}
	got := Attended(day(8, 0, 9.5), day(8, 0, 7), day(8, 4, 4), day(0, 0, 2), day(8, 8, 0))
	want := Attendance{Expected: h(20), Worked: h(22.5), Over: h(3.5)}
	if got != want || got.Balance() != h(2.5) {
		t.Errorf("attendance %+v, balance %d; want %+v", got, got.Balance(), want)
	}
}
