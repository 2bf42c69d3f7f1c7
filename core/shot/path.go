package shot

import (
	"sort"

	"github.com/go-gl/mathgl/mgl64"

	"grotta/core/geom"
	"grotta/core/level"
)

// Along is a path's camera at a time: through its keys' places by the spline of
// Catmull and Rom, turning evenly between them. Before the first key and after the
// last it stands still.
func Along(world *level.World, p *level.Path, seconds float64) Camera {
	keys := p.Keys
	next := sort.Search(len(keys), func(i int) bool { return keys[i].AtS > seconds })
	key := func(i int) *level.Key { return &keys[min(max(i, 0), len(keys)-1)] }
	a, b := key(next-1), key(next)
	t := 0.0
	if b.AtS > a.AtS {
		t = min(max((seconds-a.AtS)/(b.AtS-a.AtS), 0), 1)
	}
	own := geom.Pose{
		Position: spline(key(next-2), a, b, key(next+1), t),
		Rotation: mgl64.QuatSlerp(turned(a), turned(b), t),
	}
	return Camera{world.Pose(&p.Entity).Carry(own), a.FovDeg + (b.FovDeg-a.FovDeg)*t}
}

func turned(k *level.Key) mgl64.Quat {
	return mgl64.Quat{W: k.Rotation[3], V: geom.Vec3{k.Rotation[0], k.Rotation[1], k.Rotation[2]}}.Normalize()
}

// spline goes from b to c.
func spline(a, b, c, d *level.Key, t float64) geom.Vec3 {
	p0, p1, p2, p3 := geom.Vec3(a.Position), geom.Vec3(b.Position), geom.Vec3(c.Position), geom.Vec3(d.Position)
	return p1.Mul(2).Add(p2.Sub(p0).Mul(t)).
		Add(p0.Mul(2).Sub(p1.Mul(5)).Add(p2.Mul(4)).Sub(p3).Mul(t * t)).
		Add(p1.Mul(3).Sub(p0).Sub(p2.Mul(3)).Add(p3).Mul(t * t * t)).Mul(0.5)
}
