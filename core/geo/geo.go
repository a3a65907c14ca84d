// Package geo measures distances on the ground and says whether a place lies
// inside a site's fence.
package geo

import "math"

// Point is a place in WGS 84 degrees.
type Point struct{ Lat, Lon float64 }

// Fence is a circle around a site; Radius is in metres. A Radius of zero
// means the site has no fence.
type Fence struct {
	Point
	Radius float64
}

const earthRadius = 6371008.8 // mean radius in metres (IUGG)

// Metres gives the great-circle distance between two points (haversine).
func Metres(a, b Point) float64 {
	rad := func(deg float64) float64 { return deg * math.Pi / 180 }
	dLat, dLon := rad(b.Lat-a.Lat), rad(b.Lon-a.Lon)
	h := math.Sin(dLat/2)*math.Sin(dLat/2) +
		math.Cos(rad(a.Lat))*math.Cos(rad(b.Lat))*math.Sin(dLon/2)*math.Sin(dLon/2)
	return 2 * earthRadius * math.Asin(math.Min(1, math.Sqrt(h)))
}

// Outside gives how far in metres a point lies from the fence's centre when it
// is outside, and 0 when it is inside or there is no fence.
func (f Fence) Outside(p Point) float64 {
	if f.Radius <= 0 {
		return 0
	}
	if d := Metres(f.Point, p); d > f.Radius {
		return d
	}
	return 0
}

// Shape is something drawn beneath a map: an area or a line of a kind, such
// as "water", "land", "road" or "river". Lines holds its rings or lines.
type Shape struct {
	Kind, Name string
	Area       bool
	Lines      [][]Point
}

// View is a map's view: what lies at its middle, and how many metres it is
// across and high. Small enough to take the ground for flat.
type View struct {
	Centre       Point
	Across, High float64
}

const metresPerDegree = math.Pi * earthRadius / 180

// At gives where a point lies in the view: 0 to 1 from left to right and from
// top to bottom.
func (v View) At(p Point) (x, y float64) {
	east := (p.Lon - v.Centre.Lon) * metresPerDegree * math.Cos(v.Centre.Lat*math.Pi/180)
	north := (p.Lat - v.Centre.Lat) * metresPerDegree
	return 0.5 + east/v.Across, 0.5 - north/v.High
}

// Point is the inverse of At.
func (v View) Point(x, y float64) Point {
	north, east := (0.5-y)*v.High, (x-0.5)*v.Across
	return Point{Lat: v.Centre.Lat + north/metresPerDegree, Lon: v.Centre.Lon + east/(metresPerDegree*math.Cos(v.Centre.Lat*math.Pi/180))}
}

// ViewOf is a view that holds all points and at least some metres across, with
// the proportions given, high by across.
func ViewOf(points []Point, least, proportion float64) View {
	v := View{Across: least, High: least * proportion}
	if len(points) == 0 {
		return v
	}
	low, top := points[0], points[0]
	for _, p := range points {
		low = Point{math.Min(low.Lat, p.Lat), math.Min(low.Lon, p.Lon)}
		top = Point{math.Max(top.Lat, p.Lat), math.Max(top.Lon, p.Lon)}
	}
	v.Centre = Point{(low.Lat + top.Lat) / 2, (low.Lon + top.Lon) / 2}
	const margin = 1.3
	east := (top.Lon - low.Lon) * metresPerDegree * math.Cos(v.Centre.Lat*math.Pi/180) * margin
	north := (top.Lat - low.Lat) * metresPerDegree * margin
	v.Across = math.Max(v.Across, math.Max(east, north/proportion))
	v.High = v.Across * proportion
	return v
}
