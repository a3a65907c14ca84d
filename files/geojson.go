package files

import (
	"fmt"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/geojson"

	"manudex/core/geo"
)

// maxMapPoints is the most points a map may have: it is drawn on every page
// that shows it.
const maxMapPoints = 20_000

// ReadMap reads what is drawn beneath a map: a GeoJSON feature collection
// (RFC 7946) of areas and lines. A feature's property "kind" says what it is:
// water, land, road or river; areas without one are land, lines roads. Its
// errors say what to change.
func ReadMap(data []byte) ([]geo.Shape, error) {
	fc, err := geojson.UnmarshalFeatureCollection(data)
	if err != nil {
		return nil, fmt.Errorf("this is not a GeoJSON feature collection: %w", err)
	}
	var shapes []geo.Shape
	points := 0
	for _, f := range fc.Features {
		if f == nil {
			return nil, fmt.Errorf("this is not a GeoJSON feature collection: a feature is null")
		}
		s := geo.Shape{Kind: f.Properties.MustString("kind", ""), Name: f.Properties.MustString("name", "")}
		var lines []orb.LineString
		switch g := f.Geometry.(type) {
		case orb.Polygon:
			s.Area, lines = true, rings(lines, g)
		case orb.MultiPolygon:
			s.Area = true
			for _, p := range g {
				lines = rings(lines, p)
			}
		case orb.LineString:
			lines = append(lines, g)
		case orb.MultiLineString:
			lines = g
		default:
			continue // points are marked by what the application knows
		}
		if s.Kind == "" {
			s.Kind = map[bool]string{true: "land", false: "road"}[s.Area]
		}
		for _, l := range lines {
			line := make([]geo.Point, len(l))
			for i, p := range l {
				if !(p.Lat() >= -90 && p.Lat() <= 90 && p.Lon() >= -180 && p.Lon() <= 180) {
					return nil, fmt.Errorf("%v is no place: GeoJSON has longitude, then latitude, in degrees", p)
				}
				line[i] = geo.Point{Lat: p.Lat(), Lon: p.Lon()}
			}
			points += len(line)
			s.Lines = append(s.Lines, line)
		}
		shapes = append(shapes, s)
	}
	switch {
	case len(shapes) == 0:
		return nil, fmt.Errorf("the file has no areas and no lines: send what is drawn beneath, not points")
	case points > maxMapPoints:
		return nil, fmt.Errorf("the file has %d points: simplify it to at most %d", points, maxMapPoints)
	}
	return shapes, nil
}

func rings(lines []orb.LineString, p orb.Polygon) []orb.LineString {
	for _, r := range p {
		lines = append(lines, orb.LineString(r))
	}
	return lines
}
