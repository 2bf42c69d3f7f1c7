package source

import (
	"math"

	"grotta/core/digest"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/photometry"
)

// profileOf is how a light shines by direction, and sets what of its shape depends on it; nil where
// it has no profile.
func profileOf(s *shape, light *level.Light, pose geom.Pose, l *level.Level) *photometry.Profile {
	if light.Profile == "" {
		return nil
	}
	v := l.Profile(light.Profile)
	p := v.Shape()
	if p == nil {
		return nil
	}
	s.Right, s.Up = across(pose)
	s.Profile = digest.New("profile", digestVersion).Sum256(digest.Bytes(v.Data)).Sum()
	return p
}

// share is the intensity in a direction from a light, as a share of its brightest: vertical angles
// from its axis, horizontal ones from its own +X toward its own +Y.
func (b *ball) share(direction geom.Vec3) float64 {
	if b.profile == nil {
		return 1
	}
	vertical := math.Acos(max(-1, min(1, direction.Dot(b.Aim))))
	horizontal := math.Atan2(direction.Dot(b.Up), direction.Dot(b.Right))
	return b.profile.At(vertical*180/math.Pi, horizontal*180/math.Pi) / b.profile.Peak
}
