package rest

import (
	"grotta/api"
	"grotta/core/change"
	"grotta/core/compare"
	"grotta/core/ledger"
	"grotta/core/planner"
	"grotta/core/probe"
	"grotta/core/scatter"
)

// What the core computes becomes here what goes over the wire. Where both have the same
// fields Go converts them; a field that only one of them gets does not compile.

// each converts a list; none stays none.
func each[From, To any](from []From, to func(From) To) []To {
	if from == nil {
		return nil
	}
	out := make([]To, len(from))
	for i, v := range from {
		out[i] = to(v)
	}
	return out
}

func staleOf(s change.Stale) api.Stale { return api.Stale(s) }
func keptOf(k change.Kept) api.Kept    { return api.Kept(k) }
func costOf(c scatter.Cost) api.Cost   { return api.Cost(c) }
func partOf(p probe.Part) api.Part     { return api.Part(p) }

func ledgerOf(o *opened, l *ledger.Ledger) api.Ledger {
	return api.Ledger{
		Level: o.info.ID, Revision: o.info.Revision, Point: l.Point, Normal: l.Normal, Surface: l.Surface, Inside: l.Inside,
		Total: api.Irradiance(l.Total), StandardError: l.Error, Sources: each(l.Sources, contributionOf),
	}
}

func contributionOf(c ledger.Contribution) api.Contribution {
	return api.Contribution{
		ID: c.ID, Name: c.Name, Kind: c.Kind, Direct: api.Irradiance(c.Direct), Bounced: api.Irradiance(c.Bounced), StandardError: c.Error, Share: c.Share,
		Visible: c.Visible, Blocked: c.Blocked, BlockedBy: each(c.BlockedBy, func(b ledger.Blocker) api.Blocker { return api.Blocker(b) }), Why: c.Why,
	}
}

func gridOf(g *probe.Grid) api.Grid {
	return api.Grid{ID: g.ID, Min: g.Min, Step: g.Step, Count: g.Count, Probes: each(g.Probes, func(p probe.Probe) api.Probe {
		return api.Probe{Position: p.Position, Inside: p.Inside, SH: p.SH, Links: p.Links}
	})}
}

func planOf(p *planner.Plan) *api.Plan {
	return &api.Plan{
		Before: api.Size(p.Before), After: api.Size(p.After), Uniform: api.Size(p.Uniform),
		Surfaces: each(p.Surfaces, func(c planner.Choice) api.Choice { return api.Choice(c) }), Operation: p.Operation,
	}
}

func differenceOf(r *compare.Result) api.Difference {
	return api.Difference{Width: r.Width, Height: r.Height, Mean: r.Mean, P95: r.P95, Max: r.Max, SSIM: r.SSIM}
}
