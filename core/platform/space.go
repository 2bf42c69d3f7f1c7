package platform

import "grotta/core/level"

// Point is a place of a level as the target writes it: in its units, along its axes. The level is
// right-handed with +Y up and -Z north; a target with +Z up has its +Y to the north, one that is
// left-handed its third axis turned round.
func (s *Space) Point(p level.Vec) level.Vec {
	x, y, z := p[0]/s.UnitM, p[1]/s.UnitM, p[2]/s.UnitM
	switch {
	case s.Up == "z" && s.Handed == "left":
		return level.Vec{x, z, y}
	case s.Up == "z":
		return level.Vec{x, -z, y}
	case s.Handed == "left":
		return level.Vec{x, y, -z}
	}
	return level.Vec{x, y, z}
}

// Metres is the inverse of Point.
func (s *Space) Metres(p level.Vec) level.Vec {
	a, b, c := p[0]*s.UnitM, p[1]*s.UnitM, p[2]*s.UnitM
	switch {
	case s.Up == "z" && s.Handed == "left":
		return level.Vec{a, c, b}
	case s.Up == "z":
		return level.Vec{a, c, -b}
	case s.Handed == "left":
		return level.Vec{a, b, -c}
	}
	return level.Vec{a, b, c}
}
