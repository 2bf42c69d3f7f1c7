package check

import (
	"context"
	"fmt"

	"grotta/core/bake"
	"grotta/core/estimate"
)

var _ = add(Rule{
	ID: "limits.build-time", Family: Limits, Severities: []Severity{Error}, Needs: Rays,
	Title: "The target's own build would take longer than it may.", Why: "The build is stopped, or nobody waits for it.", run: buildTime,
})

// buildTime predicts the build from samples that are baked here, times how fast the target's machine is.
// The samples are only baked where a generous bound comes near the limit.
func buildTime(s *subject) []Finding {
	build := &s.profile.Build
	if build.Minutes == nil {
		return nil
	}
	q := bake.Quality(build.Quality)
	limit := build.Minutes.Max * 60 * build.Speed // seconds of this machine
	const texelS = 20e-6                          // a texel with four sources at good takes far less
	bound := texelS * float64(len(s.Texels.List)) * (1 + float64(len(s.Sources))/4) * float64(max(q.Rays(), 64)) / 64
	if bound < limit/2 {
		return nil
	}
	e, ok := s.kept.builds[q]
	if !ok {
		var err error
		if e, err = estimate.Bake(context.Background(), s.Prepared, q, 0); err != nil {
			return nil // a context without an end has no error
		}
		s.kept.builds[q] = e
	}
	if e.Seconds <= limit {
		return nil
	}
	minutes := e.Seconds / build.Speed / 60
	return []Finding{{
		Severity: Error, Count: minutes, Limit: build.Minutes.Max, Why: build.Minutes.Why,
		Message: fmt.Sprintf("the build is expected to take %.3g minutes at %s quality (%.3g here); %s takes %g", minutes, q, e.Seconds/60, s.profile.Name, build.Minutes.Max),
	}}
}
