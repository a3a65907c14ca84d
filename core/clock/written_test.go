package clock

import (
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"
)

// What somebody writes down afterwards fits between what was recorded, and changes
// nothing of it but the end of what was running.
func TestCheckWritten(t *testing.T) {
	day := func(ps ...Punch) []Punch {
		for i := range ps {
			ps[i].ID, ps[i].Received = uuid.UUID{9, byte(i)}, at("20:00")
		}
		return ps
	}
	clocked := func(ps ...Punch) []Punch {
		for i := range ps {
			ps[i].ID = uuid.UUID{1, byte(i)}
		}
		return ps
	}
	whole := func(from, to string) []Punch { return day(punch(from, In, cutter), punch(to, Out)) }
	for _, c := range []struct {
		name    string
		before  []Punch
		written []Punch
		refused string
	}{
		{"an empty day", nil,
			day(punch("07:00", In, cutter), punch("12:00", BreakStart, Meal), punch("12:30", BreakEnd), punch("15:30", Out)), ""},
		{"before what was clocked", clocked(punch("12:00", In, gantry), punch("14:00", Out)), whole("07:00", "11:59"), ""},
		{"after it", clocked(punch("12:00", In, gantry), punch("14:00", Out)), whole("14:00", "16:00"), ""},
		{"over it", clocked(punch("12:00", In, gantry), punch("14:00", Out)), whole("07:00", "13:00"), "meet the work from 12:00:00"},
		{"around it", clocked(punch("12:00", In, gantry), punch("14:00", Out)), whole("07:00", "16:00"), "meet the work from 12:00:00"},
		{"inside it", clocked(punch("12:00", In, gantry), punch("14:00", Out)), whole("12:30", "13:00"), "meet the work from 12:00:00"},
		{"in, with no end before what follows", clocked(punch("12:00", In, gantry), punch("14:00", Out)), day(punch("07:00", In, cutter)),
			"meet the work from 12:00:00"},
		{"ending what runs", clocked(punch("07:00", In, cutter)), day(punch("15:00", Out)), ""},
		{"moving on from what runs", clocked(punch("07:00", In, cutter)), day(punch("11:00", Switch, gantry)), ""},
		{"before what runs began", clocked(punch("07:00", In, cutter)), day(punch("06:00", Out)), "off the clock"},
		{"a meal while off the clock", clocked(punch("07:00", In, cutter), punch("11:00", Out)), day(punch("12:00", BreakStart, Meal)),
			"off the clock"},
	} {
		t.Run(c.name, func(t *testing.T) {
			was, before := Derive(c.before)
			is, findings := Derive(append(append([]Punch{}, c.before...), c.written...))
			findings = slices.DeleteFunc(findings, func(f Finding) bool { return slices.Contains(before, f) })
			err := CheckWritten(was, is, findings, c.written, at("00:00").Location())
			switch {
			case c.refused == "" && err != nil:
				t.Errorf("refused: %v", err)
			case c.refused != "" && (err == nil || !strings.Contains(err.Error(), c.refused)):
				t.Errorf("got %v, want %q", err, c.refused)
			}
		})
	}
}
