package clock

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// What is clocked after an amendment goes by how the day then stood.
func TestLay(t *testing.T) {
	made := func(a Amendment, when string) Amendment {
		a.Made = at(when)
		return a
	}
	in, late := punch("06:00", In, cutter), punch("15:12", Out)
	in.ID, late.ID, late.Received = uuid.UUID{1}, uuid.UUID{2}, at("19:00")
	meal := punch("12:00", BreakStart, Meal)
	meal.ID = uuid.UUID{3}
	again := punch("17:00", In, cutter)
	again.ID = uuid.UUID{4}
	back, toGantry := punch("12:30", BreakEnd), punch("12:30", In, gantry)
	ended := made(Amendment{ID: uuid.UUID{20}, Does: EndRunning, Of: in.ID, At: at("15:30")}, "16:00")
	moved := made(Amendment{ID: uuid.UUID{21}, Does: Reassign, Of: in.ID, Kind: Work, On: gantry}, "10:00")
	cut := made(Amendment{ID: uuid.UUID{22}, Does: Split, Of: in.ID, At: at("09:00"), Kind: Work, On: gantry}, "10:00")
	for _, c := range []struct {
		name       string
		punches    []Punch
		amendments []Amendment
		want       string
		work       []Assignment
		findings   int
	}{
		{"what ran was ended", []Punch{in}, []Amendment{ended}, "06:00-15:30h", []Assignment{cutter}, 0},
		{"and goes on after that, on the same job", []Punch{in, again}, []Amendment{ended}, "06:00-15:30h 17:00-00:00",
			[]Assignment{cutter, cutter}, 0},
		{"the same job again, the next day", []Punch{in, punch("14:00", In, cutter)}, nil, "06:00-14:00 14:00-00:00",
			[]Assignment{cutter, cutter}, 0},
		{"the same job again, by a slip", []Punch{in, punch("13:59", In, cutter)}, nil, "06:00-00:00", []Assignment{cutter}, 0},
		{"a phone that had no signal knew better", []Punch{in, late}, []Amendment{ended}, "06:00-15:12", []Assignment{cutter}, 1},
		{"the end was taken back", []Punch{in}, []Amendment{ended,
			made(Amendment{ID: uuid.UUID{23}, Does: TakeBack, Of: ended.ID}, "16:05")},
			"06:00-00:00", []Assignment{cutter}, 0},
		{"the job was put right before the meal", []Punch{in, meal, back}, []Amendment{moved}, "06:00-12:00 12:00-12:30 12:30-00:00",
			[]Assignment{gantry, gantry, gantry}, 0},
		{"and after it, which changes what came then no more", []Punch{in, meal, back},
			[]Amendment{made(moved, "13:00")}, "06:00-12:00 12:00-12:30 12:30-00:00", []Assignment{gantry, cutter, cutter}, 0},
		{"what runs was split, before the meal", []Punch{in, meal, back}, []Amendment{cut},
			"06:00-09:00h h09:00-12:00 12:00-12:30 12:30-00:00", []Assignment{cutter, gantry, gantry, gantry}, 0},
		{"joining what one is on by amendment changes nothing", []Punch{in, toGantry}, []Amendment{moved}, "06:00-00:00",
			[]Assignment{gantry}, 0},
		{"a meal that was none", []Punch{in, meal, punch("13:00", Out)},
			[]Amendment{made(Amendment{ID: uuid.UUID{24}, Does: Reassign, Of: meal.ID, Kind: Work, On: cutter}, "12:30")},
			"06:00-12:00 12:00-13:00", []Assignment{cutter, cutter}, 0},
		{"work that was a meal, ended as one", []Punch{in, back},
			[]Amendment{made(Amendment{ID: uuid.UUID{25}, Does: Split, Of: in.ID, At: at("12:00"), Kind: Meal, On: cutter}, "12:10")},
			"06:00-12:00h h12:00-12:30 12:30-00:00", []Assignment{cutter, cutter, cutter}, 0},
	} {
		_, stints, findings := Lay(c.punches, c.amendments)
		var work []Assignment
		for _, s := range stints {
			work = append(work, s.On)
		}
		if edges(stints) != c.want || !slices.Equal(work, c.work) || len(findings) != c.findings {
			t.Errorf("%s:\n got %s %v, %v\nwant %s", c.name, edges(stints), work, findings, c.want)
		}
	}
}

var lawRules = Rules{NewAttendanceAfter: 40 * time.Minute, CutOver: 4 * time.Hour, Loc: time.UTC}

// worker is somebody to whom things happen at random.
type worker struct {
	punches    []Punch
	amendments []Amendment
	now        time.Time
}

func (w *worker) lay(from time.Time) (raw, stints []Stint) {
	var ps []Punch
	var as []Amendment
	for _, p := range w.punches {
		if !p.Claimed.Before(from) {
			ps = append(ps, p)
		}
	}
	for _, a := range w.amendments {
		if !a.To.Before(from) {
			as = append(as, a)
		}
	}
	raw, stints, _ = Lay(ps, as)
	lawRules.Place(raw, stints, as)
	return raw, stints
}

// act punches or amends something at random, and says what it did.
func (w *worker) act(next func(n int) int) {
	w.now = w.now.Add(time.Duration(1+next(20)) * time.Minute)
	if next(2) == 0 {
		p := randomPunches(next, 1)[0]
		p.ID, p.Received = uuid.UUID{1, byte(len(w.punches))}, w.now
		p.Claimed = w.now.Add(-time.Duration(next(2)*next(120)) * time.Minute) // now, or sent later
		w.punches = append(w.punches, p)
		return
	}
	_, stints := w.lay(time.Time{})
	a := Amendment{ID: uuid.UUID{2, byte(len(w.amendments))}, Kind: []Kind{Work, Meal}[next(2)], On: gantry, Made: w.now,
		Does: []AmendAct{MoveStart, MoveEnd, EndRunning, Reassign, AddStint, Split, Join, Remove, TakeBack}[next(9)],
		At:   w.now.Add(-time.Duration(next(600)) * time.Minute)}
	a.Until = a.At.Add(time.Duration(next(90)) * time.Minute)
	switch {
	case a.Does == TakeBack && len(w.amendments) > 0:
		of := w.amendments[next(len(w.amendments))]
		a.Of, a.From, a.To = of.ID, of.From, of.To
		w.amendments = append(w.amendments, a)
	case len(stints) > 0:
		if a.Of = stints[next(len(stints))].ID; a.Does == EndRunning {
			a.Of = stints[len(stints)-1].ID
		}
		if CheckAmendment(stints, a, w.now, time.UTC) != nil {
			return
		}
		a.From, a.To = a.At, w.now
		w.amendments = append(w.amendments, a)
		_, after := w.lay(time.Time{})
		last := &w.amendments[len(w.amendments)-1]
		d := Compare(stints, after, w.now)
		if last.From, last.To = d.From, d.To; d.From.IsZero() { // what was said changed nothing
			last.From, last.To = a.At, a.At
		}
	}
}

func checkLaid(t *testing.T, next func(n int) int, steps int) {
	t.Helper()
	w := worker{now: at("06:00")}
	for range steps {
		w.act(next)
	}
	raw, stints := w.lay(time.Time{})
	for i, s := range stints {
		switch {
		case s.Open() && i != len(stints)-1:
			t.Fatalf("stint %d of %d is open", i, len(stints))
		case !s.Open() && !s.End.After(s.Start):
			t.Fatalf("a stint without length: %+v", s)
		case i > 0 && s.Start.Before(stints[i-1].End):
			t.Fatalf("stints overlap: %v and %v", stints[i-1], s)
		}
	}
	// What is running in one is running in the other.
	open := func(of []Stint) bool { return len(of) > 0 && of[len(of)-1].Open() }
	if open(raw) != open(stints) {
		t.Fatalf("the punches leave the day open: %v; the amendments: %v", open(raw), open(stints))
	}
	// From the base of any card on it comes out the same.
	if len(stints) > 0 {
		date := stints[next(len(stints))].Date
		from := time.Time{}
		for _, s := range stints {
			if s.Date == date && (from.IsZero() || s.Base.Before(from)) {
				from = s.Base
			}
		}
		_, part := w.lay(from)
		i := slices.IndexFunc(stints, func(s Stint) bool { return !s.Base.Before(from) })
		if !slices.Equal(stints[i:], part) {
			t.Fatalf("from %s:\nwhole %s\npart  %s", from.Format("2 15:04"), show(stints[i:]), show(part))
		}
	}
	// The order in which they are handed over is irrelevant.
	slices.Reverse(w.punches)
	slices.Reverse(w.amendments)
	if _, again := w.lay(time.Time{}); !slices.Equal(again, stints) {
		t.Fatal("the order of the slices matters")
	}
}

// Whatever is punched and amended, in whatever order, stints stay in order,
// don't overlap, have a length, and come out the same from a card's base on.
func TestLaidLaws(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 2000 {
		checkLaid(t, r.IntN, r.IntN(40))
	}
}

func FuzzLay(f *testing.F) {
	f.Add([]byte{0, 1, 0, 5, 1, 1, 2, 9, 1, 7, 3, 2, 0, 0, 4, 1, 1, 8})
	f.Fuzz(func(t *testing.T, data []byte) {
		i := 0
		checkLaid(t, func(n int) int {
			if i >= len(data) {
				return 0
			}
			i++
			return int(data[i-1]) % n
		}, min(len(data)/3, 60))
	})
}

// Splitting, joining and reassigning neither lose a second nor count one
// twice, and neither does moving the edge where two stints meet. Each amendment
// that is taken back leaves the stints as they were before it.
func TestEditsKeepTheSeconds(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	seconds := func(stints []Stint) (n int64) {
		for _, s := range stints {
			n += s.Length(at("20:00"))
		}
		return n
	}
	tried := map[AmendAct]int{}
	for range 3000 {
		w := worker{now: at("06:00")}
		for range 1 + r.IntN(25) {
			w.act(r.IntN)
		}
		_, before := w.lay(time.Time{})
		if len(before) == 0 {
			continue
		}
		i := r.IntN(len(before))
		a := Amendment{ID: uuid.UUID{9}, Does: []AmendAct{MoveStart, MoveEnd, EndRunning, Split, Join, Reassign, Remove}[r.IntN(7)],
			Of: before[i].ID, Kind: Work, On: gantry, Made: w.now.Add(time.Minute),
			At: before[i].Start.Add(time.Duration(r.IntN(5400)) * time.Second)}
		a.From, a.To = a.At, a.At
		w.now = w.now.Add(2 * time.Minute)
		if CheckAmendment(before, a, w.now, time.UTC) != nil || CheckLaid(w.punches, w.amendments, []Amendment{a}) != nil {
			continue
		}
		tried[a.Does]++
		w.amendments = append(w.amendments, a)
		_, after := w.lay(time.Time{})
		want := seconds(before)
		switch a.Does {
		case Remove:
			want -= before[i].Length(at("20:00"))
		case EndRunning:
			want -= before[i].Length(at("20:00")) - int64(a.At.Sub(before[i].Start)/time.Second)
		case MoveStart:
			if i == 0 || !before[i-1].End.Equal(before[i].Start) {
				want += int64(before[i].Start.Sub(a.At) / time.Second)
			}
		case MoveEnd:
			if i+1 == len(before) || !before[i].End.Equal(before[i+1].Start) {
				want += int64(a.At.Sub(before[i].End) / time.Second)
			}
		}
		// After an end, an "in" on the same job that had changed nothing begins one.
		if got := seconds(after); got != want && len(after) == len(before) {
			t.Fatalf("%s left %d seconds, want %d:\nbefore %s\nafter  %s", a.Does, got, want, show(before), show(after))
		}
		w.amendments = append(w.amendments, Amendment{ID: uuid.UUID{10}, Does: TakeBack, Of: a.ID, Made: w.now})
		// Where one looks from may stay earlier: what was taken back still counts there.
		same := func(a, b Stint) bool {
			a.Base = b.Base
			return a == b
		}
		if _, undone := w.lay(time.Time{}); !slices.EqualFunc(undone, before, same) {
			t.Fatalf("%s taken back:\nbefore %s\nafter  %s", a.Does, show(before), show(undone))
		}
	}
	for _, does := range []AmendAct{MoveStart, MoveEnd, EndRunning, Split, Join, Reassign, Remove} {
		if tried[does] < 20 {
			t.Errorf("%s was tried %d times", does, tried[does])
		}
	}
}

// Night shifts and both clock changes, in three zones: an end that somebody
// says is an instant, and the length between is real time.
func TestEndsAcrossClockChanges(t *testing.T) {
	for _, c := range []struct {
		zone  string
		on    when.Date // the evening
		hours float64   // from 22:00 to 06:00
	}{
		{"America/New_York", when.NewDate(2026, 3, 7), 7}, {"America/New_York", when.NewDate(2026, 10, 31), 9},
		{"Europe/London", when.NewDate(2026, 3, 28), 7}, {"Europe/London", when.NewDate(2026, 10, 24), 9},
		{"Australia/Lord_Howe", when.NewDate(2026, 10, 3), 7.5}, {"Australia/Lord_Howe", when.NewDate(2026, 4, 4), 8.5},
		{"America/New_York", when.NewDate(2026, 6, 6), 8},
	} {
		loc, err := time.LoadLocation(c.zone)
		if err != nil {
			t.Fatal(err)
		}
		begin, end := c.on.At(22*time.Hour, loc), (c.on+1).At(6*time.Hour, loc)
		in := Punch{ID: uuid.UUID{1}, Act: In, On: cutter, Claimed: begin, Received: begin}
		raw, stints, _ := Lay([]Punch{in}, []Amendment{{ID: uuid.UUID{2}, Does: EndRunning, Of: in.ID, At: end, Made: end.Add(time.Hour)}})
		rules := Rules{NewAttendanceAfter: 4 * time.Hour, CutOver: 4 * time.Hour, Loc: loc}
		rules.Place(raw, stints, nil)
		if got := float64(stints[0].Length(end)) / 3600; got != c.hours || stints[0].Date != c.on {
			t.Errorf("%s, the night of %s: %v h on the card of %s, want %v", c.zone, c.on, got, stints[0].Date, c.hours)
		}
	}
}
