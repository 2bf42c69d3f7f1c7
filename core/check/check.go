// Package check judges a level against a platform's profile and against good sense: what the
// target will refuse or drop, where light leaks, what a player will not see, what looks careless.
// It needs no bake; where light matters it asks rays.
//
// A rule is a value that its file adds to the list with add, so adding a rule is adding a file. What
// several rules need is computed once and kept in the subject: where one can walk (ground.go), what
// viewpoints see (seen.go), what each light does (shine.go).
package check

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"

	"grotta/core/bake"
	"grotta/core/estimate"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/platform"
)

// Severity of a finding.
type Severity string

// The severities: refused by the platform; likely a mistake; worth a thought.
const (
	Error   Severity = "error"
	Warning Severity = "warning"
	Advice  Severity = "advice"
)

func (s Severity) rank() int { return slices.Index([]Severity{Error, Warning, Advice}, s) }

// Finding is what a rule reports.
type Finding struct {
	Rule     string // id of the rule
	Family   string
	Severity Severity
	Message  string   // what is so, with the numbers
	Why      string   // why it matters
	Entities []string // what it is about
	Zone     string
	Point    *level.Vec       // a place that proves it, metres
	Path     []level.Vec      // a way that proves it, such as that of light through a gap
	Region   []level.Box      // where it is so
	Count    float64          // what was counted
	Limit    float64          // what is allowed
	Fix      *level.Operation // an ordinary operation that settles it
	Waived   string           // the reason why it is meant, where somebody gave one
}

// Report is the outcome of a check.
type Report struct {
	Platform string
	Findings []Finding      // gravest first; those that are waived last
	Counts   map[string]int // findings by severity, without those that are waived
	Waived   int
	Lightmap LightmapSize
	Budget   []Spent
	Clean    bool // no error and no warning
}

// Spent is how much of one limit a level takes.
type Spent struct {
	What string
	Rule string // that judges it
	Now  float64
	Most float64
	Why  string
	// AtMost is set where Now is a bound: the level may take less.
	AtMost bool
}

// LightmapSize is known exactly before any bake.
type LightmapSize struct {
	Pages    int
	PageSize int
	Texels   int // lit ones, without padding
	Bytes    int // at the platform's bytes a texel
}

// Subject is a level that is ready to be judged, by any number of platforms.
type Subject struct {
	p *bake.Prepared

	mu                     sync.Mutex
	grounds                map[platform.Body]*ground
	sights                 []sight
	lights                 map[string]*known
	gaps                   []gap
	gapsKnown, sightsKnown bool
	tables                 *tables

	builds      map[bake.Quality]estimate.Estimate
	inside      *level.Level // of the zones that are looked into
	solids      []solidBox
	closed      []closedMesh
	closedKnown bool
}

// Of makes a level ready. It must be prepared from the revision that is judged.
func Of(p *bake.Prepared) *Subject {
	return &Subject{p: p, grounds: map[platform.Body]*ground{}, lights: map[string]*known{}, builds: map[bake.Quality]estimate.Estimate{}}
}

// Again is Of for a level that was edited from the one before. Where its geometry is the same, what was
// found of that is kept: surfaces, closed meshes and cracks; what was found of each light that is the same;
// and where one can walk, unless viewpoints or paths changed.
func (sub *Subject) Again(p *bake.Prepared) *Subject {
	next := Of(p)
	if !sub.p.Shares(p.Scene.Level) {
		return next
	}
	sub.mu.Lock()
	defer sub.mu.Unlock()
	next.tables, next.solids, next.closed, next.closedKnown = sub.tables, sub.solids, sub.closed, sub.closedKnown
	next.gaps, next.gapsKnown = sub.gaps, sub.gapsKnown
	next.keepLights(sub)
	next.keepGround(sub)
	return next
}

// Run applies every rule for one platform.
func Run(p *bake.Prepared, profile *platform.Profile) *Report { return Of(p).Against(profile) }

// Against applies every rule. It is for one goroutine at a time; a second one waits.
func (sub *Subject) Against(profile *platform.Profile) *Report {
	r, _ := sub.Judge(context.Background(), profile) // which is never done
	return r
}

// Judge is Against that ends early with the context's error: between two rules.
func (sub *Subject) Judge(ctx context.Context, profile *platform.Profile) (*Report, error) {
	sub.mu.Lock()
	defer sub.mu.Unlock()
	p := sub.p
	s := &subject{p, sub, p.Scene.Level, p.Scene.World, profile}
	r := &Report{
		Platform: profile.Name,
		Findings: []Finding{},
		Counts:   map[string]int{string(Error): 0, string(Warning): 0, string(Advice): 0},
		Lightmap: LightmapSize{p.Layout.Pages, p.Layout.PageSize, len(p.Texels.List), p.Layout.Bytes(int(profile.Limits.BytesPerTexel))},
	}
	for _, rule := range Rules() {
		own := profile.Severities[rule.ID]
		if own == "off" {
			continue
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		for _, f := range rule.run(s) {
			f.Rule, f.Family, f.Why = rule.ID, rule.Family, cmp.Or(f.Why, rule.Why)
			f.Severity = cmp.Or(Severity(own), f.Severity)
			if f.Entities == nil {
				f.Entities = []string{}
			}
			f.Waived = s.waived(&f)
			r.Findings = append(r.Findings, f)
			if f.Waived == "" {
				r.Counts[string(f.Severity)]++
			} else {
				r.Waived++
			}
		}
	}
	slices.SortStableFunc(r.Findings, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(min(1, len(a.Waived)), min(1, len(b.Waived))), a.Severity.rank()-b.Severity.rank())
	})
	r.Budget = s.budget(r)
	r.Clean = r.Counts[string(Error)]+r.Counts[string(Warning)] == 0
	return r, nil
}

// budget is what of the profile's limits the level takes.
func (s *subject) budget(r *Report) []Spent {
	limits := &s.profile.Limits
	var out []Spent
	add := func(what, rule string, now float64, limit *platform.Limit) {
		if limit != nil {
			out = append(out, Spent{What: what, Rule: rule, Now: now, Most: limit.Max, Why: limit.Why})
		}
	}
	number := func(n int, _ []string) float64 { return float64(n) }
	lights := s.shining()
	dynamic := 0
	byZone := map[string]int{}
	for _, l := range lights {
		if l.Bake != "baked" {
			dynamic++
		}
		if z := s.world.ZoneOf(&l.Entity); z != nil && l.Kind != level.Directional {
			byZone[z.ID]++
		}
	}
	specks, _ := motesAlive(s)
	most := 0
	for _, n := range byZone {
		most = max(most, n)
	}
	add("lights", "limits.lights", float64(len(lights)), limits.Lights)
	add("lights in one zone", "limits.zone-lights", float64(most), limits.ZoneLights)
	if o := limits.ShadowOverlap; o != nil {
		most := float64(o.Max - o.Reserve)
		worst := most // it keeps to that where nothing is found
		for _, f := range r.Findings {
			if f.Rule == "limits.shadow-overlap" {
				worst = max(worst, f.Count)
			}
		}
		out = append(out, Spent{"shadows at one point", "limits.shadow-overlap", worst, most, o.Why, worst == most})
	}
	add("dynamic lights", "limits.dynamic-lights", float64(dynamic), s.profile.Lights.Dynamic)
	add("lightmap pages", "limits.lightmap-pages", float64(r.Lightmap.Pages), limits.LightmapPages)
	add("lightmap bytes", "limits.lightmap-bytes", float64(r.Lightmap.Bytes), limits.LightmapBytes)
	add("page size", "limits.page-size", float64(r.Lightmap.PageSize), limits.PageSize)
	add("glows", "limits.glows", number(glowsShown(s)), limits.Glows)
	add("fog volumes", "limits.fog-volumes", number(fogShown(s)), limits.FogVolumes)
	add("motes at once", "limits.motes", specks, limits.Motes)
	add("probes", "limits.probes", number(probesSet(s)), limits.Probes)
	add("reflections", "limits.reflections", number(reflectionsSet(s)), limits.Reflections)
	if build := s.profile.Build; build.Minutes != nil {
		minutes, exact := s.buildMinutes()
		out = append(out, Spent{"minutes of the build", "limits.build-time", minutes, build.Minutes.Max, build.Minutes.Why, !exact})
	}
	add("triangles", "limits.triangles", float64(s.Scene.DrawnTriangles()), limits.Triangles)
	return out
}

// waived is the reason why a finding is meant; "" where there is none. A waiver holds for findings
// of its rule and zone that are about nothing but what it names, so one more light over a limit is
// a new finding.
func (s *subject) waived(f *Finding) string {
	for _, w := range s.level.Waivers {
		if w.Rule != f.Rule || w.Zone != "" && w.Zone != f.Zone || len(f.Entities) > 0 && len(w.About) == 0 {
			continue
		}
		if !slices.ContainsFunc(f.Entities, func(id string) bool { return !slices.Contains(w.About, id) }) {
			return w.Reason
		}
	}
	return ""
}

// Waive makes the waiver of a finding of a rule about some entities in a zone; ids gives it one of its own.
func Waive(ids *level.IDs, rule string, about []string, zone, reason, by string) *level.Waiver {
	w := level.Default[level.Waiver]()
	w.ID = ids.Fresh("waived-" + strings.ReplaceAll(rule, ".", "-"))
	w.Rule, w.About, w.Zone, w.Reason, w.By = rule, about, zone, reason, by
	return &w
}

// subject is what rules look at.
type subject struct {
	*bake.Prepared
	kept    *Subject
	level   *level.Level
	world   *level.World
	profile *platform.Profile
}

// shining are the lights that are on and not black, and that light surfaces.
func (s *subject) shining() []*level.Light { return Shining(s.level) }

func (s *subject) place(e *level.Entity) *level.Vec {
	v := level.Vec(s.world.Pose(e).Position)
	return &v
}

// about begins a finding about an entity: with its place and zone.
func (s *subject) about(e *level.Entity, severity Severity, format string, args ...any) Finding {
	return Finding{
		Severity: severity, Entities: []string{e.ID}, Point: s.place(e), Zone: zoneID(s.zoneOf(e)),
		Message: fmt.Sprintf(format, args...),
	}
}

func (s *subject) zoneName(id string) string {
	for _, z := range s.level.Zones {
		if z.ID == id && z.Name != "" {
			return z.Name
		}
	}
	return id
}

func zoneID(z *level.Zone) string {
	if z == nil {
		return ""
	}
	return z.ID
}

// nameOf is what a thing is called.
func nameOf(e *level.Entity) string { return cmp.Or(e.Name, e.ID) }

// fixOf is a set of fields of one entity, with words.
func fixOf(id string, fields map[string]any, format string, args ...any) *level.Operation {
	op := level.Set(id, fields)
	op.Label = fmt.Sprintf(format, args...)
	return &op
}

// some are the first names of a list, and how many more there are.
func some(names []string) string {
	const most = 4
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), len(names)-most)
}

func vec(p geom.Vec3) *level.Vec {
	v := level.Vec(p)
	return &v
}
