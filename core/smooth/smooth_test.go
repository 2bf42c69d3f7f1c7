package smooth

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/geom"
)

// What stands between cells keeps them apart; what is clear does not.
func TestSurroundings(t *testing.T) {
	s := Survey{U: geom.Vec3{1, 0, 0}, V: geom.Vec3{0, 0, 1}}
	up, wall, side := geom.Vec3{0, 1, 0}, geom.Vec3{1, 0.2, 0}.Normalize(), geom.Vec3{0.3, 0.1, 0.6}.Normalize()
	for range 10 {
		s.Add(geom.Vec3{0, 1, 0.1}.Normalize(), 3, up)
		s.Add(geom.Vec3{-0.7, 0.7, 0}, 2, up)
		s.Add(wall, 0.25/wall[0], geom.Vec3{-3, 0, 0})
		s.Add(side, 0.25/side[0], geom.Vec3{-3, 0, 0}) // the same wall, from one who goes along it
	}
	got := s.Done(10) // ten cells a metre: the wall is two and a half cells off
	assert.True(t, got.Opens(2, 0))
	assert.False(t, got.Opens(3, 0))
	assert.True(t, got.Opens(-4, 0))
	assert.True(t, got.Opens(0, -60))
	assert.True(t, got.Opens(0, 60), "beside the wall")
	assert.InEpsilon(t, 4/(1/3.0+1/2.0+wall[0]/0.25+side[0]/0.25), got.nearM, 1e-5)
}
