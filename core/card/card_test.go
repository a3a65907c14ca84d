package card

import (
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"manudex/core/clock"
	"manudex/core/when"
)

var (
	date = when.NewDate(2026, 11, 12)
	lim  = Limits{Breaks: clock.USBreaks, LongestShift: 16 * time.Hour, LateAfter: 15 * time.Minute, OverPlan: time.Hour,
		Meals: clock.Meals{First: 5 * 3600, FirstWaived: 6 * 3600, Length: 1800}, MissingAfter: 10 * time.Minute, SignRequired: true}
	shift = Plan{ShiftFrom: at("06:00"), ShiftTo: at("14:30"), Expected: 8 * 3600}
)

func at(s string) time.Time {
	if s == "" {
		return time.Time{}
	}
	t, err := time.Parse("15:04", s)
	if err != nil {
		panic(err)
	}
	return date.At(time.Duration(t.Hour())*time.Hour+time.Duration(t.Minute())*time.Minute, time.UTC)
}

// day reads stints from "work 06:00-10:00, meal 10:00-10:30"; "…" is open, and
// "!" after an end marks it as set by hand.
func day(text string) []clock.Stint {
	var stints []clock.Stint
	for _, part := range strings.Split(text, ", ") {
		if part == "" {
			continue
		}
		kind, span, _ := strings.Cut(part, " ")
		from, to, _ := strings.Cut(span, "-")
		s := clock.Stint{Kind: clock.Kind(kind), Start: at(from), StartBy: clock.Clocked, EndBy: clock.Clocked}
		if strings.HasSuffix(to, "!") {
			s.EndBy, to = clock.ByHand, strings.TrimSuffix(to, "!")
		}
		if to != "…" {
			s.End = at(to)
		}
		stints = append(stints, s)
	}
	return stints
}

func words(flags []Flag) string {
	var w []string
	for _, f := range flags {
		w = append(w, f.Words(time.UTC))
	}
	return strings.Join(w, "; ")
}

func TestWork(t *testing.T) {
	for _, c := range []struct {
		name, stints      string
		plan              Plan
		ev                Evidence
		worked, brk, over string
		flags             string
	}{
		{"a plain day", "work 06:00-10:00, meal 10:00-10:30, work 10:30-14:31", shift, Evidence{}, "8:01", "0:30", "0:01", ""},
		{"a short rest is worked time", "work 06:00-10:00, rest 10:00-10:20, work 10:20-12:00, meal 11:00-11:40", shift, Evidence{},
			"6:00", "0:40", "−2:00", ""},
		{"a long rest is not", "work 06:00-10:00, rest 10:00-10:21, work 10:21-12:00", shift, Evidence{}, "5:39", "0:21", "−2:21", ""},
		{"a short meal is worked time, and no meal", "work 06:00-10:00, meal 10:00-10:29, work 10:29-14:00", shift, Evidence{}, "8:00",
			"0:00", "0:00", "Meal of only 29 min"},
		{"far over plan, end by hand", "work 06:54-11:30, meal 11:30-12:00, work 12:00-17:45!",
			Plan{ShiftFrom: at("07:00"), ShiftTo: at("15:30"), Expected: 8 * 3600}, Evidence{},
			"10:21", "0:30", "2:21", "2:21 over plan; End by hand"},
		{"no meal", "work 06:30-09:00, work 09:00-15:06", Plan{Expected: 8 * 3600}, Evidence{}, "8:36", "0:00",
			"0:36", "No meal by 11:30"},
		{"no meal is due within six hours", "work 06:30-12:30", Plan{Expected: 6 * 3600}, Evidence{}, "6:00", "0:00", "0:00", ""},
		{"a gap off the clock is a meal too", "work 06:00-10:00, work 10:45-14:45", shift, Evidence{}, "8:00", "0:00", "0:00", ""},
		{"late", "work 06:16-10:00", shift, Evidence{}, "3:44", "0:00", "−4:16", "16 min late"},
		{"late by what is allowed", "work 06:15-10:00", shift, Evidence{}, "3:45", "0:00", "−4:15", ""},
		{"off site, phone clock wrong", "work 06:00-10:00", shift, Evidence{OffSite: 3149, Skew: -12 * time.Minute}, "4:00", "0:00",
			"−4:00", "3.1 km off site; Phone clock 12 min behind"},
		{"a whole day of leave", "", Plan{Expected: 8 * 3600, Leave: 8 * 3600}, Evidence{}, "0:00", "0:00", "0:00", ""},
		{"half a day of leave", "work 06:00-10:00", Plan{Expected: 8 * 3600, Leave: 4 * 3600}, Evidence{}, "4:00", "0:00", "0:00", ""},
		{"worked on leave", "work 06:00-10:00", Plan{Expected: 8 * 3600, Leave: 8 * 3600}, Evidence{}, "4:00", "0:00", "4:00",
			"4:00 over plan; Worked on leave"},
		{"running counts what is closed", "work 06:00-10:00, meal 10:00-10:30, work 10:30-…", shift, Evidence{},
			"4:00", "0:30", "−4:00", ""},
	} {
		got := Work(date, day(c.stints), c.plan, c.ev, lim)
		if w, b, o := HoursMinutes(got.Worked), HoursMinutes(got.Break),
			HoursMinutes(got.Over()); w != c.worked || b != c.brk || o != c.over {
			t.Errorf("%s: worked %s break %s over %s, want %s %s %s", c.name, w, b, o, c.worked, c.brk, c.over)
		}
		if f := words(got.Flags); f != c.flags {
			t.Errorf("%s: flags %q, want %q", c.name, f, c.flags)
		}
	}
	excess := lim
	excess.Breaks.OnlyExcess = true
	got := Work(date, day("work 06:00-10:00, rest 10:00-10:25, work 10:25-12:00"), shift, Evidence{}, excess)
	if got.Worked != 5*3600+55*60 || got.Break != 5*60 {
		t.Errorf("of a long rest only the excess is no work: worked %s, break %s", HoursMinutes(got.Worked), HoursMinutes(got.Break))
	}
}

func TestFlagsThatTimeBrings(t *testing.T) {
	absent := Work(date, nil, shift, Evidence{}, lim)
	if f := words(absent.FlagsAt(at("06:10"), lim)); f != "" {
		t.Errorf("ten minutes after the shift began: %q", f)
	}
	if f := words(absent.FlagsAt(at("06:11"), lim)); f != "Planned, never clocked" {
		t.Errorf("eleven minutes after: %q", f)
	}
	away := Work(date, nil, Plan{ShiftFrom: at("06:00"), Expected: 8 * 3600, Leave: 8 * 3600}, Evidence{}, lim)
	if f := words(away.FlagsAt(at("15:00"), lim)); f != "" {
		t.Errorf("on leave: %q", f)
	}
	forgot := Work(date, day("work 06:00-…"), shift, Evidence{}, lim)
	for at15, want := range map[string]string{"16:30": "", "16:31": "Running past 14:30", "22:00": "Running past 14:30",
		"22:01": "Since Thu 06:00, not counted"} {
		if f := words(forgot.FlagsAt(at(at15), lim)); f != want {
			t.Errorf("forgotten, at %s: %q, want %q", at15, f, want)
		}
	}
	// Ended only by what began next: nobody said when it ended.
	implied := day("work 06:00-22:01, work 22:01-…")
	implied[0].Implied = true
	c := Work(date, implied, shift, Evidence{}, lim)
	if f := words(c.Flags); c.Worked != 0 || f != "Since Thu 06:00, not counted" {
		t.Errorf("ended by what began next: %d s, %q", c.Worked, f)
	}
	implied[0].End = at("22:00")
	if c = Work(date, implied, shift, Evidence{}, lim); c.Worked != 16*3600 {
		t.Errorf("as long as the longest shift: %d s", c.Worked)
	}
	asked := Work(date, day("work 06:00-14:00"), shift, Evidence{Unlaid: 1}, lim)
	asked.Requests, asked.Objections = 1, 2
	if f := words(asked.FlagsAt(at("15:00"), lim)); !strings.HasSuffix(f,
		"A correction no longer fits; A change is asked for; Objected to a change") {
		t.Errorf("what waits for somebody: %q", f)
	}
}

func TestMoves(t *testing.T) {
	for _, c := range []struct {
		name  string
		moves []Move
		want  Standing
	}{
		{"signed and approved", []Move{Sign, Approve}, Standing{State: Approved, Signed: true}},
		{"taken back", []Move{Sign, Approve, TakeBack}, Standing{State: Signed, Signed: true}},
		{"taken back where nobody had signed", []Move{Approve, TakeBack}, Standing{State: Open}},
		{"sent back", []Move{Sign, SendBack}, Standing{State: Open}},
		{"a late punch reopens", []Move{Sign, Approve, Reopen}, Standing{State: Open, Late: true}},
		{"paid stays paid", []Move{Sign, Approve, Pay, TakeBack, SendBack, Approve, Sign}, Standing{State: Paid, Signed: true}},
		{"a punch after paying waits", []Move{Sign, Approve, Pay, Adjust}, Standing{State: Paid, Signed: true, Adjust: true, Late: true}},
		{"no run takes it so", []Move{Sign, Approve, Pay, Adjust, Pay}, Standing{State: Paid, Signed: true, Adjust: true, Late: true}},
		{"signing it changes nothing", []Move{Sign, Approve, Pay, Adjust, Sign, Pay},
			Standing{State: Paid, Signed: true, Adjust: true, Late: true}},
		{"approved, it is to be paid", []Move{Sign, Approve, Pay, Adjust, Approve}, Standing{State: Paid, Signed: true, Adjust: true}},
		{"and the run that takes it", []Move{Sign, Approve, Pay, Adjust, Approve, Pay}, Standing{State: Paid, Signed: true}},
		{"the approval taken back", []Move{Sign, Approve, Pay, Adjust, Approve, TakeBack, Pay},
			Standing{State: Paid, Signed: true, Adjust: true, Late: true}},
		{"another punch after it", []Move{Sign, Approve, Pay, Adjust, Approve, Adjust, Pay},
			Standing{State: Paid, Signed: true, Adjust: true, Late: true}},
	} {
		if got := Replay(c.moves); got != c.want {
			t.Errorf("%s: %+v, want %+v", c.name, got, c.want)
		}
	}
	if _, err := Start.Next(Approve, true); err == nil || !strings.Contains(err.Error(), "not signed yet") {
		t.Errorf("approving unsigned where signing is required: %v", err)
	}
	if _, err := (Standing{State: Paid}).Next(TakeBack, true); err == nil {
		t.Error("an approval was taken back after it was paid")
	}
}

// Whatever is tried, only an approved card is ever paid, and a paid one stays.
func TestNothingUnapprovedIsPaid(t *testing.T) {
	moves := []Move{Sign, SendBack, Approve, TakeBack, Pay, Reopen, Adjust}
	r := rand.New(rand.NewPCG(5, 6))
	for range 5000 {
		s := Start
		for range 12 {
			m := moves[r.IntN(len(moves))]
			next, err := s.Next(m, r.IntN(2) == 0)
			if err != nil {
				if next != s {
					t.Fatalf("a refused %s changed %+v to %+v", m, s, next)
				}
				continue
			}
			if next.State == Paid && s.State != Approved && s.State != Paid {
				t.Fatalf("%s went from %s to paid", m, s.State)
			}
			if s.State == Paid && next.State != Paid {
				t.Fatalf("%s took a paid card to %s", m, next.State)
			}
			s = next
		}
	}
}

func TestClassAt(t *testing.T) {
	plain := Work(date, day("work 06:00-10:00, meal 10:00-10:30, work 10:30-14:31"), shift, Evidence{}, lim)
	late := Work(date, day("work 06:30-10:00, meal 10:00-10:30, work 10:30-14:31"), shift, Evidence{}, lim)
	running := Work(date, day("work 06:00-…"), shift, Evidence{}, lim)
	unasked := lim
	unasked.SignRequired = false
	for _, c := range []struct {
		name string
		card Card
		s    Standing
		lim  Limits
		want Class
	}{
		{"signed", plain, Standing{State: Signed}, lim, Clear},
		{"open", plain, Start, lim, NotSigned},
		{"open where signing is not asked", plain, Start, unasked, Clear},
		{"flagged", late, Standing{State: Signed}, lim, Flagged},
		{"flagged and approved all the same", late, Standing{State: Approved}, lim, Done},
		{"running", running, Start, lim, Running},
		{"a punch after signing", plain, Standing{State: Signed, Late: true}, lim, Flagged},
		{"paid", plain, Standing{State: Paid}, lim, Done},
		{"changed since it was paid", plain, Standing{State: Paid, Adjust: true, Late: true}, lim, Flagged},
		{"the change approved", plain, Standing{State: Paid, Adjust: true}, lim, Done},
	} {
		if got := c.card.ClassAt(c.s, at("15:00"), c.lim); got != c.want {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
	}
}
