package mirror

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// leastLobe is the sharpest lobe that a lamp is mirrored by, as the square of a roughness: a sharper one
// would fall between pixels.
const leastLobe = 0.002

// Highlight is what a surface mirrors of a ball of light toward an eye, in nits for each lux on a square that
// faces the ball: the GGX lobe with Smith's masking, at the place of the ball next to the mirrored ray and
// widened by the ball's size (Karis, SIGGRAPH course "Physically Based Shading in Theory and Practice", 2013).
// toEye is a unit vector; to leads to the ball's middle, in metres.
func Highlight(m *level.Material, base color.Linear, n, toEye, to geom.Vec3, radius float64) color.Linear {
	share, view := Share(m.Roughness), n.Dot(toEye)
	if share == 0 || view <= 0 {
		return color.Linear{}
	}
	ray := n.Mul(2 * view).Sub(toEye)
	aside := ray.Mul(to.Dot(ray)).Sub(to)
	light := to.Add(aside.Mul(min(radius/max(aside.Len(), 1e-9), 1))).Normalize()
	cos := n.Dot(light)
	if cos <= 0 {
		return color.Linear{}
	}
	a := max(m.Roughness*m.Roughness, leastLobe)
	wide := min(a+radius/(2*to.Len()), 1)
	half := light.Add(toEye).Normalize()
	along, across := n.Dot(half), n.Cross(half)
	spread := across.Dot(across) + along*along*a*a
	density := a * a / (math.Pi * spread * spread) * (a / wide) * (a / wide)
	masked := 0.5 / (cos*math.Sqrt(view*view*(1-a*a)+a*a) + view*math.Sqrt(cos*cos*(1-a*a)+a*a))
	strength, fresnel := share*density*masked*cos, schlick(light.Dot(half))
	var out color.Linear
	for c := range out {
		f0 := m.Metalness*base[c] + (1-m.Metalness)*plainOf(m)
		out[c] = strength * (f0 + (1-f0)*fresnel)
	}
	return out
}
