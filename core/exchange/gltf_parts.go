package exchange

import (
	"cmp"
	"fmt"
	"math"
	"reflect"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"
	"github.com/qmuntal/gltf/modeler"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// This file reads the parts of a glTF file beside its nodes: values, instances, materials, lights
// and cameras.

// vectors reads an accessor of so many components a value, as numbers, whether they are kept as
// floats or as whole numbers (KHR_mesh_quantization).
func (in *importer) vectors(acr *gltf.Accessor, components int) ([][4]float64, error) {
	if acr.Type.Components() != components {
		return nil, fmt.Errorf("has %d numbers a value; %d are needed", acr.Type.Components(), components)
	}
	data, err := modeler.ReadAccessor(in.doc, acr, nil)
	if err != nil {
		return nil, err
	}
	out := make([][4]float64, acr.Count)
	switch v := data.(type) {
	case [][3]float32:
		for i := range v {
			out[i] = [4]float64{float64(v[i][0]), float64(v[i][1]), float64(v[i][2])}
		}
		return out, nil
	case [][2]float32:
		for i := range v {
			out[i] = [4]float64{float64(v[i][0]), float64(v[i][1])}
		}
		return out, nil
	}
	return out, widen(out, reflect.ValueOf(data), acr.Normalized)
}

// widen turns values of any kind of number into floats; whole numbers that are normalized stand for
// 0 to 1, or -1 to 1.
func widen(out [][4]float64, values reflect.Value, normalized bool) error {
	for i := range out {
		v := values.Index(i)
		for k := range v.Len() {
			n, most := 0.0, 1.0
			switch x := v.Index(k); {
			case x.CanUint():
				n, most = float64(x.Uint()), float64(uint64(1)<<x.Type().Bits()-1)
			case x.CanInt():
				n, most = float64(x.Int()), float64(uint64(1)<<(x.Type().Bits()-1)-1)
			case x.CanFloat():
				n = x.Float()
			default:
				return fmt.Errorf("holds a kind of number that does not belong there")
			}
			if normalized {
				n = max(n/most, -1)
			}
			out[i][k] = n
		}
	}
	return nil
}

// asTriangles turns a strip or fan into single triangles.
func asTriangles(mode gltf.PrimitiveMode, indices []uint32) []uint32 {
	if mode == gltf.PrimitiveTriangles {
		return indices[:len(indices)/3*3]
	}
	var out []uint32
	for i := 2; i < len(indices); i++ {
		switch {
		case mode == gltf.PrimitiveTriangleFan:
			out = append(out, indices[0], indices[i-1], indices[i])
		case i%2 == 0:
			out = append(out, indices[i-2], indices[i-1], indices[i])
		default:
			out = append(out, indices[i-1], indices[i-2], indices[i])
		}
	}
	return out
}

// instances are the places where a node shows its mesh: its own, or those that
// EXT_mesh_gpu_instancing lists.
func (in *importer) instances(n *gltf.Node, world mgl64.Mat4, path string) ([]mgl64.Mat4, error) {
	text := rawExtension(n.Extensions[instancing])
	if text == nil {
		return []mgl64.Mat4{world}, nil
	}
	path += "/extensions/" + instancing
	var ext struct {
		Attributes map[string]int `json:"attributes"`
	}
	if err := json.Unmarshal(text, &ext); err != nil {
		return nil, fault(path, "cannot be read: %v", err)
	}
	count, read := -1, map[string][][4]float64{}
	for name, components := range map[string]int{"TRANSLATION": 3, "ROTATION": 4, "SCALE": 3} {
		index, ok := ext.Attributes[name]
		if !ok {
			continue
		}
		at := path + "/attributes/" + name
		acr, err := in.accessor(index, at)
		if err != nil {
			return nil, err
		}
		if acr.Count > level.MaxEntities {
			return nil, fault(at, "lists %d instances; the most is %d", acr.Count, level.MaxEntities)
		}
		if count >= 0 && acr.Count != count {
			return nil, fault(at, "lists %d instances where another attribute lists %d", acr.Count, count)
		}
		count = acr.Count
		if read[name], err = in.vectors(acr, components); err != nil {
			return nil, fault(at, "cannot be read: %v", err)
		}
	}
	if count < 0 {
		return []mgl64.Mat4{world}, nil
	}
	places := make([]mgl64.Mat4, count)
	for i := range places {
		local := mgl64.Ident4()
		if t := read["TRANSLATION"]; t != nil {
			local = local.Mul4(mgl64.Translate3D(t[i][0], t[i][1], t[i][2]))
		}
		if r := read["ROTATION"]; r != nil {
			q := mgl64.Quat{W: r[i][3], V: geom.Vec3{r[i][0], r[i][1], r[i][2]}}
			if q.Len() < 1e-9 {
				return nil, fault(path, "has a rotation without length, of instance %d", i)
			}
			local = local.Mul4(q.Normalize().Mat4())
		}
		if s := read["SCALE"]; s != nil {
			local = local.Mul4(mgl64.Scale3D(s[i][0], s[i][1], s[i][2]))
		}
		places[i] = world.Mul4(local)
		for _, v := range places[i] {
			if math.IsNaN(v) || math.IsInf(v, 0) {
				return nil, fault(path, "has a place that is not finite, of instance %d", i)
			}
		}
	}
	return places, nil
}

func (in *importer) material(index int, at string) (string, error) {
	if id, ok := in.materialID[index]; ok {
		return id, nil
	}
	if index < 0 || index >= len(in.doc.Materials) {
		return "", fault(at+"/material", "is %d; the file has %d materials", index, len(in.doc.Materials))
	}
	src := in.doc.Materials[index]
	path := fmt.Sprintf("/materials/%d", index)
	m := level.Default[level.Material]()
	m.ID, m.Name = in.idOf(src.Extras, src.Name, "material"), clip(src.Name)
	m.Color = "#ffffff"
	in.report.from("materials", len(in.level.Materials), path)
	in.level.Materials = append(in.level.Materials, &m)
	in.materialID[index] = m.ID
	in.translucency(src, &m, path)
	var own materialMarks
	if tree := markedTree(src.Extras, "material"); tree != nil && decodeTree(tree, &own) {
		m.Porosity, m.Lighting, m.ImageM, m.Water = own.Porosity, own.Lighting, own.ImageM, own.Water
	}
	m.TwoSided = src.DoubleSided && m.Translucency == 0 || isMarked(src.Extras, "two_sided")
	if pbr := src.PBRMetallicRoughness; pbr != nil {
		c := pbr.BaseColorFactorOrDefault()
		m.Color = color.Linear{c[0], c[1], c[2]}.Exact()
		m.Metalness, m.Roughness = within01(pbr.MetallicFactorOrDefault()), within01(pbr.RoughnessFactorOrDefault())
		if t := pbr.MetallicRoughnessTexture; t != nil {
			in.finishByImage(t, &m, path)
		}
		if pbr.BaseColorTexture != nil {
			m.Image = in.image(pbr.BaseColorTexture, path)
		}
		if m.Image != "" && src.AlphaMode == gltf.AlphaMask {
			m.Cutoff = src.AlphaCutoffOrDefault()
		}
	}
	if src.AlphaMode == gltf.AlphaBlend {
		if m.Image != "" {
			m.Cutoff = 0.5
			in.report.note("%s: %s lets light through by its image; it is cut out at one half", path, nameOrPath(src.Name, path))
		} else {
			in.report.leave("%s: %s lets light through, which is not kept; it is solid", path, nameOrPath(src.Name, path))
		}
	}
	in.emission(src, &m, path)
	if _, unlit := src.Extensions["KHR_materials_unlit"]; unlit {
		m.Metalness, m.Roughness = 0, 1
		in.unlit = append(in.unlit, nameOrPath(src.Name, path))
	}
	return m.ID, nil
}

// finishByImage makes a material as rough and as metallic as the mean of an image, times its factors: roughness lies in green,
// metalness in blue. Where the image cannot be read the material is matt.
func (in *importer) finishByImage(t *gltf.TextureInfo, m *level.Material, path string) {
	name := nameOrPath(m.Name, path)
	mean := in.mean(t.Index, path)
	if mean == nil {
		m.Roughness, m.Metalness = 1, 0
		in.report.leave("%s: the image of how rough and how metallic %s is; it is matt", path, name)
		return
	}
	m.Roughness, m.Metalness = m.Roughness*mean.Stored[1], m.Metalness*mean.Stored[2]
	in.report.note("%s: %s has an image of how rough and how metallic it is; it takes the mean, roughness %.2f and metalness %.2f", path, name, m.Roughness, m.Metalness)
}

func within01(v float64) float64 { return min(max(v, 0), 1) }

func nameOrPath(name, path string) string { return level.Visible(cmp.Or(name, path)) }

// translucency reads KHR_materials_diffuse_transmission: the share of the scattered light that leaves
// on the other side.
func (in *importer) translucency(src *gltf.Material, m *level.Material, path string) {
	text := rawExtension(src.Extensions[diffuseTransmission])
	if text == nil {
		return
	}
	var ext struct {
		Factor  float64         `json:"diffuseTransmissionFactor"`
		Texture *jsontext.Value `json:"diffuseTransmissionTexture"`
	}
	if err := json.Unmarshal(text, &ext); err != nil || !(ext.Factor >= 0 && ext.Factor <= 1) {
		in.report.leave("%s: its diffuse transmission, which cannot be read", path)
		return
	}
	if ext.Texture != nil {
		in.report.leave("%s: the image of its diffuse transmission; it is even", path)
	}
	m.Translucency = ext.Factor
}

// emission makes a material shine as its file has it: the factor, times the strength of
// KHR_materials_emissive_strength, in nits.
func (in *importer) emission(src *gltf.Material, m *level.Material, path string) {
	light := color.Linear(src.EmissiveFactor)
	if light == (color.Linear{}) {
		return
	}
	if text := rawExtension(src.Extensions["KHR_materials_emissive_strength"]); text != nil {
		var ext struct {
			Strength float64 `json:"emissiveStrength"`
		}
		if err := json.Unmarshal(text, &ext); err != nil || !(ext.Strength >= 0) {
			in.report.leave("%s: its emissive strength, which cannot be read", path)
		} else if ext.Strength > 0 {
			light = light.Scale(ext.Strength)
		}
	}
	if t := src.EmissiveTexture; t != nil {
		mean := in.mean(t.Index, path)
		if mean == nil {
			return
		}
		light = light.Mul(mean.Linear)
		in.report.note("%s: %s shines by an image; it shines evenly, as bright as the mean of that", path, nameOrPath(src.Name, path))
	}
	shine(m, light, path, in.report)
}

func (in *importer) light(n *gltf.Node, index int, world mgl64.Mat4, path string) error {
	lights, _ := in.doc.Extensions[lightspunctual.ExtensionName].(lightspunctual.Lights)
	if index < 0 || index >= len(lights) {
		return fault(path+"/extensions/KHR_lights_punctual/light", "is %d; the file has %d lights", index, len(lights))
	}
	src := lights[index]
	l := level.NewLight(in.idOf(n.Extras, n.Name, src.Name, "light"), src.Type)
	l.Name = clip(cmp.Or(n.Name, src.Name))
	c := src.ColorOrDefault()
	l.Color, l.Strength = color.Linear(c).Exact(), src.IntensityOrDefault()
	if src.Range != nil && !math.IsInf(*src.Range, 0) {
		l.RangeM = *src.Range * scaleOf(world)
	}
	if src.Type == level.Spot && src.Spot != nil {
		l.InnerDeg = min(src.Spot.InnerConeAngle*180/math.Pi, 89.9)
		l.OuterDeg = min(src.Spot.OuterConeAngleOrDefault()*180/math.Pi, 89.9)
	}
	return in.place(l, world, path)
}

// place puts a light where a node is, turned as it is.
func (in *importer) place(l *level.Light, world mgl64.Mat4, path string) error {
	l.Transform.Position = level.Vec(world.Col(3).Vec3())
	q, ok := turnOf(world)
	if !ok {
		return fault(path, "scales its light to nothing")
	}
	l.Transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
	in.report.from("lights", len(in.level.Lights), path)
	in.level.Lights = append(in.level.Lights, l)
	return nil
}

// turnOf is how a transform turns things, with roll; false where it scales them to nothing.
func turnOf(world mgl64.Mat4) (mgl64.Quat, bool) {
	m := world.Mat3()
	forward, up := m.Mul3x1(geom.Vec3{0, 0, -1}), m.Mul3x1(geom.Vec3{0, 1, 0})
	if forward.Len() < 1e-12 {
		return mgl64.Quat{}, false
	}
	back := forward.Normalize().Mul(-1)
	side := up.Cross(back)
	if side.Len() < 1e-9*max(up.Len(), 1) {
		return geom.LookRotation(forward), true
	}
	side = side.Normalize()
	return mgl64.Mat4ToQuat(mgl64.Mat3FromCols(side, back.Cross(side), back).Mat4()).Normalize(), true
}

// scaleOf is about how much a transform makes things larger.
func scaleOf(world mgl64.Mat4) float64 { return math.Cbrt(math.Abs(world.Mat3().Det())) }

// camera takes a camera as a viewpoint.
func (in *importer) camera(n *gltf.Node, index int, world mgl64.Mat4) {
	path := fmt.Sprintf("/cameras/%d", index)
	if index < 0 || index >= len(in.doc.Cameras) || in.doc.Cameras[index].Perspective == nil {
		in.report.leave("%s: no camera with perspective", path)
		return
	}
	q, ok := turnOf(world)
	if !ok {
		in.report.leave("%s: scaled to nothing", path)
		return
	}
	src := in.doc.Cameras[index]
	v := level.Default[level.Viewpoint]()
	v.ID = in.idOf(n.Extras, n.Name, src.Name, "view")
	v.Name = clip(cmp.Or(n.Name, src.Name))
	v.FovDeg = min(max(src.Perspective.Yfov*180/math.Pi, 5), 150)
	v.Transform.Position = level.Vec(world.Col(3).Vec3())
	v.Transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
	var own viewpointMarks
	if tree := markedTree(n.Extras, "viewpoint"); tree != nil && decodeTree(tree, &own) {
		v.Enabled, v.Tags, v.Note = own.Enabled, own.Tags, own.Note
	}
	in.report.from("viewpoints", len(in.level.Viewpoints), path)
	in.level.Viewpoints = append(in.level.Viewpoints, &v)
}

// marksIn is what an earlier export has left in extras; nil where there is nothing.
func marksIn(extras any) map[string]any {
	all, _ := extras.(map[string]any)
	own, _ := all[mark].(map[string]any)
	return own
}

// marked is a text that an earlier export has left in extras; "" where there is none.
func marked(extras any, name string) string {
	text, _ := marksIn(extras)[name].(string)
	return text
}

// markedTree is what an earlier export has left of a thing in extras; nil where there is nothing.
func markedTree(extras any, name string) map[string]any {
	tree, _ := marksIn(extras)[name].(map[string]any)
	return tree
}

// idOf is the id that an earlier export has left, or one from the first name that there is.
func (in *importer) idOf(extras any, names ...string) string {
	if id := marked(extras, "id"); id != "" {
		return in.ids.Keep(id)
	}
	return in.ids.Fresh(cmp.Or(names...))
}

// mark is the name under which an export leaves what glTF has no place for.
const mark = "grotta"

// rawExtension is the text of an extension that the reader does not know; nil where there is none.
func rawExtension(ext any) []byte {
	raw, ok := ext.(interface{ MarshalJSON() ([]byte, error) })
	if !ok {
		return nil
	}
	text, err := raw.MarshalJSON()
	if err != nil {
		return nil
	}
	return text
}
