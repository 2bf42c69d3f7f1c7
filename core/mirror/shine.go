package mirror

import (
	"math"
	"sync"

	"grotta/core/color"
	"grotta/core/level"
)

// Plain is what a surface that is no metal mirrors of light that falls on it straight: that of glass of a
// refractive index of 1.5, by Fresnel.
const Plain = 0.04

// plainWater is what water mirrors of such light, of an index of 1.33.
const plainWater = 0.02

func plainOf(m *level.Material) float64 {
	if m.IsWater() {
		return plainWater
	}
	return Plain
}

// matteFrom is the roughness from which a surface passes over to matt. So wide a lobe gathers light nearly as
// a matt surface does, and the lightmap holds that with its lamps, which a map of the surroundings does not.
const matteFrom = 0.7

// Share is how much of a surface's light follows its mirror, by its roughness: 1 up to 0.7, 0 at 1.
func Share(roughness float64) float64 { return min(max((1-roughness)/(1-matteFrom), 0), 1) }

// Split is the light of a surface seen at a cosine: matt weighs its base colour under the lightmap, and
// shown what it mirrors. A metal mirrors in its base colour and has no matt light.
func Split(m *level.Material, base color.Linear, cos float64) (matt float64, shown color.Linear) {
	share := Share(m.Roughness)
	if share == 0 {
		return 1, color.Linear{}
	}
	scale, add := Lobes().At(m.Roughness, cos)
	plain := plainOf(m)*scale + add
	for c := range shown {
		shown[c] = share * (m.Metalness*(base[c]*scale+add) + (1-m.Metalness)*plain)
	}
	return 1 - share + share*(1-m.Metalness)*(1-plain), shown
}

// Table holds, by roughness and the square root of the cosine, how much of an even surrounding a GGX surface
// mirrors: F0·Scale + Add, with Schlick's approximation of Fresnel. That this and the surroundings may be
// averaged apart is the split-sum approximation (Karis, SIGGRAPH course "Physically Based Shading in Theory
// and Practice", 2013).
type Table [TableSide][TableSide][2]float64

// TableSide is the steps of each side of the table, from 0 to 1.
const TableSide = 32

// Lobes is the table.
var Lobes = sync.OnceValue(func() *Table {
	t := &Table{}
	for i := range t {
		for k := range t[i] {
			root := float64(k) / (TableSide - 1)
			t[i][k][0], t[i][k][1] = lobe(float64(i)/(TableSide-1), root*root)
		}
	}
	return t
})

// At reads the table between its steps.
func (t *Table) At(roughness, cos float64) (scale, add float64) {
	r, c := roughness*(TableSide-1), math.Sqrt(min(max(cos, 0), 1))*(TableSide-1)
	i, k := min(int(r), TableSide-2), min(int(c), TableSide-2)
	fr, fc := r-float64(i), c-float64(k)
	var out [2]float64
	for what := range out {
		out[what] = (t[i][k][what]*(1-fc)+t[i][k+1][what]*fc)*(1-fr) + (t[i+1][k][what]*(1-fc)+t[i+1][k+1][what]*fc)*fr
	}
	return out[0], out[1]
}

// lobe integrates over a GGX lobe with Smith's height-correlated masking (Heitz, "Understanding the
// masking-shadowing function in microfacet-based BRDFs", 2014), by its half vectors.
func lobe(roughness, cos float64) (scale, add float64) {
	cos = max(cos, 1e-4)
	if roughness == 0 {
		fresnel := schlick(cos)
		return 1 - fresnel, fresnel
	}
	a2, sin := math.Pow(roughness, 4), math.Sqrt(1-cos*cos)
	const count = 512
	for _, h := range NewLobe(roughness, count) {
		toHalf := sin*h[0] + cos*h[2]
		light := 2*toHalf*h[2] - cos // cosine of the light
		if light <= 0 || toHalf <= 0 {
			continue
		}
		masked := 2 * light * cos / (light*math.Sqrt(cos*cos*(1-a2)+a2) + cos*math.Sqrt(light*light*(1-a2)+a2))
		weight := masked * toHalf / (h[2] * cos) / count
		fresnel := schlick(toHalf)
		scale, add = scale+(1-fresnel)*weight, add+fresnel*weight
	}
	return scale, add
}

// schlick is what a grazing ray adds to Fresnel (Schlick, 1994).
func schlick(cos float64) float64 {
	x := 1 - min(cos, 1)
	return x * x * x * x * x
}
