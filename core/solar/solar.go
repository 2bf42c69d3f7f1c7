// Package solar says where the sun stands, seen from a place on earth at a time.
// It knows nothing of levels.
package solar

import (
	"math"
	"time"
)

// Position is where the sun stands.
type Position struct {
	AzimuthDeg  float64 `json:"azimuth_deg" doc:"From north, clockwise, 0 to 360."`
	AltitudeDeg float64 `json:"altitude_deg" doc:"Above the horizon, geometric: without refraction."`
}

// At computes the sun's position by the low-accuracy series of Meeus,
// "Astronomical Algorithms" (2nd ed., 1998), chapter 25, as NOAA's solar
// calculator uses it. Latitude and longitude in degrees, north and east
// positive. Within 0.1 degrees from 1900 to 2100 (tested against a table).
func At(latitudeDeg, longitudeDeg float64, when time.Time) Position {
	const day = 24 * 60 * 60
	days := float64(when.Unix())/day + float64(when.Nanosecond())/1e9/day + 2440587.5 - 2451545.0 // since J2000.0
	t := days / 36525
	mean := 280.46646 + t*(36000.76983+t*0.0003032)
	anomaly := 357.52911 + t*(35999.05029-t*0.0001537)
	centre := sin(anomaly)*(1.914602-t*(0.004817+t*0.000014)) + sin(2*anomaly)*(0.019993-t*0.000101) + sin(3*anomaly)*0.000289
	node := 125.04 - 1934.136*t
	longitude := mean + centre - 0.00569 - 0.00478*sin(node) // apparent
	obliquity := 23.439291 - t*(0.0130042+t*(0.00000016-t*0.000000504)) + 0.00256*cos(node)
	declination := math.Asin(sin(obliquity) * sin(longitude))
	ascension := math.Atan2(cos(obliquity)*sin(longitude), cos(longitude)) * 180 / math.Pi
	sidereal := 280.46061837 + 360.98564736629*days + t*t*(0.000387933-t/38710000)
	hour := sidereal + longitudeDeg - ascension
	altitude := math.Asin(sin(latitudeDeg)*math.Sin(declination) + cos(latitudeDeg)*math.Cos(declination)*cos(hour))
	azimuth := math.Atan2(-sin(hour), cos(latitudeDeg)*math.Tan(declination)-sin(latitudeDeg)*cos(hour))
	return Position{
		AzimuthDeg:  math.Mod(azimuth*180/math.Pi+360, 360),
		AltitudeDeg: altitude * 180 / math.Pi,
	}
}

func sin(deg float64) float64 { return math.Sin(math.Mod(deg, 360) * math.Pi / 180) }
func cos(deg float64) float64 { return math.Cos(math.Mod(deg, 360) * math.Pi / 180) }
