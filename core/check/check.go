// Package check judges a level against a platform's profile and against good
// sense: what the target will refuse, and what a player will not see. It needs
// no bake; where light matters it asks a few rays.
//
// A rule is one function in rules.go and one entry in the table there.
package check

import (
	"cmp"
	"slices"

	"grotta/core/bake"
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
	Severity Severity
	Message  string   // what is so, with the numbers
	Why      string   // why it matters
	Entities []string // what it is about
	Zone     string
	Point    *level.Vec       // a place that proves it, metres
	Count    float64          // what was counted
	Limit    float64          // what is allowed
	Fix      *level.Operation // an ordinary operation that settles it
}

// Report is the outcome of a check.
type Report struct {
	Platform string
	Findings []Finding      // gravest first
	Counts   map[string]int // findings by severity
	Lightmap LightmapSize
	Clean    bool // no error and no warning
}

// LightmapSize is known exactly before any bake.
type LightmapSize struct {
	Pages    int
	PageSize int
	Texels   int // lit ones, without padding
	Bytes    int // at the platform's bytes a texel
}

// subject is what rules look at.
type subject struct {
	*bake.Prepared
	level   *level.Level
	world   *level.World
	profile *platform.Profile
}

// Run applies every rule. The level must be prepared from the revision that is
// judged.
func Run(p *bake.Prepared, profile *platform.Profile) *Report {
	s := &subject{p, p.Scene.Level, p.Scene.World, profile}
	r := &Report{
		Platform: profile.Name,
		Findings: []Finding{},
		Counts:   map[string]int{string(Error): 0, string(Warning): 0, string(Advice): 0},
		Lightmap: LightmapSize{p.Layout.Pages, p.Layout.PageSize, len(p.Texels.List), p.Layout.Bytes(int(profile.Limits.BytesPerTexel))},
	}
	for _, rule := range rules {
		for _, f := range rule.run(s) {
			f.Rule, f.Why = rule.id, cmp.Or(f.Why, rule.why)
			if f.Entities == nil {
				f.Entities = []string{}
			}
			r.Findings = append(r.Findings, f)
			r.Counts[string(f.Severity)]++
		}
	}
	slices.SortStableFunc(r.Findings, func(a, b Finding) int { return a.Severity.rank() - b.Severity.rank() })
	r.Clean = r.Counts[string(Error)]+r.Counts[string(Warning)] == 0
	return r
}

// shining are the lights that are on.
func (s *subject) shining() []*level.Light {
	var on []*level.Light
	for _, l := range s.level.Lights {
		if s.level.Shines(l) && l.Surfaces {
			on = append(on, l)
		}
	}
	return on
}

func (s *subject) place(e *level.Entity) *level.Vec {
	v := level.Vec(s.world.Pose(e).Position)
	return &v
}

func (s *subject) zoneName(id string) string {
	for _, z := range s.level.Zones {
		if z.ID == id && z.Name != "" {
			return z.Name
		}
	}
	return id
}
