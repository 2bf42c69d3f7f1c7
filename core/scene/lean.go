package scene

import (
	"math"

	"grotta/core/geom"
)

// Lean turns the normals by which light falls on surfaces toward one of three sides. From the light on leaning normals
// follows how light changes as a normal turns. The zero value turns nothing.
type Lean int

// Leans are those that turn, a third of a circle apart.
var Leans = []Lean{1, 2, 3}

// LeanRad is how far they turn: 45 degrees. A smaller angle would amplify noise, and beyond a larger one much light that
// a surface gets is behind the normal.
const LeanRad = math.Pi / 4

// Side is the way along a surface toward which its normal turns.
func (l Lean) Side(n geom.Vec3) geom.Vec3 {
	u, v := geom.Axes(n)
	sin, cos := math.Sincos(2 * math.Pi * float64(l) / 3)
	return u.Mul(cos).Add(v.Mul(sin))
}

// Of is the normal that it makes of one.
func (l Lean) Of(n geom.Vec3) geom.Vec3 {
	if l == 0 {
		return n
	}
	sin, cos := math.Sincos(LeanRad)
	return n.Mul(cos).Add(l.Side(n).Mul(sin))
}

// Leaning is the scene with leaning normals.
func (s *Scene) Leaning(l Lean) *Scene {
	c := *s
	c.lean = l
	return &c
}

// IsLeaning tells whether its normals lean.
func (s *Scene) IsLeaning() bool { return s.lean != 0 }
