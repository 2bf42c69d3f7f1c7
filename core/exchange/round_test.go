package exchange_test

import (
	"archive/zip"
	"bytes"
	"encoding/base64"
	"image"
	"image/color"
	"image/png"
	"io"
	"math"
	"strings"
	"testing"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/exchange"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/picture"
	"grotta/demo"
)

// Every demo level goes out and comes back with all that glTF can say, and with the exact values of
// its lights.
func TestDemoLevelsComeBackExactly(t *testing.T) {
	for name, l := range map[string]*level.Level{"dusk": demo.Saltmarsh(), "noon": demo.Noon(), "night": demo.Night(), "mill": demo.Mill(), "yard": demo.Yard(), "room": demo.Room()} {
		data, report, err := exchange.WriteGLTF(l)
		require.NoError(t, err, name)
		assert.NotEmpty(t, report.Left, "it says that fog and look are left out")
		back, _, err := readGLTF(data, "Back")
		require.NoError(t, err, name)
		require.Len(t, back.Lights, len(l.Lights), name)
		for _, was := range l.Lights {
			is := back.Light(was.ID)
			require.NotNil(t, is, "%s %s", name, was.ID)
			assert.Equal(t, was.Kind, is.Kind, was.ID)
			assert.Equal(t, was.Name, is.Name, was.ID)
			assert.Equal(t, was.Enabled, is.Enabled, was.ID)
			assert.InEpsilon(t, l.Strength(was)+1, back.Strength(is)+1, 1e-9, was.ID)
			if was.Color != "" || was.Kelvin != 0 {
				assert.Equal(t, was.Kelvin, is.Kelvin, was.ID)
			} else { // its rig's
				assert.Equal(t, l.Color(was), back.Color(is), was.ID)
			}
			assert.Equal(t, was.Shadows, is.Shadows, was.ID)
			a, b := l.World().Pose(&was.Entity), back.World().Pose(&is.Entity)
			assert.InDelta(t, 0, a.Position.Sub(b.Position).Len(), 1e-9, was.ID)
			if was.Kind != level.Point {
				assert.InDelta(t, 1, abs(a.Rotation.Dot(b.Rotation)), 1e-6, "also its roll: %s", was.ID)
			}
		}
		require.Len(t, back.Viewpoints, len(l.Viewpoints), name)
		for _, was := range l.Viewpoints {
			is := back.Viewpoint(was.ID)
			require.NotNil(t, is, was.ID)
			assert.InDelta(t, was.FovDeg, is.FovDeg, 1e-9)
		}
		assert.Len(t, back.Images, imagesShown(l), name)
		for _, was := range l.Materials {
			if is := level.ByID[level.Material](back, was.ID); is != nil {
				assert.Equal(t, was.Color, is.Color, was.ID)
				assert.Equal(t, was.TwoSided, is.TwoSided, was.ID)
				assert.Equal(t, was.Cutoff, is.Cutoff, was.ID)
				assert.InDelta(t, was.Emission, is.Emission, 1e-4*was.Emission+1e-9, was.ID)
			}
		}
		assert.Equal(t, l.Environment.Sun, back.Environment.Sun, name)
		assert.Equal(t, l.Environment.Moon, back.Environment.Moon, name)
	}
}

func abs(v float64) float64 { return max(v, -v) }

// imagesShown counts the images that materials of surfaces show.
func imagesShown(l *level.Level) int {
	used := map[string]bool{}
	for _, m := range l.Materials {
		for _, mesh := range l.Meshes {
			if mesh.Surface.Material == m.ID && m.Image != "" {
				used[m.Image] = true
			}
		}
		for _, s := range l.Solids {
			if s.Surface.Material == m.ID && m.Image != "" {
				used[m.Image] = true
			}
			for _, f := range s.Faces {
				if f.Material == m.ID && m.Image != "" {
					used[m.Image] = true
				}
			}
		}
	}
	return len(used)
}

// Names come back as they are written, in any script.
// A lit mesh with two sides goes out with both, each on a page, and comes back as one of two sides.
func TestTwoSidesComeBackAsOneMesh(t *testing.T) {
	l := level.New("Curtain")
	cloth := level.Default[level.Material]()
	cloth.ID, cloth.TwoSided = "cloth", true
	l.Materials = append(l.Materials, &cloth)
	sheet := level.Default[level.Mesh]()
	sheet.ID, sheet.Surface.Material = "sheet", "cloth"
	sheet.Positions, sheet.Indices = []float64{0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0}, []uint32{0, 1, 2, 0, 2, 3}
	l.Meshes = append(l.Meshes, &sheet)
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	require.Len(t, p.Layout.Charts, 2)
	var b bytes.Buffer
	baked := &exchange.Baked{Map: p.Map, Image: layer.NewImage(p.Layout.PageSize, p.Layout.Pages), Quality: "good"}
	_, err = exchange.WriteBaked(t.Context(), &b, l, baked, exchange.Pages{As: "png", Encoding: picture.RGBM8, RangeLux: 2})
	require.NoError(t, err)
	archive, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.NoError(t, err)
	for _, f := range archive.File {
		if !strings.HasSuffix(f.Name, ".glb") {
			continue
		}
		r, err := f.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(r)
		require.NoError(t, err)
		var doc gltf.Document
		require.NoError(t, gltf.NewDecoder(bytes.NewReader(data)).Decode(&doc))
		require.Len(t, doc.Meshes[0].Primitives, 2, "a side each")
		assert.False(t, doc.Materials[0].DoubleSided)
		back, _, err := readGLTF(data, "Back")
		require.NoError(t, err)
		require.Len(t, back.Meshes, 1)
		assert.Len(t, back.Meshes[0].Indices, 6)
		assert.True(t, back.Materials[0].TwoSided)
		return
	}
	t.Fatal("no model")
}

func TestNamesComeBack(t *testing.T) {
	l := demo.Room()
	l.Lights[0].Name = "Große Linse, 灯台"
	l.Solids[0].Name = "Южная стена"
	data, _, err := exchange.WriteGLTF(l)
	require.NoError(t, err)
	back, _, err := readGLTF(data, "Back")
	require.NoError(t, err)
	assert.Equal(t, l.Lights[0].Name, back.Light(l.Lights[0].ID).Name)
	assert.Equal(t, l.Solids[0].Name, level.ByID[level.Mesh](back, l.Solids[0].ID).Name)
}

// What another program changes of a light holds over what we left in extras.
func TestChangesOfOtherProgramsHold(t *testing.T) {
	l := level.New("Hall")
	rect := level.NewLight("panel", level.Rect)
	rect.Strength, rect.WidthM, rect.HeightM, rect.Kelvin = 400, 2, 0.5, 4000
	l.Lights = append(l.Lights, rect)
	data, report, err := exchange.WriteGLTF(l)
	require.NoError(t, err)
	assert.Contains(t, report.Notes, "panel, a rect light, is written as a spot light, and exactly in extras")
	// The intensity of the spot that stands in, which is L times A times the fullest channel, is halved.
	back, _, err := readGLTF(data, "Back")
	require.NoError(t, err)
	assert.Equal(t, *back.Light("panel"), *func() *level.Light { r := *rect; return &r }())

	at := bytes.Index(data, []byte(`"intensity":`))
	require.Positive(t, at)
	changed := bytes.Clone(data)
	// One digit of the intensity: another number of the same length.
	changed[at+len(`"intensity":`)] = '8'
	other, _, err := readGLTF(changed, "Back")
	require.NoError(t, err)
	assert.NotEqual(t, 400.0, other.Light("panel").Strength)
	assert.Equal(t, level.Rect, other.Light("panel").Kind)
	assert.Equal(t, 2.0, other.Light("panel").WidthM)
}

// What another editor changes of the sun holds when the file comes back: where it stands, how strong
// it is, its colour. What it cannot change stays.
func TestASunThatWasMovedElsewhereStaysMoved(t *testing.T) {
	l := level.New("Day")
	sun := level.Default[level.Sun]()
	sun.AzimuthDeg, sun.AltitudeDeg, sun.NorthDeg, sun.Lux, sun.AngularDeg = 150, 35, 20, 60000, 2
	l.Environment.Sun = &sun
	data, _, err := exchange.WriteGLTF(l)
	require.NoError(t, err)
	doc := new(gltf.Document)
	require.NoError(t, gltf.NewDecoder(bytes.NewReader(data)).Decode(doc))

	same, _, err := readGLTF(data, "Back")
	require.NoError(t, err)
	assert.Equal(t, &sun, same.Environment.Sun)

	// Turned a quarter about the upright axis, seen from above against the clock, and set to half.
	lights := doc.Extensions[lightspunctual.ExtensionName].(lightspunctual.Lights)
	half := lights[0].IntensityOrDefault() / 2
	lights[0].Range = nil // decoding fills in infinity, which no JSON can say
	lights[0].Intensity, lights[0].Color = &half, &[3]float64{1, 0.5, 0.25}
	doc.Extensions[lightspunctual.ExtensionName] = map[string]any{"lights": lights}
	for _, n := range doc.Nodes {
		if n.Name == "sun" {
			n.Extensions[lightspunctual.ExtensionName] = map[string]int{"light": 0}
			r := n.RotationOrDefault()
			q := mgl64.QuatRotate(math.Pi/2, mgl64.Vec3{0, 1, 0}).Mul(mgl64.Quat{W: r[3], V: mgl64.Vec3{r[0], r[1], r[2]}})
			n.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
		}
	}
	var out bytes.Buffer
	require.NoError(t, gltf.NewEncoder(&out).Encode(doc))
	back, _, err := readGLTF(out.Bytes(), "Back")
	require.NoError(t, err)
	is := back.Environment.Sun
	require.NotNil(t, is)
	assert.InDelta(t, 60, is.AzimuthDeg, 1e-3, "against the clock, so less")
	assert.InDelta(t, 35, is.AltitudeDeg, 1e-3)
	assert.InDelta(t, 30000, is.Lux, 1)
	hue := is.Hue()
	assert.InDeltaSlice(t, []float64{1, 0.5, 0.25}, hue[:], 2e-5)
	assert.Equal(t, 2.0, is.AngularDeg)
	assert.Equal(t, 20.0, is.NorthDeg)
}

// What mirrors goes out and comes back by glTF's own factors; an image for both gives its mean.
func TestMirrorsComeBack(t *testing.T) {
	l := demo.Yard()
	data, _, err := exchange.WriteGLTF(l)
	require.NoError(t, err)
	back, _, err := readGLTF(data, "Back")
	require.NoError(t, err)
	finish := map[string][2]float64{}
	for _, m := range back.Materials {
		finish[m.ID] = [2]float64{m.Roughness, m.Metalness}
	}
	for _, m := range l.Materials {
		assert.Equal(t, [2]float64{m.Roughness, m.Metalness}, finish[m.ID], m.ID)
	}
	assert.Equal(t, [2]float64{0.3, 1}, finish["rail"])

	l.Lights, l.Environment.Sun, l.Environment.Moon = nil, nil, nil
	data, _, err = exchange.WriteGLTF(l)
	require.NoError(t, err)
	var doc gltf.Document
	require.NoError(t, gltf.NewDecoder(bytes.NewReader(data)).Decode(&doc))
	// Red is not read; green is 0 and 255, blue 51.
	rough := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	rough.Set(0, 0, color.NRGBA{9, 0, 51, 255})
	rough.Set(1, 0, color.NRGBA{200, 255, 51, 255})
	// One quarter shines, red by half of what glTF can say: 0.5 linear is 188 of sRGB.
	shine := image.NewNRGBA(image.Rect(0, 0, 2, 2))
	for i := range 4 {
		shine.Set(i%2, i/2, color.NRGBA{0, 0, 0, 255})
	}
	shine.Set(1, 1, color.NRGBA{188, 0, 0, 255})
	at := func(i int) *gltf.TextureInfo { return &gltf.TextureInfo{Index: i} }
	doc.Materials = doc.Materials[:3]
	doc.Materials[0].PBRMetallicRoughness = &gltf.PBRMetallicRoughness{RoughnessFactor: gltf.Float(0.8), MetallicRoughnessTexture: at(0)}
	doc.Materials[1].PBRMetallicRoughness = &gltf.PBRMetallicRoughness{MetallicRoughnessTexture: at(1)}
	doc.Materials[1].EmissiveFactor, doc.Materials[1].EmissiveTexture = [3]float64{0.5, 1, 1}, at(2)
	doc.Materials[1].Extensions = gltf.Extensions{"KHR_materials_emissive_strength": map[string]any{"emissiveStrength": 400}}
	doc.Materials[2].Extensions = gltf.Extensions{"KHR_materials_unlit": map[string]any{}}
	doc.ExtensionsUsed = []string{"KHR_materials_emissive_strength", "KHR_materials_unlit"}
	doc.Images = []*gltf.Image{{URI: pngURI(t, rough)}, {URI: "data:image/png;base64,AA=="}, {URI: pngURI(t, shine)}}
	doc.Textures = []*gltf.Texture{{Source: gltf.Index(0)}, {Source: gltf.Index(1)}, {Source: gltf.Index(2)}}
	for _, m := range doc.Meshes {
		for i, p := range m.Primitives {
			p.Material = gltf.Index(i % 3)
		}
	}
	doc.Meshes[0].Primitives = []*gltf.Primitive{doc.Meshes[0].Primitives[0], doc.Meshes[1].Primitives[0], doc.Meshes[2].Primitives[0]}
	for i, p := range doc.Meshes[0].Primitives {
		p.Material = gltf.Index(i)
	}
	var out bytes.Buffer
	require.NoError(t, gltf.NewEncoder(&out).Encode(&doc))
	odd, report := read(t, "odd.gltf", out.Bytes(), exchange.Options{})
	require.Len(t, odd.Materials, 3)
	assert.InDeltaSlice(t, []float64{0.8 * 0.5, 0.2}, []float64{odd.Materials[0].Roughness, odd.Materials[0].Metalness}, 1e-6)
	assert.Equal(t, [2]float64{1, 0}, [2]float64{odd.Materials[1].Roughness, odd.Materials[1].Metalness}, "an image that cannot be read")
	bright := odd.Materials[1].Albedo().Scale(odd.Materials[1].Emission)
	assert.InDelta(t, 0.5*400*0.5/4*0.2126, bright.Luminance(), 0.05, "the mean of its image, times its factors")
	assert.Equal(t, [2]float64{1, 0}, [2]float64{odd.Materials[2].Roughness, odd.Materials[2].Metalness})
	notes := strings.Join(report.Notes, "\n")
	assert.Contains(t, notes, "takes the mean, roughness 0.40 and metalness 0.20")
	assert.Contains(t, notes, "shines evenly, as bright as the mean")
	assert.Contains(t, notes, "KHR_materials_unlit: the file draws 1 of its materials")
	assert.Contains(t, strings.Join(report.Left, "\n"), "how rough and how metallic")
}

// A WebP image is kept as PNG: 4 by 4 pixels, black on the left and (200, 50, 20) on the right.
func TestWebPImagesComeIn(t *testing.T) {
	const packed = "UklGRiAAAABXRUJQVlA4TBMAAAAvA8AAAA8wMoM8FPMfeChDRP8DAA=="
	doc := func(data string) []byte {
		return []byte(`{"asset":{"version":"2.0"},"extensionsUsed":["EXT_texture_webp"],"extensionsRequired":["EXT_texture_webp"],"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],
 "meshes":[{"primitives":[{"attributes":{"POSITION":0},"material":0}]}],"materials":[{"pbrMetallicRoughness":{"baseColorTexture":{"index":0}}}],
 "textures":[{"extensions":{"EXT_texture_webp":{"source":0}}}],"images":[{"uri":"data:image/webp;base64,` + data + `"}],
 "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]}],"bufferViews":[{"buffer":0,"byteLength":36}],
 "buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA"}]}`)
	}
	l, _ := read(t, "rose.gltf", doc(packed), exchange.Options{})
	require.Len(t, l.Images, 1)
	p, err := picture.Decode(l.Images[0].Data)
	require.NoError(t, err)
	require.Equal(t, [2]int{4, 4}, [2]int{p.Width, p.Height})
	left, right := p.At(0.125, 0.5), p.At(0.875, 0.5)
	assert.Equal(t, "#000000", left.Hex())
	assert.Equal(t, "#c83214", right.Hex())

	l, report := read(t, "rose.gltf", doc(packed[:44]), exchange.Options{})
	assert.Empty(t, l.Images)
	assert.Contains(t, strings.Join(report.Left, "\n"), "/images/0: cannot be read")
}

func pngURI(t *testing.T, picture image.Image) string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, picture))
	return "data:image/png;base64," + base64.StdEncoding.EncodeToString(b.Bytes())
}
