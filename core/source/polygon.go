package source

import (
	"math"

	"grotta/core/geom"
	"grotta/core/sampling"
)

// polygon is a flat convex shape that shines to the side from which its corners
// go counter-clockwise, evenly to all directions.
type polygon struct {
	corners []geom.Vec3
	normal  geom.Vec3
	area    float64
}

func newPolygon(corners []geom.Vec3) polygon {
	p := polygon{corners: corners}
	for i := 2; i < len(corners); i++ {
		n := corners[i-1].Sub(corners[0]).Cross(corners[i].Sub(corners[0])).Mul(0.5)
		p.normal = p.normal.Add(n)
	}
	p.area = p.normal.Len()
	if p.area > 0 {
		p.normal = p.normal.Mul(1 / p.area)
	}
	return p
}

// inPlaneM is how far before its plane a polygon lights nothing: a point of the
// polygon itself is not lit by it, whatever rounding says.
const inPlaneM = 1e-5

// irradiance at a point facing n, for a radiance of 1, were nothing in the way:
// Lambert's formula (Photometria, 1760), half the sum over the edges of the angle
// that an edge spans times the cosine of its plane with n, of the part above the
// horizon. Exact; zero behind the polygon.
func (p *polygon) irradiance(at, n geom.Vec3) float64 {
	if p.area == 0 || p.normal.Dot(at.Sub(p.corners[0])) <= inPlaneM {
		return 0
	}
	var room [16]geom.Vec3
	above := room[:0]
	for i, a := range p.corners {
		b := p.corners[(i+1)%len(p.corners)]
		a, b = a.Sub(at), b.Sub(at)
		ha, hb := a.Dot(n), b.Dot(n)
		if ha >= 0 {
			above = append(above, a)
		}
		if ha > 0 && hb < 0 || ha < 0 && hb > 0 {
			above = append(above, a.Add(b.Sub(a).Mul(ha/(ha-hb))))
		}
	}
	sum := 0.0
	for i, a := range above {
		b := above[(i+1)%len(above)]
		cross := a.Cross(b)
		if l := cross.Len(); l > 0 {
			sum += math.Atan2(l, a.Dot(b)) * cross.Dot(n) / l
		}
	}
	return math.Abs(sum) / 2 // seen from the front the corners go clockwise about n or against it
}

// point i of n, spread evenly over the area (Roberts' R2 sequence, 2018, folded
// over a fan of triangles), shifted by turn.
func (p *polygon) point(i int, turn float64) geom.Vec3 {
	const a1, a2 = 0.7548776662466927, 0.5698402909980532
	su, sv := sampling.Shifts(math.Mod(turn, 2*math.Pi))
	_, u := math.Modf(0.5 + float64(i)*a1 + su)
	_, v := math.Modf(0.5 + float64(i)*a2 + sv)
	pick := u * p.area
	for k := 2; k < len(p.corners); k++ {
		e1, e2 := p.corners[k-1].Sub(p.corners[0]), p.corners[k].Sub(p.corners[0])
		part := e1.Cross(e2).Len() / 2
		if pick > part && k < len(p.corners)-1 {
			pick -= part
			continue
		}
		u = 0
		if part > 0 {
			u = min(pick/part, 1)
		}
		root := math.Sqrt(u)
		return p.corners[0].Add(e1.Mul(root * (1 - v))).Add(e2.Mul(root * v))
	}
	return p.corners[0]
}
