package exchange_test

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
)

// sheet is a wavy sheet of 21 by 17 vertices as text, with packed buffers beside one that only stands for the
// unpacked bytes, or with the unpacked ones.
func sheet(t *testing.T, packed bool) string {
	t.Helper()
	part := func(name string) (data []byte) {
		suffix := ".plain"
		if packed {
			suffix = ".packed"
		}
		data, err := os.ReadFile("meshopt/testdata/" + name + suffix)
		require.NoError(t, err)
		return data
	}
	positions, triangles := part("positions"), part("triangles")
	views := fmt.Sprintf(`{"buffer":0,"byteLength":%d},{"buffer":0,"byteOffset":%d,"byteLength":%d}`, len(positions), len(positions), len(triangles))
	standIn := ""
	if packed {
		views = fmt.Sprintf(`{"buffer":1,"byteLength":4284,"byteStride":12,"extensions":{"EXT_meshopt_compression":{"buffer":0,"byteLength":%d,"byteStride":12,"count":357,"mode":"ATTRIBUTES"}}},
 {"buffer":1,"byteOffset":4284,"byteLength":7680,"extensions":{"EXT_meshopt_compression":{"buffer":0,"byteOffset":%d,"byteLength":%d,"byteStride":4,"count":1920,"mode":"TRIANGLES"}}}`, len(positions), len(positions), len(triangles))
		standIn = `,{"byteLength":11964,"extensions":{"EXT_meshopt_compression":{"fallback":true}}}`
	}
	return `{"asset":{"version":"2.0"},"extensionsUsed":["EXT_meshopt_compression"],"extensionsRequired":["EXT_meshopt_compression"],"scene":0,"scenes":[{"nodes":[0]}],
 "nodes":[{"mesh":0,"name":"sheet"}],"meshes":[{"primitives":[{"attributes":{"POSITION":0},"indices":1}]}],
 "accessors":[{"bufferView":0,"componentType":5126,"count":357,"type":"VEC3","min":[-2.5,-1,-2],"max":[2.5,1,2]},{"bufferView":1,"componentType":5125,"count":1920,"type":"SCALAR"}],
 "bufferViews":[` + views + `],
 "buffers":[{"byteLength":` + fmt.Sprint(len(positions)+len(triangles)) + `,"uri":"data:application/octet-stream;base64,` + base64.StdEncoding.EncodeToString(append(positions, triangles...)) + `"}` + standIn + `]}`
}

// binaryGLTF puts the first buffer of a text into the second chunk of a binary file.
func binaryGLTF(t *testing.T, text string) []byte {
	t.Helper()
	head, rest, found := strings.Cut(text, `,"uri":"data:application/octet-stream;base64,`)
	require.True(t, found)
	coded, tail, _ := strings.Cut(rest, `"`)
	body, err := base64.StdEncoding.DecodeString(coded)
	require.NoError(t, err)
	pad := func(data []byte, with byte) []byte {
		return append(data, bytes.Repeat([]byte{with}, (4-len(data)%4)%4)...)
	}
	out := binary.LittleEndian.AppendUint32([]byte("glTF"), 2)
	out = binary.LittleEndian.AppendUint32(out, 0)
	for _, c := range []struct {
		kind string
		data []byte
	}{{"JSON", pad([]byte(head+tail), ' ')}, {"BIN\x00", pad(body, 0)}} {
		out = append(binary.LittleEndian.AppendUint32(out, uint32(len(c.data))), c.kind...)
		out = append(out, c.data...)
	}
	binary.LittleEndian.PutUint32(out[8:], uint32(len(out)))
	return out
}

func TestPackedBuffersComeIn(t *testing.T) {
	plain, _, err := readGLTF([]byte(sheet(t, false)), "x")
	require.NoError(t, err)
	require.Len(t, plain.Meshes, 1)
	text := sheet(t, true)
	for name, data := range map[string][]byte{"text": []byte(text), "binary": binaryGLTF(t, text), "newer": []byte(strings.ReplaceAll(text, "EXT_meshopt", "KHR_meshopt"))} {
		l, left, err := readGLTF(data, "x")
		require.NoError(t, err, name)
		assert.Empty(t, left, name)
		require.Len(t, l.Meshes, 1, name)
		assert.Equal(t, plain.Meshes[0].Positions, l.Meshes[0].Positions, name)
		assert.Len(t, l.Meshes[0].Indices, 1920, name)
	}
}

func TestPackedBuffersThatCannotBe(t *testing.T) {
	text := sheet(t, true)
	for from, c := range map[string]struct{ to, want string }{
		`"mode":"TRIANGLES"`:             {`"mode":"FANS"`, "there are ATTRIBUTES, TRIANGLES and INDICES"},
		`"mode":"ATTRIBUTES"`:            {`"mode":"ATTRIBUTES","filter":"SMOOTH"`, "is no filter"},
		`"count":357,"mode"`:             {`"count":900000000,"mode"`, "900000000 elements of 12 bytes cannot come from"},
		`"byteStride":12,"count"`:        {`"byteStride":13,"count"`, "elements have 13 bytes"},
		`{"buffer":0,"byteLength":1976,`: {`{"buffer":7,"byteLength":1976,`, "names buffer 7"},
		`"byteOffset":1976,`:             {`"byteOffset":99999,`, "goes from byte 99999 on"},
		`"count":1920,"mode"`:            {`"count":"many","mode"`, "/bufferViews/1/extensions/EXT_meshopt_compression"},
	} {
		require.Contains(t, text, from)
		_, _, err := readGLTF([]byte(strings.Replace(text, from, c.to, 1)), "x")
		var invalid *level.Invalid
		if assert.ErrorAs(t, err, &invalid, from) {
			assert.Contains(t, err.Error(), c.want, from)
		}
	}
}
