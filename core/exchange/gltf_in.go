package exchange

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/go-json-experiment/json"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"
	"github.com/qmuntal/gltf/ext/texturetransform"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/picture"
)

// readGLTF reads a .glb or .gltf with the files beside it: a mesh for each node with triangles,
// materials, names, cameras and punctual lights. The error is a *level.Invalid with the path in
// the file.
func readGLTF(files *Files, o Options, report *Report) (l *level.Level, err error) {
	data := files.Data
	if len(data) > maxArchiveBytes {
		return nil, fault("", "the file has %d bytes; the most is %d", len(data), maxArchiveBytes)
	}
	// The reader guards most of its indices but not all; a broken file must be
	// an error whatever it hits.
	defer func() {
		if r := recover(); r != nil {
			l, err = nil, fault("", "the file contradicts itself: %v", r)
		}
	}()
	if bytes.HasPrefix(data, []byte("glTF")) && len(data) >= 8 {
		if v := binary.LittleEndian.Uint32(data[4:]); v != 2 {
			return nil, fault("", "is binary glTF of version %d; save it as glTF 2.0", v)
		}
	}
	if err := checkContainer(data); err != nil {
		return nil, err
	}
	if err := checkVersion(data); err != nil {
		return nil, err
	}
	files = files.withoutFallbacks()
	data = files.Data
	if err := files.checkNeighbours(); err != nil {
		return nil, err
	}
	if err := checkBuffers(data, files.size()); err != nil {
		return nil, err
	}
	doc := new(gltf.Document)
	if err := gltf.NewDecoder(bytes.NewReader(data)).Decode(doc); err != nil {
		return nil, fault("", "is not glTF: %s", strings.TrimPrefix(err.Error(), "gltf: "))
	}
	if err := checkExtensions(doc, report); err != nil {
		return nil, err
	}
	in := &importer{doc: doc, files: files, report: report, level: level.New(o.Name), visiting: map[int]bool{}, materialID: map[int]string{}, imageID: map[int]string{}, meanOf: map[int]*picture.Means{}, profileID: map[string]string{}, forms: map[formKey][]form{}}
	in.ids = in.level.NewIDs()
	in.palette = palette{level: in.level, ids: in.ids, report: report}
	if err := in.run(o); err != nil {
		return nil, err
	}
	return in.level, nil
}

// checkVersion tells a glTF 1.0 apart, which has another shape, before it is read as one of 2.0.
func checkVersion(data []byte) error {
	var head struct {
		Asset struct {
			Version any `json:"version"`
		} `json:"asset"`
	}
	if json.Unmarshal(gltfText(data), &head) != nil {
		return nil // what is wrong with it is said where it is read
	}
	switch v := head.Asset.Version.(type) {
	case string:
		if !strings.HasPrefix(v, "2.") {
			return fault("/asset/version", "is %q; save the file as glTF 2.0", level.Visible(v))
		}
	default:
		return fault("/asset/version", "is missing, or no text; \"2.0\" is needed")
	}
	return nil
}

// Extensions that are understood, and those without which a file looks a little other.
var (
	understood = append([]string{lightspunctual.ExtensionName, "KHR_mesh_quantization", texturetransform.ExtensionName, "KHR_materials_emissive_strength", "KHR_materials_unlit",
		instancing, diffuseTransmission, dracoPacked, webpTexture}, meshoptPacked...)
	looks = []string{"KHR_materials_specular", "KHR_materials_ior", "KHR_materials_clearcoat", "KHR_materials_sheen", "KHR_materials_transmission",
		"KHR_materials_volume", "KHR_materials_iridescence", "KHR_materials_anisotropy", "KHR_materials_dispersion", "KHR_materials_pbrSpecularGlossiness", "KHR_materials_variants", "KHR_animation_pointer", "KHR_xmp_json_ld"}
	// packed are ways to pack a file that are not unpacked here, and how to save it without.
	packed = map[string]string{
		"KHR_texture_basisu": "save the file with PNG or JPEG images",
		"EXT_texture_avif":   "save the file with PNG or JPEG images",
	}
)

const (
	instancing          = "EXT_mesh_gpu_instancing"
	diffuseTransmission = "KHR_materials_diffuse_transmission"
	webpTexture         = "EXT_texture_webp"
)

func checkExtensions(doc *gltf.Document, report *Report) error {
	for _, ext := range doc.ExtensionsRequired {
		switch how, isPacked := packed[ext]; {
		case isPacked:
			return fault("/extensionsRequired", "holds %s, which is not unpacked here; %s", ext, how)
		case slices.Contains(understood, ext):
		case slices.Contains(looks, ext):
			report.leave("%s", ext)
		default:
			return fault("/extensionsRequired", "holds %q, which cannot be read here; save the file without it", level.Visible(ext))
		}
	}
	for _, ext := range doc.ExtensionsUsed {
		if !slices.Contains(understood, ext) && !slices.Contains(doc.ExtensionsRequired, ext) {
			report.leave("%s", level.Visible(ext))
		}
	}
	return nil
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
	files      *Files
	report     *Report
	level      *level.Level
	visiting   map[int]bool
	materialID map[int]string
	imageID    map[int]string    // "" for one that was left out
	profileID  map[string]string // of this level, by that in extras
	ids        *level.IDs
	palette    palette
	triangles  int
	meanOf     map[int]*picture.Means // of images that are read for their mean alone
	pixels     int                    // of all images that are kept
	unlit      []string               // materials that are drawn in their own colour, whatever the light
	meanPixels int                    // of all that are read for their mean
	vertices   int                    // of all meshes, each counted as often as it is read
	shown      map[int]int            // how often nodes show each mesh
	forms      map[formKey][]form     // of meshes that are shown more than once
}

func (in *importer) run(o Options) error {
	if err := in.takeBuffers(); err != nil {
		return err
	}
	if err := in.unpack(); err != nil {
		return err
	}
	if err := in.unpackDraco(); err != nil {
		return err
	}
	if err := in.checkAccessors(); err != nil {
		return err
	}
	if len(in.doc.Animations) > 0 {
		in.report.leave("%d animations", len(in.doc.Animations))
	}
	if len(in.doc.Skins) > 0 {
		in.report.leave("%d skins: meshes stand as they were modelled", len(in.doc.Skins))
	}
	roots, err := in.roots(o.Scene)
	if err != nil {
		return err
	}
	in.countShown()
	frame := o.frame()
	for _, root := range roots {
		if err := in.node(root, frame, nil, 0); err != nil {
			return err
		}
	}
	if n := len(in.unlit); n > 0 {
		in.report.note("KHR_materials_unlit: the file draws %d of its materials in their own colour whatever the light, such as %s; here they are matt and take light. A rule with emission makes them shine.", n, in.unlit[0])
	}
	return nil
}

// takeBuffers takes in the buffers that lie beside the file.
func (in *importer) takeBuffers() error {
	for i, b := range in.doc.Buffers {
		if b.IsEmbeddedResource() || b.URI == "" {
			continue
		}
		path := fmt.Sprintf("/buffers/%d", i)
		name, err := unescape(b.URI)
		if err != nil {
			return fault(path+"/uri", "is %q, which is no file name", level.Visible(b.URI))
		}
		data, err := in.files.find(name)
		if err != nil {
			return fault(path+"/uri", "%v", err)
		}
		if len(data) < b.ByteLength {
			return fault(path+"/byteLength", "is %d; the file %s has %d bytes", b.ByteLength, level.Visible(b.URI), len(data))
		}
		b.Data = data[:b.ByteLength]
	}
	return nil
}

// roots are the nodes of the scene that is wanted, of the one that the file opens with, or all
// that have no parent.
func (in *importer) roots(wanted string) ([]int, error) {
	n := len(in.doc.Scenes)
	if n == 0 {
		return in.orphans(), nil
	}
	scene := 0
	if in.doc.Scene != nil && *in.doc.Scene >= 0 && *in.doc.Scene < n {
		scene = *in.doc.Scene
	}
	var names []string
	found := wanted == ""
	for i, s := range in.doc.Scenes {
		names = append(names, cmp.Or(s.Name, strconv.Itoa(i)))
		if wanted != "" && (s.Name == wanted || strconv.Itoa(i) == wanted) {
			scene, found = i, true
		}
	}
	if !found {
		return nil, fault("/scenes", "have none called %q; there are %s", level.Visible(wanted), level.Visible(strings.Join(names, ", ")))
	}
	if n > 1 {
		in.report.Scenes = names
		in.report.note("The file has %d scenes (%s); %s was taken.", n, level.Visible(strings.Join(names, ", ")), level.Visible(names[scene]))
	}
	return in.doc.Scenes[scene].Nodes, nil
}

// orphans are the nodes that have no parent.
func (in *importer) orphans() (roots []int) {
	child := map[int]bool{}
	for _, n := range in.doc.Nodes {
		for _, c := range n.Children {
			child[c] = true
		}
	}
	for i := range in.doc.Nodes {
		if !child[i] {
			roots = append(roots, i)
		}
	}
	return roots
}

// carrier is a thing of the level that a node has become; what is below that node hangs on it.
type carrier struct {
	id   string
	pose geom.Pose
}

// hang hangs a thing on its carrier, from where it stands in the level's space.
func (c *carrier) hang(e *level.Entity) {
	if c == nil {
		return
	}
	own := c.pose.Seen(carrierOf(e).pose)
	q := own.Rotation
	e.Parent, e.Transform = c.id, level.Transform{Position: level.Vec(own.Position), Rotation: [4]float64{q.V[0], q.V[1], q.V[2], q.W}}
}

// node takes in a node and those below it. Lights and cameras hang on the next thing above them, as do meshes in
// a file that an export has made.
func (in *importer) node(index int, outer mgl64.Mat4, above *carrier, depth int) error {
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
	meshes, lights, views := len(in.level.Meshes), len(in.level.Lights), len(in.level.Viewpoints)
	if n.Mesh != nil {
		places, err := in.instances(n, world, path)
		if err != nil {
			return err
		}
		for _, place := range places {
			if err := in.mesh(n, *n.Mesh, place, path); err != nil {
				return err
			}
		}
	}
	if n.Camera != nil {
		in.camera(n, *n.Camera, world)
	}
	back, err := in.takeBack(n, world, path)
	if err != nil {
		return err
	}
	if ref, ok := n.Extensions[lightspunctual.ExtensionName].(lightspunctual.LightIndex); ok && !back {
		if err := in.light(n, int(ref), world, path); err != nil {
			return err
		}
	}
	below := above
	for _, m := range in.level.Meshes[meshes:] {
		if below == above {
			below = carrierOf(&m.Entity)
		}
		if marked(n.Extras, "id") != "" {
			above.hang(&m.Entity)
		}
	}
	for _, l := range in.level.Lights[lights:] {
		if below == above {
			below = carrierOf(&l.Entity)
			above.hang(&l.Entity)
		} else {
			below.hang(&l.Entity) // the node has a mesh and a light
		}
	}
	for _, v := range in.level.Viewpoints[views:] {
		if below == above {
			below = carrierOf(&v.Entity)
		}
		above.hang(&v.Entity)
	}
	for _, c := range n.Children {
		if err := in.node(c, world, below, depth+1); err != nil {
			return err
		}
	}
	return nil
}

// carrierOf is an entity that stands in the level's space, for what hangs on it.
func carrierOf(e *level.Entity) *carrier {
	r := e.Transform.Rotation
	return &carrier{e.ID, geom.Pose{Position: geom.Vec3(e.Transform.Position), Rotation: mgl64.Quat{W: r[3], V: geom.Vec3{r[0], r[1], r[2]}}}}
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

func (in *importer) accessor(index int, at string) (*gltf.Accessor, error) {
	if index < 0 || index >= len(in.doc.Accessors) {
		return nil, fault(at, "is %d; the file has %d accessors", index, len(in.doc.Accessors))
	}
	return in.doc.Accessors[index], nil
}
