// Package report turns what the checks find into what others read: the API's bodies, tables, SARIF and
// JUnit for pipelines, and a page to print.
package report

import (
	"cmp"
	"fmt"
	"strings"

	"grotta/api"
	"grotta/core/check"
)

// Of is a check of a level's revision as it goes over the wire.
func Of(levelID string, revision int, r *check.Report) api.Report {
	out := api.Report{
		Level: levelID, Revision: revision, Platform: r.Platform, Findings: make([]api.Finding, len(r.Findings)),
		Counts: r.Counts, Waived: r.Waived, Lightmap: api.LightmapSize(r.Lightmap), Budget: make([]api.Spent, len(r.Budget)), Clean: r.Clean,
	}
	for i, f := range r.Findings {
		out.Findings[i] = api.Finding{
			Rule: f.Rule, Family: f.Family, Severity: string(f.Severity), Message: f.Message, Why: f.Why, Entities: f.Entities, Zone: f.Zone,
			Point: f.Point, Path: f.Path, Region: f.Region, Count: f.Count, Limit: f.Limit, Fix: f.Fix, Waived: f.Waived,
		}
	}
	for i, b := range r.Budget {
		out.Budget[i] = api.Spent(b)
	}
	return out
}

// Ground is what a search for the light on the ground found.
func Ground(revision int, platform string, floors []check.Floor) api.Ground {
	out := api.Ground{Revision: revision, Platform: platform, Floors: make([]api.GroundFloor, len(floors))}
	for i, f := range floors {
		squares := make([][4]float64, len(f.Squares))
		for k, q := range f.Squares {
			squares[k] = [4]float64{q.Middle[0], q.Middle[1], q.Middle[2], q.Lux}
		}
		out.Floors[i] = api.GroundFloor{Zone: f.Zone, Play: f.Play, AskedLux: f.Asked, SideM: f.SideM, Squares: squares}
	}
	return out
}

// Rules are all rules.
func Rules() []api.CheckRule {
	var out []api.CheckRule
	for _, r := range check.Rules() {
		rule := api.CheckRule{ID: r.ID, Family: r.Family, Title: r.Title, Why: r.Why, Fix: r.Fix, Needs: r.Needs}
		for _, s := range r.Severities {
			rule.Severities = append(rule.Severities, string(s))
		}
		out = append(out, rule)
	}
	return out
}

// place says where a finding is, in words.
func place(f *api.Finding) string {
	var parts []string
	if len(f.Entities) > 0 {
		parts = append(parts, strings.Join(f.Entities, ", "))
	}
	if f.Zone != "" {
		parts = append(parts, "in "+f.Zone)
	}
	if f.Point != nil {
		parts = append(parts, fmt.Sprintf("at %.2f, %.2f, %.2f m", f.Point[0], f.Point[1], f.Point[2]))
	}
	return strings.Join(parts, " ")
}

// number writes a count with its thousands apart.
func number(x float64) string {
	if x != float64(int64(x)) {
		return fmt.Sprintf("%.3g", x)
	}
	digits := fmt.Sprint(int64(x))
	var b strings.Builder
	for i, d := range digits {
		if i > 0 && (len(digits)-i)%3 == 0 {
			b.WriteByte(',')
		}
		b.WriteRune(d)
	}
	return cmp.Or(b.String(), "0")
}
