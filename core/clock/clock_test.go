package clock

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
)

var (
	day    = time.Date(2026, 11, 12, 0, 0, 0, 0, time.UTC)
	cutter = Assignment{Job: uuid.UUID{1}, Task: uuid.UUID{1, 1}}
	gantry = Assignment{Job: uuid.UUID{2}}
)

// at reads "HH:MM" on the test day.
func at(s string) time.Time {
	t, err := time.Parse("15:04", s)
	if err != nil {
		panic(err)
	}
	return day.Add(time.Duration(t.Hour())*time.Hour + time.Duration(t.Minute())*time.Minute)
}

var punchSeq byte

func punch(s string, act Act, opt ...any) Punch {
	punchSeq++
	p := Punch{ID: uuid.UUID{9, punchSeq}, Act: act, Claimed: at(s), Device: at(s), Received: at(s)}
	for _, o := range opt {
		switch v := o.(type) {
		case Assignment:
			p.On = v
		case Kind:
			p.Break = v
		}
	}
	return p
}

// show writes stints as "work 06:00-11:00 job1 …".
func show(stints []Stint) string {
	var parts []string
	for _, s := range stints {
		end := "…"
		if !s.Open() {
			end = s.End.Format("15:04")
		}
		parts = append(parts, fmt.Sprintf("%s %s-%s j%d", s.Kind, s.Start.Format("15:04"), end, s.On.Job[0]))
	}
	return strings.Join(parts, ", ")
}

func TestDerive(t *testing.T) {
	for _, c := range []struct {
		name     string
		punches  []Punch
		want     string
		findings int
	}{
		{"nothing", nil, "", 0},
		{"a plain day", []Punch{punch("06:00", In, cutter), punch("10:00", BreakStart, Meal),
			punch("10:30", BreakEnd), punch("14:31", Out)},
			"work 06:00-10:00 j1, meal 10:00-10:30 j1, work 10:30-14:31 j1", 0},
		{"still running", []Punch{punch("06:00", In, cutter)}, "work 06:00-… j1", 0},
		{"switch ends one and begins the next at once",
			[]Punch{punch("06:00", In, cutter), punch("09:15", Switch, gantry), punch("10:00", Out)},
			"work 06:00-09:15 j1, work 09:15-10:00 j2", 0},
		{"in while on the clock is a switch", []Punch{punch("06:00", In, cutter), punch("09:15", In, gantry), punch("10:00", Out)},
			"work 06:00-09:15 j1, work 09:15-10:00 j2", 0},
		{"in twice on the same work changes nothing", []Punch{punch("06:00", In, cutter), punch("06:01", In, cutter), punch("10:00", Out)},
			"work 06:00-10:00 j1", 0},
		{"out during a break ends the break", []Punch{punch("06:00", In, cutter), punch("10:00", BreakStart, Meal), punch("10:20", Out)},
			"work 06:00-10:00 j1, meal 10:00-10:20 j1", 0},
		{"switch during a break ends the break",
			[]Punch{punch("06:00", In, cutter), punch("10:00", BreakStart, Rest), punch("10:10", Switch, gantry), punch("11:00", Out)},
			"work 06:00-10:00 j1, rest 10:00-10:10 j1, work 10:10-11:00 j2", 0},
		{"out without in is reported", []Punch{punch("06:00", Out), punch("07:00", In, cutter)}, "work 07:00-… j1", 1},
		{"second out is reported", []Punch{punch("06:00", In, cutter), punch("07:00", Out), punch("08:00", Out)}, "work 06:00-07:00 j1", 1},
		{"break end at work is reported", []Punch{punch("06:00", In, cutter), punch("07:00", BreakEnd), punch("08:00", Out)},
			"work 06:00-08:00 j1", 1},
		{"switch while off starts work and is reported", []Punch{punch("06:00", Switch, gantry)}, "work 06:00-… j2", 1},
		{"in and out within a second leave nothing", []Punch{punch("06:00", In, cutter), punch("06:00", Out)}, "", 0},
		{"break of an unknown kind is reported",
			[]Punch{punch("06:00", In, cutter), punch("07:00", BreakStart, Kind("nap")), punch("08:00", Out)}, "work 06:00-08:00 j1", 1},
	} {
		stints, findings := Derive(c.punches)
		if got := show(stints); got != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.name, got, c.want)
		}
		if len(findings) != c.findings {
			t.Errorf("%s: %d findings %v, want %d", c.name, len(findings), findings, c.findings)
		}
	}
}

func TestProvenance(t *testing.T) {
	for _, c := range []struct {
		name                      string
		claimed, device, received string
		want                      Provenance
	}{
		{"at once", "06:00", "06:00", "06:00", Clocked},
		{"a minute is at once", "06:00", "06:00", "06:01", Clocked},
		{"from a phone's queue", "06:00", "06:00", "09:40", Delayed},
		{"from a queue, by a clock a minute off", "06:00", "06:01", "09:40", Delayed},
		{"said afterwards", "17:45", "18:38", "18:38", ByHand},
		{"a wrong phone clock is not a delay", "06:00", "07:12", "06:00", Clocked},
	} {
		p := Punch{Claimed: at(c.claimed), Device: at(c.device), Received: at(c.received)}
		if got := p.Provenance(); got != c.want {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
	}
	if got := (Punch{Claimed: at("06:00"), Received: at("09:00")}).Provenance(); got != ByHand {
		t.Errorf("no device clock and hours late: %s", got)
	}
}

func TestSettle(t *testing.T) {
	now := at("06:00").Add(1500 * time.Millisecond)
	if p := (Punch{}).Settle(now); !p.Claimed.Equal(at("06:00").Add(time.Second)) || p.Ahead {
		t.Errorf("an unclaimed punch settles at %s, ahead %v", p.Claimed, p.Ahead)
	}
	if p := (Punch{Claimed: at("07:00"), Device: at("07:00")}).Settle(now); !p.Claimed.Equal(now.Truncate(time.Second)) || !p.Ahead ||
		!p.Device.Equal(at("07:00")) {
		t.Errorf("a clock that jumped an hour ahead: claimed %s, device %s, ahead %v", p.Claimed, p.Device, p.Ahead)
	}
	if p := (Punch{Claimed: at("05:00")}).Settle(now); !p.Claimed.Equal(at("05:00")) || p.Ahead {
		t.Errorf("a past claim was changed to %s", p.Claimed)
	}
}

func TestSame(t *testing.T) {
	stored := Punch{Act: In, On: cutter}.Settle(at("06:00"))
	for _, c := range []struct {
		name  string
		again Punch
		want  bool
	}{
		{"sent again without a claim", Punch{Act: In, On: cutter}, true},
		{"with another device clock", Punch{Act: In, On: cutter, Device: at("09:00")}, true},
		{"with the claim that is stored", Punch{Act: In, On: cutter, Claimed: at("06:00")}, true},
		{"with another claim", Punch{Act: In, On: cutter, Claimed: at("05:45")}, false},
		{"another act", Punch{Act: Out}, false},
		{"another job", Punch{Act: In, On: gantry}, false},
	} {
		if got := stored.Same(c.again); got != c.want {
			t.Errorf("%s: %v", c.name, got)
		}
	}
}

func TestPlace(t *testing.T) {
	r := Rules{NewAttendanceAfter: 4 * time.Hour, CutOver: 4 * time.Hour, Loc: time.UTC}
	stints, _ := Derive([]Punch{
		punch("02:00", In, cutter), punch("03:00", Out), // the night shift of the 11th
		punch("06:59", In, cutter), punch("10:00", Out), // 3:59 later: still the same attendance
		punch("14:00", In, gantry), punch("18:00", Out), // 4:00 later: a new one
		punch("21:30", In, gantry),
	})
	r.Place(stints, stints, nil)
	want := []string{"2026-11-11", "2026-11-11", "2026-11-12", "2026-11-12"}
	for i, s := range stints {
		if s.Date.String() != want[i] {
			t.Errorf("stint at %s is on the card of %s, want %s", s.Start.Format("15:04"), s.Date, want[i])
		}
	}
	if !stints[1].Attendance.Equal(at("02:00")) || !stints[3].Attendance.Equal(at("14:00")) {
		t.Errorf("attendances begin %s and %s", stints[1].Attendance, stints[3].Attendance)
	}
}

func TestCheck(t *testing.T) {
	working := &Stint{Kind: Work, Start: at("06:00")}
	resting := &Stint{Kind: Meal, Start: at("10:00")}
	gone := &Stint{Kind: Work, Start: at("06:00"), End: at("14:30")}
	for _, c := range []struct {
		name string
		last *Stint
		p    Punch
		want string // "" when it is fine
	}{
		{"first in", nil, punch("06:00", In), ""},
		{"in again", working, punch("06:00", In), ""},
		{"out", working, punch("06:00", Out), ""},
		{"out when never in", nil, punch("06:00", Out), "You are not on the clock. Clock in first"},
		{"meal when never in", nil, punch("10:00", BreakStart, Meal), "You are not on the clock. Clock in first"},
		{"back when never in", nil, punch("10:00", BreakEnd), "You are not on a break. Clock in first"},
		{"out twice", gone, punch("15:00", Out), "You are not on the clock. You clocked out at 14:30; clock in to go on"},
		{"switch when off", gone, punch("15:00", Switch), "You are not on the clock. You clocked out at 14:30; clock in to go on"},
		{"meal", working, punch("10:00", BreakStart, Meal), ""},
		{"rest straight after meal", resting, punch("10:30", BreakStart, Rest), ""},
		{"meal in a meal", resting, punch("10:30", BreakStart, Meal),
			"You are on a break already. Your break began at 10:00; end it first"},
		{"back", resting, punch("10:30", BreakEnd), ""},
		{"back without break", working, punch("10:30", BreakEnd), "You are not on a break. You are at work; start a break first"},
		{"nap", working, punch("10:30", BreakStart, Kind("nap")), `A break of kind "nap" is not known. Choose meal or rest`},
		{"nonsense", working, punch("10:30", Act("dance")),
			`"dance" is not something a clock knows. Choose in, out, switch, break_start or break_end`},
	} {
		got := ""
		if err := Check(c.last, c.p, time.UTC); err != nil {
			got = err.Error()
		}
		if got != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

func TestBreaks(t *testing.T) {
	excess := USBreaks
	excess.OnlyExcess = true
	for _, c := range []struct {
		breaks        Breaks
		kind          Kind
		seconds, want int64
	}{
		{USBreaks, Work, 1, 1}, {USBreaks, Rest, 20 * 60, 20 * 60}, {USBreaks, Rest, 20*60 + 1, 0},
		{USBreaks, Meal, 30 * 60, 0}, {USBreaks, Meal, 30*60 - 1, 30*60 - 1},
		{excess, Rest, 20 * 60, 20 * 60}, {excess, Rest, 25 * 60, 20 * 60}, {excess, Meal, 30 * 60, 0}, {excess, Work, 9000, 9000},
	} {
		if got := c.breaks.Counted(c.kind, c.seconds); got != c.want {
			t.Errorf("%s of %d s counts as %d s of work, want %d (29 CFR 785.18, .19)", c.kind, c.seconds, got, c.want)
		}
	}
}

// randomPunches makes a believable or an absurd sequence from a source of
// small numbers.
func randomPunches(next func(n int) int, count int) []Punch {
	acts := []Act{In, Out, Switch, BreakStart, BreakEnd, Act("?")}
	kinds := []Kind{Meal, Rest, ""}
	jobs := []Assignment{cutter, gantry, {}}
	ps := make([]Punch, count)
	for i := range ps {
		ps[i] = Punch{ID: uuid.UUID{byte(i >> 8), byte(i)}, Act: acts[next(len(acts))],
			Break: kinds[next(len(kinds))], On: jobs[next(len(jobs))],
			Claimed: day.Add(time.Duration(next(200)) * 7 * time.Minute)}
		ps[i].Received = ps[i].Claimed
	}
	return ps
}

func checkLaws(t *testing.T, ps []Punch) {
	t.Helper()
	stints, findings := Derive(ps)
	for i, s := range stints {
		if s.Open() && i != len(stints)-1 {
			t.Fatalf("stint %d of %d is open", i, len(stints))
		}
		if !s.Open() && !s.End.After(s.Start) {
			t.Fatalf("stint %d has no length", i)
		}
		if i > 0 && s.Start.Before(stints[i-1].End) {
			t.Fatalf("stints %d and %d overlap: %s", i-1, i, show(stints))
		}
	}
	if len(findings) > len(ps) {
		t.Fatalf("%d findings on %d punches", len(findings), len(ps))
	}
	turned := slices.Clone(ps)
	slices.Reverse(turned)
	if again, _ := Derive(turned); !slices.Equal(stints, again) {
		t.Fatalf("the order of the input matters:\n%s\n%s", show(stints), show(again))
	}
}

func TestLaws(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 3000 {
		checkLaws(t, randomPunches(r.IntN, r.IntN(40)))
	}
}

// Deriving from the start of any attendance gives the same stints as deriving
// from the first punch: what lets a card be worked out again alone.
func TestDeriveFromAnAttendance(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	rules := Rules{NewAttendanceAfter: 40 * time.Minute, CutOver: 4 * time.Hour, Loc: time.UTC}
	for range 2000 {
		ps := randomPunches(r.IntN, r.IntN(40))
		whole, _ := Derive(ps)
		rules.Place(whole, whole, nil)
		if len(whole) == 0 {
			continue
		}
		from := whole[r.IntN(len(whole))].Attendance
		var later []Punch
		for _, p := range ps {
			if !p.Claimed.Before(from) {
				later = append(later, p)
			}
		}
		part, _ := Derive(later)
		rules.Place(part, part, nil)
		i := slices.IndexFunc(whole, func(s Stint) bool { return s.Attendance.Equal(from) })
		if !slices.Equal(whole[i:], part) {
			t.Fatalf("from %s:\nwhole %s\npart  %s", from.Format("15:04"), show(whole[i:]), show(part))
		}
	}
}

func FuzzDerive(f *testing.F) {
	f.Add([]byte{0, 0, 0, 1, 1, 0, 0, 9})
	f.Fuzz(func(t *testing.T, data []byte) {
		i := 0
		next := func(n int) int {
			if i >= len(data) {
				return 0
			}
			i++
			return int(data[i-1]) % n
		}
		checkLaws(t, randomPunches(next, len(data)/4))
	})
}
