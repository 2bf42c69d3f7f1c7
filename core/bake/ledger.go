package bake

import (
	"fmt"
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// Irradiance is light on a surface in lux: linear Rec. 709 and its luminance.
type Irradiance struct {
	R         float64 `json:"r"`
	G         float64 `json:"g"`
	B         float64 `json:"b"`
	Luminance float64 `json:"luminance"`
}

func lightOf(c color.Linear) Irradiance { return Irradiance{c[0], c[1], c[2], c.Luminance()} }

// Ledger says what light reaches a point, and from whom.
type Ledger struct {
	Point   level.Vec     `json:"point" doc:"Metres."`
	Normal  level.Vec     `json:"normal" doc:"Unit."`
	Surface string        `json:"surface,omitzero" doc:"Entity whose surface the point lies on, if any."`
	Inside  string        `json:"inside,omitzero" doc:"Entity that the point is inside of, if any."`
	Total   Irradiance    `json:"total" doc:"Irradiance, lux."`
	Sources []LedgerEntry `json:"sources" doc:"Brightest first."`
}

// LedgerEntry is one source's part.
type LedgerEntry struct {
	ID        string     `json:"id"`
	Name      string     `json:"name"`
	Kind      string     `json:"kind"`
	Direct    Irradiance `json:"direct"`
	Bounced   Irradiance `json:"bounced"`
	Share     float64    `json:"share" doc:"Of the total luminance, 0 to 1."`
	Visible   float64    `json:"visible" doc:"How much of the source is seen from the point, 0 to 1."`
	Blocked   bool       `json:"blocked" doc:"Something stands in the way of at least a part of it."`
	BlockedBy []Blocker  `json:"blocked_by" doc:"What stands between the point and the source's middle, or the first part of it that is hidden; from the point outward."`
	Why       string     `json:"why,omitzero" doc:"Why it gives nothing, where it does."`
}

// Blocker is an entity in the way, and where the line to the source meets it.
type Blocker struct {
	ID    string    `json:"id"`
	Point level.Vec `json:"point"`
}

// ledgerSamples is how many shadow rays go to a source with a size.
const ledgerSamples = 1024

// Ledger computes, by rays from the point itself and not from the lightmap, what
// every source gives a surface at p facing n. Exact for sources without size;
// with size the visible share is within 0.01 (tested against a straight edge).
func (p *Prepared) Ledger(at, normal geom.Vec3) *Ledger {
	n := normal.Normalize()
	origin := at.Add(n.Mul(scene.OffsetM))
	book := &Ledger{Point: level.Vec(at), Normal: level.Vec(n), Inside: p.Scene.Inside(origin)}
	if hit, ok := p.Scene.See(at.Add(n.Mul(0.01)), n.Mul(-1), 0.02); ok {
		book.Surface = p.Scene.Surfaces[hit.Surface].Entity
	}
	// The offset keeps shadow rays off the surface; the light itself is reckoned
	// at the point, so that closed forms hold to float precision.
	var total color.Linear
	for i := range p.Sources {
		entry, light := p.entry(&p.Sources[i], at, origin, n)
		total = total.Add(light)
		book.Sources = append(book.Sources, entry)
	}
	book.Total = lightOf(total)
	for i := range book.Sources {
		if book.Total.Luminance > 0 {
			book.Sources[i].Share = book.Sources[i].Direct.Luminance / book.Total.Luminance
		}
	}
	sortEntries(book.Sources)
	return book
}

func (p *Prepared) entry(s *Source, at, origin, n geom.Vec3) (LedgerEntry, color.Linear) {
	e := LedgerEntry{ID: s.ID, Name: s.Name, Kind: s.Kind, BlockedBy: []Blocker{}}
	_, visible := s.direct(p.Scene, origin, n, ledgerSamples, 0)
	open := *s
	open.shape.Cast = false
	unit, _ := open.direct(p.Scene, at, n, ledgerSamples, 0)
	lit := s.Weight.Scale(unit * visible)
	e.Direct = lightOf(lit)
	e.Visible = visible
	if s.Kind == AmbientKind {
		if unit == 0 {
			e.Why = "another zone's ambient holds here"
		}
		return e, lit
	}
	e.Why = s.whyNothing(at, n, unit)
	if e.Why == "" || e.Why == whyOff {
		if unit > 0 && s.shape.Cast && visible < 1-1e-9 {
			e.Blocked = true
			e.BlockedBy = p.blockers(s, origin, n)
		}
	}
	return e, lit
}

const whyOff = "it is off, or has no strength"

// whyNothing says why a light gives nothing where no shadow is to blame.
func (s *Source) whyNothing(at, n geom.Vec3, unit float64) string {
	sh := &s.shape
	d := sh.Position.Sub(at).Len()
	switch {
	case unit > 0 && s.Weight == (color.Linear{}):
		return whyOff
	case unit > 0:
		return ""
	case sh.Kind == level.Directional:
		return "the surface faces away from it"
	case sh.RangeM > 0 && d >= sh.RangeM:
		return fmt.Sprintf("it is %.2f m away and its range ends at %.2f m", d, sh.RangeM)
	case sh.Position.Sub(at).Dot(n) <= 0:
		return "the surface faces away from it"
	case sh.Kind == level.Spot:
		angle := math.Acos(math.Min(1, sh.Aim.Dot(at.Sub(sh.Position))/d)) * 180 / math.Pi
		return fmt.Sprintf("the point is %.1f degrees off its axis, outside its cone", angle)
	}
	return "nothing of it arrives"
}

// blockers looks along the middle of the source first, then over its disc.
func (p *Prepared) blockers(s *Source, origin, n geom.Vec3) []Blocker {
	sh := &s.shape
	r, _ := sh.reach(origin, n)
	targets := []geom.Vec3{sh.end(p.Scene, origin, r.toward, sh.entry(1, r.distance))}
	u, v := geom.Axes(r.toward)
	cosMax := sh.CosDisc
	if sh.Kind != level.Directional {
		q := math.Min(sh.RadiusM/r.distance, 0.99999)
		cosMax = math.Sqrt(1 - q*q)
	}
	for i := range 64 {
		dir := discDirection(r.toward, u, v, cosMax, i, 64, 0)
		targets = append(targets, sh.end(p.Scene, origin, dir, sh.entry(dir.Dot(r.toward), r.distance)))
	}
	for _, to := range targets {
		if found := p.Scene.Blockers(origin, to); len(found) > 0 {
			out := make([]Blocker, len(found))
			for i, b := range found {
				out[i] = Blocker{b.ID, level.Vec(b.Point)}
			}
			return out
		}
	}
	return []Blocker{}
}

func sortEntries(e []LedgerEntry) {
	for i := 1; i < len(e); i++ {
		for j := i; j > 0 && e[j].Direct.Luminance > e[j-1].Direct.Luminance; j-- {
			e[j], e[j-1] = e[j-1], e[j]
		}
	}
}
