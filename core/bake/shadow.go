package bake

import (
	"cmp"
	"math"
	"slices"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
	"grotta/core/sky"
	"grotta/core/trace"
)

// receiver is a place to be lit: the light is reckoned at the point, and rays
// start at the origin, a little off its surface.
type receiver struct{ point, origin, normal geom.Vec3 }

// direct is the source's light on a place, in lux for unit strength, and how much
// of it gets past what casts shadows, 0 to 1. turn spins the pattern of samples.
//
// What arrives with nothing in the way is a closed form, and rays find only the
// share that is blocked; so unshadowed places have no noise.
func (s *Source) direct(sc *scene.Scene, r *receiver, e effort, turn float64) (color.Linear, float64) {
	switch s.shape.Kind {
	case AmbientKind:
		if s.zones.holds(r.origin, s.shape.Zone) {
			return color.White, 1
		}
		return color.Linear{}, 0
	case SkyKind:
		return s.skyLight(sc, r, e.samples, turn)
	case EmissiveKind:
		return s.emissiveLight(sc, r, e, turn)
	}
	a, ok := s.unblocked(r.point, r.normal)
	if !ok {
		return color.Linear{}, 0
	}
	through, visible := s.shape.pass(s, sc, r, &a, e, turn)
	return a.tint.Scale(a.lux * through * visible), visible
}

// pass is the share of a light that its own shape lets through (1 but for a box
// light with a disc), and the share of that which nothing blocks, by the light's
// shadow settings.
func (s *shape) pass(src *Source, sc *scene.Scene, r *receiver, a *arrival, e effort, turn float64) (through, visible float64) {
	strength := s.Shadows.Depth
	if s.Shadows.ReachM > 0 && !math.IsInf(a.distance, 1) {
		strength *= min(max((s.Shadows.ReachM-a.distance)/max(s.Shadows.FadeM, 1e-6), 0), 1)
	}
	blind := !s.Shadows.Cast || strength == 0
	if !s.isSoft() {
		e = steady(1)
	}
	if blind && s.Kind != level.BoxLight {
		return 1, 1
	}
	all, through, seen := s.sample(src, sc, r, a, blind, e.samples, turn)
	if seen > 0 && seen < through && e.penumbra > e.samples {
		all, through, seen = s.sample(src, sc, r, a, blind, e.penumbra, turn)
	}
	if all == 0 || through == 0 {
		return 0, 0
	}
	return through / all, 1 - strength*(1-seen/through)
}

// effort is how many samples a place takes of a source, and how many where only some of
// those see it: there they show.
type effort struct{ samples, penumbra int }

// careful takes more in a penumbra, unless so few are asked for that it need not be exact.
func careful(samples int) effort {
	const few, more = 8, 4
	if samples < few {
		return steady(samples)
	}
	return effort{samples, more * samples}
}

// steady takes as many everywhere.
func steady(samples int) effort { return effort{samples, samples} }

// isSoft tells whether the shadows of a light have penumbras.
func (s *shape) isSoft() bool {
	return s.DiscRad > 0 || s.RadiusM > 0 || s.Kind == level.Rect || s.Kind == level.Tube || s.Kind == EmissiveKind
}

// sample adds up the weights of a light's samples: all, those that its own shape
// lets through, and those that nothing blocks.
func (s *shape) sample(src *Source, sc *scene.Scene, r *receiver, a *arrival, blind bool, samples int, turn float64) (all, through, seen float64) {
	c := s.coneTo(a, turn)
	rays := shadowRays{sc: sc, from: r.origin}
	for i := range samples {
		dir, distance, weight := s.toward(src, r, a, &c, i, samples, turn)
		if weight <= 0 {
			continue
		}
		all += weight
		if s.Kind == level.BoxLight && !s.through(r.point, dir) {
			continue
		}
		through += weight
		if blind {
			seen += weight
		} else {
			rays.send(dir, s.free(r.origin, dir, distance), weight)
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

// toward is the direction from a place to sample i of a light, how far it is, and
// how much it counts: the cosine at the place, and for flat sources what distance
// and slant leave of it. c is the cone that a round source fills.
func (s *shape) toward(src *Source, r *receiver, a *arrival, c *cone, i, samples int, turn float64) (dir geom.Vec3, distance, weight float64) {
	aim := func(at geom.Vec3) (geom.Vec3, float64, float64) {
		to := at.Sub(r.origin)
		d := max(to.Len(), 1e-6)
		to = to.Mul(1 / d)
		return to, d, to.Dot(r.normal) / (d * d)
	}
	switch s.Kind {
	case level.Rect:
		at := src.polygons[0].point(i, turn)
		dir, distance, weight = aim(s.Position.Add(at.Sub(s.Position).Mul(s.Shadows.Softness)))
		return dir, distance, weight * max(0, -dir.Dot(s.Aim))
	case level.Tube:
		_, u := math.Modf((float64(i)+0.5)/float64(samples) + turn/(2*math.Pi))
		dir, distance, weight = aim(s.Position.Add(s.Right.Mul((u - 0.5) * s.Width * s.Shadows.Softness)))
		slant := dir.Dot(s.Right)
		return dir, distance, weight * math.Sqrt(max(0, 1-slant*slant))
	}
	if samples == 1 || c.cosMax >= 1 {
		return a.toward, s.entry(1, a.distance), 1
	}
	dir, cos := c.direction(i, samples)
	return dir, s.entry(cos, a.distance), dir.Dot(r.normal)
}

// cone is the directions that a round source fills, about its middle.
type cone struct {
	frame
	cosMax float64
}

// coneTo is the cone of a ball or of a disc in the sky, its axes turned by an
// angle; others have none.
func (s *shape) coneTo(a *arrival, turn float64) cone {
	sin := 0.0
	switch s.Kind {
	case level.Rect, level.Tube:
	case level.Directional, level.BoxLight:
		sin = math.Sin(min(s.DiscRad*s.Shadows.Softness, math.Pi/2))
	default:
		sin = min(s.RadiusM*s.Shadows.Softness/a.distance, 0.99999)
	}
	if sin == 0 {
		return cone{cosMax: 1}
	}
	return newCone(a.toward, math.Sqrt(1-sin*sin), turn)
}

func newCone(axis geom.Vec3, cosMax, turn float64) cone {
	u, v := geom.Axes(axis)
	sin, cos := math.Sincos(turn)
	return cone{frame{u.Mul(cos).Add(v.Mul(sin)), v.Mul(cos).Sub(u.Mul(sin)), axis}, cosMax}
}

const golden = 2.399963229728653 // radians

// spiral is the sines and cosines of the first golden angles.
var spiral = func() (all [256][2]float64) {
	for i := range all {
		all[i][0], all[i][1] = math.Sincos(float64(i) * golden)
	}
	return all
}()

// direction is sample i of n over the cone, evenly by solid angle, by a sunflower
// spiral (Vogel, 1979); and the cosine of its angle to the axis.
func (c *cone) direction(i, n int) (dir geom.Vec3, cos float64) {
	cos = 1 - (float64(i)+0.5)/float64(n)*(1-c.cosMax)
	sin := math.Sqrt(max(0, 1-cos*cos))
	var sinA, cosA float64
	if i < len(spiral) {
		sinA, cosA = spiral[i][0], spiral[i][1]
	} else {
		sinA, cosA = math.Sincos(float64(i) * golden)
	}
	return c.turn(&geom.Vec3{sin * cosA, sin * sinA, cos}), cos
}

// entry is how far a ray goes to the skin of the ball, for a ray whose angle to
// the middle has this cosine.
func (s *shape) entry(cos, distance float64) float64 {
	if math.IsInf(distance, 1) || s.Kind == level.Rect || s.Kind == level.Tube {
		return distance
	}
	under := s.RadiusM*s.RadiusM - distance*distance*(1-cos*cos)
	return distance*cos - math.Sqrt(max(0, under))
}

// free is how far a shadow ray must get: short of the source by the near distance;
// to its rectangle for a box light; without end for parallel light.
func (s *shape) free(p, dir geom.Vec3, distance float64) float64 {
	switch s.Kind {
	case level.Directional:
		return math.Inf(1)
	case level.BoxLight:
		distance = s.Position.Sub(p).Dot(s.Aim)/dir.Dot(s.Aim) - s.Shadows.NearM
	case level.Rect:
		distance -= max(s.Shadows.NearM, scene.OffsetM)
	default:
		distance -= max(s.Shadows.NearM-s.RadiusM, 0)
	}
	return max(distance, 0)
}

// emissiveLight sums the polygons of a shining material: each by Lambert's
// formula, times the share of it that rays find unblocked. Samples go to the
// polygons by what they give.
func (s *Source) emissiveLight(sc *scene.Scene, r *receiver, effort effort, turn float64) (color.Linear, float64) {
	var room [32]float64
	each, total := room[:0], 0.0
	for i := range s.polygons {
		e := s.polygons[i].irradiance(r.point, r.normal)
		each = append(each, e)
		total += e
	}
	if total == 0 {
		return color.Linear{}, 0
	}
	seen := 0.0
	for i, e := range each {
		if e > 0 {
			share := func(samples int) int { return max(1, int(math.Round(float64(samples)*e/total))) }
			v := s.polygons[i].visible(sc, r, share(effort.samples), turn+float64(i))
			if v > 0 && v < 1 && effort.penumbra > effort.samples {
				v = s.polygons[i].visible(sc, r, share(effort.penumbra), turn+float64(i))
			}
			seen += e * v
		}
	}
	return color.White.Scale(seen), seen / total
}

// visible is the share of a polygon's light on a place that nothing blocks. Where
// no sample lies above the horizon it looks at some more.
func (p *polygon) visible(sc *scene.Scene, r *receiver, samples int, turn float64) float64 {
	const more = 16
	var all float64
	rays := shadowRays{sc: sc, from: r.origin}
	for i := 0; i < samples || all == 0 && i < samples+more; i++ {
		at := p.point(i, turn)
		to := at.Sub(r.point)
		d2 := max(to.Dot(to), 1e-12)
		weight := max(0, to.Dot(r.normal)) * max(0, -to.Dot(p.normal)) / (d2 * d2)
		if weight == 0 {
			continue
		}
		all += weight
		ray := at.Sub(r.origin)
		d := max(ray.Len(), 1e-6)
		rays.send(ray.Mul(1/d), max(0, d-scene.OffsetM), weight)
	}
	if all == 0 {
		return 0
	}
	return rays.land() / all
}

// skyLight is the sky's light: over the hemisphere by the cosine, and for an image
// with bright spots half by those; the two are weighed by the balance heuristic
// (Veach and Guibas, "Optimally combining sampling techniques for Monte Carlo
// rendering", 1995). Its noise falls with the samples.
func (s *Source) skyLight(sc *scene.Scene, r *receiver, samples int, turn float64) (color.Linear, float64) {
	var sum color.Linear
	u, v := geom.Axes(r.normal)
	open, above := 0.0, 0.0
	bright := 0 // samples by brightness
	if s.isSampled() {
		bright = samples / 2
	}
	// add takes a direction and the density with which the brightness finds it.
	add := func(dir geom.Vec3, density float64) {
		cos := dir.Dot(r.normal)
		if cos <= 0 {
			return
		}
		above++
		if !sc.BlockedAlong(r.origin, dir, math.Inf(1)) {
			open++
			sum = sum.Add(s.skyRadiance(dir).Scale(cos / (float64(bright)*density + float64(samples-bright)*cos/math.Pi)))
		}
	}
	for i := range bright {
		add(s.sky.Sample(pair(i, bright, turn)))
	}
	for i := range samples - bright {
		a, b := pair(i, samples-bright, turn)
		dir, density := cosineDirection(r.normal, u, v, a, b), 0.0
		if bright > 0 {
			density = s.sky.Density(dir)
		}
		add(dir, density)
	}
	if above == 0 {
		return color.Linear{}, 0
	}
	return sum, open / above
}

// sharp is the direct light that takes rays of its own in a lightmap: all of it, but
// of a sky only what its bright spots have beyond the rest. visible is as direct has it.
func (s *Source) sharp(sc *scene.Scene, r *receiver, e effort, turn float64) (sum color.Linear, visible float64) {
	if !s.isSky() {
		return s.direct(sc, r, e, turn)
	}
	if !s.isSampled() {
		return sum, 1
	}
	for i := range e.samples {
		dir, density := s.sky.Sample(pair(i, e.samples, turn))
		if cos := dir.Dot(r.normal); cos > 0 && !sc.BlockedAlong(r.origin, dir, math.Inf(1)) {
			sum = sum.Add(s.sky.Bright(dir).Scale(cos / density / float64(e.samples)))
		}
	}
	return sum, 1
}

// skyRadiance is what a sky sends from a direction, for unit strength.
func (s *Source) skyRadiance(dir geom.Vec3) color.Linear {
	if s.shape.Patch < 0 {
		return s.sky.Radiance(dir)
	}
	if sky.PatchOf(dir) == s.shape.Patch {
		return color.White
	}
	return color.Linear{}
}

// evenSky is skyRadiance without what sharp has.
func (s *Source) evenSky(dir geom.Vec3) color.Linear {
	if s.shape.Patch < 0 {
		return s.sky.Even(dir)
	}
	return s.skyRadiance(dir)
}

// pair is point i of n of a Hammersley set over the unit square, shifted about
// itself by a turn of 0 to 2π, so that neighbours do not share their errors.
func pair(i, n int, turn float64) (u, v float64) {
	su, sv := shifts(turn)
	_, u = math.Modf((float64(i)+0.5)/float64(n) + su)
	_, v = math.Modf(radicalInverse(uint32(i)) + sv)
	return u, v
}

// shifts makes two numbers of [0, 1) from a turn of 0 to 2π; its low bits decide
// the second.
func shifts(turn float64) (u, v float64) {
	u = turn / (2 * math.Pi)
	_, v = math.Modf(u * 40503)
	return u, v
}

// radicalInverse mirrors the bits of i at the point (van der Corput, 1935).
func radicalInverse(i uint32) float64 {
	i = i<<16 | i>>16
	i = i&0x55555555<<1 | i&0xaaaaaaaa>>1
	i = i&0x33333333<<2 | i&0xcccccccc>>2
	i = i&0x0f0f0f0f<<4 | i&0xf0f0f0f0>>4
	i = i&0x00ff00ff<<8 | i&0xff00ff00>>8
	return float64(i) / (1 << 32)
}

// fans are ready patterns of rays over the hemisphere about z, by the cosine: as
// many for each number of rays, that neighbours may differ.
const fans = 64

var readyFans = map[int]*[fans][]geom.Vec3{patchRays: newFans(patchRays), Good.Rays(): newFans(Good.Rays()), Final.Rays(): newFans(Final.Rays())}

func newFans(rays int) *[fans][]geom.Vec3 {
	all := &[fans][]geom.Vec3{}
	for k := range all {
		turn := turn(fanSeed, uint64(k))
		for i := range rays {
			a, b := pair(i, rays, turn)
			all[k] = append(all[k], cosineDirection(geom.Vec3{0, 0, 1}, geom.Vec3{1, 0, 0}, geom.Vec3{0, 1, 0}, a, b))
		}
		slices.SortFunc(all[k], func(a, b geom.Vec3) int { return cmp.Compare(morton(a), morton(b)) })
	}
	return all
}

// morton numbers the directions about z along a curve, on which neighbours are
// mostly near (Morton, 1966): rays that run alike are traced faster.
func morton(d geom.Vec3) (code uint32) {
	x, y := uint32((d[0]+1)*127), uint32((d[1]+1)*127)
	for bit := range 8 {
		code |= (x>>bit&1)<<(2*bit) | (y>>bit&1)<<(2*bit+1)
	}
	return code
}

const fanSeed = 0x66616e

// fanOf is the pattern that a turn chooses.
func fanOf(rays int, turn float64) []geom.Vec3 {
	return readyFans[rays][int(turn/(2*math.Pi)*fans)%fans]
}

// frame is a normal and two axes across it.
type frame struct{ u, v, n geom.Vec3 }

func frameOf(n geom.Vec3) frame {
	u, v := geom.Axes(n)
	return frame{u, v, n}
}

// turn is a direction of a fan about the normal. It is written out, as it is done
// for every ray.
func (f *frame) turn(d *geom.Vec3) geom.Vec3 {
	x, y, z := d[0], d[1], d[2]
	return geom.Vec3{
		f.u[0]*x + f.v[0]*y + f.n[0]*z,
		f.u[1]*x + f.v[1]*y + f.n[1]*z,
		f.u[2]*x + f.v[2]*y + f.n[2]*z,
	}
}

// cosineDirection spreads the unit square over the hemisphere about n, by the
// cosine.
func cosineDirection(n, u, v geom.Vec3, a, b float64) geom.Vec3 {
	sin, cos := math.Sincos(2 * math.Pi * b)
	r := math.Sqrt(a)
	return u.Mul(r * cos).Add(v.Mul(r * sin)).Add(n.Mul(math.Sqrt(max(0, 1-a))))
}
