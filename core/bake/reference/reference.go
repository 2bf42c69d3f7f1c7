// Package reference is an independent answer to what a bake computes: path tracing from the
// place itself, with its own formulas for lights. It shares nothing with the bake but the
// scene's triangles and its rays. Tests and the figures of the docs hold the bake against it;
// the program does not use it.
package reference

import (
	"math"
	"math/rand/v2"
	"runtime"
	"sync"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/scene"
	"grotta/core/trace"
)

// Tracer follows paths through a level. It knows points and spots without a size, the sun, a
// sky of one colour, and matt surfaces.
type Tracer struct {
	m      *lightmap.Map
	lights []lamp
	sun    *sun
	sky    float64 // nits
}

type lamp struct {
	at, aim            geom.Vec3
	candela            float64
	spot               bool
	cosInner, cosOuter float64
}

type sun struct {
	toward geom.Vec3
	lux    float64
	cosMax float64 // of the disc's half angle
}

// New makes a tracer of a level that is laid out.
func New(m *lightmap.Map) *Tracer {
	l := m.Scene.Level
	t := &Tracer{m: m}
	for _, light := range l.Lights {
		pose := m.Scene.World.Pose(&light.Entity)
		t.lights = append(t.lights, lamp{
			at: pose.Position, aim: pose.Forward(), candela: light.Strength, spot: light.Kind == level.Spot,
			cosInner: math.Cos(light.InnerDeg * math.Pi / 180), cosOuter: math.Cos(light.OuterDeg * math.Pi / 180),
		})
	}
	if s := l.Environment.Sun; s != nil && s.Enabled {
		t.sun = &sun{s.Toward(), s.Lux, math.Cos(s.AngularDeg / 2 * math.Pi / 180)}
	}
	if l.Environment.Sky.Lights {
		t.sky = l.Environment.Sky.Luminance
	}
	return t
}

// Answer is an estimate of light in lux, and its standard error.
type Answer struct{ Lux, Error float64 }

// Texel is the mean light over a texel's square, so far as it lies on the surface and outside of
// solids, by so many paths. Where something stands on the square, the texel has the light of the side on which its
// place is, so the mean is over that side.
func (t *Tracer) Texel(i, paths int) Answer {
	texel := &t.m.Texels.List[i]
	n := texel.Normal(t.m.Scene)
	c := &t.m.Layout.Charts[t.m.ChartOf(i)]
	u, v := c.Axes()
	middle := vec(texel.Origin)
	x, y := c.At(middle)
	du, dv := math.Floor(x)+0.5-x, math.Floor(y)+0.5-y // from where the texel was put to its middle
	r := rand.New(rand.NewPCG(uint64(i), 77))
	return t.mean(paths, r, func() geom.Vec3 {
		for range 64 {
			at := middle.Add(u.Mul((du + r.Float64() - 0.5) / c.Density)).Add(v.Mul((dv + r.Float64() - 0.5) / c.Density))
			if t.onSurface(at, n, texel.Surface(t.m.Scene)) && !t.m.Scene.Blocked(middle, at) {
				return at
			}
		}
		return middle
	}, n)
}

// At is the light on a place that faces n.
func (t *Tracer) At(place, n geom.Vec3, paths int) Answer {
	r := rand.New(rand.NewPCG(math.Float64bits(place[0]), math.Float64bits(place[2])))
	return t.mean(paths, r, func() geom.Vec3 { return place.Add(n.Mul(scene.OffsetM)) }, n)
}

// Texels are the answers for some texels, on all cores.
func (t *Tracer) Texels(list []int, paths int) []Answer {
	out := make([]Answer, len(list))
	var wait sync.WaitGroup
	next := make(chan int, len(list))
	for k := range list {
		next <- k
	}
	close(next)
	for range runtime.GOMAXPROCS(0) {
		wait.Go(func() {
			for k := range next {
				out[k] = t.Texel(list[k], paths)
			}
		})
	}
	wait.Wait()
	return out
}

// Pick lists some of the texels of what has an id that is judged, evenly.
func Pick(m *lightmap.Map, judges func(id string) bool, count int) (list []int) {
	var judged []int
	for i := range m.Texels.List {
		if judges(m.Scene.Surfaces[m.Texels.List[i].Surface(m.Scene)].Body().Entity) {
			judged = append(judged, i)
		}
	}
	for k := range count {
		list = append(list, judged[(2*k+1)*len(judged)/(2*count)])
	}
	return list
}

func (t *Tracer) onSurface(at, n geom.Vec3, surface int) bool {
	m, ok := t.m.Scene.Meet(ray(at, n.Mul(-1)))
	return ok && m.Surface == surface && m.T < 4*scene.OffsetM && t.m.Scene.Inside(at) == ""
}

func (t *Tracer) mean(paths int, r *rand.Rand, start func() geom.Vec3, n geom.Vec3) Answer {
	sum, squares := 0.0, 0.0
	for range paths {
		lux := t.path(r, start(), n)
		sum, squares = sum+lux, squares+lux*lux
	}
	mean := sum / float64(paths)
	return Answer{mean, math.Sqrt(max(0, squares/float64(paths)-mean*mean) / float64(paths))}
}

// path is one sample of the light on a place, in lux.
func (t *Tracer) path(r *rand.Rand, at, n geom.Vec3) float64 {
	sum, through := 0.0, 1.0
	for step := 0; ; step++ {
		sum += through * (t.direct(r, at, n, step == 0) + t.onceBounced(r, at, n))
		dir := cosine(r, n)
		m, ok := t.m.Scene.Meet(ray(at, dir))
		if !ok {
			return sum + through*math.Pi*t.sky
		}
		surface := &t.m.Scene.Surfaces[m.Surface]
		if t.m.Layout.ChartOf[m.Surface] < 0 || !m.Front {
			return sum
		}
		albedo := grey(surface.Finish().Albedo)
		through *= albedo
		if step > 2 {
			if r.Float64() >= albedo {
				return sum
			}
			through /= albedo
		}
		n = m.Normal.Normalize()
		if r.Float64() < t.m.Scene.Translucency(surface) {
			n = n.Mul(-1)
		}
		at = at.Add(dir.Mul(m.T)).Add(n.Mul(scene.OffsetM))
	}
}

// onceBounced is a sample of the light of spots on a place that bounced once. The place where it
// bounced is drawn from the cone of the spot, as a cosine draw would rarely find a small one.
func (t *Tracer) onceBounced(r *rand.Rand, at, n geom.Vec3) (lux float64) {
	for i := range t.lights {
		l := &t.lights[i]
		if !l.spot {
			continue
		}
		dir := within(r, l.aim, l.cosOuter)
		m, ok := t.m.Scene.Meet(ray(l.at, dir))
		if !ok || !m.Front || t.m.Layout.ChartOf[m.Surface] < 0 {
			continue
		}
		normal := m.Normal.Normalize()
		bright := l.at.Add(dir.Mul(m.T)).Add(normal.Mul(scene.OffsetM))
		to := bright.Sub(at)
		d := to.Len()
		to = to.Mul(1 / d)
		cos, cosBright := to.Dot(n), -to.Dot(normal)
		if cos <= 0 || cosBright <= 0 || t.m.Scene.Blocked(at, bright) {
			continue
		}
		// The cosine at the bright place and the square of its distance from the spot cancel with
		// those of the change from area to solid angle.
		solid := 2 * math.Pi * (1 - l.cosOuter)
		albedo := grey(t.m.Scene.Surfaces[m.Surface].Finish().Albedo)
		lux += albedo / math.Pi * l.candela * l.fading(dir) * cos * cosBright / (d * d) * solid
	}
	return lux
}

// fading is the share of a spot's light toward a direction (KHR_lights_punctual).
func (l *lamp) fading(dir geom.Vec3) float64 {
	a := min(max((dir.Dot(l.aim)-l.cosOuter)/max(0.001, l.cosInner-l.cosOuter), 0), 1)
	return a * a
}

// direct is the light of lamps and the sun on a place just above a surface; that of spots only where asked for.
func (t *Tracer) direct(r *rand.Rand, at, n geom.Vec3, spots bool) (lux float64) {
	for i := range t.lights {
		l := &t.lights[i]
		if l.spot && !spots {
			continue
		}
		to := l.at.Sub(at.Sub(n.Mul(scene.OffsetM)))
		d := to.Len()
		dir := to.Mul(1 / d)
		cos := dir.Dot(n)
		if cos <= 0 {
			continue
		}
		e := l.candela * cos / (d * d)
		if l.spot {
			e *= l.fading(dir.Mul(-1))
		}
		if e > 0 && !t.m.Scene.Blocked(at, l.at) {
			lux += e
		}
	}
	if s := t.sun; s != nil {
		dir := within(r, s.toward, s.cosMax)
		if cos := dir.Dot(n); cos > 0 && !t.m.Scene.BlockedAlong(at, dir, math.Inf(1)) {
			lux += s.lux * cos
		}
	}
	return lux
}

// within is a direction within a cone about an axis, evenly by solid angle.
func within(r *rand.Rand, axis geom.Vec3, cosMax float64) geom.Vec3 {
	cos := 1 - r.Float64()*(1-cosMax)
	turn, sin := 2*math.Pi*r.Float64(), math.Sqrt(max(0, 1-cos*cos))
	u, v := geom.Axes(axis)
	return u.Mul(sin * math.Cos(turn)).Add(v.Mul(sin * math.Sin(turn))).Add(axis.Mul(cos))
}

func cosine(r *rand.Rand, n geom.Vec3) geom.Vec3 {
	u, v := geom.Axes(n)
	a, turn := r.Float64(), 2*math.Pi*r.Float64()
	sin := math.Sqrt(a)
	return u.Mul(sin * math.Cos(turn)).Add(v.Mul(sin * math.Sin(turn))).Add(n.Mul(math.Sqrt(1 - a)))
}

func ray(at, dir geom.Vec3) trace.Ray {
	return trace.Ray{
		Origin: trace.Vec{float32(at[0]), float32(at[1]), float32(at[2])},
		Dir:    trace.Vec{float32(dir[0]), float32(dir[1]), float32(dir[2])}, Max: math.MaxFloat32,
	}
}

func grey(c color.Linear) float64 { return min(c.Luminance(), 0.98) }

func vec(v [3]float32) geom.Vec3 { return geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])} }
