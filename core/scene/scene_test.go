package scene_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
	"grotta/core/trace"
)

func two(edit func(near, far *level.Solid)) *scene.Scene {
	l := level.New("Two")
	box := func(id string, z float64) *level.Solid {
		s := level.Default[level.Solid]()
		s.ID, s.Size, s.Transform.Position = id, level.Vec{2, 2, 0.2}, level.Vec{0, 0, z}
		l.Solids = append(l.Solids, &s)
		return &s
	}
	edit(box("near", -2), box("far", -4))
	return scene.Build(l)
}

var eye, forward = geom.Vec3{0, 0, 0}, geom.Vec3{0, 0, -1}

// What casts a shadow and what is seen are asked apart.
func TestRolesAreKeptApart(t *testing.T) {
	s := two(func(near, far *level.Solid) { near.Surface.Visible = false })
	hit, ok := s.See(eye, forward, 100)
	require.True(t, ok)
	assert.Equal(t, "far", s.Surfaces[hit.Surface].Body().Entity)
	assert.InDelta(t, 3.9, hit.Distance, 1e-5)
	assert.True(t, s.Blocked(eye, geom.Vec3{0, 0, -3}), "an unseen blocker stops light")

	s = two(func(near, far *level.Solid) { near.Surface.CastsShadow = false })
	assert.False(t, s.Blocked(eye, geom.Vec3{0, 0, -3}))
	assert.Empty(t, s.Inside(geom.Vec3{0, 0, -2}), "it shuts no light in")
	assert.Equal(t, "far", s.Inside(geom.Vec3{0, 0, -4}))

	s = two(func(near, far *level.Solid) { near.Enabled = false })
	assert.Len(t, s.Surfaces, 6)
}

func TestBlockersGoFromNearToFarEachOnce(t *testing.T) {
	s := two(func(_, _ *level.Solid) {})
	found := s.Blockers(eye, geom.Vec3{0, 0, -10})
	require.Len(t, found, 2)
	assert.Equal(t, []string{"near", "far"}, []string{found[0].ID, found[1].ID})
	assert.InDelta(t, -1.9, found[0].Point[2], 1e-5)
	assert.Empty(t, s.Blockers(eye, geom.Vec3{0, 0, -1}))
}

func TestFacesWithAnEntryOfTheirOwn(t *testing.T) {
	s := two(func(near, _ *level.Solid) {
		near.Faces = []level.Face{{Index: 4, Surface: level.Surface{Density: 30, Visible: true, CastsShadow: true, ReceivesLight: true}}}
	})
	for i := range s.Surfaces {
		want := s.Level.Lightmap.Density
		if s.Surfaces[i].Body().Entity == "near" && s.Surfaces[i].Face == 4 {
			want = 30
			assert.InDelta(t, 1, s.Normal(&s.Surfaces[i])[2], 1e-12, "face 4 of a box is +z")
		}
		assert.Equal(t, want, s.Surfaces[i].Finish().DensityM)
	}
}

// What a ray of light meets: the nearest that casts shadows, from either side.
func TestMeet(t *testing.T) {
	s := two(func(near, far *level.Solid) { far.Surface.Visible = false })
	ray := trace.Ray{Origin: trace.Vec{0, 0, 0}, Dir: trace.Vec{0, 0, -1}, Max: 100}
	m, ok := s.Meet(ray)
	require.True(t, ok)
	assert.Equal(t, "near", s.Surfaces[m.Surface].Body().Entity)
	assert.InDelta(t, 1.9, m.T, 1e-5)
	assert.True(t, m.Front)
	ray.Origin[2] = -2 // from within
	m, ok = s.Meet(ray)
	require.True(t, ok)
	assert.False(t, m.Front)
	ray.Dir = trace.Vec{0, 1, 0}
	ray.Origin[2] = -3
	_, ok = s.Meet(ray)
	assert.False(t, ok)
}

// A fence that is cut out by its image: what is clear is neither met nor seen.
func TestCutOutSurfaces(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	img.SetNRGBA(0, 0, color.NRGBA{200, 100, 50, 255}) // the left half is solid
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	l := level.New("Fence")
	l.Images = []*level.Image{{ID: "slats", Data: b.Bytes()}}
	m := level.Default[level.Material]()
	m.ID, m.Color, m.Image, m.Cutoff = "wood", "#ffffff", "slats", 0.5
	l.Materials = []*level.Material{&m}
	fence := level.Default[level.Mesh]()
	fence.ID, fence.Surface.Material = "fence", "wood"
	fence.Positions = []float64{-1, -1, -2, 1, -1, -2, 1, 1, -2, -1, 1, -2}
	fence.Indices, fence.UVs = []uint32{0, 1, 2, 0, 2, 3}, []float64{0, 1, 1, 1, 1, 0, 0, 0}
	l.Meshes = []*level.Mesh{&fence}
	wall := level.Default[level.Solid]()
	wall.ID, wall.Size, wall.Transform.Position = "wall", level.Vec{4, 4, 0.2}, level.Vec{0, 0, -4}
	l.Solids = []*level.Solid{&wall}
	require.NoError(t, l.Validate())
	s := scene.Build(l)

	left, right := geom.Vec3{-0.5, 0, 0}, geom.Vec3{0.5, 0, 0}
	back := geom.Vec3{0, 0, -3}
	assert.True(t, s.Blocked(left, left.Add(back)))
	assert.False(t, s.Blocked(right, right.Add(back)))
	seen, ok := s.See(left, forward, 100)
	require.True(t, ok)
	assert.Equal(t, "fence", s.Surfaces[seen.Surface].Body().Entity)
	assert.InDelta(t, 0.5776, s.AlbedoAt(seen.Triangle, seen.Point, seen.U, seen.V)[0], 1e-3, "200 of 255, linear")
	seen, ok = s.See(right, forward, 100)
	require.True(t, ok)
	assert.Equal(t, "wall", s.Surfaces[seen.Surface].Body().Entity)
	assert.InDelta(t, 3.9, seen.Distance, 0.01)
	met, ok := s.Meet(trace.Ray{Origin: trace.Vec{0.5, 0, 0}, Dir: trace.Vec{0, 0, -1}, Max: 100})
	require.True(t, ok)
	assert.Equal(t, "wall", s.Surfaces[met.Surface].Body().Entity)
	assert.Len(t, s.Blockers(left, left.Add(geom.Vec3{0, 0, -6})), 2)
	assert.Len(t, s.Blockers(right, right.Add(geom.Vec3{0, 0, -6})), 1)
	var fenceAlbedo float64
	for i := range s.Surfaces {
		if s.Surfaces[i].Body().Entity == "fence" {
			fenceAlbedo = s.Surfaces[i].Finish().Albedo[0]
		}
	}
	assert.InDelta(t, 0.5776/2, fenceAlbedo, 1e-3, "the image's mean")
}

func TestCornersAreThoseOfTheDocument(t *testing.T) {
	s := two(func(_, _ *level.Solid) {})
	count := 0
	for i := range s.Surfaces {
		f := &s.Surfaces[i]
		for c := range s.Corners(f) {
			for _, v := range c {
				assert.InDelta(t, s.Normal(f).Dot(s.Outline(f)[0]), s.Normal(f).Dot(v), 1e-6, "in the plane of its face")
			}
			count++
		}
	}
	assert.Equal(t, s.Triangles(), count)
}

func TestDynamicSurfacesTakeNoLightmap(t *testing.T) {
	l := level.New("Cart")
	m := level.Default[level.Material]()
	m.ID, m.Lighting = "paint", "dynamic"
	l.Materials = []*level.Material{&m}
	cart := level.Default[level.Solid]()
	cart.ID, cart.Size, cart.Surface.Material = "cart", level.Vec{1, 1, 1}, "paint"
	l.Solids = []*level.Solid{&cart}
	for _, f := range scene.Build(l).Surfaces {
		assert.False(t, f.Finish().Roles.ReceivesLight)
		assert.True(t, f.Finish().Roles.CastsShadow)
	}
}

// What sways is seen where the wind has it, and lit and asked about where it
// stands: a reed of 2 m in a wind along x, by the formula's own numbers.
func TestWhatSwaysIsSeenMoved(t *testing.T) {
	l := level.New("Reed")
	reed := level.Default[level.Mesh]()
	reed.ID = "reed"
	reed.Positions = []float64{-0.1, 0, 0, 0.1, 0, 0, 0.1, 2, 0, -0.1, 2, 0}
	reed.Indices = []uint32{0, 1, 2, 0, 2, 3}
	reed.Sways = &level.Sway{ReachM: 0.5, PeriodS: 4}
	l.Meshes = []*level.Mesh{&reed}
	still := scene.Build(l)
	wind := geom.Vec3{10, 0, 0}
	edge := func(s *scene.Scene, y float64) float64 { // its middle, found from the front
		sum, n := 0.0, 0
		for x := -1.0; x < 1.5; x += 0.001 {
			if hit, ok := s.See(geom.Vec3{x, y, 3}, forward, 10); ok {
				sum, n = sum+x, n+1
				assert.InDelta(t, y, hit.Point[1], 0.05)
				assert.LessOrEqual(t, math.Abs(hit.Point[0]), 0.1001, "the place at rest")
			}
		}
		require.NotZero(t, n)
		return sum / float64(n)
	}
	assert.InDelta(t, 0, edge(still, 1.98), 1e-3)
	assert.Same(t, still, still.Swayed(geom.Vec3{}, 1), "no wind")
	for _, c := range []struct{ seconds, share float64 }{{0, 0.6}, {1, 1}, {3, 0.2}, {4, 0.6}} {
		s := still.Swayed(wind, c.seconds)
		assert.InDelta(t, 0.5*c.share*0.99, edge(s, 1.98), 0.02, "top, at %v s", c.seconds)
		assert.False(t, s.Blocked(geom.Vec3{0.3, 1.9, 1}, geom.Vec3{0.3, 1.9, -1}), "light falls as at rest")
		assert.True(t, s.Blocked(geom.Vec3{0, 1.9, 1}, geom.Vec3{0, 1.9, -1}))
	}
	low := still.Swayed(wind, 1)
	assert.InDelta(t, 0, edge(low, 0.02), 0.01, "its foot stays")
	half := still.Swayed(wind.Mul(0.5), 1)
	assert.InDelta(t, 0.25, edge(half, 1.98), 0.02, "half the wind, half the way")

	reed.Sways = nil
	rigid := scene.Build(l)
	assert.Same(t, rigid, rigid.Swayed(wind, 1))
}

// Two blocks side by side, one half as high: what they hide of each other is not
// drawn, and no corner of one lies within an edge of the other.
func TestDrawnFacesHideWhatTouchesAndLeaveNoCracks(t *testing.T) {
	l := level.New("Wall")
	for _, b := range []struct {
		id       string
		at, size level.Vec
	}{{"high", level.Vec{0, 1, 0}, level.Vec{1, 2, 0.3}}, {"low", level.Vec{1, 0.5, 0}, level.Vec{1, 1, 0.3}}} {
		s := level.Default[level.Solid]()
		s.ID, s.Transform.Position, s.Size = b.id, b.at, b.size
		l.Solids = append(l.Solids, &s)
	}
	s := scene.Build(l)
	drawn := s.Drawn()
	area := func(p []geom.Vec3) float64 {
		sum := geom.Vec3{}
		for i := range p {
			sum = sum.Add(p[i].Cross(p[(i+1)%len(p)]).Mul(0.5))
		}
		return sum.Len()
	}
	total := map[string]float64{}
	var all [][]geom.Vec3
	for i, pieces := range drawn {
		for _, p := range pieces {
			total[s.Surfaces[i].Body().Entity] += area(p)
			all = append(all, p)
			for _, v := range p {
				assert.InDelta(t, s.Normal(&s.Surfaces[i]).Dot(s.Outline(&s.Surfaces[i])[0]), s.Normal(&s.Surfaces[i]).Dot(v), 1e-9, "in its plane")
			}
		}
	}
	assert.InDelta(t, 2*(1*2+2*0.3+1*0.3)-1*0.3, total["high"], 1e-9, "without what the low one covers")
	assert.InDelta(t, 2*(1*1+1*0.3+1*0.3)-1*0.3, total["low"], 1e-9, "its side is all covered")
	for _, p := range all {
		for i, a := range p {
			b := p[(i+1)%len(p)]
			along, length := b.Sub(a).Normalize(), b.Sub(a).Len()
			for _, q := range all {
				for _, v := range q {
					at := v.Sub(a).Dot(along)
					off := v.Sub(a).Sub(along.Mul(at)).Len()
					assert.False(t, off < 1e-9 && at > 1e-9 && at < length-1e-9, "%v lies within the edge from %v to %v", v, a, b)
				}
			}
		}
	}
	l.Solids[1].Transform.Position[0] = 5
	apart := scene.Build(l).Drawn()
	for i, pieces := range apart {
		require.Len(t, pieces, 1)
		assert.Len(t, pieces[0], 4, "%d", i)
	}
}

// withScreen is a level with a material that has holes.
func withScreen(t *testing.T) *level.Level {
	l := level.New("Screen")
	var data bytes.Buffer
	picture := image.NewNRGBA(image.Rect(0, 0, 16, 16))
	for i := range 16 * 16 {
		picture.SetNRGBA(i%16, i/16, color.NRGBA{255, 255, 255, uint8(255 * ((i/16 + i%16) / 2 % 2))})
	}
	require.NoError(t, png.Encode(&data, picture))
	l.Images = []*level.Image{{ID: "holes", Data: data.Bytes()}}
	m := level.Default[level.Material]()
	m.ID, m.Image, m.Cutoff, m.ImageM = "screen", "holes", 0.5, 0.5
	l.Materials = []*level.Material{&m}
	return l
}

// Among blocks of every mix of roles, some with holes, rays see what they would see if
// only what is visible were there, and meet what they would meet if only what stops
// light were.
func TestRolesAreKeptApartAmongMany(t *testing.T) {
	l, r := withScreen(t), rand.New(rand.NewPCG(2, 7))
	for i := range 200 {
		s := level.Default[level.Solid]()
		s.ID, s.Size = fmt.Sprint("s", i), level.Vec{0.5, 0.5, 0.5}
		s.Transform.Position = level.Vec{4*r.Float64() - 2, 4*r.Float64() - 2, -1 - 8*r.Float64()}
		s.Surface.Visible, s.Surface.CastsShadow = i%2 == 0, i/2%2 == 0
		if i%3 == 0 {
			s.Surface.Material = "screen"
		}
		l.Solids = append(l.Solids, &s)
	}
	only := func(has func(*level.Surface) bool) *scene.Scene {
		some := *l
		some.Solids = nil
		for _, s := range l.Solids {
			if has(&s.Surface) {
				some.Solids = append(some.Solids, s)
			}
		}
		return scene.Build(&some)
	}
	mixed := scene.Build(l)
	visible := only(func(s *level.Surface) bool { return s.Visible })
	casting := only(func(s *level.Surface) bool { return s.CastsShadow })
	seen, met := 0, 0
	for range 5000 {
		dir := geom.Vec3{r.Float64() - 0.5, r.Float64() - 0.5, -1}.Normalize()
		want, ok := visible.See(eye, dir, 100)
		got, found := mixed.See(eye, dir, 100)
		require.Equal(t, ok, found)
		if ok {
			seen++
			require.Equal(t, want.Distance, got.Distance)
			require.Equal(t, visible.Surfaces[want.Surface].Body().Entity, mixed.Surfaces[got.Surface].Body().Entity)
		}
		ray := scene.Along(eye, dir, math.Inf(1))
		stop, ok := casting.Meet(ray)
		stopped, found := mixed.Meet(ray)
		require.Equal(t, ok, found)
		if ok {
			met++
			require.Equal(t, stop.T, stopped.T)
			require.Equal(t, casting.Surfaces[stop.Surface].Body().Entity, mixed.Surfaces[stopped.Surface].Body().Entity)
		}
		require.Equal(t, ok, mixed.BlockedAlong(eye, dir, math.Inf(1)))
	}
	assert.Greater(t, min(seen, met), 2000)
	assert.Less(t, max(seen, met), 4900)
}

// Rays together are stopped by what stops each alone: solids, and what is cut out.
func TestPacketsAreBlockedAsTheirRays(t *testing.T) {
	l := withScreen(t)
	for id, x := range map[string]float64{"screen": -1, "wall": 1} {
		s := level.Default[level.Solid]()
		s.ID, s.Size, s.Transform.Position = id, level.Vec{2, 2, 0.2}, level.Vec{x, 0, -2}
		if id == "screen" {
			s.Surface.Material = "screen"
		}
		l.Solids = append(l.Solids, &s)
	}
	s, r := scene.Build(l), rand.New(rand.NewPCG(5, 5))
	blocked := map[bool]int{}
	for range 3000 {
		var p trace.Packet
		n := 1 + r.IntN(8)
		aim := geom.Vec3{r.Float64()*5 - 2.5, r.Float64()*3 - 1.5, -2}
		for i := range n {
			ray := scene.Along(eye, aim.Add(geom.Vec3{r.Float64(), r.Float64(), 0}.Mul(0.4)), 1.5)
			p.Put(i, &ray)
		}
		got := s.BlockedOf(&p, n)
		assert.Zero(t, got>>n, "rays that are none")
		for i := range n {
			ray := p.Ray(i)
			one := s.Blocked(eye, geom.Vec3{float64(ray.Dir[0]), float64(ray.Dir[1]), float64(ray.Dir[2])}.Mul(1.5))
			require.Equal(t, one, got>>i&1 == 1, "%v", ray.Dir)
			blocked[one]++
		}
	}
	assert.Greater(t, blocked[true], 1000)
	assert.Greater(t, blocked[false], 1000)
}

// Where two blocks make one wall, the faces between them are not seen, however near
// their edge a ray comes and however flat, but for what rounding puts on the edge itself.
func TestNothingIsSeenBetweenBlocks(t *testing.T) {
	l := level.New("Wall")
	for id, x := range map[string]float64{"left": -1, "right": 1} {
		s := level.Default[level.Solid]()
		s.ID, s.Size, s.Transform.Position = id, level.Vec{2, 2, 1}, level.Vec{x, 0, -0.5}
		l.Solids = append(l.Solids, &s)
	}
	s, r, between := scene.Build(l), rand.New(rand.NewPCG(6, 5)), 0
	for range 100_000 {
		from := geom.Vec3{6*r.Float64() - 3, r.Float64() - 0.5, 0.1 + 2*r.Float64()}
		at := geom.Vec3{4e-4 * (r.Float64() - 0.5), r.Float64() - 0.5, 0}
		hit, ok := s.See(from, at.Sub(from).Normalize(), 100)
		require.True(t, ok)
		c := s.CornersOf(hit.Triangle)
		if math.Abs(c[0][2]+c[1][2]+c[2][2]) > 1e-9 {
			between++
		}
	}
	assert.Less(t, between, 100, "by the slack of edges alone it would be a third of them")
}

// Of a mesh each triangle keeps its own corners of the image, however patches order
// them.
func TestImagesFollowTheTrianglesOfPatches(t *testing.T) {
	l := level.New("Sheets")
	m := level.Default[level.Mesh]()
	m.ID = "sheets"
	for i := range 4 { // quads by turns of two sheets that do not touch
		x, z := float64(i/2), float64(i%2*5)
		m.Positions = append(m.Positions, x, 0, z, x, 0, z+1, x+1, 0, z+1, x+1, 0, z)
		for range 4 {
			m.UVs = append(m.UVs, float64(len(m.UVs))/100, float64(i))
		}
		a := uint32(4 * i)
		m.Indices = append(m.Indices, a, a+1, a+2, a, a+2, a+3)
	}
	l.Meshes = []*level.Mesh{&m}
	require.NoError(t, l.Validate())
	s := scene.Build(l)
	require.Len(t, s.Surfaces, 2)
	want := map[[3]float64][2]float64{} // by corner and which sheet and quad it is of
	for i := range m.Indices {
		v := m.Indices[i]
		want[[3]float64{m.Positions[3*v], m.Positions[3*v+2], m.UVs[2*v+1]}] = [2]float64{m.UVs[2*v], m.UVs[2*v+1]}
	}
	checked := 0
	for i := range s.Surfaces {
		f, triangle := &s.Surfaces[i], 0
		for corners := range s.Corners(f) {
			middle := corners[0].Add(corners[1]).Add(corners[2]).Mul(1.0 / 3)
			quad := 2*math.Floor(middle[0]) + math.Floor(middle[2]/5)
			for k, at := range corners {
				u, v := s.CornerUV(f, triangle, k, at)
				require.Equal(t, want[[3]float64{at[0], at[2], quad}], [2]float64{u, v})
				checked++
			}
			triangle++
		}
	}
	assert.Equal(t, 24, checked)
}

// Where solids overlap, the first of the document is the one that a point is inside of.
func TestInsideTheFirstOfSeveral(t *testing.T) {
	l := level.New("Heap")
	for i := range 40 {
		b := level.Default[level.Solid]()
		b.ID, b.Size = fmt.Sprint("block-", i), level.Vec{1, 1, 1}
		b.Transform.Position = level.Vec{float64(i) * 0.3, 0, 0}
		b.Surface.CastsShadow = i != 3
		l.Solids = append(l.Solids, &b)
	}
	require.NoError(t, l.Validate())
	s := scene.Build(l)
	for i := range 400 {
		x := float64(i)*0.03 - 0.5
		want := ""
		for k := range 40 {
			if k != 3 && math.Abs(x-float64(k)*0.3) < 0.499 {
				want = fmt.Sprint("block-", k)
				break
			}
		}
		if math.Abs(math.Mod(x+0.5+1e-9, 0.3)) > 0.005 { // not on a face
			assert.Equal(t, want, s.Inside(geom.Vec3{x, 0, 0}), "at %g", x)
		}
	}
	assert.Empty(t, s.Inside(geom.Vec3{0, 5, 0}))
}

// A hundred thousand triangles about one corner, or on one edge, are cut into patches by
// where they face, and not each compared with each.
func TestManyTrianglesAboutOnePlace(t *testing.T) {
	const n = 100_000
	for name, c := range map[string]struct {
		fixed  []float64
		moving func(sin, cos float64) []float64
		index  func(i uint32) []uint32
		fewest int
		most   int
	}{
		"a disc": {[]float64{0, 0, 0}, func(sin, cos float64) []float64 { return []float64{cos, 0, sin} },
			func(i uint32) []uint32 { return []uint32{0, 1 + (i+1)%n, 1 + i} }, 1, 1},
		"a book": {[]float64{0, 0, 0, 0, 1, 0}, func(sin, cos float64) []float64 { return []float64{cos, 0.5, sin} },
			func(i uint32) []uint32 { return []uint32{0, 1, 2 + i} }, 4, 9},
	} {
		l := level.New("Fan")
		m := level.Default[level.Mesh]()
		m.ID, m.Positions = "fan", c.fixed
		for i := range n {
			sin, cos := math.Sincos(2 * math.Pi * float64(i) / n)
			m.Positions = append(m.Positions, c.moving(sin, cos)...)
			m.Indices = append(m.Indices, c.index(uint32(i))...)
		}
		l.Meshes = []*level.Mesh{&m}
		require.NoError(t, l.Validate())
		s := scene.Build(l)
		assert.Equal(t, n, s.Triangles(), name)
		assert.GreaterOrEqual(t, len(s.Surfaces), c.fewest, name)
		assert.LessOrEqual(t, len(s.Surfaces), c.most, name)
	}
}
