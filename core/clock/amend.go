package clock

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"manudex/core/refusal"

	"github.com/google/uuid"
)

// AmendAct is what an amendment does.
type AmendAct string

// The amendments there are.
const (
	MoveStart AmendAct = "move_start" // the stint begins at At
	MoveEnd   AmendAct = "move_end"   // the stint ends at At
	Reassign  AmendAct = "reassign"   // the stint is of another kind or on other work
	AddStint  AmendAct = "add"        // a stint [At, Until) that no punch tells of
	Remove    AmendAct = "remove"     // the stint doesn't count
	TakeBack  AmendAct = "take_back"  // the amendment Of doesn't count
)

// Amendment is a later correction laid over punches, with who, when and why.
// The punches stay beneath. Amendments are never changed and never deleted;
// one is undone by another that takes it back.
type Amendment struct {
	ID        uuid.UUID // also that of a stint it adds
	Does      AmendAct
	Of        uuid.UUID // the stint, or the amendment taken back
	At, Until time.Time
	Kind      Kind
	On        Assignment
	Made      time.Time
	By        uuid.UUID
	Why       string
}

// Amend lays amendments over derived stints, in the order in which they were
// made, whatever their order in the slice. An edge that is moved is by hand,
// and the stint keeps the instant that was clocked; where two stints meet,
// that is one edge and moves for both. What can't be laid over the stints as
// they are, because punches came in later, is left out and reported. Stints
// come out in order of time and don't overlap.
func Amend(stints []Stint, amendments []Amendment) ([]Stint, []Finding) {
	out := slices.Clone(stints)
	var findings []Finding
	for _, a := range inForce(amendments) {
		amended, err := amend(out, a, time.UTC)
		if err != nil {
			findings = append(findings, Finding{a.ID, err.Error()})
			continue
		}
		out = amended
	}
	return out, findings
}

// inForce gives the amendments that none takes back, in the order in which
// they were made. One that takes back can be taken back itself.
func inForce(amendments []Amendment) []Amendment {
	ordered := slices.Clone(amendments)
	slices.SortFunc(ordered, func(a, b Amendment) int { return cmp.Or(a.Made.Compare(b.Made), slices.Compare(a.ID[:], b.ID[:])) })
	taken := map[uuid.UUID]bool{}
	for _, a := range slices.Backward(ordered) {
		if a.Does == TakeBack && !taken[a.ID] {
			taken[a.Of] = true
		}
	}
	return slices.DeleteFunc(ordered, func(a Amendment) bool { return a.Does == TakeBack || taken[a.ID] })
}

// CheckAmendment says whether an amendment can be laid over a person's stints,
// those of all employments, at now. A refusal names the stint it would meet
// and the nearest times that fit; loc is for the times it mentions.
func CheckAmendment(stints []Stint, a Amendment, now time.Time, loc *time.Location) error {
	if a.At.After(now) || a.Until.After(now) {
		return refusal.New("at", "That is still to come: no stint ends in the future", "Choose a time up to "+now.In(loc).Format("15:04"))
	}
	_, err := amend(stints, a, loc)
	return err
}

// amend lays one amendment over stints in order of time, or refuses it.
func amend(stints []Stint, a Amendment, loc *time.Location) ([]Stint, error) {
	if a.Does == AddStint {
		return add(stints, a, loc)
	}
	i := slices.IndexFunc(stints, func(s Stint) bool { return s.ID == a.Of })
	if i < 0 {
		return nil, refusal.New("stint", "There is no such stint any more", "Look at the day again")
	}
	out := slices.Clone(stints)
	switch a.Does {
	case Remove:
		return slices.Delete(out, i, i+1), nil
	case Reassign:
		if a.Kind != Work && a.Kind != Meal && a.Kind != Rest {
			return nil, refusal.New("kind", fmt.Sprintf("A stint can't be %q", a.Kind), "Choose work, meal or rest")
		}
		out[i].Kind, out[i].On = a.Kind, a.On
		return out, nil
	case MoveStart:
		if i > 0 && out[i-1].End.Equal(out[i].Start) {
			return moveEdge(out, i-1, i, a.At, loc)
		}
		return moveEdge(out, -1, i, a.At, loc)
	case MoveEnd:
		if out[i].Open() {
			return nil, refusal.New("at", "The stint is still running", "Clock out instead")
		}
		if i+1 < len(out) && out[i].End.Equal(out[i+1].Start) {
			return moveEdge(out, i, i+1, a.At, loc)
		}
		return moveEdge(out, i, -1, a.At, loc)
	}
	return nil, refusal.New("does", fmt.Sprintf("%q is no amendment", a.Does),
		"Choose one of move_start, move_end, reassign, add, remove, take_back")
}

// moveEdge moves the edge at which the stint ending ends and the stint
// beginning begins; either may be none, -1.
func moveEdge(stints []Stint, ending, beginning int, at time.Time, loc *time.Location) ([]Stint, error) {
	at = at.Truncate(time.Second)
	var after, before time.Time // the edge may move between these
	if ending >= 0 {
		after = stints[ending].Start.Add(time.Second)
	} else if beginning > 0 {
		after = stints[beginning-1].End
	}
	switch {
	case beginning >= 0 && !stints[beginning].Open():
		before = stints[beginning].End.Add(-time.Second)
	case beginning < 0 && ending+1 < len(stints):
		before = stints[ending+1].Start
	}
	if at.Before(after) {
		meets := beginning - 1
		if ending >= 0 {
			meets = ending
		}
		return nil, refusal.New("at", "That would meet "+words(stints[meets], loc),
			"The nearest time that fits is "+after.In(loc).Format("15:04:05"))
	}
	if !before.IsZero() && at.After(before) {
		meets := beginning
		if beginning < 0 {
			meets = ending + 1
		}
		return nil, refusal.New("at", "That would meet "+words(stints[meets], loc),
			"The nearest time that fits is "+before.In(loc).Format("15:04:05"))
	}
	if ending >= 0 {
		s := &stints[ending]
		if s.ClockedEnd.IsZero() {
			s.ClockedEnd = s.End
		}
		s.End, s.EndBy = at, ByHand
	}
	if beginning >= 0 {
		s := &stints[beginning]
		if s.ClockedStart.IsZero() {
			s.ClockedStart = s.Start
		}
		s.Start, s.StartBy = at, ByHand
	}
	return stints, nil
}

// add puts a stint in that no punch tells of.
func add(stints []Stint, a Amendment, loc *time.Location) ([]Stint, error) {
	s := Stint{ID: a.ID, Kind: a.Kind, On: a.On, Start: a.At.Truncate(time.Second), End: a.Until.Truncate(time.Second),
		StartBy: ByHand, EndBy: ByHand}
	switch {
	case !s.End.After(s.Start):
		return nil, refusal.New("until", "It would end before it begins", "Choose an end after "+s.Start.In(loc).Format("15:04:05"))
	case s.Kind != Work && s.Kind != Meal && s.Kind != Rest:
		return nil, refusal.New("kind", fmt.Sprintf("A stint can't be %q", s.Kind), "Choose work, meal or rest")
	}
	i, _ := slices.BinarySearchFunc(stints, s.Start, func(o Stint, t time.Time) int { return o.Start.Compare(t) })
	for _, n := range []int{i - 1, i} {
		if n < 0 || n >= len(stints) {
			continue
		}
		if o := stints[n]; o.Start.Before(s.End) && (o.Open() || o.End.After(s.Start)) {
			return nil, refusal.New("at", "That would meet "+words(o, loc), free(stints, n, loc))
		}
	}
	return slices.Insert(slices.Clone(stints), i, s), nil
}

// free says what is free before and after a stint.
func free(stints []Stint, n int, loc *time.Location) string {
	before, after := "any time", "any time"
	if n > 0 {
		before = stints[n-1].End.In(loc).Format("15:04:05")
	}
	text := fmt.Sprintf("Free before it is %s to %s", before, stints[n].Start.In(loc).Format("15:04:05"))
	if stints[n].Open() {
		return text
	}
	if n+1 < len(stints) {
		after = stints[n+1].Start.In(loc).Format("15:04:05")
	}
	return text + fmt.Sprintf(", after it %s to %s", stints[n].End.In(loc).Format("15:04:05"), after)
}

func words(s Stint, loc *time.Location) string {
	end := "now"
	if !s.Open() {
		end = s.End.In(loc).Format("15:04:05")
	}
	return fmt.Sprintf("the %s from %s to %s", s.Kind, s.Start.In(loc).Format("15:04:05"), end)
}
