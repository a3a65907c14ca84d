package clock

import (
	"testing"
	"time"

	"github.com/google/uuid"
)

// marked is a punch with marks.
func marked(s string, act Act, m Marks, opt ...any) Punch {
	p := punch(s, act, opt...)
	p.Marks = act.With(m)
	return p
}

func TestMarksOfAnAct(t *testing.T) {
	const all = CalledIn | NoMeal | Billed
	for _, c := range []struct {
		act        Act
		sent, want Marks
	}{
		{In, all, CalledIn | Billed}, {Switch, all, Billed}, {Out, all, NoMeal}, {BreakStart, all, 0}, {BreakEnd, all, 0},
		{Out, NoMeal | HadMeal, 0}, {In, Billed | NotBilled | CalledIn, CalledIn},
	} {
		if got := c.act.With(c.sent); got != c.want {
			t.Errorf("%s with %b: %b, want %b", c.act, c.sent, got, c.want)
		}
	}
}

// What was said stays with its stint: called in with the first, whether it is billed
// over a break, and the meal with the end.
func TestMarksStayWithTheirStint(t *testing.T) {
	stints, findings := Derive([]Punch{marked("06:00", In, CalledIn|NotBilled, cutter), punch("10:00", BreakStart, Rest),
		punch("10:10", BreakEnd), marked("11:00", Switch, Billed, cutter), punch("12:00", Switch, gantry), marked("15:00", Out, NoMeal)})
	want := []Marks{CalledIn | NotBilled, NotBilled, NotBilled, Billed, NoMeal}
	if len(stints) != len(want) || len(findings) > 0 {
		t.Fatalf("%s, %v", show(stints), findings)
	}
	for i, s := range stints {
		if s.Marks != want[i] {
			t.Errorf("stint %d: %b, want %b", i, s.Marks, want[i])
		}
	}
	// Cut in two, the first was called in and the second ended without a meal.
	cut := []Amendment{{ID: uuid.UUID{7}, Does: Mark, Of: stints[4].ID, Marks: CalledIn | NoMeal, Made: at("16:00")},
		{ID: uuid.UUID{8}, Does: Split, Of: stints[4].ID, At: at("13:00"), Kind: Work, On: gantry, Made: at("16:01")}}
	out, findings := Amend(stints, cut)
	if len(findings) > 0 || out[4].Marks != CalledIn || out[5].Marks != NoMeal {
		t.Errorf("cut: %v %b %b", findings, out[4].Marks, out[5].Marks)
	}
	out, findings = Amend(out, []Amendment{{ID: uuid.UUID{9}, Does: Join, Of: out[4].ID, Made: at("16:02")}})
	if len(findings) > 0 || out[4].Marks != CalledIn|NoMeal {
		t.Errorf("joined again: %v %b", findings, out[4].Marks)
	}
}

func TestSameMarks(t *testing.T) {
	in := marked("06:00", In, CalledIn, cutter)
	for _, c := range []struct {
		stored, again Marks
		same          bool
	}{{CalledIn, CalledIn, true}, {CalledIn, 0, false}, {0, Billed, true}, {Billed, NotBilled, false}} {
		in.Marks = c.stored
		if got := in.Same(Punch{Act: In, On: cutter, Marks: c.again}); got != c.same {
			t.Errorf("%b sent again as %b: same %v", c.stored, c.again, got)
		}
	}
}

func TestUnfed(t *testing.T) {
	work := func(from, to string) Stint {
		s := Stint{Kind: Work, Start: at(from)}
		if to != "" {
			s.End = at(to)
		}
		return s
	}
	rest := work("09:00", "09:10")
	rest.Kind = Rest
	meal := work("10:00", "10:05")
	meal.Kind = Meal
	resting := work("13:00", "")
	resting.Kind = Rest
	for _, c := range []struct {
		name string
		of   []Stint
		want string
	}{
		{"nothing", nil, ""},
		{"running, after six hours", []Stint{work("06:00", "")}, "12:00"},
		{"a short rest counts", []Stint{work("06:00", "09:00"), rest, work("09:10", "")}, "12:00"},
		{"off the clock in between doesn't", []Stint{work("06:00", "09:00"), work("10:00", "")}, "13:00"},
		{"a meal was recorded", []Stint{work("06:00", "10:00"), meal, work("10:05", "")}, ""},
		{"over with less", []Stint{work("06:00", "12:00")}, ""},
		{"over with more", []Stint{work("06:00", "12:30")}, "12:00"},
		{"a rest runs, and not enough was worked", []Stint{work("08:00", "13:00"), resting}, ""},
	} {
		got := ""
		if at := Unfed(c.of, 6*time.Hour, USBreaks); !at.IsZero() {
			got = at.Format("15:04")
		}
		if got != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

func TestBreaksAlike(t *testing.T) {
	if USBreaks.Alike() || !(Breaks{}).Alike() {
		t.Error("a meal and a rest are told apart by their lengths alone")
	}
}
