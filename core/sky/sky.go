// Package sky says how bright each direction of a level's surroundings is, and
// where its sun and moon stand. Directions are unit vectors of the level: +Y up,
// -Z north, +X east. It casts no rays.
package sky

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/picture"
)

// Angles are the azimuth, 0 to 360, and altitude of a direction.
func Angles(d geom.Vec3) (azimuthDeg, altitudeDeg float64) {
	d = d.Normalize()
	return math.Mod(math.Atan2(d[0], -d[2])*180/math.Pi+360, 360), math.Asin(max(-1, min(1, d[1]))) * 180 / math.Pi
}

// Sky is a level's sky made ready: radiance by direction, for a luminance of 1.
type Sky struct {
	kind                    string
	zenith, horizon, ground color.Linear
	sun                     geom.Vec3
	turn                    float64 // radians
	image                   *picture.Picture
	clearScale              float64
	sampler                 *sampler
}

// imageSide bounds a sky image that lights: finer ones are averaged.
const imageSide = 1024

// OfLevel makes a level's sky ready.
func OfLevel(l *level.Level) *Sky {
	e := &l.Environment
	if e.Sky.Kind != level.SkyImage {
		return Of(e, nil)
	}
	return Of(e, l.Image(e.Sky.Image).Picture())
}

// Of prepares the sky of an environment. image is the decoded sky image, where
// the kind is one; else nil.
func Of(e *level.Environment, image *picture.Picture) *Sky {
	s := &Sky{kind: e.Sky.Kind, turn: e.Sky.RotationDeg * math.Pi / 180, sun: level.Direction(e.Sky.RotationDeg+180, 45)}
	s.zenith, s.horizon, s.ground = e.Sky.Colors()
	if e.Sun != nil {
		s.sun = e.Sun.Toward()
	}
	if s.sun[1] < 0.02 { // the clear sky has no formula for a sun that is down
		s.sun[1] = 0.02
		s.sun = s.sun.Normalize()
	}
	zenithAngle := math.Acos(s.sun[1])
	s.clearScale = 1 / (scatter(zenithAngle) * gradation(1))
	if image != nil {
		s.image = image.Shrink(imageSide)
		s.sampler = newSampler(s.image)
	}
	return s
}

// Radiance of a unit direction, relative to the sky's luminance.
//
//   - overcast: L = Lz (1 + 2 sin γ) / 3 (Moon and Spencer, 1942; CIE S 011);
//   - clear: L = Lz f(χ) φ(Z) / (f(Zs) φ(0)), the CIE standard general sky of
//     type 12 (CIE S 011/E:2003): a -1, b -0.32, c 10, d -3, e 0.45;
//   - gradient: from horizon to zenith evenly by the sine of the altitude;
//   - image: equirectangular, its middle north, turned by the rotation.
func (s *Sky) Radiance(d geom.Vec3) color.Linear {
	if s.kind == level.SkySolid {
		return s.zenith
	}
	if s.kind == level.SkyImage {
		if s.image == nil {
			return color.Linear{}
		}
		azimuth := math.Atan2(d[0], -d[2]) - s.turn
		return s.image.At(0.5+azimuth/(2*math.Pi), math.Acos(max(-1, min(1, d[1])))/math.Pi)
	}
	if d[1] < 0 {
		return s.ground
	}
	switch s.kind {
	case level.SkyGradient:
		return s.horizon.Lerp(s.zenith, d[1])
	case level.SkyOvercast:
		return s.zenith.Scale((1 + 2*d[1]) / 3)
	}
	chi := math.Acos(max(-1, min(1, d.Dot(s.sun))))
	return s.zenith.Scale(scatter(chi) * gradation(d[1]) * s.clearScale)
}

// scatter is f of the CIE general sky: how bright by the angle to the sun.
func scatter(chi float64) float64 {
	c := math.Cos(chi)
	return 1 + 10*(math.Exp(-3*chi)-math.Exp(-3*math.Pi/2)) + 0.45*c*c
}

// gradation is φ of the CIE general sky, by the sine of the altitude.
func gradation(sin float64) float64 {
	return 1 - math.Exp(-0.32/max(sin, 1e-3))
}

// Daylight is a cloudless day's light by the sun's altitude in degrees: the sun's
// on a surface that faces it, and the sky's on level ground, in lux. By day the
// formulas are those of IES RP-21 (1984): 127.5 exp(-0.21 / sin h) and
// 0.8 + 15.5 sin½ h, in kilolux. Below the horizon the sky's falls from there by a
// factor of 2.5 a degree, to 3.4 lx at the end of civil twilight.
func Daylight(altitudeDeg float64) (sunLux, skyLux float64) {
	if altitudeDeg <= 0 {
		return 0, 800 * math.Pow(10, 0.395*max(altitudeDeg, -18))
	}
	sin := math.Sin(altitudeDeg * math.Pi / 180)
	return 127_500 * math.Exp(-0.21/sin), 800 + 15_500*math.Sqrt(sin)
}

// Horizontal is the irradiance of the sky on open level ground, in lux for a
// luminance of 1.
func (s *Sky) Horizontal() color.Linear {
	const heights, azimuths = 60, 90
	var sum color.Linear
	for j := range heights { // even steps of sin² carry the cosine
		y := math.Sqrt((float64(j) + 0.5) / heights)
		r := math.Sqrt(1 - y*y)
		for i := range azimuths {
			sin, cos := math.Sincos(2 * math.Pi * (float64(i) + 0.5) / azimuths)
			sum = sum.Add(s.Radiance(geom.Vec3{r * sin, y, -r * cos}))
		}
	}
	return sum.Scale(math.Pi / (heights * azimuths))
}

// PaintedSun is the direction of a sun that a sky image shows: the middle of what
// is near its brightest spot in brightness and place, if that stands out from the
// rest ten times over.
func (s *Sky) PaintedSun() (geom.Vec3, bool) {
	const columns, rows = 512, 256
	direction := func(x, y int) geom.Vec3 {
		return level.Direction(360*(float64(x)+0.5)/columns, 90-180*(float64(y)+0.5)/rows)
	}
	var brightest, sum, weights float64
	var at geom.Vec3
	for y := range rows {
		for x := range columns {
			d := direction(x, y)
			l := s.Radiance(d).Luminance()
			w := math.Cos((0.5 - (float64(y)+0.5)/rows) * math.Pi)
			sum, weights = sum+w*l, weights+w
			if l > brightest {
				brightest, at = l, d
			}
		}
	}
	if s.image == nil || brightest < 10*sum/weights {
		return geom.Vec3{}, false
	}
	var middle geom.Vec3
	for y := range rows {
		for x := range columns {
			d := direction(x, y)
			if l := s.Radiance(d).Luminance(); l > brightest/2 && d.Dot(at) > 0.97 {
				middle = middle.Add(d.Mul(l * math.Cos((0.5-(float64(y)+0.5)/rows)*math.Pi)))
			}
		}
	}
	return middle.Normalize(), true
}
