package clock

import (
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/core/refusal"
)

// CheckWritten says whether punches whose times somebody wrote down fit: each of them
// makes sense where it stands, and none of them changes what was recorded before, but
// for ending what was running. Was are the stints before, is those with the punches,
// and findings what makes no sense among the punches only since these are there; loc is
// for the times that a refusal mentions.
func CheckWritten(was, is []Stint, findings []Finding, written []Punch, loc *time.Location) error {
	for _, s := range was {
		i := slices.IndexFunc(is, func(n Stint) bool { return n.ID == s.ID })
		switch {
		case i < 0:
			return meets(s, written, loc)
		case s.Open():
			s.End, s.EndBy, s.Implied, s.Marks = is[i].End, is[i].EndBy, is[i].Implied, is[i].Marks
		}
		if kept := is[i]; !kept.Start.Equal(s.Start) || !kept.End.Equal(s.End) || kept.Kind != s.Kind || kept.On != s.On {
			return meets(s, written, loc)
		}
	}
	ours := func(id uuid.UUID) bool { return slices.ContainsFunc(written, func(p Punch) bool { return p.ID == id }) }
	for i, s := range is {
		if ours(s.ID) && i+1 < len(is) && s.Implied && !ours(is[i+1].ID) {
			return meets(is[i+1], written, loc)
		}
	}
	if len(findings) > 0 {
		return refusal.New("at", "That doesn’t fit what was recorded: "+findings[0].Reason, "Write times that follow on what stands there")
	}
	return nil
}

// meets refuses what was written because of a stint that stands there.
func meets(s Stint, written []Punch, loc *time.Location) error {
	nearest := s.End
	if s.Open() || len(written) > 0 && written[0].Claimed.Before(s.Start) {
		nearest = s.Start.Add(-time.Second) // at the same instant, what was recorded first counts first
	}
	return refusal.Near("at", "That would meet "+words(s, loc), "Write a time before or after it, or change it on the card", nearest)
}
