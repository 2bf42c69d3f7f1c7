package source

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/trace"
)

// Receiver is a place to be lit: the light is computed at the point, and rays
// start at the origin, a little off its surface. The normal has unit length.
type Receiver struct{ Point, Origin, Normal geom.Vec3 }

// Effort is how many samples a place takes of a source, and how many where only some of
// those see it: there they show.
type Effort struct{ Samples, Penumbra int }

// Careful takes more in a penumbra, unless so few are asked for that it need not be exact.
func Careful(samples int) Effort {
	const few, more = 8, 4
	if samples < few {
		return Steady(samples)
	}
	return Effort{samples, more * samples}
}

// Steady takes as many everywhere.
func Steady(samples int) Effort { return Effort{samples, samples} }

// arrival is what a light sends toward a point, were nothing in the way.
type arrival struct {
	toward   geom.Vec3    // unit, from the point to the light's middle
	distance float64      // to it; infinite for parallel light
	lux      float64      // for unit strength
	tint     color.Linear // by a gobo; else white
}

// beam is a kind that shines from a place or from a direction.
type beam interface {
	kind
	// unblocked is what arrives at a point facing n were nothing in the way: a closed form.
	unblocked(p, n geom.Vec3) (arrival, bool)
	// cone is the directions that it fills from a place, its axes turned by an angle.
	cone(a arrival, turn float64) cone
	// toward is the direction from a place to sample i, how far it is, and how much it
	// counts: the cosine at the place, and for flat sources what distance and slant leave.
	toward(r Receiver, a arrival, c cone, i, samples int, turn float64) (dir geom.Vec3, distance, weight float64)
	// lets tells whether its own shape lets a sample through.
	lets(p, dir geom.Vec3) bool
	// isWindow tells whether its own shape may let only some samples through.
	isWindow() bool
	// free is how far a shadow ray must get.
	free(p, dir geom.Vec3, distance float64) float64
	// isParallel tells whether it comes from a direction and not from a place.
	isParallel() bool
	// whyNothing says why nothing arrives where no shadow is to blame.
	whyNothing(r Receiver) string
}

// cast is the light of a beam with its shadows.
func cast(b beam, sc *scene.Scene, r Receiver, e Effort, turn float64) (color.Linear, float64) {
	a, ok := b.unblocked(r.Point, r.Normal)
	if !ok {
		return color.Linear{}, 0
	}
	through, visible := pass(b, sc, r, a, e, turn)
	return a.tint.Scale(a.lux * through * visible), visible
}

// pass is the share of a light that its own shape lets through (1 but for a box
// light with a disc), and the share of that which nothing blocks, by the light's
// shadow settings.
func pass(b beam, sc *scene.Scene, r Receiver, a arrival, e Effort, turn float64) (through, visible float64) {
	shadows := &b.parameters().Shadows
	strength := shadows.Depth
	if shadows.ReachM > 0 && !math.IsInf(a.distance, 1) {
		strength *= min(max((shadows.ReachM-a.distance)/max(shadows.FadeM, 1e-6), 0), 1)
	}
	blind := !shadows.Cast || strength == 0
	if !b.isSoft() {
		e = Steady(1)
	}
	if blind && !b.isWindow() {
		return 1, 1
	}
	all, through, seen := sample(b, sc, r, a, blind, e.Samples, turn)
	if seen > 0 && seen < through && e.Penumbra > e.Samples {
		all, through, seen = sample(b, sc, r, a, blind, e.Penumbra, turn)
	}
	if all == 0 || through == 0 {
		return 0, 0
	}
	return through / all, 1 - strength*(1-seen/through)
}

// sample adds up the weights of a light's samples: all, those that its own shape
// lets through, and those that nothing blocks.
func sample(b beam, sc *scene.Scene, r Receiver, a arrival, blind bool, samples int, turn float64) (all, through, seen float64) {
	c := b.cone(a, turn)
	rays := shadowRays{sc: sc, from: r.Origin}
	for i := range samples {
		dir, distance, weight := b.toward(r, a, c, i, samples, turn)
		if weight <= 0 {
			continue
		}
		all += weight
		if !b.lets(r.Point, dir) {
			continue
		}
		through += weight
		if blind {
			seen += weight
		} else {
			rays.send(dir, b.free(r.Origin, dir, distance), weight)
		}
	}
	return all, through, seen + rays.land()
}

// shadowRays is rays from a place to samples of a source. They are traced eight at a
// time.
type shadowRays struct {
	sc     *scene.Scene
	from   geom.Vec3
	packet trace.Packet
	weight [8]float64
	n      int
	seen   float64 // the weights of those that nothing stops
}

func (s *shadowRays) send(dir geom.Vec3, length, weight float64) {
	ray := scene.Along(s.from, dir, length)
	s.packet.Put(s.n, &ray)
	s.weight[s.n] = weight
	if s.n++; s.n == len(s.weight) {
		s.land()
	}
}

// land traces what is under way, and is the weights of all that nothing stopped.
func (s *shadowRays) land() float64 {
	blocked := s.sc.BlockedOf(&s.packet, s.n)
	for i := range s.n {
		if blocked>>i&1 == 0 {
			s.seen += s.weight[i]
		}
	}
	s.n = 0
	return s.seen
}

// cone is the directions that a round source fills, about its middle. One that fills
// none has a cosine of 1.
type cone struct {
	sampling.Frame
	cosMax float64
}

func newCone(axis geom.Vec3, cosMax, turn float64) cone {
	u, v := geom.Axes(axis)
	sin, cos := math.Sincos(turn)
	return cone{sampling.Frame{U: u.Mul(cos).Add(v.Mul(sin)), V: v.Mul(cos).Sub(u.Mul(sin)), N: axis}, cosMax}
}

// coneOf is the cone about an axis whose half angle has this sine.
func coneOf(axis geom.Vec3, sin, turn float64) cone {
	if sin == 0 {
		return cone{cosMax: 1}
	}
	return newCone(axis, math.Sqrt(1-sin*sin), turn)
}

// direction is sample i of n over the cone, evenly by solid angle, by a sunflower
// spiral; and the cosine of its angle to the axis.
func (c *cone) direction(i, n int) (dir geom.Vec3, cos float64) {
	cos = 1 - (float64(i)+0.5)/float64(n)*(1-c.cosMax)
	sin := math.Sqrt(max(0, 1-cos*cos))
	sinA, cosA := sampling.Spiral(i)
	return c.Toward(&geom.Vec3{sin * cosA, sin * sinA, cos}), cos
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
