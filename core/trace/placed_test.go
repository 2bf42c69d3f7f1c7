package trace

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/stretchr/testify/assert"
)

// stand is a placed scene and the same triangles in the outer space.
func stand(of *Scene, tris []Triangle, m mgl64.Mat4, first int) (Placed, []Triangle) {
	p := Placed{Scene: of, First: int32(first), Box: Box{Vec{math.MaxFloat32, math.MaxFloat32, math.MaxFloat32}, Vec{-math.MaxFloat32, -math.MaxFloat32, -math.MaxFloat32}}}
	back := m.Inv()
	for row := range 3 {
		for col := range 4 {
			p.From[row][col] = float32(back.At(row, col))
		}
	}
	apply := func(v Vec) Vec {
		w := m.Mul4x1(mgl64.Vec4{float64(v[0]), float64(v[1]), float64(v[2]), 1})
		out := Vec{float32(w[0]), float32(w[1]), float32(w[2])}
		for axis := range 3 {
			p.Box.Min[axis], p.Box.Max[axis] = min(p.Box.Min[axis], out[axis]), max(p.Box.Max[axis], out[axis])
		}
		return out
	}
	var flat []Triangle
	for _, t := range tris {
		flat = append(flat, Triangle{apply(t.A), apply(t.B), apply(t.C)})
	}
	return p, flat
}

// Rays meet placed scenes where they meet their triangles laid out in the outer space: within rounding, by
// every question, alone and in packets, with triangles of the outer scene among them.
func TestPlacedScenesAreMetLikeTheirTriangles(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	balls, outer := ball(7, 0.4), field(200)
	all, own := append([]Triangle{}, outer...), New(balls)
	var placed []Placed
	for range 30 {
		axis := mgl64.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}.Normalize()
		m := mgl64.Translate3D(r.Float64()*4-2, r.Float64()*4-2, r.Float64()*4-2).Mul4(mgl64.HomogRotate3D(r.Float64()*6, axis)).
			Mul4(mgl64.Scale3D(0.2+r.Float64(), 0.2+r.Float64(), 0.2+r.Float64()))
		p, flat := stand(own, balls, m, len(all))
		placed, all = append(placed, p), append(all, flat...)
	}
	flat, with := New(all), NewWith(listed(outer), placed)
	assert.Less(t, with.MemoryBytes(), flat.MemoryBytes()/5)
	assert.False(t, with.Empty())
	assert.False(t, NewWith(listed(nil), placed[:1]).Empty())
	off, met := 0, 0
	const rays = 4000
	for n := 0; n < rays; n += 8 {
		var packet Packet
		var list [8]Ray
		for i := range list {
			list[i] = randomRay(r)
			packet.Put(i, &list[i])
		}
		shadows := packet
		with.ClosestOf(&packet)
		blocked := with.OccludedOf(&shadows)
		for i, ray := range list {
			want, hits := flat.Closest(ray)
			got, ok := with.Closest(ray)
			assert.Equal(t, got, packet.Hit(i))
			assert.Equal(t, with.Occluded(ray), blocked>>i&1 == 1)
			assert.Equal(t, ok, with.Occluded(ray))
			if hits {
				met++
			}
			if hits != ok || hits && (math.Abs(float64(want.T-got.T)) > 1e-4) {
				off++ // an edge, on one side of rounding here and on the other there
				continue
			}
			if want.Triangle != got.Triangle {
				off++
			}
			found, wanted := map[int32]bool{}, map[int32]bool{}
			with.Each(ray, func(h Hit) { found[h.Triangle] = true })
			flat.Each(ray, func(h Hit) { wanted[h.Triangle] = true })
			for k := range wanted {
				if !found[k] {
					off++
				}
			}
		}
	}
	assert.Greater(t, met, rays/6)
	assert.LessOrEqual(t, off, rays/500, "of %d rays", rays)
	with.Closest(Ray{Vec{float32(math.NaN())}, Vec{1}, 1}) // meets nothing, and does not hang
	assert.False(t, with.Occluded(Ray{Vec{}, Vec{float32(math.Inf(1))}, 1}))
}

// Tiles that lie side by side are tight, as far out as levels reach: no ray slips between two.
func TestPlacedTilesAreTight(t *testing.T) {
	tile := []Triangle{{Vec{0, 0, 0}, Vec{1, 0, 0}, Vec{1, 0, 1}}, {Vec{0, 0, 0}, Vec{1, 0, 1}, Vec{0, 0, 1}}}
	own := New(tile)
	r := rand.New(rand.NewPCG(5, 5))
	for _, out := range []float64{0, 100, 1000} {
		var placed []Placed
		for x := range 8 {
			for z := range 8 {
				p, _ := stand(own, tile, mgl64.Translate3D(out+float64(x), 0, out+float64(z)).Mul4(mgl64.Scale3D(1.0000001, 1, 1)), 2*len(placed))
				placed = append(placed, p)
			}
		}
		s := NewWith(listed(nil), placed)
		for range 20000 {
			x, z := float32(out+1+float64(r.IntN(6))), float32(out+1+6*r.Float64())
			if r.IntN(2) == 0 {
				x, z = z, x
			}
			from := Vec{x + float32(r.NormFloat64()), 2, z + float32(r.NormFloat64())}
			assert.True(t, s.Occluded(Ray{from, Vec{x - from[0], -2, z - from[2]}, 2}))
		}
	}
}
