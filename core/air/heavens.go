package air

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// ReadyDisc is the sun or moon as it is seen.
type ReadyDisc struct {
	Toward  geom.Vec3    `json:"toward"`
	HalfRad float64      `json:"half_rad" doc:"Half its angular diameter."`
	Nits    color.Linear `json:"nits"`
}

func discs(l *level.Level) []ReadyDisc {
	all := []ReadyDisc{}
	for _, s := range []*level.Sun{l.Environment.Sun, l.Environment.Moon} {
		if s == nil || !s.Enabled || !s.Disc.Shown {
			continue
		}
		d := ReadyDisc{Toward: s.Toward(), HalfRad: s.AngularDeg / 2 * math.Pi / 180}
		if s.Disc.Cut {
			d.Toward = level.Direction(s.Disc.AzimuthDeg+s.NorthDeg, s.Disc.AltitudeDeg)
		}
		if s.Disc.AngularDeg > 0 {
			d.HalfRad = s.Disc.AngularDeg / 2 * math.Pi / 180
		}
		d.HalfRad = max(d.HalfRad, leastDiscRad)
		nits := s.Disc.Luminance
		if nits == 0 {
			sin := math.Sin(d.HalfRad)
			nits = s.Lux / (math.Pi * sin * sin) // an even disc: E = π L sin²
		}
		d.Nits = s.Hue().Scale(nits)
		if nits > 0 && d.Toward[1] > -d.HalfRad {
			all = append(all, d)
		}
	}
	return all
}

// leastDiscRad is how small a disc may be drawn: a tenth of a degree across.
const leastDiscRad = 0.05 * math.Pi / 180

// Along is what a disc adds to a ray that ends in the sky. Its rim is soft over a
// twentieth of its radius; what is under the horizon is not seen.
func (d *ReadyDisc) Along(dir geom.Vec3) color.Linear {
	if dir[1] < 0 {
		return color.Linear{}
	}
	// The chord keeps precision where the cosine has none left.
	angle := 2 * math.Asin(min(dir.Sub(d.Toward).Len()/2, 1))
	return d.Nits.Scale(1 - smoothstep(0.95*d.HalfRad, 1.05*d.HalfRad, angle))
}

// Star is a point in the sky.
type Star struct {
	Toward geom.Vec3    `json:"toward"`
	Lux    color.Linear `json:"lux" doc:"At the eye."`
}

// stars are spread evenly over the upper half of the sky, the same in every
// level. Brightness follows the count of real ones: ten to the 0.51 times as many
// for each magnitude fainter (Bahcall and Soneira, 1980, at the bright end), so
// the n-th brightest of N shines as n to the -0.4/0.51.
func stars(l *level.Level) []Star {
	s := l.Environment.Stars
	all := make([]Star, 0, s.Count)
	for i := range s.Count {
		r := numbers("stars", i)
		y, turn := r[0], 2*math.Pi*r[1]
		flat := math.Sqrt(1 - y*y)
		lux := s.Lux * math.Pow(float64(i+1), -0.4/0.51)
		all = append(all, Star{geom.Vec3{flat * math.Cos(turn), y, flat * math.Sin(turn)}, color.Kelvin(3500 + 7000*r[2]*r[2]).Scale(lux)})
	}
	return all
}
