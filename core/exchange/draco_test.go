package exchange_test

import (
	"encoding/base64"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
)

// dracoSheet is the wavy sheet of 21 by 17 vertices, packed by the Draco library's encoder.
func dracoSheet(t *testing.T, name string) string {
	t.Helper()
	data, err := os.ReadFile("draco/testdata/" + name + ".drc")
	require.NoError(t, err)
	return fmt.Sprintf(`{"asset":{"version":"2.0"},"extensionsUsed":["KHR_draco_mesh_compression"],"extensionsRequired":["KHR_draco_mesh_compression"],"scene":0,"scenes":[{"nodes":[0]}],
 "nodes":[{"mesh":0,"name":"sheet"}],"meshes":[{"primitives":[{"attributes":{"POSITION":0,"NORMAL":1},"indices":2,
  "extensions":{"KHR_draco_mesh_compression":{"bufferView":0,"attributes":{"POSITION":0,"NORMAL":1,"COLOR_0":2}}}}]}],
 "accessors":[{"componentType":5126,"count":357,"type":"VEC3","min":[-2.5,-1,-2],"max":[2.5,1,2]},{"componentType":5126,"count":357,"type":"VEC3"},{"componentType":5123,"count":1920,"type":"SCALAR"}],
 "bufferViews":[{"buffer":0,"byteLength":%d}],
 "buffers":[{"byteLength":%d,"uri":"data:application/octet-stream;base64,%s"}]}`, len(data), len(data), base64.StdEncoding.EncodeToString(data))
}

func TestDracoMeshesComeIn(t *testing.T) {
	plain, _, err := readGLTF([]byte(sheet(t, false)), "x")
	require.NoError(t, err)
	for _, name := range []string{"edgebreaker", "sequential"} {
		text := dracoSheet(t, name)
		for kind, data := range map[string][]byte{"text": []byte(text), "binary": binaryGLTF(t, text)} {
			l, left, err := readGLTF(data, "x")
			require.NoError(t, err, kind)
			assert.Empty(t, left, kind)
			require.Len(t, l.Meshes, 1, kind)
			assert.Len(t, l.Meshes[0].Positions, 3*357, kind)
			assert.Len(t, l.Meshes[0].Normals, 3*357, kind)
			assert.InDelta(t, area(plain), area(l), 0.01, kind)
		}
	}
	// One that has its values unpacked too is read from these.
	both := strings.Replace(sheet(t, false), `"indices":1}]`, `"indices":1,"extensions":{"KHR_draco_mesh_compression":{"bufferView":0,"attributes":{"POSITION":0}}}}]`, 1)
	l, _, err := readGLTF([]byte(both), "x")
	require.NoError(t, err)
	assert.Equal(t, plain.Meshes[0].Positions, l.Meshes[0].Positions)
}

// A small file that names one packed mesh many times does not keep the service busy.
func TestADracoMeshIsNotNamedWithoutEnd(t *testing.T) {
	text := dracoSheet(t, "edgebreaker")
	const accessors = `{"componentType":5126,"count":357,"type":"VEC3"},{"componentType":5123,"count":1920,"type":"SCALAR"}`
	primitives, more := "", ""
	for i := range 300 {
		primitives += fmt.Sprintf(`,{"attributes":{"POSITION":%d},"indices":%d,"extensions":{"KHR_draco_mesh_compression":{"bufferView":0,"attributes":{"POSITION":0}}}}`, 3+2*i, 4+2*i)
		more += "," + accessors
	}
	text = strings.Replace(text, `"COLOR_0":2}}}}]`, `"COLOR_0":2}}}}`+primitives+`]`, 1)
	text = strings.Replace(text, `"count":1920,"type":"SCALAR"}]`, `"count":1920,"type":"SCALAR"}`+more+`]`, 1)
	_, _, err := readGLTF([]byte(text), "x")
	assert.ErrorContains(t, err, "named again and again")
}

func TestDracoMeshesThatCannotBe(t *testing.T) {
	text := dracoSheet(t, "edgebreaker")
	for from, c := range map[string]struct{ to, want string }{
		`"bufferView":0,"attributes"`:                {`"bufferView":7,"attributes"`, "/bufferView is 7; the file has 1"},
		`"POSITION":0,"NORMAL":1,"COLOR_0":2`:        {`"POSITION":9`, "has no attribute 9"},
		`"NORMAL":1,"COLOR_0":2`:                     {`"NORMAL":2`, "has 4 numbers a value in attribute 2; 3 are needed"},
		`"POSITION":0,"NORMAL":1},`:                  {`"POSITION":55,"NORMAL":1},`, "/attributes/POSITION is 55; the file has 3 accessors"},
		`"bufferViews":[{"buffer":0,"byteLength":`:   {`"bufferViews":[{"buffer":0,"byteOffset":9,"byteLength":`, "/bufferViews/0 goes from byte 9 on"},
		`base64,RFJBQ08`:                             {`base64,RFJBQ0X`, "cannot be unpacked: its packed bytes contradict themselves"},
		`{"bufferView":0,"attributes":{"POSITION":0`: {`{"bufferView":0,"attributes":{"POSITION":"first"`, "/meshes/0/primitives/0/extensions/KHR_draco_mesh_compression"},
	} {
		require.Contains(t, text, from)
		_, _, err := readGLTF([]byte(strings.Replace(text, from, c.to, 1)), "x")
		var invalid *level.Invalid
		if assert.ErrorAs(t, err, &invalid, from) {
			assert.Contains(t, err.Error(), c.want, from)
		}
	}
}
