package exchange

import (
	"math"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// This file takes back what an export left in extras. Where another program has changed the light
// that stands in since, what it changed holds.

// takeBack reads a light, or a disc of the sky, from a node's extras; false where there is none.
func (in *importer) takeBack(n *gltf.Node, world mgl64.Mat4, path string) (bool, error) {
	if marksIn(n.Extras) == nil {
		return false, nil
	}
	stands := in.punctual(n)
	if tree := markedTree(n.Extras, "light"); tree != nil {
		l := level.NewLight("", level.Point)
		if !decodeTree(tree, l) {
			in.report.leave("%s/extras: a light that cannot be read", path)
			return false, nil
		}
		l.ID = in.idOf(n.Extras, n.Name, "light")
		l.Name = clip(n.Name)
		if l.Name == l.ID {
			l.Name = ""
		}
		l.Zone, l.Rig, l.Parent = "", "", ""
		in.takeGobo(l, path)
		in.takeProfile(l, path)
		if stands != nil && l.Follows == "none" {
			adopt(l, stands)
			if l.RangeM > 0 {
				l.RangeM *= scaleOf(world)
			}
		}
		return true, in.place(l, world, path)
	}
	for name, into := range map[string]**level.Sun{"sun": &in.level.Environment.Sun, "moon": &in.level.Environment.Moon} {
		if tree := markedTree(n.Extras, name); tree != nil && *into == nil {
			s := level.Default[level.Sun]()
			if decodeTree(tree, &s) {
				adoptDisc(&s, stands, world)
				*into = &s
				return true, nil
			}
		}
	}
	return false, nil
}

// takeGobo gives a light the image of its gobo, which an export has left among the file's.
func (in *importer) takeGobo(l *level.Light, path string) {
	if l.Gobo == nil {
		return
	}
	for i, image := range in.doc.Images {
		if marked(image.Extras, "id") == l.Gobo.Image {
			if id := in.imageOf(i, "it is no gobo"); id != "" {
				l.Gobo.Image = id
				return
			}
		}
	}
	in.report.leave("%s: the gobo of its light, whose image the file has no longer", path)
	l.Gobo = nil
}

// takeProfile gives a light its profile, which an export has left beside the scene.
func (in *importer) takeProfile(l *level.Light, path string) {
	if l.Profile == "" {
		return
	}
	if id, known := in.profileID[l.Profile]; known {
		l.Profile = id
		return
	}
	list, _ := marksIn(in.doc.Extras)["profiles"].([]any)
	for _, v := range list {
		tree, _ := v.(map[string]any)
		var p level.LightProfile
		if tree["id"] == l.Profile && decodeTree(tree, &p) && p.Read() == nil {
			p.ID = in.ids.Keep(p.ID)
			in.level.Profiles = append(in.level.Profiles, &p)
			in.profileID[l.Profile] = p.ID
			l.Profile = p.ID
			return
		}
	}
	in.report.leave("%s: the profile of its light, which the file has no longer", path)
	l.Profile = ""
}

// isMarked tells whether an export left a word in extras.
func isMarked(extras any, word string) bool {
	is, _ := marksIn(extras)[word].(bool)
	return is
}

// takeRole gives a mesh what an export left of it: its density, what it is there for, tags and note.
func takeRole(n *gltf.Node, m *level.Mesh) {
	tree := markedTree(n.Extras, "surface")
	if tree == nil {
		return
	}
	r := role{Surface: level.Default[level.Surface]()}
	if !decodeTree(tree, &r) {
		return // another program's, or damaged: the mesh is as any other
	}
	r.Surface.Material = m.Surface.Material
	m.Tags, m.Note, m.Surface, m.Carrier = r.Tags, r.Note, r.Surface, r.Carrier
}

// punctual is the light of glTF that a node has, or nil.
func (in *importer) punctual(n *gltf.Node) *lightspunctual.Light {
	ref, ok := n.Extensions[lightspunctual.ExtensionName].(lightspunctual.LightIndex)
	lights, _ := in.doc.Extensions[lightspunctual.ExtensionName].(lightspunctual.Lights)
	if !ok || int(ref) < 0 || int(ref) >= len(lights) {
		return nil
	}
	return lights[ref]
}

func decodeTree(tree map[string]any, into any) bool {
	text, err := level.Encode(tree)
	return err == nil && level.DecodeKnown(text, into) == nil
}

// changed tells whether a number is another than what was written, beyond rounding.
func changed(is, was float64) bool {
	return math.Abs(is-was) > 1e-4*max(math.Abs(is), math.Abs(was), 1e-9)
}

// adoptDisc takes over what another program changed of the light that stands in for the sun or moon:
// where it comes from, how strong it is and its colour. One that was turned stands by its angles then,
// no longer by place and time.
func adoptDisc(s *level.Sun, now *lightspunctual.Light, world mgl64.Mat4) {
	if q, ok := turnOf(world); ok {
		if toward := q.Rotate(geom.Vec3{0, 0, 1}); toward.Sub(s.Toward()).Len() > 1e-4 {
			s.Place = nil
			s.AltitudeDeg = math.Asin(min(max(toward[1], -1), 1)) * 180 / math.Pi
			s.AzimuthDeg = math.Atan2(toward[0], -toward[2])*180/math.Pi - s.NorthDeg
			s.AzimuthDeg -= 360 * math.Floor(s.AzimuthDeg/360)
		}
	}
	if now == nil {
		return
	}
	was, before := channels(s.Hue(), false)
	if i := now.IntensityOrDefault(); changed(i, s.Lux*before) {
		s.Lux = i / before
	}
	if is := now.ColorOrDefault(); otherColor(is, *was) {
		s.Color, s.Kelvin = color.Linear(is).Exact(), 0
	}
}

func otherColor(is, was [3]float64) bool {
	return changed(is[0]+1, was[0]+1) || changed(is[1]+1, was[1]+1) || changed(is[2]+1, was[2]+1)
}

// adopt takes over what another program changed of the light that stands in for one.
func adopt(l *level.Light, now *lightspunctual.Light) {
	was := standIn(level.New(""), l)
	if i, before := now.IntensityOrDefault(), was.IntensityOrDefault(); changed(i, before) && before > 0 {
		l.Strength *= i / before
	} else if before == 0 && i > 0 {
		l.Strength = i
	}
	if is := now.ColorOrDefault(); otherColor(is, was.ColorOrDefault()) {
		l.Color, l.Kelvin = color.Linear(is).Exact(), 0
	}
	if now.Range != nil && changed(*now.Range, l.RangeM) && !math.IsInf(*now.Range, 0) {
		l.RangeM = *now.Range
	}
	if l.Kind == level.Spot && now.Spot != nil && was.Spot != nil && changed(now.Spot.OuterConeAngleOrDefault(), was.Spot.OuterConeAngleOrDefault()) {
		l.OuterDeg = min(now.Spot.OuterConeAngleOrDefault()*180/math.Pi, 89.9)
		l.InnerDeg = min(now.Spot.InnerConeAngle*180/math.Pi, l.OuterDeg)
	}
}
