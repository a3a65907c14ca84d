package clock

import (
	"errors"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"manudex/core/refusal"

	"github.com/google/uuid"
)

// a day of four stints, two of them meeting: 06:00–10:00 work, 10:00–10:30
// meal, 11:00–12:00 work, 13:00–15:00 work.
func amendedDay() []Stint {
	var stints []Stint
	for i, p := range []struct {
		kind     Kind
		from, to string
	}{{Work, "06:00", "10:00"}, {Meal, "10:00", "10:30"}, {Work, "11:00", "12:00"}, {Work, "13:00", "15:00"}} {
		stints = append(stints,
			Stint{ID: uuid.UUID{byte(i + 1)}, Kind: p.kind, Start: at(p.from), End: at(p.to), StartBy: Clocked, EndBy: Clocked})
	}
	return stints
}

func TestAmend(t *testing.T) {
	id := func(n byte) uuid.UUID { return uuid.UUID{n} }
	now := at("18:00")
	for _, c := range []struct {
		name  string
		a     Amendment
		want  string // the day, or what is refused
		right string
	}{
		{"an end moves earlier", Amendment{Does: MoveEnd, Of: id(4), At: at("14:30")}, "06:00-10:00 10:00-10:30 11:00-12:00 13:00-14:30h",
			""},
		{"an end moves later", Amendment{Does: MoveEnd, Of: id(3), At: at("13:00")}, "06:00-10:00 10:00-10:30 11:00-13:00h 13:00-15:00",
			""},
		{"and not into the next stint", Amendment{Does: MoveEnd, Of: id(3), At: at("13:01")},
			"That would meet the work from 13:00:00 to 15:00:00", "The nearest time that fits is 13:00:00"},
		{"a start moves earlier", Amendment{Does: MoveStart, Of: id(3), At: at("10:30")},
			"06:00-10:00 10:00-10:30 h10:30-12:00 13:00-15:00", ""},
		{"and not into the stint before", Amendment{Does: MoveStart, Of: id(3), At: at("10:15")},
			"That would meet the meal from 10:00:00 to 10:30:00", "The nearest time that fits is 10:30:00"},
		{"nor past its own end", Amendment{Does: MoveStart, Of: id(3), At: at("12:00")},
			"That would meet the work from 11:00:00 to 12:00:00", "The nearest time that fits is 11:59:59"},
		{"where two meet it is one edge", Amendment{Does: MoveEnd, Of: id(1), At: at("10:10")},
			"06:00-10:10h h10:10-10:30 11:00-12:00 13:00-15:00", ""},
		{"from either side", Amendment{Does: MoveStart, Of: id(2), At: at("09:50")}, "06:00-09:50h h09:50-10:30 11:00-12:00 13:00-15:00",
			""},
		{"and eats neither up", Amendment{Does: MoveStart, Of: id(2), At: at("06:00")},
			"That would meet the work from 06:00:00 to 10:00:00", "The nearest time that fits is 06:00:01"},
		{"added", Amendment{ID: id(9), Does: AddStint, Kind: Work, At: at("15:00"), Until: at("16:00")},
			"06:00-10:00 10:00-10:30 11:00-12:00 13:00-15:00 h15:00-16:00h", ""},
		{"added into a gap", Amendment{ID: id(9), Does: AddStint, Kind: Meal, At: at("12:00"), Until: at("13:00")},
			"06:00-10:00 10:00-10:30 11:00-12:00 h12:00-13:00h 13:00-15:00", ""},
		{"and not over another", Amendment{ID: id(9), Does: AddStint, Kind: Work, At: at("11:30"), Until: at("12:30")},
			"That would meet the work from 11:00:00 to 12:00:00", "Free before it is 10:30:00 to 11:00:00, after it 12:00:00 to 13:00:00"},
		{"nor around one", Amendment{ID: id(9), Does: AddStint, Kind: Work, At: at("10:45"), Until: at("12:30")},
			"That would meet the work from 11:00:00 to 12:00:00", "Free before it is 10:30:00 to 11:00:00, after it 12:00:00 to 13:00:00"},
		{"nor the wrong way round", Amendment{ID: id(9), Does: AddStint, Kind: Work, At: at("16:00"), Until: at("15:30")},
			"It would end before it begins", "Choose an end after 16:00:00"},
		{"nothing ends in the future", Amendment{Does: MoveEnd, Of: id(4), At: at("18:01")}, "That is still to come",
			"Choose a time up to 18:00"},
		{"removed", Amendment{Does: Remove, Of: id(2)}, "06:00-10:00 11:00-12:00 13:00-15:00", ""},
		{"split", Amendment{ID: id(9), Does: Split, Of: id(1), At: at("08:00"), Kind: Work},
			"06:00-08:00h h08:00-10:00 10:00-10:30 11:00-12:00 13:00-15:00", ""},
		{"not at its edge", Amendment{ID: id(9), Does: Split, Of: id(1), At: at("06:00"), Kind: Work},
			"That is not inside the work from 06:00:00 to 10:00:00", "Choose a time from 06:00:01"},
		{"nor at its end", Amendment{ID: id(9), Does: Split, Of: id(1), At: at("10:00"), Kind: Work},
			"That is not inside the work from 06:00:00 to 10:00:00", "Choose a time up to 09:59:59"},
		{"nor into something unknown", Amendment{ID: id(9), Does: Split, Of: id(1), At: at("08:00"), Kind: "nap"},
			"A stint can't be \"nap\"", "Choose work, meal or rest"},
		{"joined", Amendment{Does: Join, Of: id(1)}, "06:00-10:30 11:00-12:00 13:00-15:00", ""},
		{"not over a gap", Amendment{Does: Join, Of: id(2)}, "No stint follows the meal from 10:00:00 to 10:30:00 without a gap",
			"Move its end"},
		{"nor the last", Amendment{Does: Join, Of: id(4)}, "No stint follows the work from 13:00:00 to 15:00:00 without a gap", ""},
		{"what has ended isn't ended", Amendment{Does: EndRunning, Of: id(4), At: at("14:00")}, "The stint has ended, at 15:00:00",
			"Move its end instead"},
		{"a stint that isn't there", Amendment{Does: Remove, Of: id(7)}, "There is no such stint any more", "Look at the day again"},
		{"no amendment", Amendment{Does: "erase", Of: id(1)}, "\"erase\" is no amendment", "Choose one of"},
	} {
		err := CheckAmendment(amendedDay(), c.a, now, time.UTC)
		var refused *refusal.Refusal
		if errors.As(err, &refused) {
			if !strings.HasPrefix(refused.Wrong, c.want) || !strings.HasPrefix(refused.Right, c.right) {
				t.Errorf("%s: %q, %q", c.name, refused.Wrong, refused.Right)
			}
			continue
		}
		out, _ := Amend(amendedDay(), []Amendment{c.a})
		if got := edges(out); got != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.name, got, c.want)
		}
	}
}

// What is running can be ended, split and given a start, and no more.
func TestAmendWhatRuns(t *testing.T) {
	running := []Stint{{ID: uuid.UUID{1}, Kind: Work, Start: at("06:00"), StartBy: Clocked}}
	for _, c := range []struct {
		name, want string
		a          Amendment
	}{
		{"ended", "06:00-15:30h", Amendment{Does: EndRunning, At: at("15:30")}},
		{"not before it began", "It began at 06:00:00. Choose a time from 06:00:01", Amendment{Does: EndRunning, At: at("06:00")}},
		{"nor in what is to come", "That is still to come", Amendment{Does: EndRunning, At: at("18:01")}},
		{"split", "06:00-09:00h h09:00-00:00", Amendment{ID: uuid.UUID{9}, Does: Split, At: at("09:00"), Kind: Work}},
		{"its start moved", "h06:30-00:00", Amendment{Does: MoveStart, At: at("06:30")}},
		{"not its end", "The stint is still running. Say when it ended", Amendment{Does: MoveEnd, At: at("15:30")}},
		{"nor is it removed", "The stint is still running. Say when it ended first", Amendment{Does: Remove}},
		{"nothing is added over it", "That would meet the work from 06:00:00 to now", Amendment{Does: AddStint, Kind: Work,
			At: at("05:00"), Until: at("07:00")}},
	} {
		c.a.Of = uuid.UUID{1}
		got := ""
		if err := CheckAmendment(running, c.a, at("18:00"), time.UTC); err != nil {
			got = err.Error()
		} else {
			out, _ := amend(running, c.a, time.UTC)
			got = edges(out)
		}
		if !strings.HasPrefix(got, c.want) {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
	}
}

// A refusal offers the nearest instant that would be taken, and it is.
func TestTheNearestTimeFits(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for range 3000 {
		a := Amendment{ID: uuid.UUID{9}, Does: []AmendAct{MoveStart, MoveEnd, Split}[r.IntN(3)], Of: uuid.UUID{byte(1 + r.IntN(4))},
			Kind: Work,
			At:   at("05:00").Add(time.Duration(r.IntN(12*3600)) * time.Second)}
		var refused *refusal.Refusal
		if err := CheckAmendment(amendedDay(), a, at("16:00"), time.UTC); !errors.As(err, &refused) {
			continue
		}
		a.At = refused.Nearest
		if err := CheckAmendment(amendedDay(), a, at("16:00"), time.UTC); err != nil {
			t.Fatalf("%s at the nearest time, %s: %v", a.Does, a.At, err)
		}
	}
}

// Nobody is at two places at once, whatever the position.
func TestOverlap(t *testing.T) {
	stint := func(from, to string) []Stint {
		s := Stint{Kind: Work, Start: at(from)}
		if to != "" {
			s.End = at(to)
		}
		return []Stint{s}
	}
	for _, c := range []struct {
		from, to string
		meets    bool
	}{{"06:00", "08:00", false}, {"08:00", "09:00", true}, {"12:00", "13:00", false}, {"11:59", "13:00", true}, {"07:00", "", true}} {
		if err := Overlap(stint(c.from, c.to), stint("08:00", "12:00"), time.UTC); (err != nil) != c.meets {
			t.Errorf("%s to %s over 08:00 to 12:00: %v", c.from, c.to, err)
		}
	}
	if Overlap(stint("14:00", "15:00"), stint("08:00", ""), time.UTC) == nil {
		t.Error("lies over what is running")
	}
}

// edges writes stints as "06:00-10:00", with an h at each edge by hand.
func edges(stints []Stint) string {
	var out []string
	for _, s := range stints {
		text := s.Start.Format("15:04") + "-" + s.End.Format("15:04")
		if s.StartBy == ByHand {
			text = "h" + text
		}
		if s.EndBy == ByHand {
			text += "h"
		}
		out = append(out, text)
	}
	return strings.Join(out, " ")
}

// The clocked instant is kept however often an edge is moved; an amendment
// that is taken back leaves the day as it was, and that can be taken back too.
func TestAmendmentsKeepWhatWasClocked(t *testing.T) {
	id := func(n byte) uuid.UUID { return uuid.UUID{n} }
	moves := []Amendment{
		{ID: id(20), Does: MoveEnd, Of: id(4), At: at("14:00"), Made: at("16:00")},
		{ID: id(21), Does: MoveEnd, Of: id(4), At: at("14:30"), Made: at("16:10")},
	}
	out, findings := Amend(amendedDay(), []Amendment{moves[1], moves[0]})
	if last := out[3]; len(findings) > 0 || !last.End.Equal(at("14:30")) || !last.ClockedEnd.Equal(at("15:00")) ||
		!last.ClockedStart.IsZero() {
		t.Errorf("moved twice: %+v, %v", last, findings)
	}
	back := append(moves, Amendment{ID: id(22), Does: TakeBack, Of: id(21), Made: at("16:20")},
		Amendment{ID: id(23), Does: TakeBack, Of: id(20), Made: at("16:30")})
	if out, _ = Amend(amendedDay(), back); edges(out) != edges(amendedDay()) || !out[3].ClockedEnd.IsZero() {
		t.Errorf("taken back: %s", edges(out))
	}
	again := append(back, Amendment{ID: id(24), Does: TakeBack, Of: id(23), Made: at("16:40")})
	if out, _ = Amend(amendedDay(), again); !out[3].End.Equal(at("14:00")) {
		t.Errorf("the taking back taken back: %s", edges(out))
	}
	// Punches that came in later leave an amendment no room: it is reported.
	late := amendedDay()
	late[3].Start, late[3].End = at("14:10"), at("15:00")
	if out, findings = Amend(late, moves[:1]); len(findings) != 1 || findings[0].Of != id(20) || edges(out) != edges(late) {
		t.Errorf("no room any more: %s, %v", edges(out), findings)
	}
}

// What a file tells of is marked so, whatever is moved of it, and goes when the file is
// taken back.
func TestBroughtIn(t *testing.T) {
	bring := Amendment{ID: uuid.UUID{1}, Does: Bring, At: at("06:00"), Until: at("10:00"), Kind: Work, Made: at("11:00")}
	move := Amendment{ID: uuid.UUID{2}, Does: MoveStart, Of: bring.ID, At: at("06:30"), Made: at("11:01")}
	stints, findings := Amend(nil, []Amendment{bring, move})
	if len(findings) > 0 || len(stints) != 1 || !stints[0].HoursOnly() || stints[0].StartBy != ByHand ||
		!stints[0].ClockedStart.Equal(at("06:00")) {
		t.Errorf("%+v, %v", stints, findings)
	}
	back := Amendment{ID: uuid.UUID{3}, Does: TakeBack, Of: bring.ID, Made: at("11:02")}
	if stints, _ := Amend(nil, []Amendment{bring, back}); len(stints) > 0 {
		t.Errorf("taken back, %+v is left", stints)
	}
	if err := CheckAmendment([]Stint{{Start: at("09:00"), End: at("09:30")}}, bring, at("18:00"), time.UTC); err == nil {
		t.Error("it was brought in over other hours")
	}
}
