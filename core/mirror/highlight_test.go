package mirror_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/geom"
	"grotta/core/mirror"
)

// A mirror that looks straight at a ball shows its radiance, I / (π r²), whatever its distance.
func TestAMirrorShowsTheBall(t *testing.T) {
	up := geom.Vec3{0, 1, 0}
	for _, d := range []float64{0.5, 1, 2} {
		const radius, candela = 0.1, 50.0
		got := mirror.Highlight(material(1, 0), grey(1), up, up, up.Mul(d), radius).Scale(candela / (d * d))
		want := candela / (math.Pi * radius * radius)
		assert.InEpsilon(t, want, got[1], 0.2, "%v m: the lobe is never sharper than a pixel takes", d)
	}
}

// A small lamp on a rough surface follows the microfacet formula with Smith's masking, written by lambda.
func TestASmallLampFollowsTheFormula(t *testing.T) {
	n := geom.Vec3{0, 0, 1}
	for _, c := range []struct{ roughness, eye, lamp, turn, metal float64 }{{0.5, 0.3, 0.5, 2.8, 0}, {0.6, 0.8, 0.6, 3.1, 1}, {0.35, 1.1, 1.2, 3.14, 0}} {
		toward := func(a, turn float64) geom.Vec3 {
			return geom.Vec3{math.Sin(a) * math.Cos(turn), math.Sin(a) * math.Sin(turn), math.Cos(a)}
		}
		eye, light := toward(c.eye, 0), toward(c.lamp, c.turn)
		half := eye.Add(light).Normalize()
		a2 := math.Pow(c.roughness, 4)
		tan2 := 1/(half[2]*half[2]) - 1
		density := 1 / (math.Pi * a2 * math.Pow(half[2], 4) * math.Pow(1+tan2/a2, 2))
		lambda := func(cos float64) float64 { return (math.Sqrt(1+a2*(1/(cos*cos)-1)) - 1) / 2 }
		f0 := 0.04*(1-c.metal) + 0.5*c.metal
		fresnel := f0 + (1-f0)*math.Pow(1-half.Dot(light), 5)
		want := density * fresnel / (1 + lambda(eye[2]) + lambda(light[2])) / (4 * eye[2] * light[2]) * light[2]
		got := mirror.Highlight(material(c.metal, c.roughness), grey(0.5), n, eye, light.Mul(20), 1e-6)
		assert.InEpsilon(t, want, got[1], 1e-4, "%+v", c)
	}
	assert.Zero(t, mirror.Highlight(material(0, 0.2), grey(0.5), n, geom.Vec3{0, 0, 1}, geom.Vec3{0, 0, -2}, 0.1), "a lamp behind it")
	assert.Zero(t, mirror.Highlight(material(1, 1), grey(0.5), n, geom.Vec3{0, 0, 1}, geom.Vec3{0, 0, 2}, 0.1), "matt")
}
