package hours

import (
	"context"
	"time"

	"manudex/app"
	keeping "manudex/core/keep"
	"manudex/core/when"
	"manudex/store"
)

// KeptPage says what is kept of where somebody is, and of their hours, why, and how long.
type KeptPage struct {
	Location string // when where they are is taken: "off", "punch" or "along"
	Required bool   // they can't clock in without
	Minutes  int    // at least, between two places along the way
	Metres   int    // that they must have moved for one
	Places   int    // days after the run that pays a day, for which its places are kept
	Most     int    // days, whatever became of them
	Years    int    // for which hours are kept after they left
	Law      string // that asks for those
	Days     []KeptDay
}

// KeptDay is a day of which places are kept.
type KeptDay struct {
	Date   when.Date
	Places int
}

// PlacesAtMost is for how many days a place is kept, whatever became of its day.
const PlacesAtMost = 366

// keptDays is for how many days back places are counted.
const keptDays = 31

// ReadKept reads that of the actor.
func ReadKept(ctx context.Context, a *app.App, actor app.Actor) (*KeptPage, error) {
	place, who, loc, err := ownPosition(ctx, a, actor)
	if err != nil {
		return nil, err
	}
	rule := keeping.Of(place.Country)
	p := &KeptPage{Location: who.Location, Required: who.Needed, Minutes: place.LocationInterval / 60, Metres: place.LocationMoved,
		Places: place.KeepPlaces, Most: max(PlacesAtMost, place.KeepPlaces), Years: place.KeptFor(), Law: rule.Source}
	now := a.Now()
	seen, err := store.PlacesOf(ctx, a.DB, who.ID, now.Add(-keptDays*24*time.Hour), now)
	for _, at := range seen {
		date := when.WorkedDate(at, loc, time.Duration(place.CutOver)*time.Second)
		if n := len(p.Days); n == 0 || p.Days[n-1].Date != date {
			p.Days = append(p.Days, KeptDay{Date: date})
		}
		p.Days[len(p.Days)-1].Places++
	}
	return p, err
}
