package exchange_test

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"image"
	"image/color"
	"image/png"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	linear "grotta/core/color"
	"grotta/core/exchange"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
	"grotta/demo"
)

// readGLTF reads a file as a user's is.
func readGLTF(data []byte, name string) (*level.Level, []string, error) {
	l, report, err := exchange.Read(&exchange.Files{Name: "file.glb", Data: data}, exchange.Options{Name: name})
	if err != nil {
		return nil, nil, err
	}
	return l, report.Left, nil
}

// Out and in again: the lights shine as they did, on the same surfaces.
func TestLevelGoesOutAndComesBack(t *testing.T) {
	l := demo.Saltmarsh()
	data, _, err := exchange.WriteGLTF(l)
	require.NoError(t, err)
	back, left, err := readGLTF(data, "Back")
	require.NoError(t, err)
	assert.Empty(t, left)
	a, err := bake.Prepare(l)
	require.NoError(t, err)
	b, err := bake.Prepare(back)
	require.NoError(t, err)
	assert.Equal(t, a.Scene.Triangles(), b.Scene.Triangles())
	for i := range 3 {
		assert.InDelta(t, a.Scene.Bounds.Min[i], b.Scene.Bounds.Min[i], 1e-4)
		assert.InDelta(t, a.Scene.Bounds.Max[i], b.Scene.Bounds.Max[i], 1e-4)
	}
	require.Len(t, back.Lights, len(l.Lights), "also the one that is off")
	for _, light := range back.Lights {
		was := l.Light(light.ID)
		require.NotNil(t, was, light.ID)
		want, got := l.Radiant(was), back.Radiant(light)
		for c := range 3 { // colours come back through 8 bits a channel
			assert.InDelta(t, want[c], got[c], 0.012*want.Luminance()+1e-6, light.ID)
		}
		assert.InDelta(t, was.RangeM, light.RangeM, 1e-6)
		if was.Kind == level.Spot {
			assert.InDelta(t, was.OuterDeg, light.OuterDeg, 1e-4)
		}
		w, g := l.World().Pose(&was.Entity), back.World().Pose(&light.Entity)
		assert.InDelta(t, 0, w.Position.Sub(g.Position).Len(), 1e-5)
		if was.Kind != level.Point {
			assert.InDelta(t, 1, w.Forward().Dot(g.Forward()), 1e-5)
		}
	}
}

const triangle = `{"asset":{"version":"2.0"},"scenes":[{"nodes":[0]}],
 "nodes":[{"name":"Sail","mesh":0,"scale":[2,2,-2],"translation":[1,0,0],"children":[1]},{"extensions":{"KHR_lights_punctual":{"light":0}},"translation":[0,1,0]}],
 "extensionsUsed":["KHR_lights_punctual"],
 "extensions":{"KHR_lights_punctual":{"lights":[{"type":"spot","intensity":30,"color":[1,0.5,0],"spot":{"outerConeAngle":0.5}}]}},
 "meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
 "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]}],
 "bufferViews":[{"buffer":0,"byteLength":36}],
 "buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA"}]}`

func TestScaledMirroredNestedNodes(t *testing.T) {
	l, _, err := readGLTF([]byte(triangle), "Sail")
	require.NoError(t, err)
	require.Len(t, l.Meshes, 1)
	m := l.Meshes[0]
	assert.Equal(t, "sail", m.ID)
	assert.Equal(t, level.Vec{1, 0, 0}, m.Transform.Position)
	assert.Equal(t, []float64{0, 0, 0, 2, 0, 0, 0, 2, 0}, m.Positions)
	assert.Equal(t, []uint32{0, 2, 1}, m.Indices, "mirrored, so turned about")
	require.Len(t, l.Lights, 1)
	pose := l.World().Pose(&l.Lights[0].Entity)
	assert.InDeltaSlice(t, []float64{1, 2, 0}, pose.Position[:], 1e-9)
	f := pose.Forward()
	assert.InDeltaSlice(t, []float64{0, 0, 1}, f[:], 1e-9)
	assert.InDelta(t, 0.5*180/math.Pi, l.Lights[0].OuterDeg, 1e-9)
}

func TestFilesThatCannotBe(t *testing.T) {
	glb, _, err := exchange.WriteGLTF(demo.Room())
	require.NoError(t, err)
	swap := func(from, to string) []byte {
		require.Contains(t, triangle, from)
		return []byte(strings.Replace(triangle, from, to, 1))
	}
	liar := bytes.Clone(glb)
	binary.LittleEndian.PutUint32(liar[12:], 1<<31)
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"nothing":            {nil, "the file is empty"},
		"text":               {[]byte("hello"), "is no file that can be read here"},
		"other version":      {swap(`"version":"2.0"`, `"version":"1.0"`), "/asset/version"},
		"a leading path":     {swap("data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA", "../../etc/passwd"), "leads out of the folder"},
		"no neighbour":       {swap("data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA", "x.bin"), "did not come with it"},
		"no version":         {swap(`"version":"2.0"`, `"generator":"x"`), "/asset/version is missing"},
		"cut in its header":  {glb[:14], "ends at byte 14"},
		"cut in a chunk":     {glb[:len(glb)-100], "the header says"},
		"a lying chunk":      {liar, "the chunk at byte 12"},
		"outside buffer":     {swap("data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA", "http://127.0.0.1/x.bin"), "is not a file beside this one"},
		"missing mesh":       {swap(`"mesh":0`, `"mesh":7`), "/nodes/0/mesh is 7"},
		"missing light":      {swap(`"light":0`, `"light":3`), "KHR_lights_punctual/light is 3"},
		"a circle":           {swap(`"children":[1]`, `"children":[0]`), "form a circle"},
		"huge count":         {swap(`"count":3`, `"count":900000000`), "/accessors/0/count is 900000000"},
		"buffer too short":   {swap(`"byteLength":36}]`, `"byteLength":360}]`), ""},
		"negative offset":    {swap(`"bufferView":0,"comp`, `"bufferView":0,"byteOffset":-8,"comp`), "/accessors/0"},
		"required extension": {swap(`"extensionsUsed"`, `"extensionsRequired":["KHR_texture_basisu"],"extensionsUsed"`), "save the file with PNG or JPEG images"},
		"infinite place":     {swap(`[1,0,0]`, `[1e308,0,0]`), ""},
		"negative intensity": {swap(`"intensity":30`, `"intensity":-3`), "/nodes/1 strength is -3"},
	} {
		_, _, err := readGLTF(c.data, "x")
		var invalid *level.Invalid
		if assert.ErrorAs(t, err, &invalid, name) {
			assert.Contains(t, err.Error(), c.want, name)
		}
	}
}

func FuzzReadGLTF(f *testing.F) {
	glb, _, err := exchange.WriteGLTF(demo.Room())
	require.NoError(f, err)
	f.Add(glb)
	f.Add([]byte(triangle))
	f.Fuzz(func(t *testing.T, data []byte) {
		if l, _, err := readGLTF(data, "x"); err == nil {
			require.NoError(t, l.Validate())
			_ = l.World().Pose(&level.Entity{Transform: level.Default[level.Transform]()}).Apply(geom.Vec3{})
		}
	})
}

// glTF has three kinds of light; the others become what comes nearest, at the
// candela that they shine along their axis.
func TestEveryKindHasAStandInForGLTF(t *testing.T) {
	l := level.New("Lights")
	for _, kind := range []string{level.Point, level.Spot, level.Dome, level.Directional, level.BoxLight, level.Rect, level.Tube} {
		a := level.NewLight(kind, kind)
		a.Strength, a.Color, a.WidthM, a.HeightM, a.LengthM, a.RadiusM = 100, "#ffffff", 2, 0.5, 3, 0.05
		l.Lights = append(l.Lights, a)
	}
	data, _, err := exchange.WriteGLTF(l)
	require.NoError(t, err)
	// As a program reads it that does not know our extras.
	back, _, err := readGLTF(bytes.ReplaceAll(data, []byte(`"extras"`), []byte(`"ignore"`)), "back")
	require.NoError(t, err)
	for id, want := range map[string]struct {
		kind     string
		strength float64
	}{
		"point": {level.Point, 100}, "spot": {level.Spot, 100}, "dome": {level.Spot, 100}, "directional": {level.Directional, 100},
		"box": {level.Directional, 100}, "rect": {level.Spot, 100}, "tube": {level.Point, 100 * 2 * 0.05 * 3},
	} {
		got := back.Light(id)
		require.NotNil(t, got, id)
		assert.Equal(t, want.kind, got.Kind, id)
		assert.InEpsilon(t, want.strength, got.Strength, 1e-6, id)
	}
}

// leaf is a triangle with an image, two texels wide, that is cut out by its alpha.
func leaf(t *testing.T, edit ...string) []byte {
	t.Helper()
	picture := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	picture.Set(0, 0, color.NRGBA{200, 100, 50, 255})
	picture.Set(1, 0, color.NRGBA{0, 255, 0, 0})
	var data bytes.Buffer
	require.NoError(t, png.Encode(&data, picture))
	numbers := []float32{0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 1}
	var buffer bytes.Buffer
	require.NoError(t, binary.Write(&buffer, binary.LittleEndian, numbers))
	text := `{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0,"name":"leaf"}],
 "meshes":[{"primitives":[{"attributes":{"POSITION":0,"TEXCOORD_0":1},"material":0}]}],
 "materials":[{"name":"Leaf","doubleSided":true,"alphaMode":"MASK","alphaCutoff":0.4,"pbrMetallicRoughness":{"baseColorTexture":{"index":0}}}],
 "textures":[{"source":0}],
 "images":[{"name":"Leaf","uri":"data:image/png;base64,` + base64.StdEncoding.EncodeToString(data.Bytes()) + `"}],
 "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]},{"bufferView":1,"componentType":5126,"count":3,"type":"VEC2"}],
 "bufferViews":[{"buffer":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":24}],
 "buffers":[{"byteLength":60,"uri":"data:application/octet-stream;base64,` + base64.StdEncoding.EncodeToString(buffer.Bytes()) + `"}]}`
	for i := 0; i+1 < len(edit); i += 2 {
		require.Contains(t, text, edit[i])
		text = strings.Replace(text, edit[i], edit[i+1], 1)
	}
	return []byte(text)
}

func TestImagesComeIn(t *testing.T) {
	l, left, err := readGLTF(leaf(t), "Leaf")
	require.NoError(t, err)
	assert.Empty(t, left)
	require.Len(t, l.Images, 1)
	m := l.Materials[0]
	assert.Equal(t, l.Images[0].ID, m.Image)
	assert.True(t, m.TwoSided)
	assert.Equal(t, 0.4, m.Cutoff)
	assert.Equal(t, []float64{0, 0, 1, 0, 0, 1}, l.Meshes[0].UVs)
	s := scene.Build(l)
	away := geom.Vec3{0, 0, -1}
	hit, ok := s.See(geom.Vec3{0.25, 0.2, 1}, away, 9)
	require.True(t, ok, "the solid half is there")
	assert.InDelta(t, linear.DecodeSRGB(200.0/255), s.AlbedoAt(hit.Triangle, hit.Point, hit.U, hit.V)[0], 0.02)
	_, ok = s.See(geom.Vec3{0.8, 0.1, 1}, away, 9)
	assert.False(t, ok, "the other is cut out")
}

func TestImagesThatCannotBeReadAreLeftOut(t *testing.T) {
	for name, c := range map[string]struct {
		edit []string
		want string
	}{
		"outside":    {[]string{"data:image/png;base64,", "leaf.png?"}, "which did not come with it"},
		"no picture": {[]string{"data:image/png;base64,", "data:image/png;base64,AAAA"}, "/images/0"},
		"no source":  {[]string{`"textures":[{"source":0}]`, `"textures":[{}]`}, "/materials/0: its texture has no image"},
		"gone":       {[]string{`"source":0`, `"source":7`}, "/images/7: is not there; the file has 1 images"},
		"no uvs":     {[]string{`,"TEXCOORD_0":1`, ""}, "has an image and no TEXCOORD_0"},
	} {
		l, left, err := readGLTF(leaf(t, c.edit...), "Leaf")
		require.NoError(t, err, name)
		assert.Contains(t, strings.Join(left, "\n"), c.want, name)
		assert.Len(t, l.Meshes, 1, name)
	}
	_, _, err := readGLTF(leaf(t, `"count":3,"type":"VEC2"`, `"count":2,"type":"VEC2"`), "Leaf")
	require.Error(t, err)
	assert.Contains(t, err.Error(), "has 2 entries for 3 vertices")
}
