package geodesic

import "math"

// eccentricity and its square
var (
	e2 = Flattening * (2 - Flattening)
	e1 = math.Sqrt(e2)
)

// band is the area between the equator and a latitude, in square metres for each radian of longitude: b²·q/2 of J. P.
// Snyder, "Map Projections: A Working Manual", USGS Professional Paper 1395 (1987), equation 3-12.
func band(lat float64) float64 {
	s := math.Sin(lat * math.Pi / 180)
	q := (1 - e2) * (s/(1-e2*s*s) + math.Atanh(e1*s)/e1)
	return EquatorialRadius * EquatorialRadius * q / 2
}

// RingArea is the area within a closed ring on the ellipsoid, in square metres. Its points are longitude and latitude
// in degrees; edges are straight in these, as GeoJSON has them (RFC 7946, section 3.1.1). It is negative where the ring
// runs clockwise.
func RingArea(ring [][2]float64) (area float64) {
	for i := 1; i < len(ring); i++ {
		from, to := ring[i-1], ring[i]
		turn := (to[0] - from[0]) * math.Pi / 180
		if turn == 0 {
			continue
		}
		// The area between the edge and the equator: its band, averaged along the edge.
		average := band(from[1])
		if to[1] != from[1] {
			average = quadrature(0, 1, func(t float64) float64 { return band(from[1] + t*(to[1]-from[1])) })
		}
		area -= average * turn
	}
	return area
}
