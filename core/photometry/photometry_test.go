package photometry_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/photometry"
)

// file is a made-up luminaire whose intensity is a function of its angles.
func file(vertical, horizontal []float64, candela func(v, h float64) float64) string {
	var b strings.Builder
	fmt.Fprintf(&b, "IESNA:LM-63-2002\n[TEST] made up\n[MANUFAC] Grotta\n[LUMINAIRE] Test lamp\nTILT=NONE\n1 -1 2 %d %d 1 2 0.1 0.1 0\n0.5 1 20\n", len(vertical), len(horizontal))
	for _, list := range [][]float64{vertical, horizontal} {
		for i, v := range list {
			sep := " "
			if i%7 == 6 {
				sep = "\n" // numbers go on over lines
			}
			fmt.Fprintf(&b, "%g%s", v, sep)
		}
		b.WriteString("\n")
	}
	for _, h := range horizontal {
		for _, v := range vertical {
			fmt.Fprintf(&b, "%.9g ", candela(v, h))
		}
		b.WriteString("\n")
	}
	return b.String()
}

func steps(from, to, by float64) (list []float64) {
	for v := from; v <= to+1e-9; v += by {
		list = append(list, v)
	}
	return list
}

func rad(d float64) float64 { return d * math.Pi / 180 }

// A shining surface: I cos v, which sends π I lumens (Lambert). The factors of the file, 2 and 0.5,
// make 1 together.
func TestLambertIsRead(t *testing.T) {
	p, err := photometry.Parse([]byte(file(steps(0, 90, 1), []float64{0}, func(v, _ float64) float64 { return 400 * math.Cos(rad(v)) })))
	require.NoError(t, err)
	assert.Equal(t, "Test lamp", p.Keywords["LUMINAIRE"])
	assert.InDelta(t, 400, p.Peak, 1e-6)
	for _, v := range []float64{0, 10, 33.5, 60, 89} {
		assert.InDelta(t, 400*math.Cos(rad(v)), p.At(v, 77), 0.02, "%v", v)
	}
	assert.Zero(t, p.At(91, 0), "dark over its angles")
	assert.InEpsilon(t, 400*math.Pi, p.Lumens(), 2e-4)
}

// Between the angles of a file the intensity is linear along both (LM-63).
func TestInterpolationIsLinearInBothAngles(t *testing.T) {
	p, err := photometry.Parse([]byte(file([]float64{0, 90}, []float64{0, 90}, func(v, h float64) float64 { return 10 + v + 2*h + v*h/90 })))
	require.NoError(t, err)
	for _, v := range []float64{0, 30, 45, 90} {
		for _, h := range []float64{0, 20, 90} {
			assert.InDelta(t, 10+v+2*h+v*h/90, p.At(v, h), 1e-6, "%v %v", v, h)
		}
	}
}

// Angles that a file leaves out for its symmetry are those of the other side.
func TestSymmetry(t *testing.T) {
	value := func(v, h float64) float64 { return 100 + v + h }
	for _, c := range []struct {
		horizontal []float64
		asked, is  []float64
	}{
		{[]float64{0}, []float64{0, 123, 359}, []float64{0, 0, 0}},
		{steps(0, 90, 15), []float64{30, 150, 210, 330}, []float64{30, 30, 30, 30}},
		{steps(0, 180, 15), []float64{30, 150, 210, 330}, []float64{30, 150, 150, 30}},
		{steps(0, 360, 15), []float64{30, 150, 210, 330, -30}, []float64{30, 150, 210, 330, 330}},
		{steps(90, 270, 15), []float64{90, 200, 30, 330, 280}, []float64{90, 200, 150, 210, 260}},
	} {
		p, err := photometry.Parse([]byte(file([]float64{0, 90, 180}, c.horizontal, value)))
		require.NoError(t, err)
		for i, h := range c.asked {
			assert.InDelta(t, 100+90+c.is[i], p.At(90, h), 1e-6, "%v at %v", c.horizontal, h)
		}
	}
}

func TestOlderFilesAndTilt(t *testing.T) {
	body := file(steps(0, 90, 30), []float64{0}, func(v, _ float64) float64 { return 90 - v + 1 })
	for _, head := range []string{"IESNA91", "IESNA:LM-63-1995", ""} { // 1986 has no such line
		p, err := photometry.Parse([]byte(strings.Replace(body, "IESNA:LM-63-2002", head, 1)))
		require.NoError(t, err, head)
		assert.InDelta(t, 91, p.Peak, 1e-9)
	}
	tilted := strings.Replace(body, "TILT=NONE", "TILT=INCLUDE\n1\n3\n0 90 180\n1 0.9 0.8", 1)
	_, err := photometry.Parse([]byte(strings.ReplaceAll(tilted, "\n", "\r\n")))
	require.NoError(t, err)
}

func TestFilesThatCannotBe(t *testing.T) {
	good := file(steps(0, 90, 30), []float64{0}, func(v, _ float64) float64 { return 91 - v })
	swap := func(from, to string) string { return strings.Replace(good, from, to, 1) }
	for name, c := range map[string]struct{ text, want string }{
		"empty":       {"", "no line TILT="},
		"another":     {"hello\nworld", "no file of IES LM-63"},
		"tilt file":   {swap("TILT=NONE", "TILT=lamp.til"), "line 5 has TILT=lamp.til"},
		"type B":      {swap("4 1 1 2", "4 1 2 2"), "photometry of type B (2); only type C"},
		"type A":      {swap("4 1 1 2", "4 1 3 2"), "photometry of type A (3)"},
		"type 9":      {swap("4 1 1 2", "4 1 9 2"), "photometry of type 9"},
		"many angles": {swap("4 1 1 2", "900000 1 1 2"), "has 900000 vertical angles"},
		"many values": {swap("4 1 1 2", "1000 999 1 2"), "claims 999000 values"},
		"ends":        {good[:len(good)-8], "before all its numbers"},
		"word":        {swap("0.5 1 20", "0.5 one 20"), `line 7 has "one"; a number is needed`},
		"falling":     {swap("0 30 60 90", "0 60 30 90"), "30 after 60; they must rise"},
		"odd end":     {swap("0 30 60 90", "0 30 60 80"), "vertical angles from 0 to 80"},
		"odd plane":   {strings.Replace(good, "90 \n0 \n", "90 \n45 \n", 1), "horizontal angles from 45 to 45"},
		"dark":        {file([]float64{0, 90}, []float64{0}, func(_, _ float64) float64 { return 0 }), "shines nowhere"},
		"negative":    {file([]float64{0, 90}, []float64{0}, func(_, _ float64) float64 { return -3 }), "at least 0"},
		"no factor":   {swap("0.5 1 20", "0 1 20"), "factors that make 0"},
		"too large":   {good + strings.Repeat(" ", photometry.MaxBytes), "the most is"},
	} {
		_, err := photometry.Parse([]byte(c.text))
		assert.ErrorContains(t, err, c.want, name)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(file(steps(0, 90, 30), []float64{0, 90}, func(v, h float64) float64 { return v + h })))
	f.Fuzz(func(t *testing.T, data []byte) {
		if p, err := photometry.Parse(data); err == nil {
			if v := p.At(45, 45); v < 0 || math.IsNaN(v) || v > p.Peak*(1+1e-9) {
				t.Fatalf("%v candela of at most %v", v, p.Peak)
			}
		}
	})
}
