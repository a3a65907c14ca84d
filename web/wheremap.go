package web

import (
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"time"

	"manudex/app/hours"
	"manudex/core/geo"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
	"manudex/web/words"
)

type whereView struct {
	frameView
	Picture template.HTML
	Units   []unitChoice
	Places  []placeRow
	Crews   []crewLineRow
	On      int
	Unknown int // whose place nobody knows
}

// unitChoice is a crew to choose.
type unitChoice struct {
	ID, Name string
	Chosen   bool
}

// placeRow is a place and who is there.
type placeRow struct {
	Name   string
	On     int // of them, on the clock
	People []placePerson
}

// crewLineRow is a crew's day as one line.
type crewLineRow struct {
	Name  string
	Stops []stopView
}

type stopView struct {
	At, Place string
	Planned   bool
}

type placePerson struct {
	Name, Crew, What, Seen, Href string
	On                           bool
}

const whereWidth = 860

// mapPage is who is where.
func (s *Server) mapPage(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	unit := f.MaybeID("unit")
	if err := f.Err(); err != nil {
		return err
	}
	p, err := hours.ReadMap(r.Context(), s.app, visitOf(r).actor, unit)
	if err != nil {
		return err
	}
	v := whereView{}
	for _, u := range p.Units {
		v.Units = append(v.Units, unitChoice{u.ID.String(), u.Name, u.ID == unit})
	}
	for _, c := range p.Crews {
		row := crewLineRow{Name: c.Name}
		for _, s := range c.Stops {
			row.Stops = append(row.Stops, stopView{s.At.In(c.Loc).Format("15:04"), s.Place, s.Planned})
		}
		v.Crews = append(v.Crews, row)
	}
	if err := v.draw(p); err != nil {
		return err
	}
	v.frameView = s.frame(r, "Map", "today", p.Around)
	s.pages.write(w, s.log, http.StatusOK, "where", v)
	return nil
}

// draw puts everybody on the map: those who were seen at their own places, the
// others together where their job is.
func (v *whereView) draw(p *hours.MapPage) error {
	pins, points := sitePins(p.Sites)
	type spot struct{ lat, lon float64 }
	at := map[spot]int{}
	var spots []spot
	for _, w := range p.People {
		loc, err := time.LoadLocation(w.Zone)
		if err != nil {
			return err
		}
		v.take(w, loc, p.Now)
		if w.Lat == nil || w.Lon == nil {
			v.Unknown++
			continue
		}
		where := geo.Point{Lat: *w.Lat, Lon: *w.Lon}
		if w.SeenAt != nil {
			pin := draw.Pin{At: where, Kind: "punch", Label: w.Name + " " + w.JobNumber}
			if !w.On {
				pin.Kind = "way"
			}
			pins, points = append(pins, pin), append(points, where)
			continue
		}
		if !w.On {
			continue // where they are is known of nobody who has left and was not seen
		}
		k := spot{*w.Lat, *w.Lon}
		if at[k] == 0 {
			spots = append(spots, k)
		}
		at[k]++
	}
	for i := range pins { // how many are at a site stands beside its name
		k := spot{pins[i].At.Lat, pins[i].At.Lon}
		if n := at[k]; n > 0 && pins[i].Kind == "site" {
			pins[i].Label += fmt.Sprintf(", %d", n)
			delete(at, k)
		}
	}
	for _, k := range spots {
		if n := at[k]; n > 0 {
			where := geo.Point{Lat: k.lat, Lon: k.lon}
			pins, points = append(pins, draw.Pin{At: where, Kind: "job", Label: fmt.Sprint(n)}), append(points, where)
		}
	}
	if len(points) > 0 {
		v.Picture = template.HTML(draw.Map(nil, geo.ViewOf(points, 3000, 0.55), whereWidth, p.Map, pins, "Who is where", `data-zoom=""`))
	}
	return nil
}

// take puts somebody on the list of a place.
func (v *whereView) take(w store.WhereNow, loc *time.Location, now time.Time) {
	row := placePerson{Name: w.Name, Crew: w.UnitName, On: w.On, What: w.JobNumber + " " + w.JobName,
		Href: "/cards/" + w.Employment.String() + "/" + w.Since.In(loc).Format("2006-01-02")}
	since := w.Since.In(loc).Format("15:04")
	if now.Sub(w.Since) > 20*time.Hour {
		since = w.Since.In(loc).Format("Mon 15:04")
	}
	row.Seen = "since " + since
	if !w.On {
		row.Seen = "left " + since
	} else {
		v.On++
	}
	if w.SeenAt != nil {
		row.Seen += ", seen " + words.At(*w.SeenAt, loc).Clock()
	}
	name := w.PlaceName
	i := slices.IndexFunc(v.Places, func(p placeRow) bool { return p.Name == name })
	if i < 0 {
		v.Places, i = append(v.Places, placeRow{Name: name}), len(v.Places)
	}
	v.Places[i].People = append(v.Places[i].People, row)
	if row.On {
		v.Places[i].On++
	}
}
