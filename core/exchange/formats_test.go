package exchange_test

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/exchange"
	"grotta/core/level"
	"grotta/core/platform"
)

const objCube = `# a cube with a red top
mtllib cube.mtl
o Crate
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
v 0 0 1
v 1 0 1
v 1 1 1
v 0 1 1
vt 0 0
vt 1 0
vt 1 1
vt 0 1
usemtl plank
f 1 4 3 2
f 5/1 6/2 7/3 8/4
f 1 2 6 5
f -6 -2 -3 -7
f 1 5 8 4
usemtl top
f 4 8 7 3
l 1 2
`

const mtlCube = `newmtl plank
Kd 0.5 0.25 0.125
map_Kd wood.png
newmtl top
Kd 1 0 0
Ke 20 0 0
`

func picturePNG(t *testing.T) []byte {
	t.Helper()
	p := image.NewNRGBA(image.Rect(0, 0, 2, 2))
	p.Set(0, 0, color.White)
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, p))
	return b.Bytes()
}

func zipped(t *testing.T, files map[string][]byte) []byte {
	t.Helper()
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for name, data := range files {
		f, err := w.Create(name)
		require.NoError(t, err)
		_, err = f.Write(data)
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return b.Bytes()
}

func read(t *testing.T, name string, data []byte, o exchange.Options) (*level.Level, *exchange.Report) {
	t.Helper()
	files, err := exchange.OpenFiles(data, name, "")
	require.NoError(t, err)
	l, report, err := exchange.Read(files, o)
	require.NoError(t, err)
	return l, report
}

// area is the area of all triangles of a level, in square metres.
func area(l *level.Level) (sum float64) {
	for _, m := range l.Meshes {
		p := func(i uint32, k int) float64 { return m.Positions[3*int(i)+k] }
		for i := 0; i+2 < len(m.Indices); i += 3 {
			a, b, c := m.Indices[i], m.Indices[i+1], m.Indices[i+2]
			var u, v [3]float64
			for k := range 3 {
				u[k], v[k] = p(b, k)-p(a, k), p(c, k)-p(a, k)
			}
			x := [3]float64{u[1]*v[2] - u[2]*v[1], u[2]*v[0] - u[0]*v[2], u[0]*v[1] - u[1]*v[0]}
			sum += math.Sqrt(x[0]*x[0]+x[1]*x[1]+x[2]*x[2]) / 2
		}
	}
	return sum
}

func TestOBJComesInWithItsMaterials(t *testing.T) {
	data := zipped(t, map[string][]byte{"crates/cube.obj": []byte(objCube), "crates/cube.mtl": []byte(mtlCube), "crates/wood.png": picturePNG(t)})
	l, report := read(t, "crates.zip", data, exchange.Options{UnitM: 0.01})
	assert.Equal(t, "cube", l.Name)
	require.Len(t, l.Meshes, 2, "one for each material")
	assert.InDelta(t, 6e-4, area(l), 1e-12, "a cube of a centimetre")
	plank, top := level.ByID[level.Material](l, "plank"), level.ByID[level.Material](l, "top")
	assert.NotEmpty(t, plank.Image)
	is := plank.Albedo()
	assert.InDeltaSlice(t, []float64{0.5, 0.25, 0.125}, is[:], 2e-5)
	assert.InEpsilon(t, 20, top.Emission, 1e-3)
	assert.Contains(t, strings.Join(report.Left, "\n"), `1 statements "l"`)
	require.Len(t, l.Viewpoints, 1)

	// Files that were picked one by one have lost their folders.
	flat := zipped(t, map[string][]byte{"cube.obj": []byte(strings.Replace(objCube, "cube.mtl", "lib/cube.mtl", 1)), "cube.mtl": []byte(mtlCube), "wood.png": picturePNG(t)})
	l, report = read(t, "crates.zip", flat, exchange.Options{})
	assert.NotEmpty(t, level.ByID[level.Material](l, "plank").Image, report.Left)

	// Without its library it still comes, and says so.
	l, report = read(t, "cube.obj", []byte(objCube), exchange.Options{})
	assert.Len(t, l.Meshes, 2)
	assert.Contains(t, strings.Join(report.Left, "\n"), "cube.mtl")
	assert.Positive(t, l.Environment.Ambient.Strength, "nothing shines, so something is added to see by")
}

// stlBox is a box with z up as binary STL, in millimetres.
func stlBox(x, y, z float32) []byte {
	corner := func(n int) [3]float32 {
		return [3]float32{x * float32(n&1), y * float32(n>>1&1), z * float32(n>>2&1)}
	}
	quads := [][4]int{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}}
	b := make([]byte, 84)
	binary.LittleEndian.PutUint32(b[80:], 12)
	for _, q := range quads {
		for _, t := range [][3]int{{q[0], q[1], q[2]}, {q[0], q[2], q[3]}} {
			b = append(b, make([]byte, 12)...)
			for _, n := range t {
				for _, v := range corner(n) {
					b = binary.LittleEndian.AppendUint32(b, math.Float32bits(v))
				}
			}
			b = append(b, 0, 0)
		}
	}
	return b
}

func TestSTLAndPLYStandUpright(t *testing.T) {
	height := func(l *level.Level) float64 {
		low, high := math.Inf(1), math.Inf(-1)
		for i := 1; i < len(l.Meshes[0].Positions); i += 3 {
			low, high = min(low, l.Meshes[0].Positions[i]), max(high, l.Meshes[0].Positions[i])
		}
		return high - low
	}
	box := stlBox(1000, 2000, 3000)
	l, report := read(t, "box.stl", box, exchange.Options{})
	assert.InDelta(t, 3, height(l), 1e-6, "its z points up")
	assert.InDelta(t, 22, area(l), 1e-5)
	assert.Len(t, l.Meshes[0].Positions, 3*8, "each corner once")
	assert.Contains(t, strings.Join(report.Notes, "\n"), "millimetres were taken")
	l, _ = read(t, "box.stl", box, exchange.Options{UnitM: 1e-3, Up: "y"})
	assert.InDelta(t, 2, height(l), 1e-6)

	var text strings.Builder
	text.WriteString("solid tri\n facet normal 0 0 1\n  outer loop\n   vertex 0 0 0\n   vertex 2 0 0\n   vertex 0 0 2\n  endloop\n endfacet\nendsolid\n")
	l, _ = read(t, "called.glb", []byte(text.String()), exchange.Options{UnitM: 1})
	assert.InDelta(t, 2, area(l), 1e-9, "the content says what a file is")

	head := "ply\nformat %s 1.0\ncomment made for a test\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n"
	places := [][3]float32{{0, 0, 0}, {3, 0, 0}, {3, 0, 2}, {0, 0, 2}}
	for format, order := range map[string]binary.ByteOrder{"binary_little_endian": binary.LittleEndian, "binary_big_endian": binary.BigEndian, "ascii": nil} {
		var b bytes.Buffer
		fmt.Fprintf(&b, head, format)
		if order == nil {
			for _, p := range places {
				fmt.Fprintf(&b, "%v %v %v 255\n", p[0], p[1], p[2])
			}
			b.WriteString("4 0 1 2 3\n")
		} else {
			for _, p := range places {
				require.NoError(t, binary.Write(&b, order, p))
				b.WriteByte(255)
			}
			b.WriteByte(4)
			require.NoError(t, binary.Write(&b, order, []int32{0, 1, 2, 3}))
		}
		l, report := read(t, "wall.ply", b.Bytes(), exchange.Options{})
		assert.InDelta(t, 6, area(l), 1e-6, format)
		assert.InDelta(t, 2, height(l), 1e-6, format)
		assert.Empty(t, report.Left, format)
		assert.Equal(t, "#ff0000", l.Materials[0].Color, "%s: that of its vertices", format)
	}
}

// A .gltf comes with its buffer and image from an archive; strips, instances, whole numbers and a
// moved image are read as they are meant.
func TestGLTFWithNeighboursInstancesAndStrips(t *testing.T) {
	var buffer bytes.Buffer
	strip := []uint16{0, 0, 0, 0, 1000, 0, 0, 0, 0, 1000, 0, 0, 1000, 1000, 0, 0} // a square as whole numbers, which its node scales
	require.NoError(t, binary.Write(&buffer, binary.LittleEndian, strip))
	uvs := []uint8{0, 0, 0, 0, 255, 0, 0, 0, 0, 255, 0, 0, 255, 255, 0, 0}
	buffer.Write(uvs)
	places := []float32{0, 0, 0, 5, 0, 0, 10, 0, 0}
	require.NoError(t, binary.Write(&buffer, binary.LittleEndian, places))
	text := `{"asset":{"version":"2.0"},"scene":0,"scenes":[{"name":"Day","nodes":[0,1]},{"name":"Night","nodes":[1]}],
 "extensionsUsed":["KHR_mesh_quantization","EXT_mesh_gpu_instancing","KHR_texture_transform","KHR_materials_emissive_strength"],"extensionsRequired":["KHR_mesh_quantization"],
 "nodes":[{"name":"Tile","mesh":0,"scale":[0.001,0.001,0.001],"extensions":{"EXT_mesh_gpu_instancing":{"attributes":{"TRANSLATION":2}}}},{"name":"Door","camera":0,"translation":[0,1,4]}],
 "cameras":[{"type":"perspective","perspective":{"yfov":1,"znear":0.1}}],
 "meshes":[{"primitives":[{"mode":5,"attributes":{"POSITION":0,"TEXCOORD_0":1},"material":0}]}],
 "materials":[{"name":"Lamp","emissiveFactor":[1,1,1],"extensions":{"KHR_materials_emissive_strength":{"emissiveStrength":50}},
   "pbrMetallicRoughness":{"baseColorTexture":{"index":0,"extensions":{"KHR_texture_transform":{"scale":[2,3],"offset":[0.5,0]}}}}}],
 "textures":[{"source":0}],"images":[{"uri":"my%20tile.png"}],
 "accessors":[{"bufferView":0,"componentType":5123,"count":4,"type":"VEC3"},{"bufferView":1,"componentType":5121,"normalized":true,"count":4,"type":"VEC2"},{"bufferView":2,"componentType":5126,"count":3,"type":"VEC3"}],
 "bufferViews":[{"buffer":0,"byteLength":32,"byteStride":8},{"buffer":0,"byteOffset":32,"byteLength":16,"byteStride":4},{"buffer":0,"byteOffset":48,"byteLength":36}],
 "buffers":[{"byteLength":84,"uri":"data/tile.bin"}]}`
	files := map[string][]byte{"tile.gltf": []byte(text), "data/tile.bin": buffer.Bytes(), "my tile.png": picturePNG(t), "notes.txt": []byte("hello")}
	assert.Equal(t, []string{"data/tile.bin", "my tile.png"}, exchange.Neighbours("tile.gltf", files["tile.gltf"]))
	l, report := read(t, "tile.zip", zipped(t, files), exchange.Options{})
	require.Len(t, l.Meshes, 3, "one for each instance")
	for i, m := range l.Meshes {
		assert.InDelta(t, 0.001*5*float64(i), m.Transform.Position[0], 1e-9, "the node's scale holds for the places too")
		assert.Len(t, m.Indices, 6, "a strip of two triangles")
		assert.Len(t, m.Positions, 12)
	}
	assert.InDelta(t, 3, area(l), 1e-9)
	assert.InDeltaSlice(t, []float64{0.5, 0, 2.5, 0, 0.5, 3, 2.5, 3}, l.Meshes[0].UVs, 1e-9)
	assert.InEpsilon(t, 50, l.Materials[0].Emission, 1e-6)
	require.Len(t, l.Viewpoints, 1)
	assert.Equal(t, "Door", l.Viewpoints[0].Name)
	assert.InDelta(t, 180/math.Pi, l.Viewpoints[0].FovDeg, 1e-9)
	assert.Contains(t, strings.Join(report.Notes, "\n"), "2 scenes (Day, Night); Day was taken")

	night, _ := read(t, "tile.zip", zipped(t, files), exchange.Options{Scene: "Night"})
	assert.Empty(t, night.Meshes)
}

func TestUnitsThatAreUnlikelyAreSaid(t *testing.T) {
	_, report := read(t, "hall.stl", stlBox(41800, 300, 2000), exchange.Options{UnitM: 0})
	assert.NotContains(t, strings.Join(report.Notes, "\n"), "across")
	big := strings.ReplaceAll(objCube, "v 1 ", "v 4180 ")
	_, report = read(t, "hall.obj", []byte(big), exchange.Options{})
	assert.Contains(t, strings.Join(report.Notes, "\n"), "4180 m across")
	assert.Contains(t, strings.Join(report.Notes, "\n"), "cm makes it 42 m")
	_, report = read(t, "hall.stl", stlBox(418000, 300, 2000), exchange.Options{})
	assert.Contains(t, strings.Join(report.Notes, "\n"), "418 m across, as the file's numbers were taken as millimetres")
	_, report = read(t, "hall.obj", []byte(big), exchange.Options{UnitM: 0.01})
	assert.NotContains(t, strings.Join(report.Notes, "\n"), "across", "who says the unit knows it")
}

func TestFilesOfOtherKindsThatCannotBe(t *testing.T) {
	huge := stlBox(1, 1, 1)
	binary.LittleEndian.PutUint32(huge[80:], 4_000_000_000)
	nan := stlBox(1, 1, 1)
	binary.LittleEndian.PutUint32(nan[84+12:], math.Float32bits(float32(math.NaN())))
	many := map[string][]byte{}
	for i := range 2100 {
		many[fmt.Sprintf("f%d.txt", i)] = nil
	}
	bomb := zipped(t, map[string][]byte{"a.obj": bytes.Repeat([]byte("#"), 130<<20)})
	for name, c := range map[string]struct {
		file string
		data []byte
		want string
	}{
		"lying STL":             {"x.stl", huge, "is no file that can be read here"},
		"STL without numbers":   {"x.stl", nan, "/triangles/0 has a coordinate that is not finite"},
		"STL cut":               {"x.stl", []byte("solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nendloop\nendfacet\n"), "/line 6 ends a facet of 1 vertices"},
		"OBJ without vertices":  {"x.obj", []byte("o a\nv 0 0 0\nf 1 2 3\n"), "/line 3 names vertex 2; 1 stand before it"},
		"OBJ with text":         {"x.obj", []byte("v 0 zero 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"), `/line 1 is a vertex and holds "zero"`},
		"OBJ of points":         {"x.obj", []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\n"), "has no face"},
		"OBJ with a short face": {"x.obj", []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2\n"), "/line 4 is a face of 2 corners"},
		"OBJ with infinity":     {"x.obj", []byte("v 0 inf 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"), "no finite number"},
		"PLY that claims":       {"x.ply", []byte("ply\nformat ascii 1.0\nelement vertex 2000000000\nproperty float x\nend_header\n1\n"), "says 2000000000 entries"},
		"PLY cut":               {"x.ply", []byte("ply\nformat binary_little_endian 1.0\nelement vertex 2\nproperty float x\nproperty float y\nproperty float z\nend_header\n0000000000000000"), "/vertex/1 the file ends within it"},
		"PLY without an end":    {"x.ply", []byte("ply\nformat ascii 1.0\n"), "has no end_header"},
		"PLY of another order":  {"x.ply", []byte("ply\nformat middle_endian 1.0\nend_header\n"), "middle_endian"},
		"PLY of points":         {"x.ply", []byte("ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nend_header\n1\n"), "without a face"},
		"PLY that names none":   {"x.ply", []byte("ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nelement face 1\nproperty list uchar int vertex_index\nend_header\n1\n3 0 1 2\n"), "/face/0 names vertex 1; there are 1"},
		"an image":              {"x.png", picturePNG(t), "is a PNG image"},
		"nothing":               {"x.obj", nil, "the file is empty"},
		"glTF 1.0":              {"x.gltf", []byte(`{"asset":{"version":"1.0"},"buffers":{"a":{}}}`), `/asset/version is "1.0"; save the file as glTF 2.0`},
		"binary glTF 1":         {"x.glb", append([]byte("glTF\x01\x00\x00\x00\x18\x00\x00\x00"), make([]byte, 12)...), "version 1"},
		"cut archive":           {"x.zip", bomb[:100], "cannot be read"},
		"bomb":                  {"x.zip", bomb, "which is the most"},
		"many files":            {"x.zip", zipped(t, many), "the archive has 2100 files"},
		"an archive of nothing": {"x.zip", zipped(t, map[string][]byte{"a.txt": []byte("x")}), "no file that can be read"},
		"an archive of several": {"x.zip", zipped(t, map[string][]byte{"a.obj": []byte("x"), "b.obj": []byte("y")}), "say which: a.obj, b.obj"},
		"out of the archive":    {"x.zip", zipped(t, map[string][]byte{"../a.obj": []byte("x")}), "leads out of the archive"},
		"a drive's path":        {"x.zip", zipped(t, map[string][]byte{"C:/a.obj": []byte("x")}), "leads out of the archive"},
	} {
		files, err := exchange.OpenFiles(c.data, c.file, "")
		if err == nil {
			_, _, err = exchange.Read(files, exchange.Options{})
		}
		var invalid *level.Invalid
		if assert.ErrorAs(t, err, &invalid, name) {
			assert.Contains(t, err.Error(), c.want, name)
		}
	}
	_, _, err := exchange.Read(&exchange.Files{Name: "a.obj", Data: []byte(objCube)}, exchange.Options{Up: "x"})
	assert.ErrorContains(t, err, "allowed is y or z")
	_, _, err = exchange.Read(&exchange.Files{Name: "a.obj", Data: []byte(objCube)}, exchange.Options{UnitM: -1})
	assert.ErrorContains(t, err, "/unit")
}

func fuzz(f *testing.F, name string, seeds ...[]byte) {
	for _, s := range seeds {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		files, err := exchange.OpenFiles(data, name, "")
		if err != nil {
			return
		}
		if l, _, err := exchange.Read(files, exchange.Options{}); err == nil {
			require.NoError(t, l.Validate())
		}
	})
}

func FuzzReadOBJ(f *testing.F) { fuzz(f, "x.obj", []byte(objCube)) }
func FuzzReadSTL(f *testing.F) {
	fuzz(f, "x.stl", stlBox(1, 2, 3), []byte("solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid"))
}
func FuzzReadPLY(f *testing.F) {
	fuzz(f, "x.ply", []byte("ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_index\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"))
}

// Many instances of a mesh come in within a time that grows with their number. A quadratic one would
// take minutes here.
func BenchmarkImportMeshes(b *testing.B) {
	for _, n := range []int{1000, 2000, 4000, 8000} {
		var text strings.Builder
		text.WriteString(`{"asset":{"version":"2.0"},"scenes":[{"nodes":[`)
		for i := range n {
			fmt.Fprintf(&text, "%s%d", map[bool]string{true: "", false: ","}[i == 0], i)
		}
		text.WriteString(`]}],"nodes":[`)
		for i := range n {
			fmt.Fprintf(&text, `%s{"name":"Crate","mesh":0,"translation":[%d,0,0]}`, map[bool]string{true: "", false: ","}[i == 0], i)
		}
		text.WriteString(`],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}],"bufferViews":[{"buffer":0,"byteLength":36}],"buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA"}]}`)
		data := []byte(text.String())
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				if _, _, err := exchange.Read(&exchange.Files{Name: "x.gltf", Data: data}, exchange.Options{}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// The axes of a file: north, up and the hand, with the level's -Z to the north and +Y up.
func TestAxesOfFiles(t *testing.T) {
	// A vertex on each axis of the file, and a triangle of all three.
	const axes = "v 1 0 0\nv 0 2 0\nv 0 0 3\nf 1 2 3\n"
	for name, c := range map[string]struct {
		o    exchange.Options
		want [3]level.Vec // of the vertices on x, y and z
	}{
		"as OBJ is":            {exchange.Options{}, [3]level.Vec{{1, 0, 0}, {0, 2, 0}, {0, 0, 3}}},
		"z up":                 {exchange.Options{Up: "z"}, [3]level.Vec{{1, 0, 0}, {0, 0, -2}, {0, 3, 0}}},
		"left-handed, y up":    {exchange.Options{Handed: "left"}, [3]level.Vec{{1, 0, 0}, {0, 2, 0}, {0, 0, -3}}},
		"left-handed, z up":    {exchange.Options{Up: "z", Handed: "left"}, [3]level.Vec{{1, 0, 0}, {0, 0, 2}, {0, 3, 0}}},
		"x is north":           {exchange.Options{Forward: "x"}, [3]level.Vec{{0, 0, -1}, {0, 2, 0}, {3, 0, 0}}},
		"z up, south is y":     {exchange.Options{Up: "z", Forward: "-y"}, [3]level.Vec{{-1, 0, 0}, {0, 0, 2}, {0, 3, 0}}},
		"centimetres by twice": {exchange.Options{UnitM: 0.01, Scale: 2}, [3]level.Vec{{0.02, 0, 0}, {0, 0.04, 0}, {0, 0, 0.06}}},
	} {
		t.Run(name, func(t *testing.T) {
			l, _, err := exchange.Read(&exchange.Files{Name: "axes.obj", Data: []byte(axes)}, c.o)
			require.NoError(t, err)
			m := l.Meshes[0]
			for i, want := range c.want {
				for k := range 3 {
					assert.InDelta(t, want[k], m.Positions[3*i+k]+m.Transform.Position[k], 1e-9, "vertex %d", i)
				}
			}
			// Triangles face where they did: in a left-handed file by its own hand.
			turned := m.Indices[1] > m.Indices[2]
			assert.Equal(t, c.o.Handed == "left", turned)
		})
	}
	// A platform's unit and axes are read as its own values go out.
	for _, up := range []string{"y", "z"} {
		for _, handed := range []string{"right", "left"} {
			space := platform.Space{UnitM: 0.25, Up: up, Handed: handed}
			l, _, err := exchange.Read(&exchange.Files{Name: "axes.obj", Data: []byte(axes)}, exchange.Options{UnitM: 0.25, Up: up, Handed: handed})
			require.NoError(t, err)
			m := l.Meshes[0]
			for i, p := range []level.Vec{{1, 0, 0}, {0, 2, 0}, {0, 0, 3}} {
				want := space.Metres(p)
				for k := range 3 {
					assert.InDelta(t, want[k], m.Positions[3*i+k]+m.Transform.Position[k], 1e-9, "%s up, %s-handed", up, handed)
				}
			}
		}
	}
	for _, o := range []exchange.Options{{UnitM: 1e4, Scale: 2}, {Forward: "up"}, {Forward: "-y"}, {Up: "z", Forward: "z"}, {Handed: "both"}, {Scale: -1}} {
		_, _, err := exchange.Read(&exchange.Files{Name: "axes.obj", Data: []byte(axes)}, o)
		assert.Error(t, err, "%+v", o)
	}
}
