package rest

import (
	"encoding/binary"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/x448/float16"

	"grotta/core/air"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/sky"
	"grotta/demo"
)

// What the console reads of the block is what the fields hold, to the precision
// of half-floats, whether moonlight or sun.
func TestFogBlockHoldsEachField(t *testing.T) {
	for _, scale := range []float32{1e-3, 1, 9e4} {
		field := func(cells [3]int, first float32) *air.Field {
			f := air.NewField(geom.Vec3{}, geom.Vec3{1, 1, 1}, cells)
			for i := range f.Values {
				f.Values[i] = scale * (first + float32(i%97)/50 - 0.4)
			}
			return f
		}
		a := &air.Air{Volumes: []air.Volume{
			{Field: field([3]int{3, 2, 4}, 1)}, {}, {Field: field([3]int{2, 5, 1}, 0.2)},
		}}
		data := packFog(a)
		word := func(i int) int { return int(binary.LittleEndian.Uint32(data[4*i:])) }
		size := [3]int{word(0), word(1), word(2)}
		require.Equal(t, [3]int{3, 5, 5}, size)
		factor := math.Float32frombits(binary.LittleEndian.Uint32(data[4*15:]))
		half := func(x, y, z, block, channel int) float64 {
			cells := size[0] * size[1] * size[2]
			at := 64 + 2*(4*(block*cells+x+size[0]*(y+size[1]*z))+channel)
			return float64(float16.Frombits(binary.LittleEndian.Uint16(data[at:])).Float32() * factor)
		}
		for i, v := range a.Volumes {
			first, cells := word(3+4*i), [3]int{word(4 + 4*i), word(5 + 4*i), word(6 + 4*i)}
			if v.Field == nil {
				assert.Equal(t, [3]int{}, cells)
				continue
			}
			require.Equal(t, v.Field.Cells, cells)
			for k := 0; k < len(v.Field.Values); k += 6 {
				x, y, z := k/6%cells[0], k/6/cells[0]%cells[1], k/6/cells[0]/cells[1]+first
				for c := range 6 {
					assert.InDelta(t, v.Field.Values[k+c], half(x, y, z, c/3, c%3), 2e-3*float64(scale))
				}
			}
		}
	}
	empty := packFog(&air.Air{})
	assert.NotEmpty(t, empty, "no volume is a block too")
}

// A day's hours: a clock on the sun's own day, or a whole date.
func TestHoursOfADay(t *testing.T) {
	l := demo.Saltmarsh()
	noon, label, err := atTime(l, "11:25")
	require.NoError(t, err)
	assert.Equal(t, "11:25 UTC", label)
	assert.Equal(t, level.Default[level.Place]().At[:11]+"11:25:00Z", noon.Environment.Sun.Place.At)
	_, altitude := sky.Angles(noon.Environment.Sun.Toward())
	assert.Greater(t, altitude, 50.0, "a noon in June")
	winter, _, err := atTime(l, "2026-12-21T11:25Z")
	require.NoError(t, err)
	assert.Less(t, winter.Environment.Sun.Lux, noon.Environment.Sun.Lux)
	night, _, err := atTime(l, "23:50")
	require.NoError(t, err)
	assert.Zero(t, night.Environment.Sun.Lux)
	assert.Positive(t, night.Environment.Sky.Luminance, "twilight is left in June")
	assert.Nil(t, l.Environment.Sun, "the level itself is not touched")
	for _, bad := range []string{"", "noon", "25:00", "2026-13-01T05:00Z"} {
		_, _, err := atTime(l, bad)
		assert.ErrorContains(t, err, "a time is written", bad)
	}
}

func TestRevisionsInHeaders(t *testing.T) {
	for text, want := range map[string]int{"": 0, "*": 0, `"7"`: 7, `W/"8"`: 8, etag(12): 12} {
		got, err := baseOf(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	_, err := baseOf(`"0"`)
	assert.ErrorContains(t, err, "ETag")
	_, err = baseOf(`"seven"`)
	assert.ErrorContains(t, err, "ETag")
}

func TestVectorsInQueries(t *testing.T) {
	got, err := parseVec("point", " 1.5, -2,0 ")
	require.NoError(t, err)
	assert.Equal(t, geom.Vec3{1.5, -2, 0}, got)
	for _, bad := range []string{"", "1,2", "1,2,3,4", "1,2,x", "NaN,0,0", "1e9,0,0", "Inf,0,0"} {
		_, err := parseVec("point", bad)
		assert.ErrorContains(t, err, "cannot be taken", bad)
	}
}

func TestFileNames(t *testing.T) {
	for name, want := range map[string]string{"Saltmarsh Light": "Saltmarsh-Light", "../../etc": "------etc", "a\"b\nc": "a-b-c"} {
		assert.Equal(t, want, fileName(name))
	}
}
