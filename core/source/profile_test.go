package source_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
	"grotta/core/source"
)

// lm63 is a luminaire with an intensity of I (1 + 0.5 cos h) cos² v: at each degree of v, and each
// 15 of h.
func lm63() []byte {
	var b strings.Builder
	b.WriteString("IESNA:LM-63-2002\nTILT=NONE\n1 -1 1 91 25 1 2 0 0 0 1 1 1\n")
	for v := range 91 {
		fmt.Fprintf(&b, "%d ", v)
	}
	for h := 0; h <= 360; h += 15 {
		fmt.Fprintf(&b, "%d ", h)
	}
	for h := 0; h <= 360; h += 15 {
		for v := range 91 {
			c := math.Cos(float64(v) * math.Pi / 180)
			fmt.Fprintf(&b, "%.6f ", 200*(1+0.5*math.Cos(float64(h)*math.Pi/180))*c*c)
		}
	}
	return []byte(b.String())
}

// A light that hangs and shines down lights the floor by its profile: I(v, h) cos v / d², its brightest
// direction as strong as the light. Its own +X is horizontal angle 0.
func TestProfileAgainstItsFormula(t *testing.T) {
	for _, kind := range []string{level.Point, level.Spot} {
		l := level.New("l")
		floor := level.Default[level.Solid]()
		floor.ID, floor.Size = "floor", level.Vec{20, 0.1, 20}
		floor.Transform.Position = level.Vec{0, -0.05, 0}
		l.Solids = append(l.Solids, &floor)
		l.Profiles = append(l.Profiles, &level.LightProfile{ID: "lamp", Data: lm63()})
		lamp := level.NewLight("light", kind)
		lamp.Strength, lamp.Profile, lamp.InnerDeg, lamp.OuterDeg = 1, "lamp", 89, 89.5
		lamp.Transform.Position = level.Vec{0, 2, 0}
		lamp.Transform.Rotation = [4]float64{-math.Sqrt2 / 2, 0, 0, math.Sqrt2 / 2} // -Z down, +X east, +Y north
		l.Lights = append(l.Lights, lamp)
		require.NoError(t, l.Validate())
		sc := scene.Build(l)
		sources := source.List(l, sc)
		require.Equal(t, "light", sources[0].ID)
		for _, at := range []geom.Vec3{{1, 0, 0}, {-1, 0, 0}, {0.7, 0, -0.7}, {0, 0, -1.5}, {2, 0, 1}} {
			r := source.Receiver{Point: at, Origin: at.Add(geom.Vec3{0, 1e-4, 0}), Normal: geom.Vec3{0, 1, 0}}
			lux, _ := sources[0].Direct(sc, &r, source.Steady(1), 0)
			d := geom.Vec3{0, 2, 0}.Sub(at).Len()
			cos := 2 / d
			h := math.Atan2(-at[2], at[0]) // north is the light's own +Y
			want := (1 + 0.5*math.Cos(h)) / 1.5 * cos * cos * cos / (d * d)
			assert.InEpsilon(t, want, lux[1], 0.006, "%s at %v", kind, at)
		}
		before := sources[0].Digest()
		lamp.Profile = ""
		assert.NotEqual(t, before, source.List(l, sc)[0].Digest(), "a light by a profile has another layer")
	}
}
