package air

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/picture"
)

// ReadyGlow is a glow ready to be drawn. Colour and nits are separate, so that a view can follow a
// light that changes.
type ReadyGlow struct {
	ID         string       `json:"id"`
	Source     string       `json:"source,omitzero" doc:"Id of the light whose colour it takes."`
	At         geom.Vec3    `json:"at"`
	Shape      string       `json:"shape"`
	Image      string       `json:"image,omitzero"`
	Screen     bool         `json:"screen" doc:"Its size is a share of the picture's height."`
	Size       float64      `json:"size" doc:"Diameter: metres, or a share of the height."`
	Nits       float64      `json:"nits" doc:"In its middle, times the colour."`
	Color      color.Linear `json:"color"`
	ToleranceM float64      `json:"tolerance_m"`
	FadeStartM float64      `json:"fade_start_m"`
	FadeEndM   float64      `json:"fade_end_m"`

	picture *picture.Picture
}

func glowOf(l *level.Level, w *level.World, g *level.Glow) ReadyGlow {
	own := g.Color
	if g.ColorFrom != "" {
		own = ""
	}
	out := ReadyGlow{
		ID: g.ID, Source: g.ColorFrom, At: w.Pose(&g.Entity).Position, Shape: g.Shape, Image: g.Image,
		Screen: g.SizeMode == "screen", Size: g.SizeM, Nits: g.Luminance * g.Opacity, Color: l.Tint(own, g.ColorFrom),
		ToleranceM: g.ToleranceM, FadeStartM: g.FadeStartM, FadeEndM: g.FadeEndM,
	}
	if out.Screen {
		out.Size = g.SizeShare
	}
	if g.Shape == "image" {
		out.picture = l.Image(g.Image).Picture().Shrink(GlowSide)
	}
	return out
}

// GlowSide is the most texels along a glow's image.
const GlowSide = 128

// Camera is what an eye's picture needs to know of it.
type Camera struct {
	Eye, Right, Up geom.Vec3
	TanHalf        float64 // of the vertical field of view
}

// Reach bounds where a glow shows: rays within an angle, given by its cosine, of a
// direction. A glow round the eye shows everywhere.
func (g *ReadyGlow) Reach(c *Camera) (toward geom.Vec3, cos float64) {
	to := g.At.Sub(c.Eye)
	d := to.Len()
	switch {
	case g.Screen:
		return to.Mul(1 / max(d, 1e-9)), 1 / math.Hypot(1, g.Size*c.TanHalf)
	case d <= g.Size/2:
		return to, math.Inf(-1)
	}
	sin := g.Size / 2 / d // a ray that passes by at the radius
	return to.Mul(1 / d), math.Sqrt(1 - sin*sin)
}

// Along is what a glow adds to a ray that ends at a distance, before fog, and how
// far along it is. It faces the camera, so what counts is where the ray passes by
// its middle. Behind a surface it fades over its tolerance.
func (g *ReadyGlow) Along(c *Camera, dir geom.Vec3, distance float64) (nits color.Linear, depth float64) {
	to := g.At.Sub(c.Eye)
	depth = to.Dot(dir)
	if depth <= 0 || g.Nits == 0 {
		return color.Linear{}, depth
	}
	radius := g.Size / 2
	if g.Screen {
		radius = g.Size * c.TanHalf * depth
	}
	off := dir.Mul(depth).Sub(to)
	share := off.Len() / radius
	if share >= 1 {
		return color.Linear{}, depth
	}
	strength := g.Nits * min(1, max(0, (distance-depth)/max(g.ToleranceM, 0.02)+1))
	if g.FadeEndM > 0 {
		strength *= 1 - smoothstep(g.FadeStartM, g.FadeEndM, to.Len())
	}
	if strength == 0 {
		return color.Linear{}, depth
	}
	x, y := off.Dot(c.Right)/radius, off.Dot(c.Up)/radius
	if g.picture != nil {
		return g.Color.Mul(g.picture.At(0.5+x/2, 0.5-y/2)).Scale(strength), depth
	}
	return g.Color.Scale(strength * GlowShape(g.Shape, x, y)), depth
}

// GlowShape is the brightness of a built-in shape, 1 in its middle (a ring, on
// its crest), at a place given as a share of its radius, right and up.
//
//   - soft: a Gaussian, windowed so that it ends at the rim without an edge;
//   - ring: the same, narrower, about 0.7 of the radius, over a faint middle;
//   - star: a small soft middle, with rays along both axes;
//   - streak: a small soft middle, with one ray along the horizontal.
func GlowShape(shape string, x, y float64) float64 {
	r := math.Hypot(x, y)
	switch shape {
	case "ring":
		return max(bell(math.Abs(r-0.7)/0.3), 0.25*bell(r))
	case "star":
		return max(bell(r/0.4), ray(x, y), ray(y, x))
	case "streak":
		return max(bell(r/0.3), ray(x, y))
	}
	return bell(r)
}

// bell falls from 1 to 0 as its argument goes to 1, level at both ends:
// exp(-3 r²) (1 - r²)².
func bell(r float64) float64 {
	if r >= 1 {
		return 0
	}
	inside := 1 - r*r
	return math.Exp(-3*r*r) * inside * inside
}

// ray is thin across and fades along.
func ray(along, across float64) float64 {
	return 0.8 * bell(math.Abs(along)) * bell(math.Abs(across)/0.08)
}
