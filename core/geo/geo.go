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
