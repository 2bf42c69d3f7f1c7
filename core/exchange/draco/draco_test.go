package draco

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const columns, rows = 21, 17

func file(t testing.TB, name string) []byte {
	t.Helper()
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	return data
}

func decoder(t testing.TB) *Decoder {
	t.Helper()
	d, err := NewDecoder(context.Background())
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, d.Close()) })
	return d
}

// everything is what the packed sheets hold: places, normals, colours, places in an image.
var everything = []Attribute{{0, 3, Float32}, {1, 3, Float32}, {2, 4, Uint8}, {3, 2, Float32}}

func floats(data []byte) []float64 {
	out := make([]float64, len(data)/4)
	for i := range out {
		out[i] = float64(math.Float32frombits(binary.LittleEndian.Uint32(data[4*i:])))
	}
	return out
}

// The files of testdata were packed by the encoder of the Draco library, from a made-up wavy sheet of 21 by 17
// vertices: places by 14 bits, normals by 10, places in an image by 12, colours as they are. Each vertex that comes
// out is the nearest one of the sheet, and the triangles are those of the sheet.
func TestSheetsComeOutAsTheyWentIn(t *testing.T) {
	plain := floats(file(t, "../meshopt/testdata/positions.plain"))
	faces := file(t, "../meshopt/testdata/triangles.plain")
	nearest := func(p []float64) int {
		best, at := math.Inf(1), 0
		for i := range len(plain) / 3 {
			if d := math.Hypot(math.Hypot(plain[3*i]-p[0], plain[3*i+1]-p[1]), plain[3*i+2]-p[2]); d < best {
				best, at = d, i
			}
		}
		require.Less(t, best, 5.0/(1<<14), "a step of 14 bits of 5 m, at its corner")
		return at
	}
	turned := func(a, b, c int) string {
		for a > b || a > c {
			a, b, c = b, c, a
		}
		return fmt.Sprint(a, b, c)
	}
	var want []string
	for i := 0; i < len(faces); i += 12 {
		at := func(k int) int { return int(binary.LittleEndian.Uint32(faces[i+4*k:])) }
		want = append(want, turned(at(0), at(1), at(2)))
	}
	slices.Sort(want)
	d := decoder(t)
	for _, name := range []string{"edgebreaker", "sequential"} {
		m, err := d.Decode(t.Context(), file(t, "testdata/"+name+".drc"), everything, 10000, 10000)
		require.NoError(t, err)
		require.Equal(t, columns*rows, m.Points)
		places, normals, colors, uvs := floats(m.Values[0]), floats(m.Values[1]), m.Values[2], floats(m.Values[3])
		of := make([]int, m.Points)
		for i := range of {
			k := nearest(places[3*i : 3*i+3])
			of[i] = k
			assert.Equal(t, []byte{byte(k * 37), byte(k * 91), byte(k * 13), 255}, colors[4*i:4*i+4])
			assert.InDelta(t, 0.6*math.Sin(float64(k)), normals[3*i], 0.005)
			assert.InDelta(t, 0.8, normals[3*i+1], 0.005)
			assert.InDelta(t, float64(k%columns)/(columns-1), uvs[2*i], 1.0/4096)
			assert.InDelta(t, float64(k/columns)/(rows-1), uvs[2*i+1], 1.0/4096)
		}
		var got []string
		for i := 0; i < len(m.Indices); i += 3 {
			got = append(got, turned(of[m.Indices[i]], of[m.Indices[i+1]], of[m.Indices[i+2]]))
		}
		slices.Sort(got)
		assert.Equal(t, want, got, name)
	}
}

func TestWhatCannotBeUnpacked(t *testing.T) {
	whole := file(t, "testdata/edgebreaker.drc")
	for name, c := range map[string]struct {
		data   []byte
		wanted []Attribute
		most   int
		says   string
	}{
		"empty":           {nil, everything, 1e4, "contradict"},
		"no Draco":        {[]byte("a text of some length"), everything, 1e4, "contradict"},
		"cut":             {whole[:len(whole)/2], everything, 1e4, "contradict"},
		"large":           {whole, everything, 100, "unpacks to 640 triangles of 357 vertices; the most is 100 and 100"},
		"no such":         {whole, []Attribute{{9, 3, Float32}}, 1e4, "has no attribute 9"},
		"other dimension": {whole, []Attribute{{0, 2, Float32}}, 1e4, "has 3 numbers a value in attribute 0; 2 are needed"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := decoder(t).Decode(t.Context(), c.data, c.wanted, c.most, c.most)
			assert.ErrorContains(t, err, c.says)
		})
	}
}

// Where the context is done, unpacking does not begin.
func TestStopsWithItsContext(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	d, err := NewDecoder(ctx)
	require.NoError(t, err)
	defer func() { assert.NoError(t, d.Close()) }()
	cancel()
	_, err = d.Decode(ctx, file(t, "testdata/edgebreaker.drc"), everything, 1e4, 1e4)
	assert.ErrorIs(t, err, context.Canceled)
}

// Bytes all over a packed mesh are made wrong, one at a time: an answer comes, and no mesh points beyond its vertices.
func TestBrokenBytes(t *testing.T) {
	for _, name := range []string{"edgebreaker", "sequential"} {
		whole := file(t, "testdata/"+name+".drc")
		for i := 0; i < len(whole); i += 29 {
			broken := slices.Clone(whole)
			broken[i] ^= 0x55
			tryToDecode(t, broken)
		}
	}
}

func FuzzDecode(f *testing.F) {
	f.Add(file(f, "testdata/edgebreaker.drc"))
	f.Add(file(f, "testdata/sequential.drc"))
	f.Fuzz(func(t *testing.T, data []byte) { tryToDecode(t, data) })
}

func tryToDecode(t *testing.T, data []byte) {
	d, err := NewDecoder(context.Background())
	require.NoError(t, err)
	defer func() { assert.NoError(t, d.Close()) }()
	m, err := d.Decode(context.Background(), data, everything, 1e5, 1e5)
	if err != nil {
		return
	}
	for i, want := range everything {
		require.Len(t, m.Values[i], m.Points*want.Components*want.Number.size())
	}
	for _, i := range m.Indices {
		require.Less(t, int(i), m.Points)
	}
}

func BenchmarkDecode(b *testing.B) {
	data, d := file(b, "testdata/edgebreaker.drc"), decoder(b)
	for b.Loop() {
		if _, err := d.Decode(b.Context(), data, everything, 1e4, 1e4); err != nil {
			b.Fatal(err)
		}
	}
}
