package scene

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/trace"
)

// ball is a sphere as a geometry, with normals and places in images.
func ball(id string, n int) *level.Geometry {
	g := &level.Geometry{ID: id}
	for i := range n + 1 {
		for k := range n + 1 {
			a, b := float64(i)/float64(n)*math.Pi, float64(k)/float64(n)*2*math.Pi
			x, y, z := math.Sin(a)*math.Cos(b), math.Cos(a), math.Sin(a)*math.Sin(b)
			g.Positions, g.Normals = append(g.Positions, x, y, z), append(g.Normals, x, y, z)
			g.UVs = append(g.UVs, float64(k)/float64(n), float64(i)/float64(n))
		}
	}
	for i := range uint32(n) {
		for k := range uint32(n) {
			a, c := i*uint32(n+1)+k, (i+1)*uint32(n+1)+k
			g.Indices = append(g.Indices, a, a+1, c, a+1, c+1, c)
		}
	}
	return g
}

// grove is a level in which balls of one geometry stand about, some scaled, stretched, cut out by an image or
// with two sides; and the same with triangles of their own.
func grove(t *testing.T) (shared, own *level.Level) {
	t.Helper()
	r := rand.New(rand.NewPCG(11, 11))
	shared = leveltest.Level(r)
	shared.Meshes, shared.Geometries = nil, []*level.Geometry{ball("ball", 9)}
	leaf := level.Default[level.Material]()
	leaf.ID, leaf.Translucency = "leaf", 0.4
	shared.Materials = append(shared.Materials, &leaf)
	for i := range 9 {
		m := level.Default[level.Mesh]()
		m.ID, m.Geometry = fmt.Sprint("ball-", i), "ball"
		m.Surface.Material = []string{"", "leaf", "lace"}[i%3]
		q := mgl64.QuatRotate(r.Float64()*6, geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}.Normalize())
		m.Transform = level.Transform{Position: level.Vec{r.Float64()*6 - 3, r.Float64() * 3, r.Float64()*6 - 3}, Rotation: [4]float64{q.V[0], q.V[1], q.V[2], q.W}}
		if i > 2 {
			m.Scale = level.Vec{0.4, 0.4, 0.4}
		}
		if i > 5 {
			m.Scale = level.Vec{0.3, 0.3 + r.Float64(), 0.3}
		}
		shared.Meshes = append(shared.Meshes, &m)
	}
	require.NoError(t, shared.Validate())
	copied := *shared
	copied.Geometries, copied.Meshes = nil, nil
	for _, m := range shared.Meshes {
		next := *m
		next.Geometry, next.Scale, next.Positions, next.Normals = "", level.Vec{}, nil, nil
		for i := range uint32(m.CountVertices()) {
			v, n := m.Vertex(i), m.Normal(i)
			next.Positions, next.Normals = append(next.Positions, v[0], v[1], v[2]), append(next.Normals, n[0], n[1], n[2])
		}
		copied.Meshes = append(copied.Meshes, &next)
	}
	require.NoError(t, copied.Validate())
	return shared, &copied
}

// What is placed has the surfaces, corners, normals and places in images of the same triangles of its own.
func TestPlacedMeshesAreAsTheirTriangles(t *testing.T) {
	shared, own := grove(t)
	a, b := Build(shared), Build(own)
	require.NotZero(t, a.shared)
	require.Equal(t, b.Triangles(), a.Triangles())
	require.Len(t, a.Surfaces, len(b.Surfaces))
	assert.Equal(t, b.SurfaceOf, a.SurfaceOf)
	assert.Equal(t, b.DrawnTriangles(), a.DrawnTriangles())
	for i := range a.Triangles() {
		ca, cb := a.CornersOf(i), b.CornersOf(i)
		for k := range 3 {
			assert.InDelta(t, 0, ca[k].Sub(cb[k]).Len(), 1e-6)
			assert.Greater(t, a.CornerNormal(i, k).Dot(b.CornerNormal(i, k)), 1-1e-6)
			fa, fb := &a.Surfaces[a.SurfaceOf[i]], &b.Surfaces[b.SurfaceOf[i]]
			ua, va := a.CornerUV(fa, i-int(fa.First), k, ca[k])
			ub, vb := b.CornerUV(fb, i-int(fb.First), k, cb[k])
			assert.InDelta(t, ub, ua, 1e-6)
			assert.InDelta(t, vb, va, 1e-6)
		}
		assert.Equal(t, b.OtherSide(i), a.OtherSide(i))
	}
	da, db := a.Digests(), b.Digests()
	require.Len(t, da, len(db))
	for i := range da {
		assert.Equal(t, db[i].Entity, da[i].Entity)
		assert.Equal(t, db[i].Roles, da[i].Roles)
	}
	assert.Less(t, a.MemoryBytes(), b.MemoryBytes()*2/3)
}

// Rays meet the same things in both, through holes and on both sides.
func TestRaysMeetPlacedMeshes(t *testing.T) {
	shared, own := grove(t)
	a, b := Build(shared), Build(own)
	r := rand.New(rand.NewPCG(13, 13))
	point := func() geom.Vec3 { return geom.Vec3{r.Float64()*7 - 3.5, r.Float64() * 3, r.Float64()*7 - 3.5} }
	off, met := 0, 0
	const rays = 3000
	for range rays {
		from, to := point(), point()
		dir := to.Sub(from)
		ma, oka := a.Meet(Along(from, dir, 5))
		mb, okb := b.Meet(Along(from, dir, 5))
		if okb && b.Surfaces[mb.Surface].Body().Mesh != nil {
			met++
		}
		if oka != okb || ma.Surface != mb.Surface || ma.Front != mb.Front || math.Abs(ma.T-mb.T) > 1e-4 {
			off++
		}
		if a.Blocked(from, to) != b.Blocked(from, to) {
			off++
		}
		var packet trace.Packet
		for i := range 8 {
			ray := Along(from, dir, float64(i+1)/8)
			packet.Put(i, &ray)
		}
		other := packet
		if a.BlockedOf(&packet, 8) != b.BlockedOf(&other, 8) {
			off++
		}
		if len(a.Blockers(from, to)) != len(b.Blockers(from, to)) {
			off++
		}
	}
	assert.Greater(t, met, rays/8)
	assert.LessOrEqual(t, off, rays/300, "edges, where rounding decides")
}

// A mesh that sways has triangles of its own, and so have those of a geometry of few triangles, or of one that is shown once.
func TestWhatIsNotPlaced(t *testing.T) {
	shared, _ := grove(t)
	placedIn := func(l *level.Level) int { return Build(l).shared }
	whole := placedIn(shared)
	for name, change := range map[string]func(l *level.Level){
		"shown once": func(l *level.Level) { l.Meshes = l.Meshes[:1] },
		"few":        func(l *level.Level) { l.Geometries = []*level.Geometry{ball("ball", 4)} },
	} {
		l, _ := grove(t)
		change(l)
		require.NoError(t, l.Validate())
		assert.Zero(t, placedIn(l), name)
	}
	// One that sways, or is off, does not keep the others from sharing.
	bending, _ := grove(t)
	bending.Meshes[0].Sways = &level.Sway{ReachM: 1, PeriodS: 2}
	assert.Equal(t, whole-2*9*8, placedIn(bending))
	off, _ := grove(t)
	off.Meshes[0].Enabled = false
	assert.Less(t, placedIn(off), whole)
	assert.Positive(t, placedIn(off))
}
