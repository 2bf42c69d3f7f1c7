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
type Receiver struct {
	Point, Origin, Normal geom.Vec3

	// Square is the texel's square, its middle as a step from the place; nil for a place alone.
	Square *sampling.Square
	Places int // of the square, from which rays start in turn: a power of two, mostPlaces at most
	// Parted is the scene if something may stand on the square: then only places that the origin
	// sees count.
	Parted *scene.Scene
}

// mostPlaces is the most places of a square.
const mostPlaces = 64

// At is another place of the receiver's texel, as a place alone.
func (r *Receiver) At(step geom.Vec3) Receiver {
	return Receiver{Point: r.Point.Add(step), Origin: r.Origin.Add(step), Normal: r.Normal}
}

// spread fills a list with the steps to places of the square, none where the place is alone.
func (r *Receiver) spread(room *[mostPlaces]geom.Vec3, turn float64) []geom.Vec3 {
	if r.Square == nil {
		return nil
	}
	steps := r.Square.Spread(room[:r.Places], turn)
	if r.Parted == nil {
		return steps
	}
	seen := 0
	for from := 0; from < len(steps); from += 8 {
		some := steps[from:min(from+8, len(steps))]
		var packet trace.Packet
		for i, step := range some {
			packet.Put(i, &trace.Ray{Origin: vec32(r.Origin), Dir: vec32(step), Max: 1})
		}
		blocked := r.Parted.BlockedOf(&packet, len(some))
		for i := range some {
			if blocked>>i&1 == 0 {
				steps[seen] = some[i]
				seen++
			}
		}
	}
	if seen == 0 {
		return nil
	}
	for i := seen; i < len(steps); i++ { // the number of places stays a power of two
		steps[i] = steps[i-seen]
	}
	return steps
}

// startOf is where ray i starts: at a place, or one of those about it in turn.
func startOf(steps []geom.Vec3, origin geom.Vec3, i int) geom.Vec3 {
	if len(steps) == 0 {
		return origin
	}
	return origin.Add(steps[i&(len(steps)-1)])
}

// Effort is how many samples a place takes of a source, and how many where only some of
// those see it: there they show. Where several places share the samples, each takes those from
// its own on, in steps.
type Effort struct{ Samples, Penumbra, From, Step int }

// Careful takes more in a penumbra, unless so few are asked for that it need not be exact.
func Careful(samples int) Effort {
	const few, more = 8, 4
	if samples < few {
		return Steady(samples)
	}
	return Effort{Samples: samples, Penumbra: more * samples}
}

// Steady takes as many everywhere.
func Steady(samples int) Effort { return Effort{Samples: samples, Penumbra: samples} }

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

// Sight is what a place has of a source.
type Sight struct {
	Arrives bool    // something of its light would arrive with nothing in the way
	Visible float64 // the share of that which gets past what casts shadows
	Seen    float64 // the share that nothing blocks; less than Visible where shadows are not fully dark
}

// got is what a place gets of a source: its light in lux for unit strength, and its sight.
type got struct {
	lux color.Linear
	Sight
}

func gotShare(lux color.Linear, seen float64) got { return got{lux, Sight{true, seen, seen}} }

// cast is the light of a beam with its shadows.
func cast(b beam, sc *scene.Scene, r Receiver, e Effort, turn float64) got {
	a, ok := b.unblocked(r.Point, r.Normal)
	if !ok {
		return got{}
	}
	through, visible, seen := pass(b, sc, r, a, e, turn)
	return got{meanOver(b, &r, a).Scale(through * visible), Sight{true, visible, seen}}
}

// nearShare is the square of the ratio of a texel's size to its distance from a light from which
// on the light in its middle is not the mean over the texel.
const nearShare = 0.004

// mostParts is the most parts of a texel along each side in which the light that arrives is added up.
const mostParts = 16

// meanOver is the mean of what arrives over a texel, were nothing in the way. It is computed at
// the four places of Gauss's rule, exact for polynomials up to the third degree, in as many parts of
// the texel that none is wider than half the way to the light.
func meanOver(b beam, r *Receiver, a arrival) color.Linear {
	middle := a.tint.Scale(a.lux)
	if r.Square == nil {
		return middle
	}
	sides2 := r.Square.U.Dot(r.Square.U) + r.Square.V.Dot(r.Square.V)
	if sides2 < nearShare*a.distance*a.distance {
		return middle
	}
	half := math.Sqrt(sides2) / 2 // its diagonal's
	nearest := max(a.distance-half, a.distance*math.Abs(a.toward.Dot(r.Normal)))
	parts := int(min(max(math.Ceil(2*math.Sqrt2*half/max(nearest, 1e-6)), 1), mostParts))
	if r.Square.Cells != sampling.AllCells {
		if parts == 1 {
			return middle
		}
		parts = (parts + 3) / 4 * 4 // so that each lies in one cell
	}
	var sum color.Linear
	count := 0.0
	for i := range parts * parts {
		x, y := i%parts, i/parts
		if !r.Square.Cells.Has(4*x/parts, 4*y/parts) {
			continue
		}
		count++
		for k := range 4 {
			u := (float64(x)+0.5+gaussOut*float64(2*(k&1)-1))/float64(parts) - 0.5
			v := (float64(y)+0.5+gaussOut*float64(k&2-1))/float64(parts) - 0.5
			if a, ok := b.unblocked(r.Point.Add(r.Square.Middle).Add(r.Square.U.Mul(u)).Add(r.Square.V.Mul(v)), r.Normal); ok {
				sum = sum.Add(a.tint.Scale(a.lux / 4))
			}
		}
	}
	return sum.Scale(1 / max(count, 1))
}

// gaussOut is how far the places of Gauss's rule lie from the middle, in sides: 1/sqrt(12).
const gaussOut = 0.28867513459481287

// pass is the share of a light that its own shape lets through (1 but for a box
// light with a disc), the share of that which gets past things, by the light's
// shadow settings, and the share that nothing blocks.
func pass(b beam, sc *scene.Scene, r Receiver, a arrival, e Effort, turn float64) (through, visible, open float64) {
	shadows := &b.parameters().Shadows
	strength := shadows.Depth
	if shadows.ReachM > 0 && !math.IsInf(a.distance, 1) {
		strength *= min(max((shadows.ReachM-a.distance)/max(shadows.FadeM, 1e-6), 0), 1)
	}
	blind := !shadows.Cast || strength == 0
	if !b.isSoft() {
		e = Steady(max(r.Places, 1))
	}
	if blind && !b.isWindow() {
		return 1, 1, 1
	}
	all, through, seen := sample(b, sc, r, a, blind, e, turn)
	if all == 0 && e.Step > 1 { // the part of the source that this place was to look at is behind the surface
		all, through, seen = sample(b, sc, r, a, blind, Steady(e.Samples), turn)
	}
	if seen > 0 && seen < through && e.Penumbra > e.Samples {
		all, through, seen = sample(b, sc, r, a, blind, Steady(e.Penumbra), turn)
	}
	if all == 0 || through == 0 {
		return 0, 0, 0
	}
	return through / all, 1 - strength*(1-seen/through), seen / through
}

// sample adds up the weights of a light's samples: all, those that its own shape
// lets through, and those that nothing blocks.
func sample(b beam, sc *scene.Scene, r Receiver, a arrival, blind bool, e Effort, turn float64) (all, through, seen float64) {
	c, window, parallel := b.cone(a, turn), b.isWindow(), b.isParallel()
	rays := shadowRays{sc: sc}
	var room [mostPlaces]geom.Vec3
	steps := r.spread(&room, turn)
	for i := e.From; i < e.Samples; i += max(e.Step, 1) {
		dir, distance, weight := b.toward(r, a, c, i, e.Samples, turn)
		if weight <= 0 {
			continue
		}
		all += weight
		if window && !b.lets(r.Point, dir) {
			continue
		}
		through += weight
		if blind {
			seen += weight
			continue
		}
		from := r.Origin
		if len(steps) > 0 {
			step := steps[i&(len(steps)-1)]
			from = from.Add(step)
			if !parallel { // to the same spot of the source
				to := dir.Mul(distance).Sub(step)
				distance = to.Len()
				dir = to.Mul(1 / max(distance, 1e-9))
			}
		}
		rays.send(from, dir, b.free(from, dir, distance), weight)
	}
	return all, through, seen + rays.land()
}

// shadowRays is rays to samples of a source. They are traced eight at a time.
type shadowRays struct {
	sc     *scene.Scene
	packet trace.Packet
	weight [8]float64
	n      int
	seen   float64 // the weights of those that nothing stops
}

func (s *shadowRays) send(from, dir geom.Vec3, length, weight float64) {
	ray := scene.Along(from, dir, length)
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

func vec32(v geom.Vec3) trace.Vec { return trace.Vec{float32(v[0]), float32(v[1]), float32(v[2])} }
