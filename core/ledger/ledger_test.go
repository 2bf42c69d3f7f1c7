package ledger_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake/baketest"
	"grotta/core/bake/reference"
	"grotta/core/geom"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/scene"
	"grotta/demo"
)

var plane, light, block = leveltest.Plane, leveltest.Light, leveltest.Block

var up, down = geom.Vec3{0, 1, 0}, geom.Vec3{0, -1, 0}

var prepare = baketest.Prepare

func TestShadows(t *testing.T) {
	l := plane(light("l", level.Point, 100, level.Vec{0, 4, 0}, down))
	block(l, "slab", level.Vec{1, 2, 0}, level.Vec{1, 0.1, 1})
	p := prepare(t, l)

	lit := ledger.Ask(p, geom.Vec3{-1, 0, 0}, up)
	require.False(t, lit.Sources[0].Blocked)
	dark := ledger.Ask(p, geom.Vec3{2, 0, 0}, up)
	entry := dark.Sources[0]
	require.Equal(t, "l", entry.ID)
	assert.True(t, entry.Blocked)
	assert.Zero(t, entry.Direct.Luminance)
	require.Len(t, entry.BlockedBy, 1)
	assert.Equal(t, "slab", entry.BlockedBy[0].ID)
	assert.InDelta(t, 1.95, entry.BlockedBy[0].Point[1], 1e-4, "the underside is met first")

	l.Lights[0].Shadows.Cast = false
	assert.Positive(t, ledger.Ask(prepare(t, l), geom.Vec3{2, 0, 0}, up).Total.Luminance)
	l.Lights[0].Shadows.Cast, l.Lights[0].Shadows.NearM = true, 2.5
	assert.Positive(t, ledger.Ask(prepare(t, l), geom.Vec3{2, 0, 0}, up).Total.Luminance, "what is nearer than near casts none")
}

func TestSoftShadowOfAStraightEdge(t *testing.T) {
	l := plane(light("l", level.Point, 100, level.Vec{0, 4, 0}, down))
	l.Lights[0].RadiusM = 0.2
	block(l, "board", level.Vec{5, 2, 0}, level.Vec{10, 0.001, 18}) // its edge is x = 0, half way
	p := prepare(t, l)
	for _, x := range []float64{-0.25, -0.15, -0.08, 0, 0.08, 0.15, 0.25} {
		// The edge, seen from x on the floor, stands at -x on the source's level.
		got := ledger.Ask(p, geom.Vec3{x, 0, 0}, up).Sources[0].Visible
		assert.InDelta(t, leveltest.Segment(-x/0.2), got, 0.01, "at %v", x)
	}
}

func TestAmbientHoldsWhereItsZoneDoes(t *testing.T) {
	l := plane()
	l.Environment.Ambient = level.Ambient{Color: "#ffffff", Strength: 7}
	l.Zones = []*level.Zone{{ID: "tent", Play: "none", Mode: "indoor", Boxes: []level.Box{{Min: level.Vec{-1, -1, -1}, Max: level.Vec{1, 2, 1}}}, Ambient: &level.Ambient{Color: "#ffffff", Strength: 2}}}
	p := prepare(t, l)
	assert.InDelta(t, 2, ledger.Ask(p, geom.Vec3{0, 0, 0}, up).Total.Luminance, 1e-9)
	assert.InDelta(t, 7, ledger.Ask(p, geom.Vec3{3, 0, 0}, up).Total.Luminance, 1e-9)
}

func TestBounceScaleAndSwitch(t *testing.T) {
	base := func() *level.Level {
		l := plane(light("l", level.Point, 200, level.Vec{-1, 1.5, 0}, down))
		block(l, "roof", level.Vec{-1.5, 3.1, 0}, level.Vec{5, 0.2, 6})
		return l
	}
	bounced := func(l *level.Level) float64 {
		p := prepare(t, l)
		return ledger.Ask(p, geom.Vec3{-1, 3, 0}, down).Sources[0].Bounced.Luminance
	}
	plain := bounced(base())
	require.Positive(t, plain)
	twice := base()
	twice.Lights[0].BounceScale = 2
	assert.InEpsilon(t, 2*plain, bounced(twice), 1e-9)
	none := base()
	none.Lights[0].BounceScale = 0
	assert.Zero(t, bounced(none))
	off := base()
	off.Lightmap.Bounces = false
	assert.Zero(t, bounced(off))
}

// Under a lamp of I candela at height h, the light on the floor at a distance d is
// I·h / (h² + d²)^1.5.
func TestALineFollowsTheClosedForm(t *testing.T) {
	const candela, h = 100.0, 4.0
	l := plane(light("l", level.Point, candela, level.Vec{0, h, 0}, down))
	block(l, "slab", level.Vec{3, 2, 0}, level.Vec{1, 0.1, 1}) // shades x from 5 to 7 on the floor
	p := prepare(t, l)
	spots, err := ledger.Line(t.Context(), p, geom.Vec3{-4, 0, 0}, geom.Vec3{8, 0, 0}, up, 25)
	require.NoError(t, err)
	require.Len(t, spots, 25)
	assert.Equal(t, 12.0, spots[24].AtM)
	for _, s := range spots {
		d := s.Point[0]
		want := candela * h / math.Pow(h*h+d*d, 1.5)
		if d > 5.2 && d < 6.8 {
			want = 0
		} else if d > 4.8 && d < 7.2 {
			continue // at the edge of the shadow
		}
		assert.InDelta(t, want, s.Direct.Luminance, 1e-6*candela, "at %v m", d)
		if want > 0 {
			assert.Equal(t, "l", s.Most)
		}
	}
	two, err := ledger.Line(t.Context(), p, geom.Vec3{}, geom.Vec3{1, 0, 0}, up, 0)
	require.NoError(t, err)
	assert.Len(t, two, 2, "at least both ends")
}

// The stated standard error is true, also where bounces come from a small bright spot: over many
// places, answers are off from path tracing of another kind by about as much as they say.
func TestTheStandardErrorIsTrue(t *testing.T) {
	for _, l := range []*level.Level{demo.SmallSpot(0.2, 0.11), demo.Blinds(0.17, 0.03)} {
		p := prepare(t, l)
		var at []int
		for i := 5; i < len(p.Texels.List); i += len(p.Texels.List) / 60 {
			if entity := p.Scene.Surfaces[p.Texels.List[i].Surface(p.Scene)].Body().Entity; entity == "west" || entity == "ceiling" || entity == "north" {
				at = append(at, i)
			}
		}
		require.Greater(t, len(at), 15)
		sum := 0.0
		for k, truth := range reference.New(p.Map).Texels(at, 8000) {
			texel := &p.Texels.List[at[k]]
			n := texel.Normal(p.Scene)
			place := geom.Vec3{float64(texel.Origin[0]), float64(texel.Origin[1]), float64(texel.Origin[2])}
			book := ledger.Ask(p, place.Sub(n.Mul(scene.OffsetM)), n)
			require.Positive(t, book.Error)
			off := book.Total.Luminance - truth.Lux
			sum += off * off / (book.Error*book.Error + truth.Error*truth.Error)
		}
		ratio := math.Sqrt(sum / float64(len(at)))
		t.Logf("%s: off by %.2f times what it says", l.Name, ratio)
		assert.Greater(t, ratio, 0.4, l.Name)
		assert.Less(t, ratio, 1.6, l.Name)
	}
}
