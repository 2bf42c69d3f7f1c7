package bake_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/level"
)

// globe is a ball of radius 1 about the origin, of so many parts around and half as many up, with or
// without normals.
func globe(around int, smooth bool) *level.Mesh {
	m := level.Default[level.Mesh]()
	m.ID = "ball"
	up := around / 2
	for j := range up + 1 {
		for i := range around {
			sinT, cosT := math.Sincos(math.Pi * float64(j) / float64(up))
			sinP, cosP := math.Sincos(2 * math.Pi * float64(i) / float64(around))
			m.Positions = append(m.Positions, sinT*cosP, cosT, sinT*sinP)
		}
	}
	for j := range up {
		for i := range around {
			a, b := uint32(j*around+i), uint32(j*around+(i+1)%around)
			m.Indices = append(m.Indices, a, b, b+uint32(around), a, b+uint32(around), a+uint32(around))
		}
	}
	if smooth {
		m.Normals = append(m.Normals, m.Positions...)
	}
	return &m
}

// A ball with normals is lit by parallel light as a true ball is: by the cosine of the angle at each
// place of it, up to where the light ends, whatever its triangles are.
func TestABallWithNormalsIsLitAsABall(t *testing.T) {
	toSun := geom.Vec3{1, 0.5, 0.3}.Normalize()
	worstOf := func(around int, smooth bool) (rms, worst float64) {
		l := level.New("Ball")
		l.Environment.Sky.Luminance, l.Environment.Ambient.Strength = 0, 0
		l.Lightmap.Bounces, l.Lightmap.Density = false, 12
		l.Meshes = append(l.Meshes, globe(around, smooth))
		l.Lights = []*level.Light{light("lamp", level.Directional, 100, level.Vec{0, 9, 0}, toSun.Mul(-1))}
		p := prepare(t, l)
		m := mixOf(t, p, bake.Good)
		require.Greater(t, len(p.Texels.List), 1000)
		for i := range p.Texels.List {
			x := &p.Texels.List[i]
			want := 100 * max(0, vec3(x.Origin).Normalize().Dot(toSun))
			off := float64(m.Pix[3*x.Index+1]) - want
			rms += off * off / float64(len(p.Texels.List))
			worst = max(worst, math.Abs(off))
		}
		return math.Sqrt(rms), worst
	}
	for _, around := range []int{12, 24, 48} {
		rms, worst := worstOf(around, true)
		flat, flatWorst := worstOf(around, false)
		t.Logf("%d parts: rms %.2f, worst %.2f lx of 100; flat %.2f, %.2f", around, rms, worst, flat, flatWorst)
		assert.Less(t, rms, 1.2, "%d parts", around) // the seams between charts move texels by a part of the step beside them
		assert.Less(t, worst, 8.0, "%d parts", around)
		assert.Less(t, rms, 0.6*flat, "%d parts", around)
		assert.Less(t, worst, 0.8*flatWorst, "%d parts", around)
	}
}
