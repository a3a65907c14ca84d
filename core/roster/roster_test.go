package roster_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/core/roster"
	"manudex/core/when"
)

var (
	ny = func() *time.Location {
		loc, err := time.LoadLocation("America/New_York")
		if err != nil {
			panic(err)
		}
		return loc
	}()
	monday = when.NewDate(2026, 11, 16)
	week   = when.Period{From: monday - 1, To: monday + 5}
	job    = uuid.MustParse("00000000-0000-0000-0000-000000000001")
)

// shift is one from an hour to another of a day; past 24 it ends on the next.
func shift(d when.Date, from, to float64) roster.Shift {
	hour := func(h float64) time.Duration { return time.Duration(h * float64(time.Hour)) }
	end := d.At(hour(min(to, 24)), ny)
	if to > 24 {
		end = (d + 1).At(hour(to-24), ny)
	}
	return roster.Shift{ID: uuid.New(), Date: d, Start: d.At(hour(from), ny), End: end}
}

// What speaks against shifts: each finding with its figure, and none where its rule is off.
// The figures of rest and days in a row are those that the rules name as their source.
func TestAgainst(t *testing.T) {
	known := func(change func(*roster.Known)) roster.Known {
		k := roster.Known{From: monday - 100, WeekOf: func(d when.Date) when.Date { return d - when.Date(d.Weekday()) }}
		if change != nil {
			change(&k)
		}
		return k
	}
	on := func(s roster.Shift) roster.Shift { s.Job = job; return s }
	var six []roster.Shift
	for d := monday - 3; d <= monday+3; d++ { // Friday to Thursday: seven in a row
		six = append(six, shift(d, 8, 12))
	}
	for _, row := range []struct {
		name   string
		known  roster.Known
		shifts []roster.Shift
		want   string
	}{
		{"nothing", known(nil), []roster.Shift{shift(monday, 7, 15.5)}, ""},
		{"two at a time", known(nil), []roster.Shift{shift(monday, 7, 15), shift(monday, 14, 18)}, "planned twice, planned twice"},
		{"one after the other", known(nil), []roster.Shift{shift(monday, 7, 12), shift(monday, 12, 18)}, ""},
		{"leave", known(func(k *roster.Known) { k.Leave = map[when.Date]string{monday: "Vacation"} }),
			[]roster.Shift{shift(monday, 7, 15)}, "on leave: Vacation"},
		{"leave asked for", known(func(k *roster.Known) { k.Asked = map[when.Date]string{monday: "Vacation"} }),
			[]roster.Shift{shift(monday, 7, 15)}, "asks for leave: Vacation"},
		{"a Sunday off", known(func(k *roster.Known) { k.Workdays = map[when.Date]bool{monday: true} }),
			[]roster.Shift{shift(monday-1, 7, 15), shift(monday, 8, 16)}, "no working day"},
		{"a holiday, which is no working day either", known(func(k *roster.Known) {
			k.Holidays, k.Workdays = map[when.Date]bool{monday: true}, map[when.Date]bool{}
		}), []roster.Shift{shift(monday, 7, 15)}, "a holiday"},
		{"a tag that lacks", known(func(k *roster.Known) { k.Needs = map[uuid.UUID][]string{job: {"Work at height"}} }),
			[]roster.Shift{on(shift(monday, 7, 15))}, "no work at height"},
		{"one that ends before", known(func(k *roster.Known) {
			k.Needs, k.Tags = map[uuid.UUID][]string{job: {"Height"}}, []roster.Tag{{Name: "height", Until: monday}}
		}), []roster.Shift{on(shift(monday, 7, 15)), on(shift(monday+1, 7, 15))}, "height ends 16 Nov"},
		{"on another job it isn't needed", known(func(k *roster.Known) { k.Needs = map[uuid.UUID][]string{uuid.New(): {"Height"}} }),
			[]roster.Shift{on(shift(monday, 7, 15))}, ""},
		{"not open", known(func(k *roster.Known) { k.NotOpen = map[uuid.UUID]string{job: "2245"} }),
			[]roster.Shift{on(shift(monday, 7, 15))}, "2245 is not open to them"},
		{"before the first day", known(func(k *roster.Known) { k.From = monday + 1 }), []roster.Shift{shift(monday, 7, 15)},
			"doesn’t work here that day"},
		{"after the last", known(func(k *roster.Known) { k.To = monday }), []roster.Shift{shift(monday, 7, 15), shift(monday+1, 7, 15)},
			"doesn’t work here that day"},
		{"10:59 of rest", known(nil), []roster.Shift{shift(monday, 12, 20+1.0/60), shift(monday+1, 7, 15)},
			"only 10:59 since the shift before"},
		{"11:00 of rest", known(nil), []roster.Shift{shift(monday, 12, 20), shift(monday+1, 7, 15)}, ""},
		{"the night the clocks go back gives an hour", known(nil),
			[]roster.Shift{shift(when.NewDate(2026, 10, 31), 12, 20), shift(when.NewDate(2026, 11, 1), 6, 12)}, ""},
		{"the night they go forward takes one", known(nil),
			[]roster.Shift{shift(when.NewDate(2027, 3, 13), 12, 20), shift(when.NewDate(2027, 3, 14), 7, 12)},
			"only 10:00 since the shift before"},
		{"two shifts of a day are no rest", known(nil), []roster.Shift{shift(monday, 6, 10), shift(monday, 14, 18)}, ""},
		{"the seventh day in a row", known(nil), six, "day 7 in a row"},
		{"too long", known(nil), []roster.Shift{shift(monday, 6, 18.5)}, "12:30 long"},
		{"past 24:00", known(nil), []roster.Shift{shift(monday, 20, 32)}, ""},
		{"61 hours in a week", known(nil), []roster.Shift{shift(monday, 6, 18), shift(monday+1, 6, 18), shift(monday+2, 6, 18),
			shift(monday+3, 6, 18), shift(monday+4, 6, 18), shift(monday+5, 6, 7)}, "61:00 in the week"},
	} {
		span := week
		if d := row.shifts[0].Date; !week.Holds(d) && d != monday-3 {
			span = when.Period{From: d, To: d + 6}
		}
		var got []string
		for _, f := range roster.Against(row.known, row.shifts, roster.Rules, span) {
			got = append(got, f.Words())
		}
		if strings.Join(got, ", ") != row.want {
			t.Errorf("%s: %q, not %q", row.name, strings.Join(got, ", "), row.want)
		}
		off := slices.Clone(roster.Rules)
		for i := range off {
			off[i].Does = roster.Off
		}
		if got := roster.Against(row.known, row.shifts, off, span); len(got) != 0 {
			t.Errorf("%s, every rule off: %v", row.name, got)
		}
	}
}

// The weekly average of the Working Time Regulations 1998, reg. 4, by the two examples of the
// government's guidance: 40 hours a week and 12 hours of overtime in the first ten of 17 weeks
// come to 47.1; with 8 hours of overtime and four days of leave, for which four days after
// them count, to 44.7.
func TestWeeklyAverage(t *testing.T) {
	rules := slices.Clone(roster.Rules)
	i := slices.IndexFunc(rules, func(r roster.Rule) bool { return r.Code == roster.OnAverage })
	rules[i].Does = roster.Warns
	end := monday + 6 - 1 // the Saturday of the 17th week, of weeks that begin on Sunday
	known := func(overtime, leave int) roster.Known {
		k := roster.Known{From: end - 1000, Today: monday, Hours: map[when.Date]int64{}, Leave: map[when.Date]string{},
			WeekOf: func(d when.Date) when.Date { return d - when.Date(d.Weekday()) }}
		for d := end - 17*7 + 1; d <= end+14; d++ {
			if d.Weekday() != time.Saturday && d.Weekday() != time.Sunday && (d < monday || d > end) {
				k.Hours[d] = 8 * 3600
			}
			if week := (d - (end - 17*7 + 1)) / 7; d.Weekday() == time.Monday && week < 10 {
				k.Hours[d] += int64(overtime) * 3600
			}
		}
		for d := monday - 28; leave > 0; d, leave = d+1, leave-1 {
			k.Hours[d], k.Leave[d] = 0, "Vacation"
		}
		return k
	}
	var shifts []roster.Shift
	for d := monday; d < monday+5; d++ {
		shifts = append(shifts, shift(d, 8, 16))
	}
	average := func(k roster.Known, limit int, more ...roster.Shift) string {
		rules[i].Figure = limit
		var said []string
		for _, f := range roster.Against(k, append(slices.Clone(shifts), more...), rules, when.Period{From: monday - 1, To: end}) {
			if f.Code == roster.OnAverage {
				said = append(said, f.Words())
			}
		}
		return strings.Join(said, ", ")
	}
	for _, row := range []struct {
		name  string
		known roster.Known
		limit int
		want  string
	}{
		{"with overtime", known(12, 0), 47, "47:03 a week on average"}, // 47.1 of the guidance, by the fifth day
		{"and leave, not over 45", known(8, 4), 45, ""},
		{"and leave, over 44", known(8, 4), 44, "44:14 a week on average, 44:42 a week on average"}, // 44.7
		{"not over 48", known(12, 0), 48, ""},
		{"opted out before", func() roster.Known { k := known(12, 0); k.OptOut = monday; return k }(), 47, ""},
		{"opted out on Thursday", func() roster.Known { k := known(12, 0); k.OptOut = monday + 5; return k }(), 47,
			"47:03 a week on average"},
		{"who began a week ago is judged by that week", func() roster.Known { k := known(12, 0); k.From = monday - 8; return k }(), 39,
			"40:00 a week on average"},
	} {
		if got := average(row.known, row.limit); got != row.want {
			t.Errorf("%s: %q, not %q", row.name, got, row.want)
		}
	}
	k := known(12, 0)
	if got := average(k, 48, shift(monday+5, 6, 22)); got != "" { // 48:00, and not more
		t.Errorf("one shift more: %q", got)
	}
	if got := average(k, 47, shift(monday+5, 6, 22)); got != "47:03 a week on average, 48:00 a week on average" {
		t.Errorf("one shift more, over 47: %q", got)
	}
}

// Of somebody young: 8 hours a day and 40 a week (Working Time Regulations 1998, reg. 5A), 12
// of rest (reg. 10), not between 22:00 and 06:00 (reg. 6A); of somebody who isn't, none of it.
func TestYoung(t *testing.T) {
	known := roster.Known{From: monday - 100, WeekOf: func(d when.Date) when.Date { return d - when.Date(d.Weekday()) }, Young: monday + 5,
		Loc: ny}
	for _, row := range []struct {
		name   string
		shifts []roster.Shift
		want   string
	}{
		{"eight hours", []roster.Shift{shift(monday, 8, 16)}, ""},
		{"nine", []roster.Shift{shift(monday, 8, 17)}, "young: 9:00 that day"},
		{"two shifts of a day", []roster.Shift{shift(monday, 8, 12), shift(monday, 13, 18)}, "young: 9:00 that day"},
		{"six days of eight", []roster.Shift{shift(monday, 8, 16), shift(monday+1, 8, 16), shift(monday+2, 8, 16), shift(monday+3, 8, 16),
			shift(monday+4, 8, 16), shift(monday+5, 8, 16)}, "young: 48:00 in the week"},
		{"11:30 of rest", []roster.Shift{shift(monday, 12, 20), shift(monday+1, 7.5, 12)}, "young: only 11:30 since the shift before"},
		{"up to ten in the evening", []roster.Shift{shift(monday, 18, 22)}, ""},
		{"a minute longer", []roster.Shift{shift(monday, 18, 22.02)}, "young: at night"},
		{"from six", []roster.Shift{shift(monday, 6, 12)}, ""},
		{"before six", []roster.Shift{shift(monday, 5, 12)}, "young: at night"},
		{"the day after they are no longer", []roster.Shift{shift(monday+6, 5, 17)}, ""},
	} {
		var got []string
		for _, f := range roster.Against(known, row.shifts, roster.Rules, when.Period{From: monday - 1, To: monday + 8}) {
			got = append(got, f.Words())
		}
		if strings.Join(got, ", ") != row.want {
			t.Errorf("%s: %q, not %q", row.name, strings.Join(got, ", "), row.want)
		}
		grown := known
		grown.Young = 0
		for _, f := range roster.Against(grown, row.shifts, roster.Rules, when.Period{From: monday - 1, To: monday + 8}) {
			if strings.HasPrefix(f.Words(), "young") {
				t.Errorf("%s, grown up: %s", row.name, f.Words())
			}
		}
	}
}

// What people are told of is what differs, whatever was changed in between: what was changed
// and changed back is nothing, and telling leaves nothing to be told.
func TestDiffer(t *testing.T) {
	a := uuid.New()
	s := shift(monday, 7, 15)
	s.Employment = a
	longer, other := s, shift(monday, 8, 16)
	longer.End = s.End.Add(time.Hour)
	other.Employment = a
	for _, row := range []struct {
		name          string
		told, planned []roster.Shift
		want          int
	}{
		{"nothing", nil, nil, 0},
		{"new", nil, []roster.Shift{s}, 1},
		{"taken out", []roster.Shift{s}, nil, 1},
		{"longer", []roster.Shift{s}, []roster.Shift{longer}, 1},
		{"and back", []roster.Shift{s}, []roster.Shift{s}, 0},
		{"in another zone's words", []roster.Shift{s}, []roster.Shift{func() roster.Shift {
			u := s
			u.Start, u.End = s.Start.UTC(), s.End.UTC()
			return u
		}()}, 0},
		{"one for another", []roster.Shift{s}, []roster.Shift{other}, 2},
	} {
		changes := roster.Differ(row.told, row.planned)
		if len(changes) != row.want {
			t.Errorf("%s: %d changes", row.name, len(changes))
		}
	}
	if c := roster.Differ([]roster.Shift{longer}, []roster.Shift{s}); !c[0].Begins().Equal(s.Start) {
		t.Error("what begins earlier counts")
	}
}

// Applying what differs to what was told makes the plan, in whatever order people come.
func TestTellingMakesThePlan(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	people := []uuid.UUID{uuid.New(), uuid.New(), uuid.New()}
	for range 500 {
		var told, planned []roster.Shift
		for range r.IntN(12) {
			s := shift(monday+when.Date(r.IntN(5)), float64(5+r.IntN(4)), float64(12+r.IntN(6)))
			s.Employment = people[r.IntN(3)]
			if r.IntN(3) > 0 {
				told = append(told, s)
			}
			if r.IntN(2) == 0 {
				s.End = s.End.Add(time.Hour)
			}
			if r.IntN(3) > 0 {
				planned = append(planned, s)
			}
		}
		now := map[uuid.UUID]roster.Shift{}
		for _, s := range told {
			now[s.ID] = s
		}
		for _, c := range roster.Differ(told, planned) {
			if c.Is == nil {
				delete(now, c.Was.ID)
				continue
			}
			now[c.Is.ID] = *c.Is
		}
		var is []roster.Shift
		for _, s := range now {
			is = append(is, s)
		}
		if left := roster.Differ(is, planned); len(left) != 0 {
			t.Fatalf("after telling %d are left", len(left))
		}
	}
}
