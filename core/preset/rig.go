package preset

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/merge"
)

// This file places rigs.

// placed is a rig with its members as they stand in a level: renamed, and moved to its place.
func (p *Preset) placed(t *Taking) *level.Level {
	stand, rig := t.pose(), *p.Rig
	rig.ID = t.Names[rig.ID]
	own := level.New("")
	own.Rigs = []*level.Rig{&rig}
	carry(own, p.Parts, func(e level.Entity) (level.Entity, bool) {
		e.ID, e.Rig = t.Names[e.ID], rig.ID
		if e.Parent != "" {
			e.Parent = t.Names[e.Parent]
			return e, true
		}
		pose := stand.Carry(poseOf(e.Transform.Position, e.Transform.Rotation))
		q := pose.Rotation
		e.Transform = level.Transform{Position: level.Vec(pose.Position), Rotation: [4]float64{q.V[0], q.V[1], q.V[2], q.W}}
		return e, true
	})
	rename(own, t.Names)
	return own
}

// rename lets copies of parts mention each other, materials, images and profiles by their names in
// the level.
func rename(own *level.Level, names map[string]string) {
	renameShown(own, names)
	for _, s := range own.Solids {
		s.Surface.Material = names[s.Surface.Material]
		s.Faces = slices.Clone(s.Faces)
		for i := range s.Faces {
			s.Faces[i].Material = names[s.Faces[i].Material]
		}
	}
	for _, m := range own.Meshes {
		m.Surface.Material = names[m.Surface.Material]
	}
	renamed := func(id string) string { return cmp.Or(names[id], id) } // "sky" stays
	for _, g := range own.Glows {
		g.ColorFrom = renamed(g.ColorFrom)
	}
	for _, v := range own.FogVolumes {
		v.ColorFrom = renamed(v.ColorFrom)
	}
	for _, b := range own.Beams {
		b.Light = renamed(b.Light)
	}
	for _, m := range own.Motes {
		m.ColorFrom = renamed(m.ColorFrom)
	}
}

// addParts are the steps that add a placed rig to a level.
func addParts(own *level.Level) []level.Operation {
	steps := []level.Operation{level.Add("rigs", own.Rigs[0])}
	steps = addAll(steps, "solids", own.Solids)
	steps = addAll(steps, "meshes", own.Meshes)
	steps = addAll(steps, "lights", own.Lights)
	steps = addAll(steps, "glows", own.Glows)
	steps = addAll(steps, "fog_volumes", own.FogVolumes)
	steps = addAll(steps, "beams", own.Beams)
	return addAll(steps, "motes", own.Motes)
}

func addAll[T any](steps []level.Operation, part string, list []*T) []level.Operation {
	for _, v := range list {
		steps = append(steps, level.Add(part, v))
	}
	return steps
}

// rigState is the rig with its members as a state to merge. Materials are those that were taken.
func (p *Preset) rigState(t *Taking) (merge.State, error) {
	own := p.placed(t)
	for _, m := range p.Parts.Materials {
		c := *m
		c.ID, c.Image = t.Names[m.ID], t.Names[m.Image]
		own.Materials = append(own.Materials, &c)
	}
	state, err := merge.Of(own)
	delete(state, merge.Key{})
	for key, tree := range state {
		if key.Part == "rigs" {
			delete(tree, "preset")
		}
	}
	return state, err
}

// offSurfaceM is how far a rig's body stands off a surface that it is set against,
// so that faces do not fight; and bareM how far its lamps do at least.
const (
	offSurfaceM = 0.002
	bareM       = 0.03
)

// stand is where a rig's own axes go. Against a wall it turns so that its front,
// -Z, faces as the wall does; and it moves along the surface's normal until
// nothing of its body is behind the surface.
func (p *Preset) stand(spot Spot) (geom.Pose, error) {
	pose := geom.Identity()
	pose.Position = geom.Vec3(spot.At)
	if spot.Normal == nil {
		return pose, nil
	}
	n := geom.Vec3(*spot.Normal)
	if n.Len() < 1e-9 {
		return pose, fault("/normal", "has no length; the way that the surface faces is needed, such as 0,1,0")
	}
	n = n.Normalize()
	if math.Abs(n[1]) < 0.7 {
		pose.Rotation = geom.LookRotation(geom.Vec3{n[0], 0, n[2]})
	}
	lowest := math.Inf(1)
	world := p.Parts.World()
	for _, s := range p.Parts.Solids {
		own := pose.Carry(world.Pose(&s.Entity))
		for _, face := range s.FacePolygons() {
			for _, v := range face {
				lowest = min(lowest, own.Apply(v).Sub(pose.Position).Dot(n))
			}
		}
	}
	for _, m := range p.Parts.Meshes {
		own := pose.Carry(world.Pose(&m.Entity))
		for v := range m.Vertices() {
			lowest = min(lowest, own.Apply(v).Sub(pose.Position).Dot(n))
		}
	}
	for _, l := range p.Parts.Lights {
		if l.Kind != level.BoxLight { // an opening lies in its surface
			lowest = min(lowest, pose.Carry(world.Pose(&l.Entity)).Position.Sub(pose.Position).Dot(n)-l.RadiusM-bareM)
		}
	}
	if math.IsInf(lowest, 1) {
		lowest = 0
	}
	pose.Position = pose.Position.Add(n.Mul(offSurfaceM - lowest))
	return pose, nil
}

// freshNames gives every member of the rig that a taking has no name for one that the level
// does not have.
func (p *Preset) freshNames(t *Taking, b *bringer) {
	if t.Names[p.Rig.ID] == "" {
		t.Names[p.Rig.ID] = b.ids.Fresh(p.Rig.ID)
	}
	for _, e := range p.Parts.Placed() {
		if t.Names[e.ID] != "" {
			continue
		}
		// "lantern-1-post" of rig "lantern-1" becomes "lantern-2-post" of "lantern-2".
		id := e.ID
		if rest, ok := strings.CutPrefix(id, p.Rig.ID+"-"); ok {
			id = fmt.Sprintf("%s-%s", t.Names[p.Rig.ID], rest)
		}
		t.Names[e.ID] = b.ids.Fresh(id)
	}
}
