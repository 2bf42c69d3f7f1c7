package overlap

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
)

// someVolume is the reach of a light of a kind, at random in a box of some metres.
func someVolume(r *rand.Rand, i int, wide float64) Volume {
	kinds := []string{level.Point, level.Spot, level.Dome, level.Tube, level.BoxLight, level.Rect}
	l := level.NewLight(fmt.Sprint(i), kinds[i%len(kinds)])
	l.OuterDeg, l.WidthM, l.HeightM, l.LengthM = 15+r.Float64()*50, 0.5+2*r.Float64(), 0.5+2*r.Float64(), 0.5+r.Float64()
	aim := geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}
	pose := geom.Pose{Position: geom.Vec3{r.Float64() * wide, r.Float64() * wide, r.Float64() * wide}, Rotation: geom.LookRotation(aim.Normalize())}
	return Reach(l, pose, 1+r.Float64()*2)
}

var room6 = geom.Bounds{Min: geom.Vec3{-1, -1, -1}, Max: geom.Vec3{7, 7, 7}}

// Against counting on a fine grid: no grid point has more than what is told, every place over the
// limit is told, and each point really lies in what it names.
func TestPlacesAgainstAGrid(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for round := range 24 {
		var volumes []Volume
		for i := range 12 {
			volumes = append(volumes, someVolume(r, i, 6))
		}
		const allowed = 2
		places, complete := Places(volumes, room6, allowed)
		require.True(t, complete)
		count := func(p geom.Vec3) (n int) {
			for i := range volumes {
				if volumes[i].Contains(p) {
					n++
				}
			}
			return n
		}
		most := allowed
		for x := -1.0; x <= 7; x += 0.16 {
			for y := -1.0; y <= 7; y += 0.16 {
				for z := -1.0; z <= 7; z += 0.16 {
					p := geom.Vec3{x, y, z}
					n := count(p)
					most = max(most, n)
					if n > allowed {
						assert.True(t, slices.ContainsFunc(places, func(pl Place) bool {
							return slices.ContainsFunc(pl.Region, func(b geom.Bounds) bool { return b.Contains(p) })
						}), "round %d: %v is in no place", round, p)
					}
				}
			}
		}
		told := allowed
		for _, p := range places {
			told = max(told, len(p.IDs))
			assert.Equal(t, len(p.IDs), p.Most)
			for _, id := range p.IDs {
				i := slices.IndexFunc(volumes, func(v Volume) bool { return v.ID == id })
				assert.LessOrEqual(t, volumes[i].Distance(p.Point), 1e-9, "round %d: %s holds the point", round, id)
			}
		}
		assert.GreaterOrEqual(t, told, most, "round %d", round)
	}
}

// Four balls that share no more than a ball of 4.7 mm are four, and three where they just part.
func TestThinOverlaps(t *testing.T) {
	corners := []geom.Vec3{{1, 1, 1}, {-1, -1, 1}, {-1, 1, -1}, {1, -1, -1}}
	for _, c := range []struct {
		deep float64
		want int
	}{{0.0047, 4}, {-0.002, 0}} {
		var volumes []Volume
		for i, at := range corners {
			volumes = append(volumes, Volume{ID: fmt.Sprint(i), parts: []convex{ball{at, math.Sqrt(3) + c.deep}}})
		}
		places, complete := Places(volumes, geom.Bounds{Min: geom.Vec3{-3, -3, -3}, Max: geom.Vec3{3, 3, 3}}, 3)
		assert.True(t, complete)
		if c.want == 0 {
			assert.Empty(t, places)
			continue
		}
		require.Len(t, places, 1)
		assert.Len(t, places[0].IDs, c.want)
	}
}

// Two crowds in two rooms are two places; with one light that reaches both they are still two.
func TestSeparatePlaces(t *testing.T) {
	var volumes []Volume
	for i := range 8 {
		volumes = append(volumes, Volume{ID: fmt.Sprint(i), parts: []convex{ball{geom.Vec3{float64(i/4) * 20, 0.1 * float64(i%4), 0}, 2}}})
	}
	bounds := geom.Bounds{Min: geom.Vec3{-5, -5, -5}, Max: geom.Vec3{25, 5, 5}}
	places, _ := Places(volumes, bounds, 3)
	assert.Len(t, places, 2)
	volumes = append(volumes, Volume{ID: "sun"})
	places, _ = Places(volumes, bounds, 4)
	require.Len(t, places, 2)
	assert.Contains(t, places[0].IDs, "sun")
	assert.Len(t, places[1].IDs, 5)
}

// A thousand lights in one place are told at once and as they are.
func TestManyInOnePlace(t *testing.T) {
	var volumes []Volume
	for i := range 5000 {
		volumes = append(volumes, Volume{ID: fmt.Sprint(i), parts: []convex{ball{geom.Vec3{}, 4 + float64(i%7)*0.001}}})
	}
	places, complete := Places(volumes, geom.Bounds{Min: geom.Vec3{-1, -1, -1}, Max: geom.Vec3{1, 1, 1}}, 4)
	require.Len(t, places, 1)
	assert.True(t, complete)
	assert.Len(t, places[0].IDs, 5000)
}

// Distances are right, and the nearest point is one of the body, at that distance.
func TestConvexBodies(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	bodies := []convex{
		ball{geom.Vec3{1, 0, 0}, 2}, half{geom.Vec3{0, 1, 0}, 0.5}, capsule{geom.Vec3{-1, 0, 0}, geom.Vec3{1, 1, 0}, 0.7},
		cone{geom.Vec3{0, 1, 0}, geom.Vec3{0, -1, 0}, math.Sin(0.6), math.Cos(0.6)},
	}
	for _, b := range bodies {
		for range 2000 {
			p := geom.Vec3{r.NormFloat64() * 3, r.NormFloat64() * 3, r.NormFloat64() * 3}
			q := b.nearest(p)
			assert.LessOrEqual(t, b.distance(q), 1e-9, "%T", b)
			if d := b.distance(p); d > 0 {
				assert.InDelta(t, d, q.Sub(p).Len(), 1e-9, "%T", b)
			} else {
				assert.Equal(t, p, q)
			}
		}
	}
}

// The growth with lights that are spread evenly.
func BenchmarkPlaces(b *testing.B) {
	for _, n := range []int{100, 300, 1000, 2000} {
		r := rand.New(rand.NewPCG(5, 6))
		wide := math.Cbrt(float64(n)) * 3
		var volumes []Volume
		for i := range n {
			volumes = append(volumes, someVolume(r, i, wide))
			volumes[i].ID = fmt.Sprint(i)
		}
		bounds := geom.Bounds{Min: geom.Vec3{-2, -2, -2}, Max: geom.Vec3{wide + 2, wide + 2, wide + 2}}
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				Places(volumes, bounds, 4)
			}
		})
	}
}
