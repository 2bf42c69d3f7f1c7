package meshopt

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func file(t testing.TB, name string) []byte {
	t.Helper()
	data, err := os.ReadFile("testdata/" + name)
	require.NoError(t, err)
	return data
}

// The files of testdata were packed and unpacked by the library meshoptimizer: a made-up wavy sheet of
// 21 by 17 vertices with random normals and turns, and its triangles, some of them shuffled.
func TestAttributesOfAnotherEncoder(t *testing.T) {
	for name, c := range map[string]struct {
		stride int
		filter string
	}{
		"positions": {12, ""}, "colors": {4, "NONE"}, "normals8": {4, "OCTAHEDRAL"}, "normals16": {8, "OCTAHEDRAL"},
		"turns": {8, "QUATERNION"}, "rounded": {12, "EXPONENTIAL"},
		"positions.v1": {12, ""}, "places16.v1": {8, ""}, "colors.v1": {4, "COLOR"}, "colors16.v1": {8, "COLOR"}, "flat.v1": {12, ""}, "steps.v1": {4, ""},
	} {
		t.Run(name, func(t *testing.T) {
			got, err := Attributes(file(t, name+".packed"), 21*17, c.stride)
			require.NoError(t, err)
			require.NoError(t, Filter(c.filter, got, c.stride))
			want := file(t, name+".plain")
			if c.stride != 8 {
				assert.True(t, bytes.Equal(want, got))
				return
			}
			require.Len(t, got, len(want))
			for i := 0; i < len(want); i += 2 { // that library rounds in single precision
				require.InDelta(t, short(want[i:]), short(got[i:]), 1, i)
			}
		})
	}
}

func TestIndicesOfAnotherEncoder(t *testing.T) {
	want := file(t, "triangles.plain")
	got, err := Triangles(file(t, "triangles.packed"), 1920, 4)
	require.NoError(t, err)
	assert.Equal(t, turned(want), turned(got))
	narrow, err := Triangles(file(t, "triangles.packed"), 1920, 2)
	require.NoError(t, err)
	for i := range 1920 {
		assert.Equal(t, binary.LittleEndian.Uint32(got[4*i:]), uint32(binary.LittleEndian.Uint16(narrow[2*i:])))
	}
	got, err = Indices(file(t, "indices.packed"), 1920, 4)
	require.NoError(t, err)
	assert.Equal(t, file(t, "indices.plain"), got)
}

// turned is triangles with their least vertex first: a packed triangle may begin at another one.
func turned(data []byte) (out [][3]uint32) {
	for ; len(data) >= 12; data = data[12:] {
		a, b, c := binary.LittleEndian.Uint32(data), binary.LittleEndian.Uint32(data[4:]), binary.LittleEndian.Uint32(data[8:])
		for a > b || a > c {
			a, b, c = b, c, a
		}
		out = append(out, [3]uint32{a, b, c})
	}
	return out
}

func TestWhatIsNoPackedData(t *testing.T) {
	positions, triangles, list := file(t, "positions.packed"), file(t, "triangles.packed"), file(t, "indices.packed")
	changed := func(data []byte, first byte) []byte { return append([]byte{first}, data[1:]...) }
	for name, err := range map[string]error{
		"another version":       second(Attributes(changed(positions, 0xa2), 357, 12)),
		"a stride of 6":         second(Attributes(positions, 357, 6)),
		"a short file":          second(Attributes(positions[:30], 357, 12)),
		"kinds that are not":    second(Attributes(append(file(t, "positions.v1.packed")[:len(file(t, "positions.v1.packed"))-1], 3), 357, 12)),
		"a colour of 12":        Filter("COLOR", nil, 12),
		"bytes left":            second(Attributes(positions, 100, 12)),
		"a huge claim":          second(Attributes(positions, 1<<40, 12)),
		"fewer than none":       second(Attributes(positions, -1, 12)),
		"no triangles":          second(Triangles(triangles, 1921, 4)),
		"triangles of another":  second(Triangles(changed(triangles, 0xe0), 1920, 4)),
		"many triangles":        second(Triangles(triangles, 3<<30, 4)),
		"indices of one byte":   second(Triangles(triangles, 1920, 1)),
		"indices of another":    second(Indices(changed(list, 0), 1920, 4)),
		"many indices":          second(Indices(list, 1<<40, 4)),
		"a filter of no name":   Filter("SMOOTH", nil, 4),
		"an octahedron of 12":   Filter("OCTAHEDRAL", nil, 12),
		"a turn of 4":           Filter("QUATERNION", nil, 4),
		"an exponent of 6":      Filter("EXPONENTIAL", nil, 6),
		"an index over 16 bits": second(Indices([]byte{0xd1, 0x80, 0x80, 0x40, 0, 0, 0, 0}, 1, 2)),
	} {
		assert.Error(t, err, name)
	}
}

func second(_ []byte, err error) error { return err }

// A cut file is an error at every length, and never a crash.
func TestCutFiles(t *testing.T) {
	positions, triangles, list := file(t, "positions.packed"), file(t, "triangles.packed"), file(t, "indices.packed")
	newer := file(t, "positions.v1.packed")
	for n := range positions {
		assert.Error(t, second(Attributes(positions[:n], 357, 12)), n)
	}
	for n := range newer {
		assert.Error(t, second(Attributes(newer[:n], 357, 12)), n)
	}
	for n := range triangles {
		assert.Error(t, second(Triangles(triangles[:n], 1920, 4)), n)
	}
	for n := range list {
		assert.Error(t, second(Indices(list[:n], 1920, 4)), n)
	}
}

func FuzzUnpack(f *testing.F) {
	f.Add(file(f, "positions.packed"), 357, 12)
	f.Add(file(f, "positions.v1.packed"), 357, 12)
	f.Add(file(f, "steps.v1.packed"), 357, 4)
	f.Add(file(f, "triangles.packed"), 1920, 4)
	f.Add(file(f, "indices.packed"), 1920, 4)
	f.Fuzz(func(t *testing.T, data []byte, count, size int) {
		for _, unpack := range []func([]byte, int, int) ([]byte, error){Attributes, Triangles, Indices} {
			out, err := unpack(data, count, size)
			if err == nil {
				require.Len(t, out, count*size)
				require.LessOrEqual(t, len(out), (len(data)+groupSize)*mostRatio[1]*4, fmt.Sprint(count, size))
			}
		}
	})
}
