// Package change says what a change of a level does to its baked light: which layers have
// to be baked and why, and which stay although things changed.
package change

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"grotta/core/bake"
	"grotta/core/scene"
	"grotta/core/source"
)

// Stale is a source whose layer has to be baked, and why.
type Stale struct {
	ID   string
	Name string
	Why  []string
}

// Kept is a source whose layer stays, though things changed that it might light.
type Kept struct {
	ID    string
	Name  string
	Share float64 // the most of its light where things changed, as a share of its brightest texel
}

// Explain says why each source of a level needs a bake, by what changed since an
// earlier bake of it; was is nil where there was none. have tells which layers
// there are.
func Explain(was, now *bake.Prepared, q bake.Quality, have func(key string) bool) []Stale {
	stale := []Stale{}
	var shared []string
	if was != nil && was.Geometry() != now.Geometry() {
		shared = geometryChanges(was, now)
	}
	if was != nil {
		shared = append(shared, settingChanges(was, now)...)
	}
	for i := range now.Sources {
		s := &now.Sources[i]
		if have(now.Key(s, q)) {
			continue
		}
		line := Stale{ID: s.ID, Name: s.Name}
		switch before := was.Source(s.ID); {
		case was == nil:
			line.Why = []string{"never baked"}
		case before == nil:
			line.Why = []string{"new since the last bake"}
		default:
			line.Why = append(source.Changes(before, s), shared...)
			if len(line.Why) == 0 {
				line.Why = []string{fmt.Sprintf("not baked at %s quality yet", q)}
			}
		}
		stale = append(stale, line)
	}
	return stale
}

func settingChanges(was, now *bake.Prepared) []string {
	a, b := &was.Scene.Level.Lightmap, &now.Scene.Level.Lightmap
	var why []string
	if a.Bounces != b.Bounces {
		why = append(why, "bounces were switched")
	}
	if a.Denoise != b.Denoise {
		why = append(why, "smoothing was switched")
	}
	if a.Backs != b.Backs {
		why = append(why, "backs of surfaces stop light otherwise")
	}
	return why
}

// change is what became of an entity.
type change struct{ entity, what string }

// changesOf lists the entities that changed what light can do, by id.
func changesOf(was, now *bake.Prepared) []change {
	before, after := byEntity(was.Scene.Digests()), byEntity(now.Scene.Digests())
	var all []change
	for _, id := range slices.Sorted(maps.Keys(after)) {
		a, had := before[id]
		b := after[id]
		switch {
		case !had:
			all = append(all, change{id, "added"})
		case a.Place != b.Place:
			all = append(all, change{id, "moved or reshaped"})
		case a.Roles != b.Roles:
			all = append(all, change{id, "given other roles"})
		case a.Finish != b.Finish:
			all = append(all, change{id, "given another material"})
		case a.Density != b.Density:
			all = append(all, change{id, "given another density"})
		}
	}
	for _, id := range slices.Sorted(maps.Keys(before)) {
		if _, has := after[id]; !has {
			all = append(all, change{id, "taken away"})
		}
	}
	return all
}

func byEntity(digests []scene.Digest) map[string]scene.Digest {
	by := map[string]scene.Digest{}
	for _, d := range digests {
		by[d.Entity] = d
	}
	return by
}

// geometryChanges says what changed in what light can do.
func geometryChanges(was, now *bake.Prepared) []string {
	by := map[string][]string{}
	for _, c := range changesOf(was, now) {
		by[c.what] = append(by[c.what], c.entity)
	}
	var why []string
	for _, what := range slices.Sorted(maps.Keys(by)) {
		ids := by[what]
		if len(ids) > 4 {
			ids = append(slices.Clone(ids[:3]), fmt.Sprintf("%d more", len(ids)-3))
		}
		why = append(why, strings.Join(ids, ", ")+" "+what)
	}
	if len(why) == 0 {
		why = []string{"the lightmap is laid out otherwise"}
	}
	return why
}
