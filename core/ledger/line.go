package ledger

import (
	"context"
	"runtime"

	"golang.org/x/sync/errgroup"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/level"
)

// Spot is the light at one place of a line.
type Spot struct {
	AtM     float64   // metres from the line's start
	Point   level.Vec // metres
	Direct  Irradiance
	Bounced Irradiance
	Most    string // source that gives the most; "" where none gives any
}

// lineRays go out from each place of a line.
var lineRays = Rays{Shadow: 256, Paths: 512}

// Line is the light on a surface that faces n, at places evenly along the straight line
// between two points, both ends included. At least two places are taken. The standard error of
// what comes by bounces is a few per cent in evenly lit rooms, and up to about a third beside
// small bright places, as fewer paths are followed than by Ask.
func Line(ctx context.Context, p *bake.Prepared, from, to, n geom.Vec3, places int) ([]Spot, error) {
	places = max(places, 2)
	spots := make([]Spot, places)
	work, ctx := errgroup.WithContext(ctx)
	work.SetLimit(runtime.GOMAXPROCS(0))
	for i := range spots {
		work.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			share := float64(i) / float64(places-1)
			at := from.Add(to.Sub(from).Mul(share))
			book := AskBy(p, at, n, lineRays)
			s := Spot{AtM: share * to.Sub(from).Len(), Point: level.Vec(at)}
			for _, c := range book.Sources {
				s.Direct = lightOf(s.Direct.linear().Add(c.Direct.linear()))
				s.Bounced = lightOf(s.Bounced.linear().Add(c.Bounced.linear()))
			}
			if len(book.Sources) > 0 && book.Sources[0].Share > 0 {
				s.Most = book.Sources[0].ID
			}
			spots[i] = s
			return nil
		})
	}
	return spots, work.Wait()
}
