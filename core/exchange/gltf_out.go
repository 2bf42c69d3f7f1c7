package exchange

import (
	"bytes"
	"cmp"
	"fmt"
	"math"
	"slices"

	"github.com/go-json-experiment/json"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"
	"github.com/qmuntal/gltf/modeler"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/scene"
)

// WriteGLTF writes a level as binary glTF 2.0: a node for each block and mesh, with materials, images
// and what shines; one for each light, the sun and the moon; and a camera for each viewpoint. What
// glTF can only say nearly stands exactly in extras, from where Read takes it back. The report
// says what was left out, and what was changed into what.
func WriteGLTF(l *level.Level) ([]byte, *Report, error) { return writeGLTF(l, nil) }

// writeGLTF writes a level; with a lightmap, each vertex has its place on a page as a second set of
// texture coordinates, and extras of its material say on which.
func writeGLTF(l *level.Level, pages *lightmap.Map) ([]byte, *Report, error) {
	doc := gltf.NewDocument()
	doc.Asset.Generator = "Grotta"
	out := &exporter{doc: doc, level: l, report: &Report{}, material: map[look]int{}, image: map[string]int{}, carriers: map[string]bool{}, geometries: map[shownAs]int{}}
	for _, p := range l.Placed() {
		out.carriers[p.Parent] = true
	}
	if pages != nil {
		out.scene, out.layout = pages.Scene, pages.Layout
	} else {
		out.scene = scene.Build(l)
	}
	if err := out.geometry(); err != nil {
		return nil, nil, err
	}
	out.lights()
	out.viewpoints()
	out.hang()
	out.profiles()
	out.sayWhatIsLeft()
	var b bytes.Buffer
	enc := gltf.NewEncoder(&b)
	enc.AsBinary = true
	if err := enc.Encode(doc); err != nil {
		return nil, nil, err
	}
	return b.Bytes(), out.report, nil
}

type exporter struct {
	doc        *gltf.Document
	level      *level.Level
	scene      *scene.Scene
	layout     *lightmap.Layout // nil where no lightmap goes with it
	report     *Report
	unseen     int // things that are not drawn
	material   map[look]int
	image      map[string]int  // texture of each image
	carriers   map[string]bool // ids of what anything hangs on
	geometries map[shownAs]int // mesh of each
	punctual   lightspunctual.Lights
	placed     []placed
	shapes     []string // ids of the profiles that lights have
}

// placed is a node and what of the level it stands for.
type placed struct {
	node   int
	entity *level.Entity
	pose   geom.Pose
}

// look is what a primitive has one of: a material, and the page that its surfaces lie on.
type look struct {
	material *level.Material
	page     int  // noPage for surfaces without one
	sides    bool // whether the other side of the surface has a page as well
	back     bool // whether it is that side
}

const noPage = -1

func (x *exporter) lookOf(s *scene.Surface) look {
	page := x.pageOf(s)
	sides := page != noPage && x.scene.OtherSide(int(s.First)) >= 0
	return look{s.Finish().Material, page, sides, sides && s.IsBack()}
}

// pageOf is the page that a surface lies on.
func (x *exporter) pageOf(s *scene.Surface) int {
	if c := x.chart(s); c != nil {
		return c.Page()
	}
	return noPage
}

func (x *exporter) chart(s *scene.Surface) *lightmap.Chart {
	if x.layout == nil {
		return nil
	}
	if i := x.layout.ChartOf[x.scene.SurfaceOf[s.First]]; i >= 0 {
		return &x.layout.Charts[i]
	}
	return nil
}

// geometry writes the surfaces of each entity as one mesh with one primitive for each material.
func (x *exporter) geometry() error {
	surfaces := x.scene.Surfaces
	for from := 0; from < len(surfaces); {
		to := from
		for to < len(surfaces) && surfaces[to].Body().Entity == surfaces[from].Body().Entity {
			to++
		}
		if err := x.entity(surfaces[from:to]); err != nil {
			return err
		}
		from = to
	}
	return nil
}

func (x *exporter) entity(surfaces []scene.Surface) error {
	body := surfaces[0].Body()
	entity := body.Base()
	pose := x.scene.World.Pose(entity)
	name := cmp.Or(entity.Name, entity.ID)
	mesh := &gltf.Mesh{Name: name}
	node := &gltf.Node{Name: name, Extras: marks(entity.ID, "surface", roleOf(body))}
	if body.Mesh != nil && x.layout == nil && surfaces[0].Finish().Roles.Visible {
		if err := x.mesh(node, body.Mesh, surfaces[0].Finish().Material); err != nil {
			return err
		}
		x.node(node, pose, entity)
		return nil
	}
	for _, look := range x.looksOf(surfaces) {
		p, err := x.faces(surfaces, look, pose)
		if err != nil {
			return err
		}
		if p != nil {
			mesh.Primitives = append(mesh.Primitives, p)
		}
	}
	if len(mesh.Primitives) == 0 {
		x.unseen++
		return nil
	}
	x.doc.Meshes = append(x.doc.Meshes, mesh)
	node.Mesh = gltf.Index(len(x.doc.Meshes) - 1)
	x.node(node, pose, entity)
	return nil
}

// role is what glTF has no place for of a mesh or a block: what it is there for. What its faces have
// of their own is left.
type role struct {
	Tags    []string      `json:"tags,omitzero"`
	Note    string        `json:"note,omitzero"`
	Surface level.Surface `json:"surface"`
	level.Carrier
}

func roleOf(b *scene.Body) *role {
	r := &role{}
	if b.Mesh != nil {
		r.Tags, r.Note, r.Surface, r.Carrier = b.Mesh.Tags, b.Mesh.Note, b.Mesh.Surface, b.Mesh.Carrier
	} else {
		r.Tags, r.Note, r.Surface, r.Carrier = b.Solid.Tags, b.Solid.Note, b.Solid.Surface, b.Solid.Carrier
	}
	r.Surface.Material = "" // which glTF has
	return r
}

// mesh gives a node its mesh, which several nodes have if they show one geometry with one material.
func (x *exporter) mesh(node *gltf.Node, m *level.Mesh, material *level.Material) error {
	if x.carriers[m.ID] { // what hangs on a node is scaled with it
		index, err := x.whole(scaledTriangles(m), node.Name, material)
		node.Mesh = gltf.Index(index)
		return err
	}
	node.Scale = m.ScaleOf()
	key := shownAs{m.Geometry, material}
	if index, known := x.geometries[key]; known {
		node.Mesh = gltf.Index(index)
		return nil
	}
	name := node.Name
	g := x.level.Geometry(m.Geometry)
	if g != nil {
		name = cmp.Or(g.Name, g.ID)
	}
	index, err := x.whole(&m.Triangles, name, material)
	node.Mesh = gltf.Index(index)
	if err == nil && g != nil {
		x.doc.Meshes[index].Extras = marks(g.ID, "", nil)
		x.geometries[key] = index
	}
	return err
}

// shownAs is a geometry with a material, which is one mesh of glTF.
type shownAs struct {
	geometry string
	material *level.Material
}

// scaledTriangles is the triangles of a mesh with its scale in them.
func scaledTriangles(m *level.Mesh) *level.Triangles {
	if m.Scale == (level.Vec{}) {
		return &m.Triangles
	}
	t := level.Triangles{Indices: m.Indices, UVs: m.UVs}
	for v := range m.Vertices() {
		t.Positions = append(t.Positions, v[0], v[1], v[2])
	}
	for i := range len(m.Normals) / 3 {
		n := m.Normal(uint32(i))
		t.Normals = append(t.Normals, n[0], n[1], n[2])
	}
	return &t
}

// whole writes triangles as they are kept: each vertex once. Those without normals are shaded flat.
func (x *exporter) whole(m *level.Triangles, name string, material *level.Material) (int, error) {
	positions := make([][3]float32, len(m.Positions)/3)
	for i := range positions {
		positions[i] = f32(geom.Vec3{m.Positions[3*i], m.Positions[3*i+1], m.Positions[3*i+2]})
	}
	p := &gltf.Primitive{
		Attributes: gltf.PrimitiveAttributes{gltf.POSITION: modeler.WritePosition(x.doc, positions)},
		Indices:    gltf.Index(modeler.WriteIndices(x.doc, m.Indices)),
	}
	if len(m.Normals) > 0 {
		normals := make([][3]float32, len(positions))
		for i := range normals {
			normals[i] = unit32(geom.Vec3(m.Normals[3*i : 3*i+3]))
		}
		p.Attributes[gltf.NORMAL] = modeler.WriteNormal(x.doc, normals)
	}
	if len(m.UVs) > 0 {
		uvs := make([][2]float32, len(m.UVs)/2)
		for i := range uvs {
			uvs[i] = [2]float32{float32(m.UVs[2*i]), float32(m.UVs[2*i+1])}
		}
		p.Attributes[gltf.TEXCOORD_0] = modeler.WriteTextureCoord(x.doc, uvs)
	}
	index, err := x.materialIndex(look{material: material, page: noPage})
	p.Material = gltf.Index(index)
	x.doc.Meshes = append(x.doc.Meshes, &gltf.Mesh{Name: name, Primitives: []*gltf.Primitive{p}})
	return len(x.doc.Meshes) - 1, err
}

// faces writes the faces that have a look, each corner once where its values are the same; nil
// where none is seen.
func (x *exporter) faces(surfaces []scene.Surface, look look, pose geom.Pose) (*gltf.Primitive, error) {
	var v vertices
	back := pose.Rotation.Inverse()
	for i := range surfaces {
		s := &surfaces[i]
		if x.lookOf(s) != look || !s.Finish().Roles.Visible || s.IsBack() && !look.back {
			continue
		}
		chart, triangle := x.chart(s), 0
		first, _ := x.scene.TrianglesOf(s)
		for t := range x.scene.Corners(s) {
			for k, p := range t {
				at := vertex{position: f32(back.Rotate(p.Sub(pose.Position))), normal: unit32(back.Rotate(x.scene.CornerNormal(first+triangle, k)))}
				if look.material.Image != "" {
					u, w := x.scene.CornerUV(s, triangle, k, p)
					at.uv = [2]float32{float32(u), float32(w)}
				}
				if chart != nil {
					u, w := chart.At(p)
					size := float64(x.layout.PageSize)
					at.page = [2]float32{float32(u / size), float32(w / size)}
				}
				v.add(at)
			}
			triangle++
		}
	}
	if len(v.indices) == 0 {
		return nil, nil
	}
	p := v.primitive(x.doc, look.material.Image != "", look.page != noPage)
	if look.back {
		p.Extras = map[string]any{mark: map[string]any{"back": true}}
	}
	look.back = false
	index, err := x.materialIndex(look)
	p.Material = gltf.Index(index)
	return p, err
}

func (x *exporter) looksOf(surfaces []scene.Surface) []look {
	var list []look
	seen := map[look]bool{}
	for i := range surfaces {
		if l := x.lookOf(&surfaces[i]); !seen[l] {
			seen[l] = true
			list = append(list, l)
		}
	}
	return list
}

func (x *exporter) materialIndex(l look) (int, error) {
	if i, ok := x.material[l]; ok {
		return i, nil
	}
	m := l.material
	a := m.Albedo()
	out := &gltf.Material{
		Name:        cmp.Or(m.Name, m.ID, "plain"),
		DoubleSided: m.HasTwoSides() && !l.sides,
		PBRMetallicRoughness: &gltf.PBRMetallicRoughness{
			BaseColorFactor: &[4]float64{a[0], a[1], a[2], 1},
			MetallicFactor:  gltf.Float(m.Metalness),
			RoughnessFactor: gltf.Float(m.Roughness),
		},
	}
	if m.ID != "" || l.page != noPage {
		out.Extras = marksOfMaterial(m, l.page, m.TwoSided && (l.sides || m.Translucency > 0))
	}
	if m.Image != "" {
		texture, err := x.texture(m.Image)
		if err != nil {
			return 0, err
		}
		if texture >= 0 {
			out.PBRMetallicRoughness.BaseColorTexture = &gltf.TextureInfo{Index: texture}
			if m.Cutoff > 0 {
				out.AlphaMode, out.AlphaCutoff = gltf.AlphaMask, gltf.Float(m.Cutoff)
			}
		}
	}
	if m.Emission > 0 {
		x.shine(out, a.Scale(m.Emission))
	}
	if m.Translucency > 0 {
		x.extend(out, diffuseTransmission, map[string]any{"diffuseTransmissionFactor": m.Translucency, "diffuseTransmissionColorFactor": [3]float64(a)})
	}
	x.doc.Materials = append(x.doc.Materials, out)
	x.material[l] = len(x.doc.Materials) - 1
	return x.material[l], nil
}

// shine writes what a material sends out, in nits: a colour, and how strong it is.
func (x *exporter) shine(m *gltf.Material, light color.Linear) {
	most := max(light[0], light[1], light[2])
	if !(most > 0) {
		return
	}
	m.EmissiveFactor = [3]float64(light.Scale(1 / most))
	x.extend(m, "KHR_materials_emissive_strength", map[string]any{"emissiveStrength": most})
}

// extend gives a material what an extension has.
func (x *exporter) extend(m *gltf.Material, extension string, value map[string]any) {
	if m.Extensions == nil {
		m.Extensions = gltf.Extensions{}
	}
	m.Extensions[extension] = value
	x.uses(extension)
}

func (x *exporter) uses(extension string) {
	if !slices.Contains(x.doc.ExtensionsUsed, extension) {
		x.doc.ExtensionsUsed = append(x.doc.ExtensionsUsed, extension)
	}
}

// texture writes an image once; -1 for a kind of image that glTF does not take.
func (x *exporter) texture(id string) (int, error) {
	if i, ok := x.image[id]; ok {
		return i, nil
	}
	image := x.level.Image(id)
	kind := ""
	switch {
	case bytes.HasPrefix(image.Data, []byte("\x89PNG")):
		kind = "image/png"
	case bytes.HasPrefix(image.Data, []byte("\xff\xd8\xff")):
		kind = "image/jpeg"
	default:
		x.report.leave("the image %s: glTF takes PNG and JPEG", cmp.Or(image.Name, id))
		x.image[id] = -1
		return -1, nil
	}
	source, err := modeler.WriteImage(x.doc, cmp.Or(image.Name, id), kind, bytes.NewReader(image.Data))
	if err != nil {
		return 0, err
	}
	own := map[string]any{"id": id}
	for name, text := range map[string]string{"credit": image.Credit, "licence": image.Licence} {
		if text != "" {
			own[name] = text
		}
	}
	x.doc.Images[source].Extras = map[string]any{mark: own}
	x.doc.Textures = append(x.doc.Textures, &gltf.Texture{Source: gltf.Index(source)})
	x.image[id] = len(x.doc.Textures) - 1
	return x.image[id], nil
}

// node adds a node at a place in the level's space; entity is what it stands for, nil for a disc of the sky.
func (x *exporter) node(n *gltf.Node, pose geom.Pose, entity *level.Entity) {
	setPose(n, pose)
	x.doc.Nodes = append(x.doc.Nodes, n)
	index := len(x.doc.Nodes) - 1
	if entity == nil {
		x.doc.Scenes[0].Nodes = append(x.doc.Scenes[0].Nodes, index)
		return
	}
	x.placed = append(x.placed, placed{index, entity, pose})
}

func setPose(n *gltf.Node, pose geom.Pose) {
	q := pose.Rotation
	n.Translation, n.Rotation = pose.Position, [4]float64{q.V[0], q.V[1], q.V[2], q.W}
}

// hang puts each node below that of what carries it, or at the top of the scene.
func (x *exporter) hang() {
	of := map[string]*placed{}
	for i := range x.placed {
		of[x.placed[i].entity.ID] = &x.placed[i]
	}
	loose := 0
	for _, p := range x.placed {
		carrier := of[p.entity.Parent]
		if carrier == nil {
			if p.entity.Parent != "" {
				loose++
			}
			x.doc.Scenes[0].Nodes = append(x.doc.Scenes[0].Nodes, p.node)
			continue
		}
		setPose(x.doc.Nodes[p.node], carrier.pose.Seen(p.pose))
		up := x.doc.Nodes[carrier.node]
		up.Children = append(up.Children, p.node)
	}
	if loose > 0 {
		x.report.leave("what carries %d of the things, as it is not written itself", loose)
	}
}

// profiles writes the profiles of lights, which glTF has no place for, beside the scene.
func (x *exporter) profiles() {
	var list []any
	for _, p := range x.level.Profiles {
		if slices.Contains(x.shapes, p.ID) {
			if tree := treeOf(p); tree != nil {
				list = append(list, tree)
			}
		}
	}
	if len(list) > 0 {
		x.doc.Extras = map[string]any{mark: map[string]any{"profiles": list}}
	}
}

// marks are extras that say what glTF has no place for: an id, and an exact value under a name.
func marks(id, name string, value any) map[string]any {
	own := map[string]any{"id": id}
	if name != "" {
		if tree := treeOf(value); tree != nil {
			own[name] = tree
		}
	}
	return map[string]any{mark: own}
}

// treeOf is a value of a level as extras hold it; nil where it cannot be written.
func treeOf(value any) (tree any) {
	text, err := level.Encode(value)
	if err != nil || json.Unmarshal(text, &tree) != nil {
		return nil
	}
	return tree
}

// materialMarks are what glTF has no place for of a material.
type materialMarks struct {
	Porosity float64      `json:"porosity"`
	Lighting string       `json:"lighting"`
	ImageM   float64      `json:"image_m"`
	Water    *level.Water `json:"water,omitzero"`
}

// marksOfMaterial are extras that say which material it is, what glTF has no place for, and which page of the
// lightmap its surfaces lie on.
func marksOfMaterial(m *level.Material, page int, twoSided bool) map[string]any {
	own := map[string]any{}
	if m.ID != "" {
		own["id"] = m.ID
		own["material"] = treeOf(materialMarks{m.Porosity, m.Lighting, m.ImageM, m.Water})
	}
	if page != noPage {
		own["lightmap_page"] = page
	}
	if twoSided {
		own["two_sided"] = true
	}
	return map[string]any{mark: own}
}

func (x *exporter) lights() {
	for _, light := range x.level.Lights {
		x.light(light)
	}
	e := &x.level.Environment
	x.disc("sun", e.Sun)
	x.disc("moon", e.Moon)
	if len(x.punctual) > 0 {
		x.doc.Extensions = gltf.Extensions{lightspunctual.ExtensionName: map[string]any{"lights": x.punctual}}
		x.uses(lightspunctual.ExtensionName)
	}
}

// light writes a light that shines on surfaces as the nearest that glTF has, and exactly in extras;
// one that is off or lights fog alone in extras only.
func (x *exporter) light(l *level.Light) {
	exact := *l
	exact.Zone, exact.Rig, exact.Parent, exact.Extra = "", "", "", nil
	exact.Transform = level.Default[level.Transform]()
	exact.Strength = x.level.Strength(l)
	if rig := x.level.RigByID(l.Rig); rig != nil && exact.Color == "" && exact.Kelvin == 0 {
		exact.Color, exact.Kelvin = rig.KeyColor, rig.KeyKelvin
	}
	name := cmp.Or(l.Name, l.ID)
	if l.Profile != "" {
		x.shapes = append(x.shapes, l.Profile)
		x.report.note("%s has a profile: it stands in extras, and the light of glTF shines evenly", name)
	}
	if l.Gobo != nil {
		if texture, err := x.texture(l.Gobo.Image); err != nil || texture < 0 {
			exact.Gobo = nil
			x.report.leave("the gobo of %s", name)
		} else {
			x.report.note("%s has a gobo: it stands in extras, and the light of glTF shines without", name)
		}
	}
	node := &gltf.Node{Name: name, Extras: marks(l.ID, "light", &exact)}
	switch {
	case !l.Enabled:
		x.report.note("%s is off: it is kept in extras, without a light of glTF", name)
	case !l.Surfaces:
		x.report.note("%s lights fog alone: it is kept in extras, without a light of glTF", name)
	default:
		near := standIn(x.level, &exact)
		x.punctual = append(x.punctual, near)
		node.Extensions = gltf.Extensions{lightspunctual.ExtensionName: map[string]int{"light": len(x.punctual) - 1}}
		if near.Type != l.Kind {
			x.report.note("%s, a %s light, is written as a %s light, and exactly in extras", name, l.Kind, near.Type)
		}
	}
	x.node(node, x.scene.World.Pose(&l.Entity), &l.Entity)
}

// disc writes the sun or moon as light from one direction.
func (x *exporter) disc(name string, s *level.Sun) {
	if s == nil {
		return
	}
	node := &gltf.Node{Name: name, Extras: marks(name, name, s)}
	if s.Up() {
		rgb, most := channels(s.Hue(), false)
		x.punctual = append(x.punctual, &lightspunctual.Light{Type: level.Directional, Name: name, Color: rgb, Intensity: gltf.Float(s.Lux * most)})
		node.Extensions = gltf.Extensions{lightspunctual.ExtensionName: map[string]int{"light": len(x.punctual) - 1}}
	}
	x.node(node, geom.Pose{Rotation: geom.LookRotation(s.Toward().Mul(-1))}, nil)
}

// channels is a colour as glTF asks, with no channel over 1, and what the intensity gets for it. A
// colour that was chosen dark stays as it was written.
func channels(c color.Linear, chosen bool) (*[3]float64, float64) {
	most := max(c[0], c[1], c[2], 1e-9)
	if most < 1 && chosen {
		most = 1
	}
	return clamp(c.Scale(1 / most)), most
}

// punctualKind is the kind of glTF that comes nearest to a light: it has points, spots and parallel light.
var punctualKind = map[string]string{level.Dome: level.Spot, level.Rect: level.Spot, level.Tube: level.Point, level.BoxLight: level.Directional}

// standIn is the light of glTF that comes nearest to one of a level, whose strength has its rig's in it.
func standIn(l *level.Level, light *level.Light) *lightspunctual.Light {
	kind := cmp.Or(punctualKind[light.Kind], light.Kind)
	rgb, most := channels(l.Color(light), light.Color != "")
	out := &lightspunctual.Light{Type: kind, Name: cmp.Or(light.Name, light.ID), Color: rgb, Intensity: gltf.Float(light.As(kind).Strength * most)}
	if light.RangeM > 0 && kind != level.Directional {
		out.Range = gltf.Float(light.RangeM)
	}
	if kind == level.Spot {
		outer, inner := light.OuterDeg*math.Pi/180, light.InnerDeg*math.Pi/180
		if light.Kind != level.Spot {
			outer, inner = math.Pi/2, 0 // what shines to one side
		}
		inner = min(inner, outer-1e-6) // the standard wants it smaller
		out.Spot = &lightspunctual.Spot{InnerConeAngle: max(0, inner), OuterConeAngle: &outer}
	}
	return out
}

// viewpointMarks are what glTF has no place for of a viewpoint.
type viewpointMarks struct {
	Enabled bool     `json:"enabled"`
	Tags    []string `json:"tags,omitzero"`
	Note    string   `json:"note,omitzero"`
}

func (x *exporter) viewpoints() {
	for _, v := range x.level.Viewpoints {
		name := cmp.Or(v.Name, v.ID)
		x.doc.Cameras = append(x.doc.Cameras, &gltf.Camera{Name: name, Perspective: &gltf.Perspective{Yfov: v.FovDeg * math.Pi / 180, Znear: 0.05}})
		x.node(&gltf.Node{Name: name, Camera: gltf.Index(len(x.doc.Cameras) - 1), Extras: marks(v.ID, "viewpoint", viewpointMarks{v.Enabled, v.Tags, v.Note})}, x.scene.World.Pose(&v.Entity), &v.Entity)
	}
}

// sayWhatIsLeft lists the parts of a level that glTF has no place for.
func (x *exporter) sayWhatIsLeft() {
	l := x.level
	for _, part := range []struct {
		n         int
		one, many string
	}{
		{len(l.Glows), "glow", "glows"}, {len(l.FogVolumes), "volume of fog", "volumes of fog"}, {len(l.Beams), "beam", "beams"}, {len(l.Motes), "cloud of motes", "clouds of motes"},
		{len(l.Zones), "zone", "zones"}, {len(l.Rigs), "rig", "rigs"}, {len(l.Probes), "grid of probes", "grids of probes"}, {len(l.Reflections), "reflection", "reflections"},
		{len(l.Paths), "path of a camera", "paths of cameras"}, {len(l.Mixes), "mix", "mixes"},
	} {
		if part.n == 1 {
			x.report.leave("1 %s", part.one)
		} else if part.n > 1 {
			x.report.leave("%d %s", part.n, part.many)
		}
	}
	if x.unseen > 0 {
		x.report.leave("%d that are not drawn, such as blockers", x.unseen)
	}
	rest := "sky, ambient, fog and look"
	if x.layout == nil {
		rest += "; the baked light"
	}
	x.report.leave("%s", rest)
	if n := len(l.Solids); n > 0 {
		x.report.note("%s written as meshes", map[bool]string{true: "1 block is", false: fmt.Sprintf("%d blocks are", n)}[n == 1])
	}
}

func clamp(c color.Linear) *[3]float64 {
	for i := range c {
		c[i] = min(max(c[i], 0), 1)
	}
	return (*[3]float64)(&c)
}

func f32(v geom.Vec3) [3]float32 { return [3]float32{float32(v[0]), float32(v[1]), float32(v[2])} }

// unit32 is a normal whose length is 1 to float32's precision.
func unit32(n geom.Vec3) [3]float32 { return f32(n.Normalize()) }
