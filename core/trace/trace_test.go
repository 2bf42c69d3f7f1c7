package trace

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// ball is a closed sphere of n by 2n quads, so that truth is known.
func ball(n int, radius float64) []Triangle {
	at := func(i, j int) Vec {
		theta, phi := math.Pi*float64(i)/float64(n), math.Pi*float64(j)/float64(n)
		return Vec{
			float32(radius * math.Sin(theta) * math.Cos(phi)),
			float32(radius * math.Cos(theta)),
			float32(radius * math.Sin(theta) * math.Sin(phi)),
		}
	}
	var out []Triangle
	for i := range n {
		for j := range 2 * n {
			k := (j + 1) % (2 * n)
			a, b, c, d := at(i, j), at(i+1, j), at(i+1, k), at(i, k)
			if i < n-1 {
				out = append(out, Triangle{a, b, c})
			}
			if i > 0 {
				out = append(out, Triangle{a, c, d})
			}
		}
	}
	return out
}

func randomRay(r *rand.Rand) Ray {
	p := func() float32 { return float32(r.Float64()*4 - 2) }
	return Ray{Vec{p(), p(), p()}, Vec{p(), p(), p()}, float32(r.Float64() * 5)}
}

// kinds are the hierarchies that this machine can walk.
func kinds(tris []Triangle) map[string]*Scene {
	k := map[string]*Scene{"binary": NewPortable(tris)}
	if HasWide() {
		k["wide"] = New(tris)
	}
	return k
}

// A scene of some of a list's triangles finds what one of those alone finds, by their
// places in the list.
func TestSomeOfAList(t *testing.T) {
	all := field(3000)
	third := func(i int) bool { return i%3 == 1 }
	var some []Triangle
	for i := range all {
		if third(i) {
			some = append(some, all[i])
		}
	}
	none, thirds := listed(all), listed(all)
	none.Takes, none.Count = func(int) bool { return false }, 0
	thirds.Takes, thirds.Count = third, len(some)
	assert.True(t, NewOf(none).Empty())
	assert.True(t, (&Scene{binary: newBinary(none)}).Empty())
	_, met := NewOf(none).Closest(Ray{Vec{}, Vec{0, 0, 1}, 10})
	assert.False(t, met)
	r, hits := rand.New(rand.NewPCG(6, 1)), 0
	alone := NewPortable(some)
	for name, s := range map[string]*Scene{"as built": NewOf(thirds), "binary": {binary: newBinary(thirds)}} {
		assert.False(t, s.Empty())
		assert.Greater(t, s.MemoryBytes(), 40*len(some))
		for range 20_000 {
			ray := randomRay(r)
			want, ok := alone.Closest(ray)
			got, found := s.Closest(ray)
			require.Equal(t, ok, found, name)
			if ok {
				hits++
				want.Triangle = 3*want.Triangle + 1
				require.Equal(t, want, got, name)
			}
		}
	}
	assert.Greater(t, hits, 500)
}

// packetOf traces eight rays together.
func packetOf(s *Scene, rays []Ray) *Packet {
	p := &Packet{}
	for i := range rays {
		p.Put(i, &rays[i])
	}
	s.ClosestOf(p)
	return p
}

// alike is eight rays that start within a spread of the first's origin and run within
// it of its direction.
func alike(r *rand.Rand, first Ray, spread float64) []Ray {
	rays := []Ray{first}
	for len(rays) < 8 {
		ray := first
		for axis := range 3 {
			ray.Origin[axis] += float32(r.NormFloat64() * spread)
			ray.Dir[axis] += float32(r.NormFloat64() * spread)
		}
		ray.Max *= float32(0.5 + r.Float64())
		rays = append(rays, ray)
	}
	return rays
}

// Every hierarchy must find what trying every triangle finds, to the bit.
func TestAgreesWithTryingEveryTriangle(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	var tris []Triangle
	for range 300 {
		c := Vec{float32(r.Float64()*3 - 1.5), float32(r.Float64()*3 - 1.5), float32(r.Float64()*3 - 1.5)}
		v := func() Vec {
			return Vec{c[0] + float32(r.NormFloat64()*0.2), c[1] + float32(r.NormFloat64()*0.2), c[2] + float32(r.NormFloat64()*0.2)}
		}
		tris = append(tris, Triangle{v(), v(), v()})
	}
	tris = append(tris, tris[:20]...) // doubled: the first in the list counts
	for kind, s := range kinds(tris) {
		hits := 0
		for range 5000 {
			ray := randomRay(r)
			want, all := Hit{Triangle: -1, T: ray.Max}, 0
			for i := range tris {
				c := cornerOf(&tris[i])
				if d, u, v, ok := meet(&c.a, &c.e1, &c.e2, &ray); ok && d < ray.Max {
					all++
					if want.takes(d, int32(i)) {
						want = Hit{int32(i), d, u, v}
					}
				}
			}
			hit, ok := s.Closest(ray)
			require.Equal(t, all > 0, ok, kind)
			require.Equal(t, want, hit, kind)
			require.Equal(t, all > 0, s.Occluded(ray), kind)
			met := 0
			s.Each(ray, func(Hit) { met++ })
			require.Equal(t, all, met, kind)
			if ok {
				hits++
			}
		}
		assert.Greater(t, hits, 500, "the rays must meet something for this to say anything")
	}
}

// The kernel and the Go walk give the same answers, bit for bit, on scenes as
// large as levels are.
func TestKernelAgreesWithGo(t *testing.T) {
	if !HasWide() {
		t.Skip("this processor has no AVX2")
	}
	r := rand.New(rand.NewPCG(9, 9))
	tris := field(20_000)
	wide, portable := New(tris), NewPortable(tris)
	for range 300_000 {
		ray := fieldRay(r, 20_000)
		a, okA := wide.Closest(ray)
		b, okB := portable.Closest(ray)
		require.Equal(t, b, a)
		require.Equal(t, okB, okA)
		require.Equal(t, okB, wide.Occluded(ray))
	}
}

// A packet finds what its rays find one by one, bit for bit, whether they run alike or
// apart, and the kernel takes those together that do run alike.
func TestPacketsAgreeWithRays(t *testing.T) {
	for kind, s := range kinds(field(20_000)) {
		r, hits, together := rand.New(rand.NewPCG(8, 9)), 0, 0
		for i := range 40_000 {
			rays := alike(r, fieldRay(r, 20_000), []float64{0, 0.01, 0.1, 0.3, 2}[i%5])
			if i%7 == 0 {
				rays[i%8].Dir[i%3] = 0 // along a plane
				rays[(i+1)%8].Max = -1
			}
			p := packetOf(s, rays)
			for k := range rays {
				hit, ok := s.Closest(rays[k])
				require.Equal(t, hit, p.Hit(k), kind)
				if ok {
					hits++
				}
			}
			if s.wide != nil && closestPacket(&s.wide.lines[0], p) >= 0 {
				together++
			}
			blocked := s.OccludedOf(p)
			for k := range rays {
				require.Equal(t, s.Occluded(rays[k]), blocked>>k&1 == 1, kind)
			}
		}
		assert.Greater(t, hits, 80_000, kind)
		if kind == "wide" {
			assert.Greater(t, together, 20_000, "else the packets were traced ray by ray")
		}
	}
}

// Nodes hold their boxes as half-floats: far from the origin, seen from far away,
// very small, very large and flat, they must still let no hit slip.
func TestBoxesHoldWhatIsInThem(t *testing.T) {
	if !HasWide() {
		t.Skip("this processor has no AVX2")
	}
	for name, c := range map[string]struct {
		scale, shift float32
		flat         bool
	}{
		"far off": {1, 2e4, false}, "small": {1e-6, 0, false}, "large": {1e5, 0, false}, "flat": {1, 3, true},
		"small and far off": {1e-2, 300, false},
	} {
		r, tris := rand.New(rand.NewPCG(4, 4)), field(4000)
		move := func(v Vec) Vec {
			if c.flat {
				v[1] = float32(int(v[1] * 4)) // in a few level planes
			}
			return Vec{v[0]*c.scale + c.shift, v[1]*c.scale - c.shift, v[2]*c.scale + c.shift}
		}
		for i, tri := range tris {
			tris[i] = Triangle{move(tri.A), move(tri.B), move(tri.C)}
		}
		wide, portable, hits := New(tris), NewPortable(tris), 0
		for i := range 60_000 {
			ray := fieldRay(r, 4000)
			away := float32(0)
			if i%2 == 0 {
				away = 1000
			}
			ray.Origin = move(ray.Origin)
			for k := range ray.Origin {
				ray.Origin[k] -= away * c.scale * ray.Dir[k]
			}
			ray.Max = 1e9
			a, _ := wide.Closest(ray)
			b, ok := portable.Closest(ray)
			require.Equal(t, b, a, name)
			require.Equal(t, b, packetOf(wide, slices.Repeat([]Ray{ray}, 8)).Hit(5), name)
			require.Equal(t, ok, wide.Occluded(ray), name)
			if ok {
				hits++
			}
		}
		assert.Greater(t, hits, 2000, name)
	}
}

// No ray aimed at a shared edge or corner of a closed mesh gets through: two
// million of them, on either path.
func TestClosedMeshDoesNotLeak(t *testing.T) {
	tris := ball(24, 1)
	for kind, s := range kinds(tris) {
		r := rand.New(rand.NewPCG(3, 4))
		leaks, rays := 0, make([]Ray, 8)
		var tri Triangle
		for i := range 500_000 {
			if i%8 == 0 { // eight rays run alike, as packets want
				tri = tris[r.IntN(len(tris))]
			}
			k := float32(r.Float64())
			if i%10 == 0 {
				k = 0 // a corner
			}
			aim := Vec{tri.A[0] + k*(tri.B[0]-tri.A[0]), tri.A[1] + k*(tri.B[1]-tri.A[1]), tri.A[2] + k*(tri.B[2]-tri.A[2])}
			from := Vec{float32(r.Float64()*0.6 - 0.3), float32(r.Float64()*0.6 - 0.3), float32(r.Float64()*0.6 - 0.3)}
			ray := Ray{from, sub(aim, from), 1e6}
			_, ok := s.Closest(ray)
			if !ok || !s.Occluded(ray) {
				leaks++
			}
			if rays[i%8] = ray; i%8 == 7 {
				if p := packetOf(s, rays); slices.Contains(p.Triangle[:], -1) || s.OccludedOf(p) != 0xff {
					leaks++
				}
			}
		}
		assert.Zero(t, leaks, kind)
	}
}

func TestOddGeometryIsSurvived(t *testing.T) {
	nan := float32(math.NaN())
	same := Triangle{Vec{1, 1, 1}, Vec{1, 1, 1}, Vec{1, 1, 1}}
	vast := ball(12, 1e19) // boxes whose areas are beyond float32
	many := make([]Triangle, 5000)
	for i := range many {
		many[i] = same
	}
	for name, tris := range map[string][]Triangle{
		"none":        nil,
		"not finite":  {{Vec{nan, 0, 0}, Vec{0, 1, 0}, Vec{0, 0, 1}}},
		"no area":     many,
		"needle":      {{Vec{0, 0, 0}, Vec{1e6, 1e-9, 0}, Vec{2e6, 0, 0}}},
		"doubled":     {{Vec{0, 0, 0}, Vec{1, 0, 0}, Vec{0, 1, 0}}, {Vec{0, 0, 0}, Vec{1, 0, 0}, Vec{0, 1, 0}}},
		"axis planes": ball(4, 2),
		"vast":        vast,
	} {
		for kind, s := range kinds(tris) {
			name := name + ", " + kind
			for _, d := range []Vec{{1, 0, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, 0}} {
				hit, ok := s.Closest(Ray{Vec{0.1, 0.1, -1}, d, 100})
				assert.Equal(t, ok, s.Occluded(Ray{Vec{0.1, 0.1, -1}, d, 100}), name)
				assert.False(t, math.IsNaN(float64(hit.T)), name)
				p := packetOf(s, slices.Repeat([]Ray{{Vec{0.1, 0.1, -1}, d, 100}}, 8))
				assert.Equal(t, hit, p.Hit(0), name)
			}
		}
	}
}

// field is balls strewn over a yard, one on every square metre of a side that
// grows with their number: larger levels are wider, not denser.
func field(n int) []Triangle {
	r := rand.New(rand.NewPCG(5, 6))
	tris, side := make([]Triangle, 0, n+400), fieldSide(n)
	for len(tris) < n {
		shift := Vec{float32(r.Float64() * side), float32(r.Float64() * 3), float32(r.Float64() * side)}
		for _, t := range ball(10, 0.2+r.Float64()*0.4) {
			for _, v := range []*Vec{&t.A, &t.B, &t.C} {
				*v = Vec{v[0] + shift[0], v[1] + shift[1], v[2] + shift[2]}
			}
			tris = append(tris, t)
		}
	}
	return tris
}

func fieldSide(n int) float64 { return math.Sqrt(float64(n) / 360) }

// fieldRay starts anywhere in the field and goes anywhere.
func fieldRay(r *rand.Rand, n int) Ray {
	d := Vec{float32(r.NormFloat64()), float32(r.NormFloat64()), float32(r.NormFloat64())}
	l, side := float32(math.Sqrt(float64(d[0]*d[0]+d[1]*d[1]+d[2]*d[2]))), fieldSide(n)
	return Ray{
		Vec{float32(r.Float64() * side), float32(r.Float64() * 3), float32(r.Float64() * side)},
		Vec{d[0] / l, d[1] / l, d[2] / l}, 100,
	}
}

// A ray without a place or a direction meets nothing, on either path, and ends.
func TestRaysThatAreNone(t *testing.T) {
	nan, inf := float32(math.NaN()), float32(math.Inf(1))
	for name, s := range kinds(ball(40, 1)) {
		for _, bad := range []float32{nan, inf, -inf} {
			for axis := range 6 {
				r := Ray{Vec{0, 0, 3}, Vec{0, 0, -1}, 100}
				if axis < 3 {
					r.Origin[axis] = bad
				} else {
					r.Dir[axis-3] = bad
				}
				_, hit := s.Closest(r)
				require.False(t, hit, "%s, %v on axis %d", name, bad, axis)
				require.False(t, s.Occluded(r), "%s, %v on axis %d", name, bad, axis)
				fine := Ray{Vec{0, 0, 3}, Vec{0, 0, -1}, 100}
				p := packetOf(s, []Ray{fine, fine, fine, r, fine, fine, fine, fine})
				require.EqualValues(t, 0xf7, s.OccludedOf(p), "%s, %v on axis %d", name, bad, axis)
				require.Negative(t, p.Triangle[3], "%s, %v on axis %d", name, bad, axis)
				require.GreaterOrEqual(t, p.Triangle[4], int32(0), "%s, %v on axis %d", name, bad, axis)
				s.Each(r, func(Hit) { t.Errorf("%s: a hit of %v on axis %d", name, bad, axis) })
			}
		}
	}
}

// No ray takes memory.
func TestRaysTakeNoMemory(t *testing.T) {
	for kind, s := range kinds(ball(20, 1)) {
		ray := Ray{Vec{0, 0, 3}, Vec{0, 0, -1}, 100}
		assert.Zero(t, testing.AllocsPerRun(10, func() {
			var p Packet
			p.Put(0, &ray)
			p.Fill(1)
			s.ClosestOf(&p)
			s.OccludedOf(&p)
			s.Closest(ray)
			s.Occluded(ray)
		}), kind)
	}
}

// Boxes finds every box that another meets, and little else.
func TestBoxesNearAnother(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	random := func(size float64) Box {
		at := Vec{float32(40 * r.Float64()), float32(3 * r.Float64()), float32(40 * r.Float64())}
		return Box{at, Vec{at[0] + float32(size*r.Float64()), at[1] + float32(size*r.Float64()), at[2] + float32(size*r.Float64())}}
	}
	var list []Box
	for range 2000 {
		list = append(list, random(1))
	}
	list = append(list, Box{Vec{0, 0, 0}, Vec{40, 0.1, 40}}, list[7], list[7]) // a large one, and doubles
	boxes, met, asked := NewBoxes(list), 0, 0
	for range 500 {
		other := random(3)
		found := map[int]int{}
		boxes.Near(other, func(i int) { found[i]++ })
		asked += len(found)
		for i, b := range list {
			apart := false
			for axis := range 3 {
				apart = apart || b.Max[axis] < other.Min[axis] || b.Min[axis] > other.Max[axis]
			}
			if !apart {
				met++
				require.Equal(t, 1, found[i])
			}
		}
	}
	assert.Greater(t, met, 500)
	assert.Less(t, asked, 500*100, "of 2003 each")
	NewBoxes(nil).Near(random(1), func(int) { t.Error("a box of none") })
}
