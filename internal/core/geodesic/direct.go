package geodesic

import "math"

// Destination is where one comes to from a point, going so many metres in a direction (degrees clockwise from north)
// along a geodesic. It solves the direct problem as T. Vincenty does in "Direct and inverse solutions of geodesics on
// the ellipsoid", Survey Review 23 (1975), equations 1 to 13, within a millimetre for any length. The longitude may lie
// beyond ±180 where the way crosses that meridian, so that the points of a circle go on from one another.
func Destination(lat, lon, azimuth, metres float64) (lat2, lon2 float64) {
	const b = polarRadius
	sinA, cosA := math.Sincos(azimuth * math.Pi / 180)
	sinU, cosU := reduced(lat)
	sigma1 := math.Atan2(sinU, cosU*cosA)
	sinAlpha := cosU * sinA
	cos2Alpha := 1 - sinAlpha*sinAlpha
	u2 := cos2Alpha * ep2
	a := 1 + u2/16384*(4096+u2*(-768+u2*(320-175*u2)))
	bb := u2 / 1024 * (256 + u2*(-128+u2*(74-47*u2)))
	sigma := metres / (b * a)
	var sinS, cosS, cos2M float64
	for range 100 {
		cos2M = math.Cos(2*sigma1 + sigma)
		sinS, cosS = math.Sincos(sigma)
		delta := bb * sinS * (cos2M + bb/4*(cosS*(-1+2*cos2M*cos2M)-
			bb/6*cos2M*(-3+4*sinS*sinS)*(-3+4*cos2M*cos2M)))
		next := metres/(b*a) + delta
		if math.Abs(next-sigma) < 1e-14 {
			break
		}
		sigma = next
	}
	t := sinU*sinS - cosU*cosS*cosA
	lat2 = math.Atan2(sinU*cosS+cosU*sinS*cosA, (1-Flattening)*math.Hypot(sinAlpha, t))
	lambda := math.Atan2(sinS*sinA, cosU*cosS-sinU*sinS*cosA)
	c := Flattening / 16 * cos2Alpha * (4 + Flattening*(4-3*cos2Alpha))
	l := lambda - (1-c)*Flattening*sinAlpha*(sigma+c*sinS*(cos2M+c*cosS*(-1+2*cos2M*cos2M)))
	return lat2 * 180 / math.Pi, lon + l*180/math.Pi
}
