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

func buildTime(s *subject) []Finding {
	build := &s.profile.Build
	if build.Minutes == nil {
		return nil
	}
	minutes, exact := s.buildMinutes()
	if !exact || minutes <= build.Minutes.Max {
		return nil
	}
	return []Finding{{
		Severity: Error, Count: minutes, Limit: build.Minutes.Max, Why: build.Minutes.Why,
		Message: fmt.Sprintf("the build is expected to take %.3g minutes at %s quality (%.3g here); %s takes %g", minutes, build.Quality, minutes*build.Speed, s.profile.Name, build.Minutes.Max),
	}}
}

// buildMinutes is how long the target's own build is expected to take: predicted from samples that are baked
// here, times how fast the target's machine is. The samples are baked where a generous bound is over half of
// the limit; elsewhere the bound is the answer, and exact is false.
func (s *subject) buildMinutes() (minutes float64, exact bool) {
	build := &s.profile.Build
	q := bake.Quality(build.Quality)
	const texelS = 20e-6 // a texel with four sources at good takes far less
	bound := texelS * float64(len(s.Texels.List)) * (1 + float64(len(s.Sources))/4) * float64(max(q.Rays(), 64)) / 64
	there := func(seconds float64) float64 { return seconds / build.Speed / 60 }
	if there(bound) < build.Minutes.Max/2 {
		return there(bound), false
	}
	e, ok := s.kept.builds[q]
	if !ok {
		var err error
		if e, err = estimate.Bake(context.Background(), s.Prepared, q, 0); err != nil {
			return there(bound), false // a context without an end has no error
		}
		s.kept.builds[q] = e
	}
	return there(e.Seconds), true
}
