package exchange

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"math"
	"path"
	"reflect"
	"slices"
	"strings"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// This file takes a file into a level again that has changed since it was brought in: geometry is
// replaced in place, and what the level says beside it stays.

// sourceTag is the tag of what came from a file.
func sourceTag(file string) string { return clip("from " + path.Base(file)) }

// tagSource marks the meshes of a level with the file that they come from.
func tagSource(l *level.Level, file string) {
	if file == "" {
		return
	}
	for _, m := range l.Meshes {
		m.Tags = append(m.Tags, sourceTag(file))
	}
}

// rememberImport notes in a level how a file was read.
func rememberImport(l *level.Level, file string, o Options) {
	if file == "" {
		return
	}
	name := clip(path.Base(file))
	place := cmp.Or(o.Place, &Place{})
	l.Imports = append(l.Imports, &level.Import{ID: l.FreshID(name), File: name, UnitM: o.UnitM, Up: o.Up, Forward: o.Forward, Handed: o.Handed, Scene: o.Scene, At: place.At, TurnDeg: place.TurnDeg, TerrainM: o.TerrainM, HeightM: o.HeightM, Cells: o.Cells,
		Rules: o.RulesName, Platform: o.PlatformName})
}

// AsBefore fills in what is not said of how a file is to be read, as the level remembers it.
func (o Options) AsBefore(l *level.Level, file string) Options {
	if was := importOf(l, file); was != nil {
		if o.UnitM == 0 && o.Scale == 0 {
			o.UnitM = was.UnitM
		}
		o.Up, o.Forward, o.Handed, o.Scene = cmp.Or(o.Up, was.Up), cmp.Or(o.Forward, was.Forward), cmp.Or(o.Handed, was.Handed), cmp.Or(o.Scene, was.Scene)
		if o.Place == nil {
			o.Place = &Place{was.At, was.TurnDeg}
		}
		o.TerrainM, o.HeightM, o.Cells = cmp.Or(o.TerrainM, was.TerrainM), cmp.Or(o.HeightM, was.HeightM), cmp.Or(o.Cells, was.Cells)
		o.RulesName, o.PlatformName = cmp.Or(o.RulesName, was.Rules), cmp.Or(o.PlatformName, was.Platform)
	}
	return o
}

// importOf is how a file of a name was read before; nil where none was.
func importOf(l *level.Level, file string) *level.Import {
	name := clip(path.Base(file))
	for _, v := range l.Imports {
		if v.File == name {
			return v
		}
	}
	return nil
}

// rememberSteps note how a file was read this time, where that is new.
func rememberSteps(l, file *level.Level, name string, ids *level.IDs) []level.Operation {
	now := importOf(file, name)
	if now == nil {
		return nil
	}
	was := importOf(l, name)
	if was == nil {
		next := *now
		next.ID = ids.Keep(now.ID)
		return []level.Operation{level.Add("imports", &next)}
	}
	same := *now
	if same.ID, same.Extra = was.ID, was.Extra; reflect.DeepEqual(same, *was) {
		return nil
	}
	return []level.Operation{level.Set(was.ID, map[string]any{
		"unit_m": now.UnitM, "up": now.Up, "forward": now.Forward, "handed": now.Handed, "scene": now.Scene, "at": now.At, "turn_deg": now.TurnDeg, "terrain_m": now.TerrainM, "height_m": now.HeightM, "cells": now.Cells,
		"rules": now.Rules, "platform": now.Platform,
	})}
}

// CameFrom tells whether any of a level came from a file of this name.
func CameFrom(l *level.Level, file string) bool {
	tag := sourceTag(file)
	return slices.ContainsFunc(l.Meshes, func(m *level.Mesh) bool { return slices.Contains(m.Tags, tag) })
}

// Merged says what taking a file in again changes.
type Merged struct {
	Added    []string // names of parts that are new
	Changed  []string // that have another shape or place
	Removed  []string // that the file has no longer
	Same     int      // parts that are as they were
	Floating []string // names of lights that a surface was beside, and is no longer
	Buried   []string // that are within a block now
	Left     []string // what the file has and the level does not take
}

// Into is the operation that takes a file into a level again. Parts that came from a file of
// this name before are matched by name, and among those of one name by shape and place. Their ids,
// materials, densities and zones stay; lights of the level stay where they are. An operation without
// steps changes nothing.
func Into(ctx context.Context, l, file *level.Level, name string) (level.Operation, *Merged, error) {
	op := level.Batch("Bring in " + path.Base(name) + " again")
	out := &Merged{Added: []string{}, Changed: []string{}, Removed: []string{}, Floating: []string{}, Buried: []string{}}
	tag := sourceTag(name)
	inLevel, inFile := l.World(), file.World()
	before := map[string]*namesakes{} // by name
	for _, m := range l.Meshes {
		if slices.Contains(m.Tags, tag) {
			if before[titleOf(m)] == nil {
				before[titleOf(m)] = &namesakes{at: map[level.Vec][]int{}}
			}
			before[titleOf(m)].add(m, inLevel.Pose(&m.Entity).Position)
		}
	}
	t := &taker{level: l, file: file, ids: l.NewIDs(), op: &op, materials: map[string]string{}, known: map[string]string{}}
	isNew := importOf(l, name) == nil && !CameFrom(l, name)
	// What hangs on what is the level's to say: the file only says where a mesh is.
	now, matched := make([]level.Mesh, len(file.Meshes)), make([]*level.Mesh, len(file.Meshes))
	for i, m := range file.Meshes {
		now[i] = *m
		now[i].Entity = standing(inFile, &m.Entity)
		if was := before[titleOf(m)].takeNearest(&now[i]); was != nil {
			matched[i], t.known[m.ID] = was, was.ID
		}
	}
	for i, own := range file.Meshes {
		m, was, title := &now[i], matched[i], titleOf(own)
		switch {
		case was == nil || was.Parent == "":
		case t.known[own.Parent] == was.Parent:
			m.Transform = own.Transform // on the same carrier
		default:
			m.Transform = transformOf(inLevel.CarrierPose(&was.Entity).Seen(inFile.Pose(&own.Entity)))
		}
		switch {
		case was == nil:
			if err := t.add(m, tag); err != nil {
				return op, nil, err
			}
			out.Added = append(out.Added, title)
		case sameShape(was, m):
			out.Same++
		default:
			op.Steps = append(op.Steps, t.reshape(was.ID, m))
			out.Changed = append(out.Changed, title)
		}
	}
	for _, title := range slices.Sorted(maps.Keys(before)) {
		for _, m := range before[title].list {
			if m.mesh != nil {
				op.Steps = append(op.Steps, level.Remove(m.mesh.ID))
				out.Removed = append(out.Removed, title)
			}
		}
	}
	if isNew {
		for name, disc := range map[string]*level.Sun{"sun": file.Environment.Sun, "moon": file.Environment.Moon} {
			if disc != nil {
				out.Left = append(out.Left, "the file's "+name+", as the level says how its sky is")
			}
		}
		slices.Sort(out.Left)
		out.Added = append(out.Added, t.addRest()...)
	}
	if len(op.Steps) == 0 {
		return op, out, nil
	}
	t.dropGeometries()
	op.Steps = append(op.Steps, rememberSteps(l, file, name, t.ids)...)
	op, err := asTree(op)
	if err != nil {
		return op, nil, err
	}
	next, _, err := l.ApplyContext(ctx, op)
	if err != nil {
		return op, nil, err
	}
	out.Floating, out.Buried = strayed(l, next)
	return op, out, ctx.Err()
}

func titleOf(m *level.Mesh) string { return cmp.Or(m.Name, m.ID) }

// orNil is a value, or nil in place of one that is left out.
func orNil[T any](value T) any {
	if v := reflect.ValueOf(value); v.IsZero() || v.Kind() == reflect.Slice && v.Len() == 0 {
		return nil
	}
	return value
}

// transformOf is a pose as an entity has it.
func transformOf(p geom.Pose) level.Transform {
	q := p.Rotation
	return level.Transform{Position: level.Vec(p.Position), Rotation: [4]float64{q.V[0], q.V[1], q.V[2], q.W}}
}

// asTree is an operation as it would come over the wire.
func asTree(op level.Operation) (level.Operation, error) {
	text, err := level.Encode(op)
	if err != nil {
		return op, err
	}
	var out level.Operation
	err = level.Decode(text, &out)
	return out, err
}

// sameShape tells whether two meshes on one carrier are alike in shape and place, whether the scale and rotation are
// in the vertices or beside them.
func sameShape(a, b *level.Mesh) bool {
	near := func(x, y float64) bool { return math.Abs(x-y) < 1e-6 }
	if !slices.Equal(a.Indices, b.Indices) || len(a.Positions) != len(b.Positions) || len(a.Normals) != len(b.Normals) || !slices.EqualFunc(a.UVs, b.UVs, near) {
		return false
	}
	inA, inB := carrierOf(&a.Entity).pose, carrierOf(&b.Entity).pose
	for i := range uint32(a.CountVertices()) {
		if inA.Apply(a.Vertex(i)).Sub(inB.Apply(b.Vertex(i))).Len() > 1e-5 {
			return false
		}
		if len(a.Normals) > 0 && inA.Rotation.Rotate(a.Normal(i)).Normalize().Dot(inB.Rotation.Rotate(b.Normal(i)).Normalize()) < 1-1e-6 {
			return false
		}
	}
	return true
}

// namesakes are the meshes of one name, by their places in the level's space.
type namesakes struct {
	list []standingMesh
	at   map[level.Vec][]int // of the list, by place
}

// standingMesh is a mesh and where it stands; none once it is taken.
type standingMesh struct {
	mesh  *level.Mesh
	place geom.Vec3
}

// spot is a place rounded, so that it is found again.
func spot(p geom.Vec3) (v level.Vec) {
	const grid = 1e3 // a millimetre
	for axis := range v {
		v[axis] = math.Round(p[axis] * grid)
	}
	return v
}

func (n *namesakes) add(m *level.Mesh, place geom.Vec3) {
	n.at[spot(place)] = append(n.at[spot(place)], len(n.list))
	n.list = append(n.list, standingMesh{m, place})
}

// takeNearest takes the mesh out that is most like another, which stands in the level's space: of the same number of
// triangles, then by place. The one that stands there is found at once, so that a file of many that are as they were
// takes no longer for each.
func (n *namesakes) takeNearest(like *level.Mesh) *level.Mesh {
	if n == nil {
		return nil
	}
	place := geom.Vec3(like.Transform.Position)
	best, least := -1, math.Inf(1)
	look := func(i int) {
		m := &n.list[i]
		if m.mesh == nil {
			return
		}
		away := m.place.Sub(place).Len()
		if len(m.mesh.Indices) != len(like.Indices) {
			away += 1e6
		}
		if away < least {
			best, least = i, away
		}
	}
	for _, i := range n.at[spot(place)] {
		look(i)
	}
	if best < 0 || least >= 1e6 {
		for i := range n.list {
			look(i)
		}
	}
	if best < 0 {
		return nil
	}
	found := n.list[best].mesh
	n.list[best].mesh = nil
	return found
}

// taker adds parts of a file, with the materials and images that they need.
type taker struct {
	level, file *level.Level
	ids         *level.IDs
	op          *level.Operation
	materials   map[string]string // of the file, to those of the level
	known       map[string]string // ids of other things of the file, to those of the level
}

func (t *taker) add(m *level.Mesh, tag string) error {
	next := *m
	next.ID = t.ids.Keep(m.ID)
	if next.ID != m.ID {
		next.Name = titleOf(m) // by which it is found when the file comes again
	}
	t.known[m.ID] = next.ID
	if !slices.Contains(next.Tags, tag) {
		next.Tags = append(slices.Clone(next.Tags), tag)
	}
	next.Surface.Material = t.material(m.Surface.Material)
	next.Geometry = t.geometry(m.Geometry)
	t.op.Steps = append(t.op.Steps, level.Add("meshes", &next))
	for _, light := range t.file.Lights { // of a rule for fixtures, or below it in the file
		if light.Parent == m.ID {
			t.addLight(light)
		}
	}
	if len(t.level.Meshes)+len(t.op.Steps) > level.MaxEntities {
		return fault("", "brings the level to more than %d meshes", level.MaxEntities)
	}
	return nil
}

// addLight adds a light of the file, where it has not come with what it hangs on.
func (t *taker) addLight(light *level.Light) {
	next := *light
	next.ID, next.Parent = t.ids.Keep(light.ID), t.known[light.Parent]
	t.known[light.ID] = next.ID
	if light.Profile != "" {
		next.Profile = t.profile(light.Profile)
	}
	if light.Gobo != nil {
		gobo := *light.Gobo
		gobo.Image = t.image(gobo.Image)
		next.Gobo = &gobo
	}
	t.op.Steps = append(t.op.Steps, level.Add("lights", &next))
}

// addRest adds what a file that is new in the level has beside its meshes: lights and viewpoints. Their names are
// returned.
func (t *taker) addRest() (names []string) {
	w := t.file.World()
	for _, light := range t.file.Lights {
		if t.known[light.ID] != "" {
			continue
		}
		free := *light
		free.Entity = standing(w, &light.Entity)
		t.addLight(&free)
		names = append(names, cmp.Or(light.Name, light.ID))
	}
	for _, v := range t.file.Viewpoints {
		if len(t.file.Viewpoints) == 1 && v.Name == overviewName {
			continue // it was made for a level of the file alone
		}
		free := *v
		free.Entity = standing(w, &v.Entity)
		free.ID = t.ids.Keep(v.ID)
		t.op.Steps = append(t.op.Steps, level.Add("viewpoints", &free))
		names = append(names, cmp.Or(v.Name, v.ID))
	}
	return names
}

// standing is an entity that hangs on nothing, where it is.
func standing(w *level.World, e *level.Entity) level.Entity {
	free, pose := *e, w.Pose(e)
	free.Parent, free.Transform = "", transformOf(pose)
	return free
}

// profile is a profile of the file in the level, added.
func (t *taker) profile(id string) string {
	if known := t.known[id]; known != "" {
		return known
	}
	next := *level.ByID[level.LightProfile](t.file, id)
	next.ID = t.ids.Keep(id)
	t.known[id] = next.ID
	t.op.Steps = append(t.op.Steps, level.Add("profiles", &next))
	return next.ID
}

// reshape is the step that gives a mesh of the level the triangles and the place of one of the file.
func (t *taker) reshape(id string, m *level.Mesh) level.Operation {
	fields := map[string]any{
		"geometry": orNil(t.geometry(m.Geometry)), "scale": orNil(m.Scale), "positions": nil, "indices": nil, "uvs": nil, "normals": nil,
		"transform.position": m.Transform.Position, "transform.rotation": m.Transform.Rotation,
	}
	if m.Geometry == "" {
		fields["positions"], fields["indices"], fields["uvs"], fields["normals"] = m.Positions, m.Indices, orNil(m.UVs), orNil(m.Normals)
	}
	return level.Set(id, fields)
}

// geometry is the level's geometry with the triangles that one of the file has, or that one, added.
func (t *taker) geometry(id string) string {
	if known := t.known[id]; known != "" || id == "" {
		return known
	}
	src := t.file.Geometry(id)
	for _, g := range t.level.Geometries {
		if slices.Equal(g.Indices, src.Indices) && slices.Equal(g.Positions, src.Positions) && slices.Equal(g.UVs, src.UVs) && slices.Equal(g.Normals, src.Normals) {
			t.known[id] = g.ID
			return g.ID
		}
	}
	next := *src
	next.ID = t.ids.Keep(id)
	t.known[id] = next.ID
	t.op.Steps = append(t.op.Steps, level.Add("geometries", &next))
	return next.ID
}

// dropGeometries removes the geometries of the level that no mesh shows after the steps.
func (t *taker) dropGeometries() {
	shows := map[string]string{} // geometry, by mesh
	used := map[string]bool{}
	for _, m := range t.level.Meshes {
		shows[m.ID], used[m.Geometry] = m.Geometry, true
	}
	for _, step := range t.op.Steps {
		id, to := step.ID, step.Fields["geometry"]
		_, sets := step.Fields["geometry"]
		switch {
		case step.Op == level.OpAdd && step.Part == "meshes":
			id, to = fmt.Sprint(step.Entity["id"]), step.Entity["geometry"]
		case step.Op != level.OpRemove && !sets:
			continue
		}
		shows[id], _ = to.(string)
	}
	still := map[string]bool{}
	for _, geometry := range shows {
		still[geometry] = true
	}
	for _, g := range t.level.Geometries {
		if used[g.ID] && !still[g.ID] {
			t.op.Steps = append(t.op.Steps, level.Remove(g.ID))
		}
	}
}

// image is an image of the file in the level, added.
func (t *taker) image(id string) string {
	if known := t.known[id]; known != "" {
		return known
	}
	next := *t.file.Image(id)
	next.ID = t.ids.Keep(id)
	t.known[id] = next.ID
	t.op.Steps = append(t.op.Steps, level.Add("images", &next))
	return next.ID
}

// material is the level's material of the name that one of the file has, or that one, added.
func (t *taker) material(id string) string {
	if id == "" {
		return ""
	}
	if known, ok := t.materials[id]; ok {
		return known
	}
	src := level.ByID[level.Material](t.file, id)
	for _, m := range t.level.Materials {
		if cmp.Or(m.Name, m.ID) == cmp.Or(src.Name, src.ID) {
			t.materials[id] = m.ID
			return m.ID
		}
	}
	next := *src
	next.ID = t.ids.Keep(src.ID)
	if src.Image != "" {
		next.Image = t.image(src.Image)
	}
	t.op.Steps = append(t.op.Steps, level.Add("materials", &next))
	t.materials[id] = next.ID
	return next.ID
}

// besideM is how near a surface is that a light hangs on or stands before.
const besideM = 0.6

// strayed are the lights that have lost the surface beside them, and those that are within a block.
func strayed(was, is *level.Level) (floating, buried []string) {
	before, after := scene.Build(was), scene.Build(is)
	floating, buried = []string{}, []string{}
	for _, light := range is.Lights {
		if light.Kind == level.Directional || !light.Enabled {
			continue
		}
		at := is.World().Pose(&light.Entity).Position
		name := cmp.Or(light.Name, light.ID)
		if beside(before, at) && !beside(after, at) {
			floating = append(floating, name)
		}
		if after.Inside(at) != "" && before.Inside(at) == "" {
			buried = append(buried, name)
		}
	}
	return floating, buried
}

// beside tells whether there is a surface near a point, along the axes and the diagonals.
func beside(s *scene.Scene, at geom.Vec3) bool {
	for n := range 27 {
		d := geom.Vec3{float64(n%3 - 1), float64(n/3%3 - 1), float64(n/9 - 1)}
		if d.Len() == 0 {
			continue
		}
		if _, ok := s.See(at, d.Normalize(), besideM); ok {
			return true
		}
	}
	return false
}

// Words is a line for each kind of change.
func (m *Merged) Words() []string {
	var out []string
	say := func(what string, names []string) {
		if len(names) > 0 {
			list := names[:min(len(names), 8)]
			more := ""
			if len(names) > len(list) {
				more = fmt.Sprintf(" and %d more", len(names)-len(list))
			}
			out = append(out, fmt.Sprintf("%d %s: %s%s", len(names), what, strings.Join(list, ", "), more))
		}
	}
	say("added", m.Added)
	say("changed", m.Changed)
	say("removed", m.Removed)
	say("lights with nothing beside them now", m.Floating)
	say("lights within a block now", m.Buried)
	for _, left := range m.Left {
		out = append(out, "left out: "+left)
	}
	return append(out, fmt.Sprintf("%d as before", m.Same))
}
