package scene_test

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
	"grotta/core/trace"
)

// banner is a sheet of two sides at z = -2 that faces +z, with an image that is red on its left as
// seen from the front, green on its right, and has a hole in the upper right corner.
func banner(t *testing.T, uvs bool) *scene.Scene {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 2, 2))
	img.SetNRGBA(0, 0, color.NRGBA{255, 0, 0, 255})
	img.SetNRGBA(0, 1, color.NRGBA{255, 0, 0, 255})
	img.SetNRGBA(1, 1, color.NRGBA{0, 255, 0, 255})
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	l := level.New("Banner")
	l.Images = []*level.Image{{ID: "colours", Data: b.Bytes()}}
	m := level.Default[level.Material]()
	m.ID, m.Color, m.Image, m.ImageM, m.Cutoff, m.TwoSided = "cloth", "#ffffff", "colours", 2, 0.5, true
	l.Materials = []*level.Material{&m}
	sheet := level.Default[level.Mesh]()
	sheet.ID, sheet.Surface.Material = "sheet", "cloth"
	sheet.Positions = []float64{-1, -1, -2, 1, -1, -2, 1, 1, -2, -1, 1, -2}
	sheet.Indices = []uint32{0, 1, 2, 0, 2, 3}
	if uvs {
		sheet.UVs = []float64{0, 1, 1, 1, 1, 0, 0, 0}
	}
	post := level.Default[level.Solid]()
	post.ID, post.Size, post.Transform.Position = "post", level.Vec{0.2, 3, 0.2}, level.Vec{5, 0, 0}
	l.Meshes, l.Solids = []*level.Mesh{&sheet}, []*level.Solid{&post}
	require.NoError(t, l.Validate())
	return scene.Build(l)
}

// Each side of a sheet is a surface: a ray meets the one that it comes to, from its front.
func TestEachSideOfASheetIsMet(t *testing.T) {
	s := banner(t, true)
	meet := func(z, dir float32) scene.Meeting {
		m, ok := s.Meet(trace.Ray{Origin: trace.Vec{-0.5, 0.2, z}, Dir: trace.Vec{0, 0, dir}, Max: 10})
		require.True(t, ok)
		return m
	}
	front, back := meet(0, -1), meet(-4, 1)
	assert.True(t, front.Front)
	assert.True(t, back.Front)
	assert.NotEqual(t, front.Surface, back.Surface)
	assert.Greater(t, front.Normal[2], 0.0)
	assert.Less(t, back.Normal[2], 0.0)
	assert.InDelta(t, 1, s.NormalOf(front.Triangle)[2], 1e-9)
	assert.InDelta(t, -1, s.NormalOf(back.Triangle)[2], 1e-9)
	assert.False(t, s.Surfaces[front.Surface].IsBack())
	assert.True(t, s.Surfaces[back.Surface].IsBack())
	assert.Equal(t, back.Triangle, s.OtherSide(front.Triangle))
	assert.Equal(t, front.Triangle, s.OtherSide(back.Triangle))
	assert.Equal(t, "sheet", s.Surfaces[back.Surface].Body().Entity)
}

// What is drawn counts once, and blocks have one side.
func TestSidesAreDrawnOnce(t *testing.T) {
	s := banner(t, true)
	assert.Equal(t, 12+2, s.DrawnTriangles())
	assert.Equal(t, 12+4, s.Triangles())
	for i := range s.Surfaces {
		if f := &s.Surfaces[i]; f.Body().Solid != nil {
			assert.Equal(t, -1, s.OtherSide(int(f.First)))
			assert.False(t, f.IsBack())
		}
	}
	assert.Len(t, s.Blockers(geom.Vec3{-0.5, 0, 0}, geom.Vec3{-0.5, 0, -4}), 1, "a sheet stands in the way once")
}

// The image goes through: what is red from the front is red from behind at the same place, and holes
// are holes from both sides.
func TestAnImageIsTheSameFromBothSides(t *testing.T) {
	for _, uvs := range []bool{true, false} {
		s := banner(t, uvs)
		albedo := func(x, y, z, dir float64) (r, g float64) {
			seen, ok := s.See(geom.Vec3{x, y, z}, geom.Vec3{0, 0, dir}, 3)
			require.True(t, ok)
			c := s.AlbedoAt(seen.Triangle, seen.Point, seen.U, seen.V)
			return c[0], c[1]
		}
		holes := 0
		for _, x := range []float64{-0.6, 0.6} {
			for _, y := range []float64{-0.6, -0.55, 0.5, 0.6} {
				_, fromFront := s.See(geom.Vec3{x, y, 0}, geom.Vec3{0, 0, -1}, 3)
				_, fromBehind := s.See(geom.Vec3{x, y, -4}, geom.Vec3{0, 0, 1}, 3)
				require.Equal(t, fromFront, fromBehind, "at %v, %v", x, y)
				assert.Equal(t, fromFront, s.Blocked(geom.Vec3{x, y, 0}, geom.Vec3{x, y, -4}))
				if !fromFront {
					holes++
					continue
				}
				r1, g1 := albedo(x, y, 0, -1)
				r2, g2 := albedo(x, y, -4, 1)
				assert.InDelta(t, r1, r2, 1e-6, "at %v, %v", x, y)
				assert.InDelta(t, g1, g2, 1e-6, "at %v, %v", x, y)
			}
		}
		assert.Positive(t, holes)
		assert.Less(t, holes, 8)
	}
}

// The corner that is nearest to a place of the back has the image's place of the front's corner.
func TestCornersOfABackLieOnTheImageAsTheFronts(t *testing.T) {
	s := banner(t, true)
	for i := range s.Surfaces {
		f := &s.Surfaces[i]
		if !f.IsBack() {
			continue
		}
		triangle := 0
		for corners := range s.Corners(f) {
			for k, p := range corners {
				u, v := s.CornerUV(f, triangle, k, p)
				assert.InDelta(t, (p[0]+1)/2, u, 1e-9)
				assert.InDelta(t, (1-p[1])/2, v, 1e-9)
			}
			triangle++
		}
		assert.Equal(t, 2, triangle)
	}
}

// A block is open where a face of it is missing or it holds water, and a mesh unless both of its sides are drawn.
func TestWhoseBacksAreSeenFromOutside(t *testing.T) {
	l := level.New("Boxes")
	water := level.Default[level.Material]()
	pond := level.Default[level.Water]()
	water.ID, water.Water = "water", &pond
	l.Materials = []*level.Material{&water}
	add := func(id string) *level.Solid {
		s := level.Default[level.Solid]()
		s.ID, s.Size, s.Transform.Position = id, level.Vec{1, 1, 1}, level.Vec{float64(3 * len(l.Solids)), 0, 0}
		l.Solids = append(l.Solids, &s)
		return &s
	}
	add("whole")
	missing := level.Default[level.Surface]()
	missing.Visible = false
	add("lidless").Faces = []level.Face{{Index: 2, Surface: missing}}
	add("pool").Surface.Material = "water"
	for _, id := range []string{"one-sided", "two-sided"} {
		m := level.Default[level.Mesh]()
		m.ID, m.Positions, m.Indices = id, []float64{0, 5, 0, 1, 5, 0, 0, 6, 0}, []uint32{0, 1, 2}
		l.Meshes = append(l.Meshes, &m)
	}
	cloth := level.Default[level.Material]()
	cloth.ID, cloth.TwoSided = "cloth", true
	l.Materials, l.Meshes[1].Surface.Material = append(l.Materials, &cloth), "cloth"
	require.NoError(t, l.Validate())
	assert.Equal(t, map[string]bool{"lidless": true, "pool": true, "one-sided": true}, scene.Build(l).Open())
}
