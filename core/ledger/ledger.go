// Package ledger answers for one point: which source gives it how much light, direct and
// by bounces, and what stands in the way. It computes by rays from the point itself, not
// from the lightmap, so that each can be held against the other.
package ledger

import (
	"cmp"
	"math"
	"slices"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
	"grotta/core/source"
)

// Irradiance is light on a surface in lux: linear Rec. 709 and its luminance.
type Irradiance struct {
	R         float64
	G         float64
	B         float64
	Luminance float64
}

func lightOf(c color.Linear) Irradiance { return Irradiance{c[0], c[1], c[2], c.Luminance()} }

// Ledger says what light reaches a point, and from whom.
type Ledger struct {
	Point   level.Vec      // metres
	Normal  level.Vec      // unit
	Surface string         // entity whose surface the point lies on, if any
	Inside  string         // entity that the point is inside of, if any
	Total   Irradiance     // irradiance, lux
	Error   float64        // the standard error of its luminance, lux: of the bounced light, as direct light has hardly any
	Sources []Contribution // brightest first
}

// Contribution is what one source adds.
type Contribution struct {
	ID        string
	Name      string
	Kind      string
	Direct    Irradiance
	Bounced   Irradiance
	Error     float64   // the standard error of the bounced luminance, lux
	Share     float64   // of the total luminance, 0 to 1
	Visible   float64   // how much of the source is seen from the point, 0 to 1
	Blocked   bool      // something stands in the way of at least a part of it
	BlockedBy []Blocker // what stands between the point and the source's middle, or the first part of it that is hidden; from the point outward
	Why       string    // why it gives nothing, where it does
}

// Blocker is an entity in the way, and where the line to the source meets it.
type Blocker struct {
	ID    string
	Point level.Vec
}

// Rays says how many rays a ledger sends, and how their pattern is turned. Ledgers of one turn share
// their directions, so that they differ little from place to place; for a mean over places, each has to
// have a turn of its own.
type Rays struct {
	Shadow int     // to a source with a size, and to the sky
	Paths  int     // for the bounced light
	Turn   float64 // 0 to 2π
}

var askRays = Rays{Shadow: 4096, Paths: 1024}

// Ask computes, by rays from the point itself and not from the lightmap, what
// every source gives a surface at p facing n. Direct light is exact for sources
// without size; with size the visible share is within 0.01 (tested against a
// straight edge). Bounced light is path traced, which is another way than the
// lightmap's, so that each can be held against the other; its standard error comes
// with it.
func Ask(p *bake.Prepared, at, normal geom.Vec3) *Ledger {
	return AskBy(p, at, normal, askRays)
}

// sameFacing is the cosine from which on two normals are the same one, but for rounding.
const sameFacing = 0.999

// AskBy is Ask by other rays.
func AskBy(p *bake.Prepared, at, normal geom.Vec3, rays Rays) *Ledger {
	n := normal.Normalize()
	r := source.Receiver{Point: at, Origin: at.Add(n.Mul(scene.OffsetM)), Normal: n}
	book := &Ledger{Point: level.Vec(at), Normal: level.Vec(n), Inside: p.Scene.Inside(r.Origin)}
	share := 0.0 // of the light that comes from the other side
	if hit, ok := p.Scene.See(at.Add(n.Mul(0.01)), n.Mul(-1), 0.02); ok {
		book.Surface = p.Scene.Surfaces[hit.Surface].Body().Entity
		if own := p.Scene.NormalOf(hit.Triangle); own.Dot(n) > sameFacing { // it asks about the surface
			r.Normal = p.Scene.ShadingNormal(hit.Triangle, at)
			r.Point = at.Add(own.Mul(p.Scene.Lift(hit.Triangle, at)))
			r.Origin = r.Point.Add(own.Mul(scene.OffsetM))
			share = p.Scene.Translucency(&p.Scene.Surfaces[hit.Surface])
		}
	}
	bounced := bouncedAt(p, &r, rays.Paths, rays.Turn)
	var total color.Linear
	back, behind := otherSide(&r), bounced
	if share > 0 {
		behind = bouncedAt(p, &back, rays.Paths, rays.Turn)
	}
	for i := range p.Sources {
		entry, light := entryOf(p, &p.Sources[i], &r, rays)
		if share > 0 {
			other, its := entryOf(p, &p.Sources[i], &back, rays)
			if its.Luminance()*share > light.Luminance()*(1-share) {
				entry = other // it comes through
			}
			light = light.Scale(1 - share).Add(its.Scale(share))
			entry.Direct = lightOf(light)
		}
		fromAll := bounced.light[i].Scale(1 - share).Add(behind.light[i].Scale(share))
		entry.Bounced, entry.Error = lightOf(fromAll), math.Hypot(bounced.errors[i]*(1-share), behind.errors[i]*share)
		total = total.Add(light).Add(fromAll)
		book.Sources = append(book.Sources, entry)
	}
	book.Sources = foldGroups(book.Sources, p.Sources)
	book.Total, book.Error = lightOf(total), math.Hypot(bounced.error*(1-share), behind.error*share)
	for i := range book.Sources {
		e := &book.Sources[i]
		if book.Total.Luminance > 0 {
			e.Share = (e.Direct.Luminance + e.Bounced.Luminance) / book.Total.Luminance
		}
	}
	slices.SortStableFunc(book.Sources, func(a, b Contribution) int {
		return cmp.Compare(b.Direct.Luminance+b.Bounced.Luminance, a.Direct.Luminance+a.Bounced.Luminance)
	})
	return book
}

// foldGroups sums the entries of sources that are shown as one.
func foldGroups(entries []Contribution, sources []source.Source) []Contribution {
	var out []Contribution
	at := map[string]int{}
	for i, e := range entries {
		group := sources[i].Group
		if group == "" {
			out = append(out, e)
			continue
		}
		k, ok := at[group]
		if !ok {
			at[group] = len(out)
			e.ID = group
			out = append(out, e)
			continue
		}
		out[k].Direct = lightOf(out[k].Direct.linear().Add(e.Direct.linear()))
		out[k].Bounced = lightOf(out[k].Bounced.linear().Add(e.Bounced.linear()))
		out[k].Error = math.Hypot(out[k].Error, e.Error)
	}
	return out
}

func (i Irradiance) linear() color.Linear { return color.Linear{i.R, i.G, i.B} }

func entryOf(p *bake.Prepared, s *source.Source, r *source.Receiver, rays Rays) (Contribution, color.Linear) {
	e := Contribution{ID: s.ID, Name: s.Name, Kind: s.Kind, BlockedBy: []Blocker{}}
	unit, visible := s.Direct(p.Scene, r, source.Careful(rays.Shadow), rays.Turn)
	lit := s.Weight.Mul(unit)
	e.Direct, e.Visible = lightOf(lit), visible
	switch {
	case s.IsAmbient():
		if unit == (color.Linear{}) {
			e.Why = "another zone's ambient holds here"
		}
		return e, lit
	case !s.IsBeam():
		if s.Weight == (color.Linear{}) {
			e.Why = whyOff
		}
		return e, lit
	}
	arrives, why := s.Arrives(r)
	switch {
	case !arrives:
		e.Why = why
	case s.Weight == (color.Linear{}):
		e.Why = whyOff
	}
	if arrives && s.Shadows().Cast && visible < 1-1e-9 {
		e.Blocked = true
		e.BlockedBy = blockers(p, s, r)
	}
	return e, lit
}

const whyOff = "it is off, or has no strength"

// blockers looks toward the middle of the source first, then over all of it.
func blockers(p *bake.Prepared, s *source.Source, r *source.Receiver) []Blocker {
	across := 0.0 // past the whole level
	if b := p.Scene.Bounds; !b.Empty() {
		across = b.Max.Sub(b.Min).Len() + r.Origin.Sub(b.Min).Len()
	}
	for _, to := range s.Spots(r, across) {
		if found := p.Scene.Blockers(r.Origin, to); len(found) > 0 {
			out := make([]Blocker, len(found))
			for i, b := range found {
				out[i] = Blocker{b.ID, level.Vec(b.Point)}
			}
			return out
		}
	}
	return []Blocker{}
}
