package bake

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// This file is ray-free: what of a light arrives where nothing stands in the way.

// arrival is what a light sends toward a point, were nothing in the way.
type arrival struct {
	toward   geom.Vec3    // unit, from the point to the light's middle
	distance float64      // to it; infinite for parallel light
	lux      float64      // for unit strength
	tint     color.Linear // by a gobo; else white
}

// unblocked is zero where the light does not get to by range, cone or facing.
// Each strength is 1: candela, lux or nits by the kind.
//
//   - point and spot: I cos θ / d², windowed by (1 - (d/range)^4) clamped to
//     [0, 1], and for a spot times ((cos - cos outer) / (cos inner - cos outer))²
//     clamped (glTF, KHR_lights_punctual); other falloffs take the place of 1/d²;
//   - dome: as a point, in the half-space that it aims at;
//   - a ball of radius r: its radiance I / (π r²) over its disc, see discFactor;
//   - directional: E cos θ; with a disc, E / (π sin²) over the disc;
//   - box: as directional, where the rectangle is in the way of the light;
//   - rect: Lambert's polygon formula;
//   - tube: the integral of a thin cylinder along its axis, see tubeIrradiance.
func (s *Source) unblocked(p, n geom.Vec3) (arrival, bool) {
	sh := &s.shape
	switch sh.Kind {
	case level.Directional, level.BoxLight:
		a := arrival{toward: sh.Aim.Mul(-1), distance: math.Inf(1), tint: color.White}
		if sh.Kind == level.BoxLight && sh.DiscRad == 0 && !sh.through(p, a.toward) {
			return a, false
		}
		if sh.DiscRad == 0 {
			a.lux = a.toward.Dot(n)
		} else {
			sin := math.Sin(sh.DiscRad)
			a.lux = discFactor(a.toward.Dot(n), sin*sin) / (math.Pi * sin * sin)
		}
		return a, a.lux > 0
	}
	to := sh.Position.Sub(p)
	d := to.Len()
	if sh.RangeM > 0 && d >= sh.RangeM {
		return arrival{}, false
	}
	switch sh.Kind {
	case level.Rect:
		a := arrival{toward: to.Mul(1 / max(d, 1e-9)), distance: d, tint: color.White}
		a.lux = s.polygons[0].irradiance(p, n) * sh.window(d)
		return a, a.lux > 0
	case level.Tube:
		a := arrival{toward: to.Mul(1 / max(d, 1e-9)), distance: d, tint: color.White}
		a.lux = sh.tubeIrradiance(p, n) * sh.window(d)
		return a, a.lux > 0
	}
	d = max(d, sh.RadiusM, 1e-4) // the inside of the ball is as bright as its skin
	a := arrival{toward: to.Mul(1 / d), distance: d, tint: color.White}
	cos := a.toward.Dot(n)
	if sh.RadiusM == 0 {
		a.lux = cos / (d * d)
	} else {
		q := min(sh.RadiusM/d, 1)
		a.lux = discFactor(cos, q*q) / (math.Pi * sh.RadiusM * sh.RadiusM)
	}
	if a.lux <= 0 {
		return a, false
	}
	a.lux *= sh.falloff(d) * d * d
	switch sh.Kind {
	case level.Spot:
		a.lux *= sh.cone(-a.toward.Dot(sh.Aim))
	case level.Dome:
		if a.toward.Dot(sh.Aim) >= 0 {
			a.lux = 0
		}
	}
	if s.gobo != nil && a.lux > 0 {
		a.tint = s.projected(p)
	}
	return a, a.lux > 0
}

// falloff is what takes the place of 1/d², per square metre.
func (s *shape) falloff(d float64) float64 {
	switch s.Falloff {
	case level.Linear:
		return max(0, 1-d/s.RangeM)
	case level.Smooth:
		q := min(d/s.RangeM, 1)
		return (1 - q*q) * (1 - q*q)
	case level.Custom:
		return s.window(d) / max(s.Terms[0]+s.Terms[1]*d+s.Terms[2]*d*d, 1e-6)
	}
	return s.window(d) / (d * d)
}

func (s *shape) window(d float64) float64 {
	if s.RangeM == 0 {
		return 1
	}
	q := d / s.RangeM
	return max(0, 1-q*q*q*q)
}

// cone is the angular fading of a spot light (KHR_lights_punctual).
func (s *shape) cone(cos float64) float64 {
	scale := 1 / max(0.001, s.CosInner-s.CosOuter)
	a := min(max((cos-s.CosOuter)*scale, 0), 1)
	return a * a
}

// discFactor is the irradiance, for a radiance of 1, of a ball or of a disc in
// the sky whose half angle has this squared sine, by the cosine of its middle to
// the normal: π sin² cos θ while it is wholly above the horizon, and the closed
// form of Snyder ("Area light sources for real-time graphics", 1996) where the
// horizon cuts it.
func discFactor(cos, sin2 float64) float64 {
	if cos*cos > sin2 {
		return math.Pi * sin2 * max(cos, 0)
	}
	sin := math.Sqrt(max(0, 1-cos*cos))
	if sin < 1e-9 || sin2 >= 1 {
		return math.Pi * sin2 * (1 + cos) / 2 // within the ball: half of all directions
	}
	x := math.Sqrt(1/sin2 - 1)
	y := max(-1, min(1, -x*cos/sin))
	root := sin * math.Sqrt(1-y*y)
	return max(0, (cos*math.Acos(y)-x*root)*sin2+math.Atan(root/x))
}

// tubeIrradiance is that of a thin cylinder of radius r and radiance 1: it shows
// a breadth of 2 r sin φ, so the integral along its axis is that of cos θ d / D⁴,
// which has a closed form. The part below the horizon is cut off. Its error is of
// the order of (r/d)², and d counts as at least r.
func (s *shape) tubeIrradiance(p, n geom.Vec3) float64 {
	a := s.Position.Sub(s.Right.Mul(s.Width / 2)).Sub(p)
	l1, l2 := a.Dot(s.Right), a.Dot(s.Right)+s.Width
	foot := a.Sub(s.Right.Mul(l1)) // of the axis, nearest the point
	height, slope := foot.Dot(n), s.Right.Dot(n)
	if h1, h2 := height+l1*slope, height+l2*slope; h1 < 0 && h2 < 0 {
		return 0
	} else if h1 < 0 {
		l1 = -height / slope
	} else if h2 < 0 {
		l2 = -height / slope
	}
	d := max(foot.Len(), s.RadiusM)
	along := func(l float64) float64 { return l/(d*(d*d+l*l)) + math.Atan(l/d)/(d*d) }
	across := func(l float64) float64 { return l * l / (d * (d*d + l*l)) }
	return max(0, s.RadiusM*((along(l2)-along(l1))*height+(across(l2)-across(l1))*slope))
}

// through tells whether a line from a point toward a direction passes the
// rectangle of a box light from its shining side.
func (s *shape) through(p, toward geom.Vec3) bool {
	cos := -toward.Dot(s.Aim)
	if cos <= 1e-9 {
		return false
	}
	to := s.Position.Sub(p)
	t := -to.Dot(s.Aim) / cos
	if t <= 0 {
		return false
	}
	off := toward.Mul(t).Sub(to)
	return math.Abs(off.Dot(s.Right)) <= s.Width/2 && math.Abs(off.Dot(s.Up)) <= s.Height/2
}
