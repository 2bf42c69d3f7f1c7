package exchange

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"strings"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"
	"github.com/qmuntal/gltf/modeler"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// ReadGLTF reads a .glb, or a .gltf whose buffers are within it, as a level:
// a mesh for each node with triangles, base colours, names and punctual lights.
// The strings are what was left out. The error is a *level.Invalid with the path
// in the file.
func ReadGLTF(data []byte, name string) (l *level.Level, left []string, err error) {
	if len(data) > level.MaxBytes {
		return nil, nil, fault("", "the file has %d bytes; the most is %d", len(data), level.MaxBytes)
	}
	// The reader guards most of its indices but not all; a broken file must be
	// an error whatever it hits.
	defer func() {
		if r := recover(); r != nil {
			l, left, err = nil, nil, fault("", "the file contradicts itself: %v", r)
		}
	}()
	if err := checkContainer(data); err != nil {
		return nil, nil, err
	}
	if err := checkBuffers(data); err != nil {
		return nil, nil, err
	}
	doc := new(gltf.Document)
	if err := gltf.NewDecoder(bytes.NewReader(data)).Decode(doc); err != nil {
		return nil, nil, fault("", "is not glTF: %s", strings.TrimPrefix(err.Error(), "gltf: "))
	}
	if !strings.HasPrefix(doc.Asset.Version, "2.") {
		return nil, nil, fault("/asset/version", "is %q; 2.0 is needed", doc.Asset.Version)
	}
	for _, ext := range doc.ExtensionsRequired {
		if ext != lightspunctual.ExtensionName {
			return nil, nil, fault("/extensionsRequired", "holds %q, which cannot be read here", ext)
		}
	}
	in := &importer{doc: doc, level: level.New(name), visiting: map[int]bool{}, materialID: map[int]string{}, imageID: map[int]string{}}
	in.ids = in.level.NewIDs()
	if err := in.run(); err != nil {
		return nil, nil, err
	}
	if err := in.level.Validate(); err != nil {
		return nil, nil, err
	}
	return in.level, in.left, nil
}

// checkContainer refuses binary files whose lengths do not add up, before the
// reader trusts them.
func checkContainer(data []byte) error {
	if !bytes.HasPrefix(data, []byte("glTF")) {
		return nil
	}
	if len(data) < 20 {
		return fault("", "the file ends at byte %d, within its header", len(data))
	}
	if total := binary.LittleEndian.Uint32(data[8:]); int64(total) != int64(len(data)) {
		return fault("", "the header says %d bytes and the file has %d", total, len(data))
	}
	for at := 12; at < len(data); {
		if at+8 > len(data) {
			return fault("", "the file ends at byte %d, within a chunk's header", len(data))
		}
		n := int64(binary.LittleEndian.Uint32(data[at:]))
		if int64(at)+8+n > int64(len(data)) {
			return fault("", "the chunk at byte %d says %d bytes; %d are left", at, n, len(data)-at-8)
		}
		at += 8 + int(n)
	}
	return nil
}

type importer struct {
	doc        *gltf.Document
	level      *level.Level
	left       []string
	visiting   map[int]bool
	materialID map[int]string
	imageID    map[int]string // "" for one that was left out
	ids        *level.IDs
	triangles  int
	pixels     int // of all images
	vertices   int // of all meshes, each counted as often as nodes show it
}

func (in *importer) run() error {
	for i, b := range in.doc.Buffers {
		if !b.IsEmbeddedResource() && b.URI != "" {
			return fault(fmt.Sprintf("/buffers/%d/uri", i), "points outside the file; use .glb, or embed the buffer")
		}
	}
	if err := in.checkAccessors(); err != nil {
		return err
	}
	if len(in.doc.Animations) > 0 {
		in.left = append(in.left, fmt.Sprintf("%d animations", len(in.doc.Animations)))
	}
	if len(in.doc.Skins) > 0 {
		in.left = append(in.left, fmt.Sprintf("%d skins: meshes stand as they were modelled", len(in.doc.Skins)))
	}
	for _, root := range in.roots() {
		if err := in.node(root, mgl64.Ident4(), 0); err != nil {
			return err
		}
	}
	return nil
}

// roots are the nodes of the scene that the file opens with, or all that have
// no parent.
func (in *importer) roots() []int {
	if n := len(in.doc.Scenes); n > 0 {
		scene := 0
		if in.doc.Scene != nil && *in.doc.Scene >= 0 && *in.doc.Scene < n {
			scene = *in.doc.Scene
		}
		return in.doc.Scenes[scene].Nodes
	}
	child := map[int]bool{}
	for _, n := range in.doc.Nodes {
		for _, c := range n.Children {
			child[c] = true
		}
	}
	var roots []int
	for i := range in.doc.Nodes {
		if !child[i] {
			roots = append(roots, i)
		}
	}
	return roots
}

func (in *importer) node(index int, outer mgl64.Mat4, depth int) error {
	path := fmt.Sprintf("/nodes/%d", index)
	if index < 0 || index >= len(in.doc.Nodes) {
		return fault(path, "is not there; the file has %d nodes", len(in.doc.Nodes))
	}
	if in.visiting[index] || depth > 256 {
		return fault(path+"/children", "form a circle, or are nested more than 256 deep")
	}
	in.visiting[index] = true
	defer delete(in.visiting, index)
	n := in.doc.Nodes[index]
	world := outer.Mul4(localMatrix(n))
	for i, v := range world {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return fault(path, "has a transform that is not finite, at element %d", i)
		}
	}
	if n.Mesh != nil {
		if err := in.mesh(n, *n.Mesh, world, path); err != nil {
			return err
		}
	}
	if ref, ok := n.Extensions[lightspunctual.ExtensionName].(lightspunctual.LightIndex); ok {
		if err := in.light(n, int(ref), world, path); err != nil {
			return err
		}
	}
	for _, c := range n.Children {
		if err := in.node(c, world, depth+1); err != nil {
			return err
		}
	}
	return nil
}

func localMatrix(n *gltf.Node) mgl64.Mat4 {
	if m := n.MatrixOrDefault(); m != gltf.DefaultMatrix {
		return mgl64.Mat4(m)
	}
	t, r, s := n.TranslationOrDefault(), n.RotationOrDefault(), n.ScaleOrDefault()
	return mgl64.Translate3D(t[0], t[1], t[2]).
		Mul4(mgl64.Quat{W: r[3], V: geom.Vec3{r[0], r[1], r[2]}}.Normalize().Mat4()).
		Mul4(mgl64.Scale3D(s[0], s[1], s[2]))
}

// mesh adds one mesh for each material of a node. Scale and rotation go into
// the vertices, the place stays with the entity.
func (in *importer) mesh(n *gltf.Node, index int, world mgl64.Mat4, path string) error {
	if index < 0 || index >= len(in.doc.Meshes) {
		return fault(path+"/mesh", "is %d; the file has %d meshes", index, len(in.doc.Meshes))
	}
	place := world.Col(3).Vec3()
	turn := world.Mat3()
	for i, p := range in.doc.Meshes[index].Primitives {
		at := fmt.Sprintf("/meshes/%d/primitives/%d", index, i)
		if p.Mode != gltf.PrimitiveTriangles {
			in.left = append(in.left, at+": not triangles")
			continue
		}
		m := level.Default[level.Mesh]()
		if p.Material != nil {
			id, err := in.material(*p.Material, at)
			if err != nil {
				return err
			}
			m.Surface.Material = id
		}
		name := firstOf(n.Name, in.doc.Meshes[index].Name, "mesh")
		m.ID, m.Name = in.ids.Fresh(name), clip(name)
		m.Transform.Position = level.Vec(place)
		if err := in.readVertices(p, turn, at, &m); err != nil {
			return err
		}
		if err := in.uvs(p, at, &m); err != nil {
			return err
		}
		in.level.Meshes = append(in.level.Meshes, &m)
		if len(in.level.Meshes) > level.MaxEntities {
			return fault("/nodes", "hold more than %d meshes", level.MaxEntities)
		}
	}
	return nil
}

func (in *importer) readVertices(p *gltf.Primitive, turn mgl64.Mat3, at string, m *level.Mesh) error {
	index, ok := p.Attributes[gltf.POSITION]
	if !ok {
		return fault(at+"/attributes", "have no POSITION")
	}
	acr, err := in.accessor(index, at+"/attributes/POSITION")
	if err != nil {
		return err
	}
	if in.vertices += acr.Count; in.vertices > maxVertices {
		return fault(at, "brings the level to more than %d vertices", maxVertices)
	}
	positions, err := modeler.ReadPosition(in.doc, acr, nil)
	if err != nil {
		return fault(at+"/attributes/POSITION", "cannot be read: %v", err)
	}
	for _, v := range positions {
		w := turn.Mul3x1(geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])})
		m.Positions = append(m.Positions, w[0], w[1], w[2])
	}
	if p.Indices == nil {
		for i := range positions {
			m.Indices = append(m.Indices, uint32(i))
		}
	} else {
		acr, err := in.accessor(*p.Indices, at+"/indices")
		if err != nil {
			return err
		}
		if in.triangles+acr.Count/3 > level.MaxTriangles {
			return fault(at, "brings the level to more than %d triangles", level.MaxTriangles)
		}
		if m.Indices, err = modeler.ReadIndices(in.doc, acr, nil); err != nil {
			return fault(at+"/indices", "cannot be read: %v", err)
		}
	}
	m.Indices = m.Indices[:len(m.Indices)/3*3]
	if turn.Det() < 0 { // mirrored: keep triangles facing outward
		for i := 0; i+2 < len(m.Indices); i += 3 {
			m.Indices[i+1], m.Indices[i+2] = m.Indices[i+2], m.Indices[i+1]
		}
	}
	if in.triangles += len(m.Indices) / 3; in.triangles > level.MaxTriangles {
		return fault(at, "brings the level to more than %d triangles", level.MaxTriangles)
	}
	return nil
}

func (in *importer) accessor(index int, at string) (*gltf.Accessor, error) {
	if index < 0 || index >= len(in.doc.Accessors) {
		return nil, fault(at, "is %d; the file has %d accessors", index, len(in.doc.Accessors))
	}
	return in.doc.Accessors[index], nil
}

func (in *importer) material(index int, at string) (string, error) {
	if id, ok := in.materialID[index]; ok {
		return id, nil
	}
	if index < 0 || index >= len(in.doc.Materials) {
		return "", fault(at+"/material", "is %d; the file has %d materials", index, len(in.doc.Materials))
	}
	src := in.doc.Materials[index]
	m := level.Default[level.Material]()
	m.ID, m.Name = in.ids.Fresh(firstOf(src.Name, "material")), clip(src.Name)
	m.Color = "#ffffff"
	in.level.Materials = append(in.level.Materials, &m)
	in.materialID[index] = m.ID
	m.TwoSided = src.DoubleSided
	if pbr := src.PBRMetallicRoughness; pbr != nil {
		c := pbr.BaseColorFactorOrDefault()
		m.Color = color.Linear{c[0], c[1], c[2]}.Hex()
		if pbr.BaseColorTexture != nil {
			m.Image = in.image(pbr.BaseColorTexture, fmt.Sprintf("/materials/%d", index))
		}
		if m.Image != "" && src.AlphaMode == gltf.AlphaMask {
			m.Cutoff = src.AlphaCutoffOrDefault()
		}
	}
	return m.ID, nil
}

func (in *importer) light(n *gltf.Node, index int, world mgl64.Mat4, path string) error {
	lights, _ := in.doc.Extensions[lightspunctual.ExtensionName].(lightspunctual.Lights)
	if index < 0 || index >= len(lights) {
		return fault(path+"/extensions/KHR_lights_punctual/light", "is %d; the file has %d lights", index, len(lights))
	}
	src := lights[index]
	l := level.NewLight(in.ids.Fresh(firstOf(n.Name, src.Name, "light")), src.Type)
	l.Name = clip(firstOf(n.Name, src.Name))
	c := src.ColorOrDefault()
	l.Color, l.Strength = color.Linear(c).Hex(), src.IntensityOrDefault()
	if src.Range != nil && !math.IsInf(*src.Range, 0) {
		l.RangeM = *src.Range
	}
	if src.Type == level.Spot && src.Spot != nil {
		l.InnerDeg = min(src.Spot.InnerConeAngle*180/math.Pi, 89.9)
		l.OuterDeg = min(src.Spot.OuterConeAngleOrDefault()*180/math.Pi, 89.9)
	}
	l.Transform.Position = level.Vec(world.Col(3).Vec3())
	forward := world.Mat3().Mul3x1(geom.Vec3{0, 0, -1})
	if forward.Len() < 1e-12 {
		return fault(path, "scales its light to nothing")
	}
	q := geom.LookRotation(forward)
	l.Transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
	in.level.Lights = append(in.level.Lights, l)
	return nil
}

func firstOf(names ...string) string {
	for _, n := range names {
		if n != "" {
			return n
		}
	}
	return ""
}

// clip shortens a name to what a level takes.
func clip(name string) string {
	if r := []rune(name); len(r) > 120 {
		return string(r[:120])
	}
	return name
}

func fault(path, format string, args ...any) *level.Invalid {
	return &level.Invalid{Faults: []level.Fault{{Path: path, Message: fmt.Sprintf(format, args...)}}}
}
