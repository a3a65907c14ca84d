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
	MoveStart  AmendAct = "move_start" // the stint begins at At
	MoveEnd    AmendAct = "move_end"   // the stint ends at At
	EndRunning AmendAct = "end"        // what was running at At ended then
	Reassign   AmendAct = "reassign"   // the stint is of another kind or on other work
	AddStint   AmendAct = "add"        // a stint [At, Until) that no punch tells of
	Split      AmendAct = "split"      // what follows At is a stint of its own, of Kind on On
	Join       AmendAct = "join"       // the stint and the one that follows without a gap are one
	Remove     AmendAct = "remove"     // the stint doesn't count
	TakeBack   AmendAct = "take_back"  // the amendment Of doesn't count
	Bring      AmendAct = "bring_in"   // as AddStint, of what was recorded elsewhere before
	Report     AmendAct = "report"     // as AddStint, of what somebody said how long it was
	FillPlan   AmendAct = "by_plan"    // as AddStint, of what was planned
	Mark       AmendAct = "mark"       // the stint has the marks that it says, and no others
)

// placed says what stints rest on that an amendment adds, of which only the length is
// known.
var placed = map[AmendAct]Provenance{Bring: BroughtIn, Report: Reported, FillPlan: ByPlan}

// Adds says whether the amendment adds a stint.
func (a AmendAct) Adds() bool { return a == AddStint || a.Untimed() }

// Untimed says whether it adds one of which only the length is known.
func (a AmendAct) Untimed() bool {
	_, untimed := placed[a]
	return untimed
}

// Amendment is a later correction laid over punches, with who, when and why.
// The punches stay beneath. Amendments are never changed and never deleted;
// one is undone by another that takes it back.
type Amendment struct {
	ID        uuid.UUID // also that of a stint it adds, or splits off
	Does      AmendAct
	Of        uuid.UUID // the stint, or the amendment that doesn't count
	At, Until time.Time
	Kind      Kind
	On        Assignment
	Marks     Marks
	Made      time.Time
	By        uuid.UUID
	Why       string
	// From and To span all that the stints that it changed rested on; see
	// [Compare]. They say what must be looked at together with it.
	From, To time.Time
}

// Amend lays amendments over derived stints, in the order in which they were
// made, whatever their order in the slice. An edge that is moved is by hand,
// and the stint keeps the instant that was clocked; where two stints meet,
// that is one edge and moves for both. What can't be laid over the stints as
// they are, because punches came in later, is left out and reported. Stints
// come out in order of time and don't overlap.
//
// [EndRunning] is not laid over stints but told among the punches; see [Lay].
func Amend(stints []Stint, amendments []Amendment) ([]Stint, []Finding) {
	return laid(stints, inForce(amendments))
}

func laid(stints []Stint, force []Amendment) (out []Stint, findings []Finding) {
	out = slices.Clone(stints)
	for _, a := range force {
		if a.Does == EndRunning {
			continue
		}
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

// InForce gives those of some amendments that none of them takes back, in the
// order in which they were made.
func InForce(amendments []Amendment) []Amendment { return inForce(amendments) }

// CheckAmendment says whether an amendment can be laid over the stints of an
// employment at now. A refusal names the stint it would meet and the nearest
// time that fits; loc is for the times it mentions.
func CheckAmendment(stints []Stint, a Amendment, now time.Time, loc *time.Location) error {
	if _, err := amend(stints, a, loc); err != nil {
		return err
	}
	if a.At.After(now) || a.Until.After(now) {
		return refusal.Near("at", "That is still to come: no stint ends in the future", "Choose a time up to "+now.In(loc).Format("15:04"),
			now.Truncate(time.Second))
	}
	return nil
}

// CheckLaid refuses amendments more that could not all be laid, or would leave
// earlier ones without what they were laid over. Taking back is refused like
// that too where something was amended since that rests on it.
func CheckLaid(punches []Punch, amendments, more []Amendment) error {
	_, _, were := Lay(punches, amendments)
	_, _, are := Lay(punches, slices.Concat(amendments, more))
	for _, f := range are {
		if slices.Contains(were, f) {
			continue
		}
		if slices.ContainsFunc(more, func(a Amendment) bool { return a.ID == f.Of }) {
			return refusal.New("at", "What was clocked on that day leaves no room for this",
				"Take back the other changes of the day first, or remove the stint and add it as it was")
		}
		return refusal.New("at", "A later change of that day rests on this", "Take the later one back first")
	}
	return nil
}

// Overlap refuses stints that lie over others, those of the person's other
// employments, both in order of time.
func Overlap(stints, others []Stint, loc *time.Location) error {
	for _, s := range stints {
		for _, o := range others {
			if (o.Open() || o.End.After(s.Start)) && (s.Open() || o.Start.Before(s.End)) {
				return refusal.New("at", "That would meet "+words(o, loc)+" in another position", "Change that one first")
			}
		}
	}
	return nil
}

// amend lays one amendment over stints in order of time, or refuses it.
func amend(stints []Stint, a Amendment, loc *time.Location) ([]Stint, error) {
	if a.Does.Adds() {
		return add(stints, a, loc)
	}
	i := slices.IndexFunc(stints, func(s Stint) bool { return s.ID == a.Of })
	if i < 0 {
		return nil, refusal.New("stint", "There is no such stint any more", "Look at the day again")
	}
	out := slices.Clone(stints)
	switch a.Does {
	case Remove:
		if out[i].Open() {
			return nil, refusal.New("stint", "The stint is still running", "Say when it ended first")
		}
		return slices.Delete(out, i, i+1), nil
	case Reassign:
		if err := known(a.Kind); err != nil {
			return nil, err
		}
		out[i].Kind, out[i].On = a.Kind, a.On
		return out, nil
	case Mark:
		out[i].Marks = a.Marks
		return out, nil
	case Split:
		return split(out, i, a, loc)
	case Join:
		return join(out, i, loc)
	case EndRunning:
		return end(out, i, a, loc)
	case MoveStart:
		if i > 0 && out[i-1].End.Equal(out[i].Start) {
			return moveEdge(out, i-1, i, a.At, loc)
		}
		return moveEdge(out, -1, i, a.At, loc)
	case MoveEnd:
		if out[i].Open() {
			return nil, refusal.New("at", "The stint is still running", "Say when it ended")
		}
		if i+1 < len(out) && out[i].End.Equal(out[i+1].Start) {
			return moveEdge(out, i, i+1, a.At, loc)
		}
		return moveEdge(out, i, -1, a.At, loc)
	}
	return nil, refusal.New("does", fmt.Sprintf("%q is no amendment", a.Does),
		"Choose one of move_start, move_end, end, reassign, add, split, join, remove, mark, take_back")
}

func known(k Kind) error {
	if k != Work && k != Meal && k != Rest {
		return refusal.New("kind", fmt.Sprintf("A stint can't be %q", k), "Choose work, meal or rest")
	}
	return nil
}

// end says when the stint that is running ended.
func end(stints []Stint, i int, a Amendment, loc *time.Location) ([]Stint, error) {
	s, at := &stints[i], a.At.Truncate(time.Second)
	switch {
	case !s.Open() && !s.Implied:
		return nil, refusal.New("at", "The stint has ended, at "+s.End.In(loc).Format("15:04:05"), "Move its end instead")
	case !at.After(s.Start):
		return nil, tooEarly(*s, "It began at "+s.Start.In(loc).Format("15:04:05"), loc)
	case !s.Open() && at.After(s.End):
		return nil, refusal.Near("at", "That would meet what began at "+s.End.In(loc).Format("15:04:05"),
			"The nearest time that fits is "+s.End.In(loc).Format("15:04:05"), s.End)
	}
	s.End, s.EndBy, s.Implied = at, ByHand, false
	return stints, nil
}

// tooEarly says that a stint can't end, or be cut, before it began.
func tooEarly(s Stint, wrong string, loc *time.Location) error {
	nearest := s.Start.Add(time.Second)
	return refusal.Near("at", wrong, "Choose a time from "+nearest.In(loc).Format("15:04:05 on 2 January")+" on", nearest)
}

// split cuts a stint in two at an instant that somebody says. The second is
// what the amendment says it is.
func split(stints []Stint, i int, a Amendment, loc *time.Location) ([]Stint, error) {
	s, at := stints[i], a.At.Truncate(time.Second)
	switch {
	case !at.After(s.Start):
		return nil, tooEarly(s, "That is not inside "+words(s, loc), loc)
	case !s.Open() && !at.Before(s.End):
		nearest := s.End.Add(-time.Second)
		return nil, refusal.Near("at", "That is not inside "+words(s, loc), "Choose a time up to "+nearest.In(loc).Format("15:04:05"),
			nearest)
	}
	if err := known(a.Kind); err != nil {
		return nil, err
	}
	rest := s
	rest.ID, rest.Kind, rest.On = a.ID, a.Kind, a.On
	rest.Start, rest.StartBy, rest.ClockedStart = at, ByHand, time.Time{}
	rest.Marks &^= CalledIn // that is said of how it began, and the others of how it ended
	stints[i].Marks &^= endMarks
	stints[i].End, stints[i].EndBy, stints[i].ClockedEnd, stints[i].Implied = at, ByHand, time.Time{}, false
	return slices.Insert(stints, i+1, rest), nil
}

// join makes a stint and the one that follows it without a gap one: of the
// first one's kind, on its work.
func join(stints []Stint, i int, loc *time.Location) ([]Stint, error) {
	if i+1 == len(stints) || !stints[i].End.Equal(stints[i+1].Start) {
		return nil, refusal.New("stint", "No stint follows "+words(stints[i], loc)+" without a gap",
			"Move its end to where the next begins first")
	}
	next := stints[i+1]
	stints[i].End, stints[i].EndBy, stints[i].ClockedEnd, stints[i].Implied = next.End, next.EndBy, next.ClockedEnd, next.Implied
	stints[i].Marks |= next.Marks & endMarks
	return slices.Delete(stints, i+1, i+2), nil
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
		return nil, refusal.Near("at", "That would meet "+words(stints[meets], loc),
			"The nearest time that fits is "+after.In(loc).Format("15:04:05"), after)
	}
	if !before.IsZero() && at.After(before) {
		meets := beginning
		if beginning < 0 {
			meets = ending + 1
		}
		return nil, refusal.Near("at", "That would meet "+words(stints[meets], loc),
			"The nearest time that fits is "+before.In(loc).Format("15:04:05"), before)
	}
	if ending >= 0 {
		s := &stints[ending]
		if s.EndBy != ByHand {
			s.ClockedEnd = s.End
		}
		s.End, s.EndBy, s.Implied = at, ByHand, false
	}
	if beginning >= 0 {
		s := &stints[beginning]
		if s.StartBy != ByHand {
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
	if by, untimed := placed[a.Does]; untimed {
		s.StartBy, s.EndBy = by, by
	}
	if !s.End.After(s.Start) {
		return nil, refusal.New("until", "It would end before it begins", "Choose an end after "+s.Start.In(loc).Format("15:04:05"))
	}
	if err := known(s.Kind); err != nil {
		return nil, err
	}
	i, _ := slices.BinarySearchFunc(stints, s.Start, func(o Stint, t time.Time) int { return o.Start.Compare(t) })
	for _, n := range []int{i - 1, i} {
		if n < 0 || n >= len(stints) {
			continue
		}
		if o := stints[n]; o.Start.Before(s.End) && (o.Open() || o.End.After(s.Start)) {
			return nil, meeting(stints, n, s, loc)
		}
	}
	return slices.Insert(slices.Clone(stints), i, s), nil
}

// meeting refuses a stint that would lie over the nth of some, and says what is
// free around that. The nearest instant is where what was asked for must end,
// or begin, so as to leave the nth alone.
func meeting(stints []Stint, n int, s Stint, loc *time.Location) error {
	o := stints[n]
	before, after := "any time", "any time"
	if n > 0 {
		before = stints[n-1].End.In(loc).Format("15:04:05")
	}
	text := fmt.Sprintf("Free before it is %s to %s", before, o.Start.In(loc).Format("15:04:05"))
	nearest := o.Start
	if !o.Open() {
		if n+1 < len(stints) {
			after = stints[n+1].Start.In(loc).Format("15:04:05")
		}
		text += fmt.Sprintf(", after it %s to %s", o.End.In(loc).Format("15:04:05"), after)
		if !s.Start.Before(o.Start) {
			nearest = o.End
		}
	}
	return refusal.Near("at", "That would meet "+words(o, loc), text, nearest)
}

func words(s Stint, loc *time.Location) string {
	end := "now"
	if !s.Open() {
		end = s.End.In(loc).Format("15:04:05")
	}
	return fmt.Sprintf("the %s from %s to %s", s.Kind, s.Start.In(loc).Format("15:04:05"), end)
}
