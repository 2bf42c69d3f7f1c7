package fit

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/demo"
)

// BenchmarkFitOfManyLamps is a plan for a yard of lamps that each have a glow.
func BenchmarkFitOfManyLamps(b *testing.B) {
	for _, n := range []int{30, 100, 300} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			l := demo.Yard()
			l.Lights, l.Glows, l.Beams = nil, nil, nil
			for i := range n {
				lamp := level.NewLight(fmt.Sprintf("lamp-%d", i), level.Point)
				lamp.Strength, lamp.RangeM, lamp.Transform.Position = 200, 5, level.Vec{float64(i%20)*3 - 30, 3, float64(i/20)*3 - 20}
				l.Lights = append(l.Lights, lamp)
				glow := level.Default[level.Glow]()
				glow.ID, glow.ColorFrom, glow.Transform.Position = fmt.Sprintf("glow-%d", i), lamp.ID, lamp.Transform.Position
				l.Glows = append(l.Glows, &glow)
			}
			p, err := bake.Prepare(l)
			require.NoError(b, err)
			profile, err := platform.Named("pocket")
			require.NoError(b, err)
			for b.Loop() {
				began := time.Now()
				_, err := Make(context.Background(), check.Of(p), []*platform.Profile{profile}, nil)
				require.NoError(b, err)
				b.ReportMetric(time.Since(began).Seconds(), "s")
			}
		})
	}
}
