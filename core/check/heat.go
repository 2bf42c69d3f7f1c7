package check

import (
	"context"
	"math"

	"grotta/core/geom"
	"grotta/core/platform"
)

// Floor is the ground of a zone where a player does something, in squares that are asked for their light.
type Floor struct {
	Zone    string // its id
	Play    string // what a player does there
	Asked   float64
	SideM   float64 // of a square
	Squares []Square
}

// Square is a piece of ground with the light that falls on it, in lux, with bounces.
type Square struct {
	Middle geom.Vec3
	Lux    float64
}

// mostSquares is how many squares of a level are asked for their light; where there is more ground they are larger.
const mostSquares = 1600

// squarePaths is how many paths look for the bounces of each. Neighbours are seen beside each other, so their noise
// shows; the rules do with fewer.
const squarePaths = 48

// Ground is how light it is where a player of a platform can walk, in all zones that say what is done there. It
// traces paths for each square: of 1600 on two cores, about a second.
func (sub *Subject) Ground(ctx context.Context, profile *platform.Profile) ([]Floor, error) {
	sub.mu.Lock()
	defer sub.mu.Unlock()
	s := &subject{sub.p, sub, sub.p.Scene.Level, sub.p.Scene.World, profile}
	g := s.walkable()
	stride := 1
	for len(g.every(stride)) > mostSquares {
		stride++
	}
	shown := g.every(stride)
	lux := make([]float64, len(shown))
	s.each(len(shown), func(i int) {
		if t := &g.treads[shown[i]]; ctx.Err() == nil {
			lux[i] = s.lightWith(t.at, t.normal, squarePaths)
		}
	})
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	var floors []Floor
	for i, k := range shown {
		t := &g.treads[k]
		if n := len(floors); n == 0 || floors[n-1].Zone != t.zone.ID {
			floors = append(floors, Floor{Zone: t.zone.ID, Play: t.zone.Play, Asked: s.asked(t.zone), SideM: t.sideM * float64(stride)})
		}
		last := &floors[len(floors)-1]
		last.Squares = append(last.Squares, Square{t.at, lux[i]})
	}
	return floors, nil
}

// every are the treads of one column in so many along both sides of the grid.
func (g *ground) every(stride int) (list []int) {
	for i, t := range g.treads {
		if mod(t.column[0], stride) == 0 && mod(t.column[1], stride) == 0 {
			list = append(list, i)
		}
	}
	return list
}

func mod(a, n int) int { return a - n*int(math.Floor(float64(a)/float64(n))) }
