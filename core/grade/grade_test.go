package grade_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/grade"
	"grotta/core/level"
)

func plain() *level.Look {
	look := level.Default[level.Look]()
	look.Tone = "clamp"
	return &look
}

// shown is what a look makes of a grey that is x times white, decoded again.
func shown(look *level.Look, c color.Linear) color.Linear {
	got := grade.NewDisplay(look, grade.Gains(&look.Balance)).Of(c.Scale(grade.White(look.ExposureEV)))
	for k := range got {
		got[k] = color.DecodeSRGB(got[k])
	}
	return got
}

func TestTones(t *testing.T) {
	look := plain()
	assert.InDelta(t, 0.3, shown(look, color.White.Scale(0.3))[0], 1e-9)
	assert.Equal(t, 1.0, shown(look, color.White.Scale(7))[0])

	look.Tone = "filmic" // Reinhard's extended curve with white at 4
	assert.InDelta(t, 1, shown(look, color.White.Scale(4))[0], 1e-9)
	assert.InDelta(t, 0.5*(1+1/16.0), shown(look, color.White)[0], 1e-9)
	assert.InDelta(t, 0.01, shown(look, color.White.Scale(0.01))[0], 2e-4, "darks are left alone")

	// A blue light over white: cut it turns toward cyan, with headroom it stays.
	blue := color.Linear{0.2, 1, 2}
	look.Tone = "clamp"
	assert.Equal(t, 1.0, shown(look, blue)[1]/shown(look, blue)[2])
	look.Tone = "headroom"
	kept := shown(look, blue)
	assert.InDelta(t, 0.5, kept[1]/kept[2], 1e-9)
	assert.InDelta(t, 1, kept[2], 1e-9)
	look.Headroom = 1.5
	assert.InDelta(t, 1/1.5, shown(look, blue)[1], 1e-9, "over the headroom it is cut all the same")
	look.Enabled = false
	assert.Equal(t, 1.0, shown(look, blue)[1], "no look is a plain camera")
}

func TestBalanceMakesItsLightWhite(t *testing.T) {
	for _, kelvin := range []float64{2700, 4000, 6504, 9000} {
		look := plain()
		look.Balance.Kelvin = kelvin
		grey := shown(look, color.Linear{0.05, 0.05, 0.05})
		assert.InDelta(t, 0.05, grey.Luminance(), 1e-9, "grey keeps its luminance")
		// What lamp light comes to, relative to what 6504 K comes to unbalanced.
		lamp, day := shown(look, color.Kelvin(kelvin).Scale(0.05)), shown(plain(), color.Kelvin(6504).Scale(0.05))
		assert.InDelta(t, day[0]/day[2], lamp[0]/lamp[2], 1e-6, "%v K", kelvin)
		assert.InDelta(t, day[1]/day[2], lamp[1]/lamp[2], 1e-6, "%v K", kelvin)
	}
	green := grade.Gains(&level.Balance{Kelvin: 6504, Tint: -1})
	assert.InDelta(t, math.Sqrt2, green[1]/green[0], 1e-9, "half a stop of green")
}

func TestDecisionListByItsDefinition(t *testing.T) {
	g := level.Grade{Slope: level.Vec{1.2, 1, 0.8}, Offset: level.Vec{0.05, 0, -0.1}, Power: level.Vec{1, 2, 0.5}, Saturation: 1}
	got := grade.Decide(&g, color.Linear{0.5, 0.5, 0.5})
	assert.InDelta(t, 0.65, got[0], 1e-12)
	assert.InDelta(t, 0.25, got[1], 1e-12)
	assert.InDelta(t, math.Sqrt(0.3), got[2], 1e-12)
	assert.Equal(t, 1.0, grade.Decide(&g, color.White)[0], "clamped before the power")
	g = level.Grade{Slope: level.Vec{1, 1, 1}, Power: level.Vec{1, 1, 1}}
	got = grade.Decide(&g, color.Linear{1, 0, 0})
	assert.InDelta(t, 0.2126, got[2], 1e-12, "no saturation leaves the luma of Rec. 709")
}

func TestCDLGoesThroughItsXML(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		three := func(name string, low, high float64) (v level.Vec) {
			for i := range v {
				v[i] = rapid.Float64Range(low, high).Draw(t, name)
			}
			return v
		}
		g := level.Grade{Enabled: true, Slope: three("slope", 0, 16), Offset: three("offset", -1, 1), Power: three("power", 0.01, 16), Saturation: rapid.Float64Range(0, 4).Draw(t, "saturation")}
		text, err := grade.WriteCDL(&g, "dusk")
		require.NoError(t, err)
		back, err := grade.ReadCDL(text)
		require.NoError(t, err)
		require.Equal(t, g, *back)
	})
}

// As another program writes it, in a collection and with a namespace.
func TestCDLOfOthers(t *testing.T) {
	g, err := grade.ReadCDL([]byte(`<?xml version="1.0"?>
<ColorCorrectionCollection xmlns="urn:ASC:CDL:v1.2">
  <ColorCorrection id="a1">
    <SOPNode><Description>warm</Description><Slope>1.1 1.0 0.9</Slope><Offset>0.01 0 -0.01</Offset><Power>1 1 1.05</Power></SOPNode>
    <SATNode/><SatNode><Saturation>0.85</Saturation></SatNode>
  </ColorCorrection>
  <ColorCorrection id="a2"/>
</ColorCorrectionCollection>`))
	require.NoError(t, err)
	assert.Equal(t, level.Vec{1.1, 1, 0.9}, g.Slope)
	assert.Equal(t, 0.85, g.Saturation)
	for text, says := range map[string]string{
		"":               "holds no ColorCorrection",
		"<a><b></a>":     "holds no ColorCorrection",
		"not xml at all": "holds no ColorCorrection",
		"<ColorCorrection><SOPNode><Slope>1 2</Slope></SOPNode></ColorCorrection>":         "3 numbers are needed",
		"<ColorCorrection><SOPNode><Slope>1 two 3</Slope></SOPNode></ColorCorrection>":     `"two" is no number`,
		"<ColorCorrection><SOPNode><Power>1 1 0</Power></SOPNode></ColorCorrection>":       "/power/2",
		"<ColorCorrection><SOPNode><Slope>NaN 1 1</Slope></SOPNode></ColorCorrection>":     "finite",
		"<ColorCorrection><SatNode><Saturation>9</Saturation></SatNode></ColorCorrection>": "/saturation",
		"<ColorCorrection><SOPNode><Slope>1 1 1</SOPNode></ColorCorrection>":               "is not XML",
	} {
		_, err := grade.ReadCDL([]byte(text))
		assert.ErrorContains(t, err, says, text)
	}
}

// even is a frame of one radiance, at one depth along the axis.
func even(w, h int, nits, depth float64) *grade.Frame {
	f := grade.NewFrame(w, h, 0.5)
	for y := range h {
		for x := range w {
			f.Set(x, y, color.White.Scale(nits))
			a, b := (2*(float64(x)+0.5)/float64(w)-1)*0.5*float64(w)/float64(h), (1-2*(float64(y)+0.5)/float64(h))*0.5
			f.Depth[y*w+x] = float32(depth * math.Sqrt(1+a*a+b*b))
		}
	}
	return f
}

func sum(f *grade.Frame) (total float64) {
	for y := range f.Height {
		for x := range f.Width {
			total += f.At(x, y)[1]
		}
	}
	return total
}

// Bloom spreads what is over its threshold and loses none of it.
func TestBloomKeepsEnergy(t *testing.T) {
	look := plain()
	look.Bloom = level.Bloom{Enabled: true, Threshold: 1, Strength: 0.5, Radius: 0.03}
	white := grade.White(look.ExposureEV)
	f := even(128, 96, 0, 5)
	f.Set(64, 48, color.White.Scale(9*white))
	grade.Develop(f, look, color.White)
	assert.InEpsilon(t, 9*white+0.5*8*white, sum(f), 0.01)
	assert.Greater(t, f.At(66, 48)[0], f.At(72, 48)[0])
	dim := even(128, 96, 0.9*white, 5)
	before := sum(dim)
	grade.Develop(dim, look, color.White)
	assert.InDelta(t, before, sum(dim), 1e-3, "nothing under the threshold")
}

// The circle of confusion of a thin lens: 24 mm sensor, tan 0.5, so f = 24 mm;
// focused at 2 m with f/2.
func TestBlurOfAThinLens(t *testing.T) {
	focus := &level.Focus{FocusM: 2, FStop: 2}
	assert.Zero(t, grade.Blur(focus, 0.5, 2))
	across := 0.024 * 0.024 / 2 * 2 / (4 * (2 - 0.024)) // metres on the sensor, of 4 m
	assert.InDelta(t, across/0.024/2, grade.Blur(focus, 0.5, 4), 1e-9)
	assert.Greater(t, grade.Blur(focus, 0.5, 1), grade.Blur(focus, 0.5, 1.5))
	assert.LessOrEqual(t, grade.Blur(&level.Focus{FocusM: 0.1, FStop: 0.5}, 0.2, 1e6), 0.02)
}

func TestDepthOfField(t *testing.T) {
	look := plain()
	look.Focus = level.Focus{Enabled: true, FocusM: 5, FStop: 0.5}
	stripes := func(depth float64) *grade.Frame {
		f := even(120, 90, 1, depth)
		for y := range 90 {
			for x := range 120 {
				f.Set(x, y, color.White.Scale(float64(x/2%2)*10))
			}
		}
		return f
	}
	sharp, soft := stripes(5), stripes(0.6)
	grade.Develop(sharp, look, color.White)
	grade.Develop(soft, look, color.White)
	assert.InDelta(t, 10, sharp.At(62, 45)[0]-sharp.At(60, 45)[0], 1e-4, "in focus nothing changes")
	assert.Less(t, math.Abs(soft.At(62, 45)[0]-soft.At(60, 45)[0]), 6.0)
}

// A flat floor hides nothing from itself; a corner does, and only within reach.
func TestOcclusion(t *testing.T) {
	set := &level.Occlusion{Enabled: true, Strength: 1, RadiusM: 0.5}
	for _, share := range grade.Occlude(even(80, 60, 1, 3), set) {
		require.InDelta(t, 1, share, 0.02)
	}
	// Two walls that meet 3 m ahead in the middle of the picture.
	f := grade.NewFrame(160, 120, 0.5)
	for y := range 120 {
		for x := range 160 {
			a, b := (2*(float64(x)+0.5)/160-1)*0.5*160/120, (1-2*(float64(y)+0.5)/120)*0.5
			depth := 3 / (1 + math.Abs(a)) // z = 3 - |x|
			f.Depth[y*160+x] = float32(depth * math.Sqrt(1+a*a+b*b))
		}
	}
	got := grade.Occlude(f, set)
	corner, wall := got[60*160+80], got[60*160+10]
	assert.Less(t, corner, float32(0.85))
	assert.Greater(t, wall, float32(0.95))
}

// From the corner of a wall and a ceiling outward it only lets go: no stripes.
func TestOcclusionHasNoStripes(t *testing.T) {
	const w, h, wall, above = 640, 400, 3.5, 1.15
	f := grade.NewFrame(w, h, 0.7)
	corner := 0 // the first row of the wall
	for y := range h {
		b := (1 - 2*(float64(y)+0.5)/h) * f.TanHalf
		depth := wall
		if b*wall > above {
			depth, corner = above/b, y+1
		}
		for x := range w {
			a := (2*(float64(x)+0.5)/w - 1) * f.TanHalf * w / h
			f.Depth[y*w+x] = float32(depth * math.Sqrt(1+a*a+b*b))
		}
	}
	got := grade.Occlude(f, &level.Occlusion{Enabled: true, Strength: 0.6, RadiusM: 0.5})
	for _, x := range []int{100, 320, 500} {
		assert.Less(t, got[corner*w+x], float32(0.75))
		for _, way := range []int{-1, 1} {
			most := float32(0)
			for y := corner; y >= corner-60 && y < corner+60; y += way {
				share := got[y*w+x]
				require.Greater(t, share, most-0.03, "column %d, %d from the corner", x, y-corner)
				most = max(most, share)
			}
			assert.Greater(t, most, float32(0.98))
		}
	}
}

// Shafts go away from the sun, and none comes where no sky is seen.
func TestScreenShafts(t *testing.T) {
	look := plain()
	look.Shafts = level.ScreenShafts{Enabled: true, Strength: 1, Length: 1}
	white := grade.White(look.ExposureEV)
	scene := func() *grade.Frame {
		f := even(100, 80, 0, 5)
		f.Sun = &geom.Vec3{0, 0, -1}
		for y := 35; y < 45; y++ {
			for x := 45; x < 55; x++ {
				f.Set(x, y, color.White.Scale(3*white))
				f.Depth[y*100+x] = grade.Far
			}
		}
		return f
	}
	f := scene()
	grade.Develop(f, look, color.White)
	near, farther := f.At(60, 40)[0], f.At(85, 40)[0]
	assert.Positive(t, farther)
	assert.Greater(t, near, farther)
	closed := even(100, 80, 0, 5)
	closed.Sun = &geom.Vec3{0, 0, -1}
	grade.Develop(closed, look, color.White)
	assert.Zero(t, sum(closed))
	behind := scene()
	behind.Sun = &geom.Vec3{0, 0, 1}
	grade.Develop(behind, look, color.White)
	assert.Zero(t, behind.At(60, 40)[0])
}

func TestSharpenAndBlurByAPixel(t *testing.T) {
	edge := func(amount float64) [2]uint8 {
		look := plain()
		look.Sharpen = amount
		f := even(20, 10, 0, 5)
		for y := range 10 {
			for x := range 20 {
				f.Set(x, y, color.White.Scale(grade.White(look.ExposureEV)*(0.1+0.2*float64(x/10))))
			}
		}
		m := grade.Develop(f, look, color.White)
		return [2]uint8{m.NRGBAAt(9, 5).R, m.NRGBAAt(10, 5).R}
	}
	none, sharp, soft := edge(0), edge(0.6), edge(-0.6)
	assert.Greater(t, sharp[1]-sharp[0], none[1]-none[0])
	assert.Less(t, soft[1]-soft[0], none[1]-none[0])
}
