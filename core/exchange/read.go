package exchange

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"path"
	"strings"

	"github.com/go-gl/mathgl/mgl64"

	"grotta/core/geom"
	"grotta/core/intake"
	"grotta/core/level"
)

// Options say how a file is to be read.
type Options struct {
	Name  string  // of the level; the file's, or "Imported", where it is ""
	UnitM float64 // metres in a unit of the file; 0 takes the format's: glTF's are metres
	Scale float64 // times the unit; 0 is 1
	Up    string  // "y" or "z"; "" takes the format's: y for glTF and OBJ, z for STL and PLY
	// Forward is the file's axis that points north, the level's -Z: "x", "-x" and so on; "" is -z where y is up, y
	// where z is up, and the other way in a left-handed file, so that x is to the east.
	Forward string
	Handed  string // "right" or "left"; "" is right
	Scene   string // glTF: name or number of the scene; "" takes the one the file opens with
	Place   *Place // nil is the level's origin

	// Of a PNG image, which comes in as terrain.
	TerrainM float64 // how wide it is; 0 reads no terrain
	HeightM  float64 // from black to white; 0 takes 20
	Cells    int     // along its longer side; 0 takes one for each pixel, and at most 192

	// Rules for what comes in; nil takes those that lie beside the file, or else those of the platform.
	Rules, OfPlatform *intake.Rules
	// What these are called, so that they can be taken again.
	RulesName, PlatformName string
}

// Place is where a file's origin stands in the level, and how far the file is turned there.
type Place struct {
	At      level.Vec // metres of the level
	TurnDeg float64   // clockwise, seen from above
}

// matrix takes the space of a file that has the level's unit and axes to the level's.
func (p *Place) matrix() mgl64.Mat4 {
	if p == nil {
		return mgl64.Ident4()
	}
	return mgl64.Translate3D(p.At[0], p.At[1], p.At[2]).Mul4(mgl64.HomogRotate3DY(-p.TurnDeg * math.Pi / 180))
}

// check judges where a file is to stand.
func (p *Place) check() error {
	if p == nil {
		return nil
	}
	for i, v := range p.At {
		if !(math.Abs(v) <= maxPlaceM) {
			return fault(fmt.Sprintf("/at/%d", i), "is %v; allowed is %d to %d m", v, -maxPlaceM, maxPlaceM)
		}
	}
	if !(math.Abs(p.TurnDeg) <= 360) {
		return fault("/at/3", "is %v; allowed is -360 to 360 degrees", p.TurnDeg)
	}
	return nil
}

// maxPlaceM is how far from the level's origin a file may stand, which is as far as anything may.
const maxPlaceM = 32_000

// Report says what came of a file.
type Report struct {
	Left  []string // what was left out, or kept without being understood
	Notes []string // what was assumed, or changed into something else

	Caught []intake.Caught // by each rule for what comes in
	Scenes []string        // of a glTF file that has several

	places map[string]string // in the file, of parts of the level such as "/lights/0"
}

// from notes where in the file a part of the level comes from.
func (r *Report) from(part string, index int, place string) {
	if r.places == nil {
		r.places = map[string]string{}
	}
	r.places[fmt.Sprintf("/%s/%d", part, index)] = place
}

// inFile is a fault of a level that was read from a file, with the places of the file: there is no
// other that its maker knows.
func (r *Report) inFile(err error) error {
	var bad *level.Invalid
	if !errors.As(err, &bad) {
		return err
	}
	out := &level.Invalid{}
	for _, f := range bad.Faults {
		parts := strings.SplitN(f.Path, "/", 4) // "", part, index, the rest
		if len(parts) >= 3 {
			if place, ok := r.places["/"+parts[1]+"/"+parts[2]]; ok {
				f.Path = place
				if len(parts) == 4 {
					f.Message = strings.ReplaceAll(parts[3], "/", " ") + " " + f.Message
				}
			}
		}
		out.Faults = append(out.Faults, f)
	}
	return out
}

func fault(path, format string, args ...any) *level.Invalid {
	return &level.Invalid{Faults: []level.Fault{{Path: path, Message: fmt.Sprintf(format, args...)}}}
}

// clip shortens a name to what a level takes.
func clip(name string) string {
	if r := []rune(name); len(r) > 120 {
		return string(r[:120])
	}
	return name
}

func (r *Report) leave(format string, args ...any) {
	r.Left = append(r.Left, fmt.Sprintf(format, args...))
}
func (r *Report) note(format string, args ...any) {
	r.Notes = append(r.Notes, fmt.Sprintf(format, args...))
}

type format int

const (
	formatUnknown format = iota
	formatGLTF
	formatLevel
	formatOBJ
	formatMTL
	formatPLY
	formatSTL
	formatTerrain
)

// Read reads a file as a level, whatever it is called: glTF 2.0, OBJ with its materials, PLY, STL,
// or a level document. The error is a *level.Invalid with the place in the file.
func Read(files *Files, o Options) (*level.Level, *Report, error) {
	if len(files.Data) == 0 {
		return nil, nil, fault("", "the file is empty")
	}
	if err := o.checkAxes(); err != nil {
		return nil, nil, err
	}
	if err := o.Place.check(); err != nil {
		return nil, nil, err
	}
	if !(o.Scale >= 0) {
		return nil, nil, fault("/scale", "is %v; a number over 0 is needed", o.Scale)
	}
	named := o.Name != ""
	if !named {
		o.Name = "Imported"
		if base := strings.TrimSuffix(path.Base(files.Name), path.Ext(files.Name)); base != "" && base != "." && base != "/" {
			o.Name = clip(base)
		}
	}
	is := formatOf(files.Name, files.Data)
	if is == formatLevel {
		return readDocument(files.Data, o.Name, named)
	}
	d, ok := doors[is]
	if !ok {
		return nil, nil, fault("", "is no file that can be read here; glTF 2.0 (.glb, .gltf), OBJ, PLY, STL, terrain (PNG) and level documents can%s", guessOf(files.Data))
	}
	unitWasSaid := o.UnitM > 0 || o.Scale > 0
	o.UnitM, o.Up = cmp.Or(o.UnitM, d.unitM)*cmp.Or(o.Scale, 1), cmp.Or(o.Up, d.up)
	if !(o.UnitM >= 0 && o.UnitM <= maxUnitM) {
		return nil, nil, fault("/unit", "is %v metres with its scale; a number over 0 and at most %d is needed", o.UnitM, maxUnitM)
	}
	if o.Forward != "" && o.Up != "" && strings.TrimPrefix(o.Forward, "-") == o.Up {
		return nil, nil, fault("/forward", "is %q, along the axis %s that points up", o.Forward, o.Up)
	}
	report := &Report{}
	l, err := d.read(files, o, report)
	if err != nil {
		return nil, nil, err
	}
	if !unitWasSaid && d.unitM != 1 {
		report.note("The format has no unit; %s were taken.", unitWords(d.unitM))
	}
	tagSource(l, files.Name)
	rememberImport(l, files.Name, o)
	if err := applyRules(l, files, o, report); err != nil {
		return nil, nil, err
	}
	settle(l, o.UnitM, unitWasSaid, report)
	if err := l.Validate(); err != nil {
		return nil, nil, report.inFile(err)
	}
	return l, report, nil
}

// applyRules applies the rules for what comes in: those that were asked for, or that lie beside the
// file or at the root of its archive, or else those of the platform.
func applyRules(l *level.Level, files *Files, o Options, report *Report) error {
	rules := o.Rules
	text := files.Beside[path.Join(path.Dir(files.Name), intake.FileName)]
	if text == nil {
		text = files.Beside[intake.FileName]
	}
	if rules == nil && text != nil {
		var err error
		if rules, err = intake.Parse(text); err != nil {
			return inFileNamed(err, intake.FileName)
		}
	}
	if rules = cmp.Or(rules, o.OfPlatform); rules != nil {
		report.Caught = rules.Apply(l)
	}
	return nil
}

// inFileNamed gives the faults of a file beside the one that is read its name.
func inFileNamed(err error, name string) error {
	var bad *level.Invalid
	if !errors.As(err, &bad) {
		return err
	}
	out := &level.Invalid{}
	for _, f := range bad.Faults {
		f.Path = "/" + name + f.Path
		out.Faults = append(out.Faults, f)
	}
	return out
}

// door is a format that is brought in, and what its files mean where they do not say.
type door struct {
	read  func(*Files, Options, *Report) (*level.Level, error) // with UnitM and Up filled in
	unitM float64
	up    string
}

var doors = map[format]door{
	formatGLTF: {readGLTF, 1, "y"},
	formatOBJ:  {readOBJ, 1, "y"},
	formatPLY:  {readPLY, 1, "z"},
	formatSTL:  {readSTL, 0.001, "z"},

	formatTerrain: {readTerrain, 1, "y"},
}

// readDocument reads a level document, which is renamed where a name is wanted.
func readDocument(data []byte, name string, named bool) (*level.Level, *Report, error) {
	l, unknown, err := level.Parse(data)
	if err != nil {
		return nil, nil, err
	}
	report := &Report{}
	for _, u := range unknown {
		report.leave("%s: kept, and not understood here", u)
	}
	if named {
		l.Name = name
	}
	return l, report, nil
}

// guessOf says what a file is that cannot be read, where its first bytes tell.
func guessOf(data []byte) string {
	for _, g := range []struct{ start, what string }{
		{"\xff\xd8\xff", "this is a JPEG image"},
		{"\x76\x2f\x31\x01", "this is an OpenEXR image"}, {"#?RADIANCE", "this is a Radiance image"},
		{"%PDF", "this is a PDF"}, {"\x1f\x8b", "this is packed with gzip; unpack it first"},
		{"<?xml", "this is XML; save it as glTF"},
	} {
		if bytes.HasPrefix(data, []byte(g.start)) {
			return "; " + g.what
		}
	}
	return ""
}

// formatOf tells what a file is by its content, and by its name where content does not tell.
func formatOf(name string, data []byte) format {
	ext := strings.ToLower(path.Ext(name))
	switch {
	case IsGLTF(data):
		return formatGLTF
	case bytes.HasPrefix(data, []byte("\x89PNG\r\n")):
		return formatTerrain
	case bytes.HasPrefix(data, []byte("ply\n")), bytes.HasPrefix(data, []byte("ply\r\n")):
		return formatPLY
	case ext == ".mtl":
		return formatMTL
	case isBinarySTL(data), isTextSTL(data):
		return formatSTL
	}
	switch start := bytes.TrimLeft(data[:min(len(data), 4096)], " \t\r\n\ufeff"); {
	case bytes.HasPrefix(start, []byte("{")), bytes.HasPrefix(start, []byte("[")):
		if ext == ".gltf" || ext == ".glb" {
			return formatGLTF // it says what is wrong with it
		}
		return formatLevel
	case ext == ".obj", isOBJ(start):
		return formatOBJ
	case ext == ".json":
		return formatLevel
	}
	return formatUnknown
}

// isBinarySTL tells by the length that the count of triangles asks for.
func isBinarySTL(data []byte) bool {
	const head, each = 84, 50
	if len(data) < head {
		return false
	}
	return int64(len(data)) == head+each*int64(binary.LittleEndian.Uint32(data[80:]))
}

func isTextSTL(data []byte) bool {
	return bytes.HasPrefix(data, []byte("solid")) && bytes.Contains(data[:min(len(data), 2048)], []byte("facet"))
}

// isOBJ tells by the words that begin the first lines.
func isOBJ(start []byte) bool {
	known := 0
	for i, line := range bytes.Split(start, []byte("\n")) {
		word, _, _ := bytes.Cut(bytes.TrimSpace(line), []byte(" "))
		switch string(word) {
		case "v", "vn", "vt", "f", "o", "g", "usemtl", "mtllib", "s":
			known++
		case "":
		default:
			if !bytes.HasPrefix(word, []byte("#")) && i < 20 {
				return false
			}
		}
		if known >= 3 {
			return true
		}
	}
	return false
}

// maxUnitM is the largest unit of a file, metres.
const maxUnitM = 10_000

// frame takes the file's space to the level's: metres, y up, at its place.
func (o Options) frame() mgl64.Mat4 {
	up, forward := axes[cmp.Or(o.Up, "y")], axes[cmp.Or(o.Forward, o.usualForward())]
	right := forward.Cross(up)
	if o.Handed == "left" {
		right = right.Mul(-1)
	}
	return o.Place.matrix().Mul4(mgl64.Mat3FromRows(right, up, forward.Mul(-1)).Mul(o.UnitM).Mat4())
}

var axes = map[string]mgl64.Vec3{"x": {1, 0, 0}, "-x": {-1, 0, 0}, "y": {0, 1, 0}, "-y": {0, -1, 0}, "z": {0, 0, 1}, "-z": {0, 0, -1}}

func (o Options) usualForward() string {
	switch {
	case o.Up == "z" && o.Handed == "left":
		return "-y"
	case o.Up == "z":
		return "y"
	case o.Handed == "left":
		return "z"
	}
	return "-z"
}

func (o Options) checkAxes() error {
	if o.Up != "" && o.Up != "y" && o.Up != "z" {
		return fault("/up", "is %q; allowed is y or z", o.Up)
	}
	if o.Handed != "" && o.Handed != "right" && o.Handed != "left" {
		return fault("/handed", "is %q; allowed is right or left", o.Handed)
	}
	if o.Forward == "" {
		return nil
	}
	if _, known := axes[o.Forward]; !known {
		return fault("/forward", "is %q; allowed is x, -x, y, -y, z or -z", o.Forward)
	}
	return nil
}

// Sizes that a level usually has, in metres; outside of them a word is said about units.
const (
	usualLeastM = 0.5
	usualMostM  = 200
)

// settle sees to it that there is something to look at: a viewpoint from which all is seen, and some
// ambient light where nothing shines. It says how large the level is where that is unusual.
func settle(l *level.Level, unitM float64, unitWasSaid bool, report *Report) {
	bounds := geom.NoBounds()
	w := l.World()
	for _, m := range l.Meshes {
		at := w.Pose(&m.Entity)
		for v := range m.Vertices() {
			bounds.Grow(at.Apply(v))
		}
	}
	if bounds.Empty() {
		report.note("The file has no surfaces.")
		return
	}
	size := bounds.Max.Sub(bounds.Min)
	across := max(size[0], size[1], size[2])
	if !unitWasSaid && (across > usualMostM || across < usualLeastM) {
		report.note("The level is %s across, as the file's numbers were taken as %s. If they are in another unit, say which: %s", metres(across), unitWords(unitM), otherUnits(across/unitM, unitM))
	}
	if len(l.Viewpoints) == 0 {
		middle := bounds.Min.Add(bounds.Max).Mul(0.5)
		from := middle.Add(geom.Vec3{0.55, 0.45, 0.75}.Mul(max(size.Len(), 1)))
		q := geom.LookRotation(middle.Sub(from))
		v := level.Default[level.Viewpoint]()
		v.ID, v.Name = l.FreshID(overviewName), overviewName
		v.Transform.Position, v.Transform.Rotation = level.Vec(from), [4]float64{q.V[0], q.V[1], q.V[2], q.W}
		l.Viewpoints = append(l.Viewpoints, &v)
	}
	if !shines(l) {
		l.Environment.Ambient.Strength = startAmbientLux
		l.Environment.Sky.Kind, l.Environment.Sky.Color, l.Environment.Sky.Luminance = level.SkyOvercast, "#b8c4d0", startSkyNits
		report.note("Nothing in the file shines, so an overcast sky of %d nt and an ambient light of %d lx were added.", startSkyNits, startAmbientLux)
	}
}

// overviewName is what the viewpoint is called that a file without one gets.
const overviewName = "Overview"

// Light of a level that has none of its own, which shows it at the exposure that levels begin with.
const (
	startAmbientLux = 15 // so that closed rooms are not black
	startSkyNits    = 100
)

func shines(l *level.Level) bool {
	if len(l.Lights) > 0 || l.Environment.Sun != nil {
		return true
	}
	for _, m := range l.Materials {
		if m.Emission > 0 {
			return true
		}
	}
	return false
}

// usualUnits are those that files are usually in.
var usualUnits = []struct {
	short, many string
	m           float64
}{{"m", "metres", 1}, {"cm", "centimetres", 0.01}, {"mm", "millimetres", 0.001}, {"in", "inches", 0.0254}}

// unitWords names a unit of so many metres.
func unitWords(unitM float64) string {
	for _, u := range usualUnits {
		if u.m == unitM {
			return u.many
		}
	}
	return fmt.Sprintf("units of %g m", unitM)
}

// otherUnits says how large a level of so many units of the file would be in others.
func otherUnits(units, takenM float64) string {
	var list []string
	for _, u := range usualUnits {
		if u.m != takenM {
			list = append(list, fmt.Sprintf("%s makes it %s", u.short, metres(units*u.m)))
		}
	}
	return strings.Join(list, ", ") + "."
}

func metres(m float64) string {
	if m >= 10 {
		return fmt.Sprintf("%.0f m", m)
	}
	return fmt.Sprintf("%.3g m", m)
}
