package rest

import (
	"encoding/binary"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/mirror"
)

// The steps of a place lie one below the other, each with its last column before its first and its first after
// its last, so that what is read between two columns is right all round.
func TestMirrorsArePackedAllRound(t *testing.T) {
	set, err := mirror.Capture(t.Context(), []mirror.Place{{Half: geom.Vec3{1, 2, 3}, Side: 16}}, func(_, d geom.Vec3) color.Linear {
		return color.Linear{1 + d[0], 1 + d[1], 1e9}
	})
	require.NoError(t, err)
	data, err := packMirrors(set, nil)
	require.NoError(t, err)
	length := binary.LittleEndian.Uint32(data)
	var head mirrorsHeader
	require.NoError(t, json.Unmarshal(data[4:4+length], &head))
	assert.Equal(t, 64, head.Width)
	assert.Equal(t, 32+16+8+4, head.Height)
	require.Len(t, head.Places, 1)
	assert.Equal(t, [3]float64{1, 2, 3}, [3]float64(head.Places[0].Half))
	row := 4 * (head.Width + 2)
	assert.Len(t, data[4+length:], 2*(row*head.Height+2*head.TableSide*head.TableSide))

	picture := mirrorPicture(set.Maps[0], head.Width)
	require.Len(t, picture, row*head.Height)
	top := 0
	for k := range set.Steps {
		w := set.Width >> k
		for y := top; y < top+w/2; y++ {
			at := func(x int) []float32 { return picture[y*row+4*x:][:4] }
			assert.Equal(t, at(w), at(0))
			assert.Equal(t, at(1), at(w+1))
		}
		top += w / 2
	}
	assert.EqualValues(t, 65504, picture[2], "what half-floats cannot hold is cut")

	none, err := packMirrors(nil, nil)
	require.NoError(t, err)
	assert.Contains(t, string(none[4:]), `"places":[]`)
}
