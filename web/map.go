package web

import (
	"fmt"
	"html/template"
	"math"
	"strconv"

	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/core/clock"
	"manudex/core/geo"
	"manudex/store"
	"manudex/web/draw"
)

// jobMap is a job's place on the map, where a click moves it.
type jobMap struct {
	Picture       template.HTML
	Words         string
	Closer, Wider string // addresses with less and more of the ground
	Pick          bool
	OOB           bool // sent beside something else
}

const jobMapWidth, mapProportion = 560, 0.55

// jobMapOf draws where a job is. across is how many metres the map shows, 0
// for what suits.
func jobMapOf(p *jobs.JobPage, across float64) jobMap {
	m := jobMap{Pick: p.MayChange, Words: "It has no place: no site with one, and none of its own"}
	pins, points := sitePins(p.SitePlaces)
	for i := range pins {
		pins[i].Fence = 0 // the job's alone is shown
	}
	view := geo.ViewOf(points, 4000, mapProportion)
	if w := p.Where; w != nil {
		at := geo.Point{Lat: w.Lat, Lon: w.Lon}
		if across == 0 {
			across = max(3000, 5*w.Fence)
		}
		view = geo.View{Centre: at, Across: across, High: across * mapProportion}
		pin := draw.Pin{At: at, Kind: "job", Fence: w.Fence}
		m.Words = "At the place of its site"
		if w.Own {
			pin.Label, m.Words = p.Number, "At a place of its own"
		}
		if w.Fence > 0 {
			m.Words += fmt.Sprintf(", %.0f m around it", w.Fence)
		} else {
			m.Words += ", without a fence"
		}
		pins = append(pins, pin)
	} else if across > 0 {
		view.Across, view.High = across, across*mapProportion
	}
	var data string
	if m.Pick {
		data = `data-pick="j-place" ` + viewData(view)
	}
	m.Picture = template.HTML(draw.Map(nil, view, jobMapWidth, p.Map, pins, m.Words, data))
	base := "/jobs/" + p.Job.ID.String() + "?across="
	m.Closer, m.Wider = base+strconv.Itoa(int(max(200, view.Across/2))), base+strconv.Itoa(int(min(400_000, view.Across*2)))
	return m
}

// sitePins marks the sites that have a place.
func sitePins(sites []store.Site) (pins []draw.Pin, points []geo.Point) {
	for _, s := range sites {
		if s.Lat == nil || s.Lon == nil {
			continue
		}
		pin := draw.Pin{At: geo.Point{Lat: *s.Lat, Lon: *s.Lon}, Kind: "site", Label: s.Name, Fence: s.Fence}
		pins, points = append(pins, pin), append(points, pin.At)
	}
	return pins, points
}

// sitesMap draws all sites; a click gives the site that is being written its
// place.
func sitesMap(sites []store.Site, shapes []geo.Shape, pick bool) template.HTML {
	pins, points := sitePins(sites)
	if len(points) == 0 { // where the map is, until there is a site
		for _, s := range shapes {
			for _, line := range s.Lines {
				points = append(points, line...)
			}
		}
	}
	if len(points) == 0 {
		return ""
	}
	view := geo.ViewOf(points, 4000, mapProportion)
	data := ""
	if pick {
		data = `data-pick="sites" ` + viewData(view)
	}
	return template.HTML(draw.Map(nil, view, jobMapWidth, shapes, pins, "Where the sites are", data))
}

// viewData tells the browser what a map shows.
func viewData(v geo.View) string {
	return fmt.Sprintf(`data-lat="%.6f" data-lon="%.6f" data-across="%.0f" data-high="%.0f"`, v.Centre.Lat, v.Centre.Lon, v.Across, v.High)
}

const cardMapWidth = 606

// cardMap draws where the punches of a card were made; empty where none says.
func cardMap(p *hours.CardPage) template.HTML {
	var pins []draw.Pin
	var points []geo.Point
	for _, j := range p.Fences {
		pins = append(pins, draw.Pin{At: geo.Point{Lat: j.Lat, Lon: j.Lon}, Kind: "fence", Label: j.Number, Fence: j.Fence})
	}
	for _, s := range p.Seen {
		pins, points = append(pins, draw.Pin{At: s.Point, Kind: "way"}), append(points, s.Point)
	}
	for _, punch := range p.Punches {
		if punch.Place == nil {
			continue
		}
		pin := draw.Pin{At: *punch.Place, Kind: "punch"}
		if punch.OffSite > 0 {
			pin.Kind, pin.Label = "off", distance(punch.OffSite)+" off site"
			if j := nearest(p.Fences, punch); j != nil {
				pin.From = &geo.Point{Lat: j.Lat, Lon: j.Lon}
			}
		}
		pins, points = append(pins, pin), append(points, pin.At)
	}
	if len(points) == 0 {
		return ""
	}
	for _, j := range p.Fences {
		if near := geo.Metres(points[0], geo.Point{Lat: j.Lat, Lon: j.Lon}); near < 50_000 {
			points = append(points, geo.Point{Lat: j.Lat, Lon: j.Lon})
		}
	}
	return template.HTML(draw.Map(nil, geo.ViewOf(points, 1500, 0.4), cardMapWidth, p.Map, pins, "Where the punches were made", ""))
}

// nearest gives the place a punch was measured from: that of its job, else
// the one as far off as was found.
func nearest(places []store.Fence, punch store.Punch) *store.Fence {
	for i, j := range places {
		if (punch.Act == clock.In || punch.Act == clock.Switch) && j.ID == punch.On.Job ||
			math.Abs(geo.Metres(geo.Point{Lat: j.Lat, Lon: j.Lon}, *punch.Place)-punch.OffSite) < 1 {
			return &places[i]
		}
	}
	return nil
}

func distance(metres float64) string {
	if metres < 1000 {
		return fmt.Sprintf("%.0f m", metres)
	}
	return fmt.Sprintf("%.1f km", metres/1000)
}
