package exchange_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/exchange"
	"grotta/core/geom"
	"grotta/core/level"
)

// pipe is a part of a pipe of radius 1 about y with four sides, as corners and their normals.
func pipe() (places, normals []geom.Vec3, sides [][4]int) {
	for i := range 5 {
		sin, cos := math.Sincos(float64(i) * math.Pi / 8)
		for y := range 2 {
			places, normals = append(places, geom.Vec3{cos, float64(y), sin}), append(normals, geom.Vec3{cos, 0, sin})
		}
		if i > 0 {
			sides = append(sides, [4]int{2*i - 2, 2*i - 1, 2*i + 1, 2 * i})
		}
	}
	return places, normals, sides
}

// outward holds that a mesh's normals point away from the pipe's axis, turned by the file's own axes.
func outward(t *testing.T, m *level.Mesh, axis geom.Vec3) {
	t.Helper()
	require.Len(t, m.Normals, len(m.Positions))
	for i := 0; i < len(m.Positions); i += 3 {
		at := geom.Vec3(m.Positions[i : i+3]).Add(geom.Vec3(m.Transform.Position))
		n := geom.Vec3(m.Normals[i : i+3])
		out := at.Sub(axis.Mul(at.Dot(axis)))
		assert.InDelta(t, 1, n.Dot(out.Normalize()), 1e-4, "vertex %d", i/3)
	}
}

func TestNormalsComeInAndGoOut(t *testing.T) {
	places, normals, sides := pipe()
	var obj strings.Builder
	for i, p := range places {
		fmt.Fprintf(&obj, "v %v %v %v\nvn %v %v %v\n", p[0], p[1], p[2], 3*normals[i][0], normals[i][1], 3*normals[i][2])
	}
	for _, s := range sides {
		fmt.Fprintf(&obj, "f %d//%d %d//%d %d//%d %d//%d\n", s[0]+1, s[0]+1, s[1]+1, s[1]+1, s[2]+1, s[2]+1, s[3]+1, s[3]+1)
	}
	l, _ := read(t, "pipe.obj", []byte(obj.String()), exchange.Options{})
	require.Len(t, l.Meshes, 1)
	assert.Len(t, l.Meshes[0].Positions, 3*len(places), "neighbours share their corners")
	outward(t, l.Meshes[0], geom.Vec3{0, 1, 0})

	// Through glTF and back.
	out, _, err := exchange.WriteGLTF(l)
	require.NoError(t, err)
	back, _ := read(t, "pipe.glb", out, exchange.Options{})
	require.Len(t, back.Meshes, 1)
	outward(t, back.Meshes[0], geom.Vec3{0, 1, 0})

	// PLY stands with z up.
	var ply strings.Builder
	ply.WriteString("ply\nformat ascii 1.0\nelement vertex 10\nproperty float x\nproperty float y\nproperty float z\nproperty float nx\nproperty float ny\nproperty float nz\nelement face 4\nproperty list uchar int vertex_indices\nend_header\n")
	for i, p := range places {
		fmt.Fprintf(&ply, "%v %v %v %v %v %v\n", p[0], p[1], p[2], normals[i][0], normals[i][1], normals[i][2])
	}
	for _, s := range sides {
		fmt.Fprintf(&ply, "4 %d %d %d %d\n", s[0], s[1], s[2], s[3])
	}
	l, _ = read(t, "pipe.ply", []byte(ply.String()), exchange.Options{})
	outward(t, l.Meshes[0], geom.Vec3{0, 0, 1})

	// Normals that are those of the triangles say nothing more.
	flat := "v 0 0 0\nv 0 0 1\nv 1 0 0\nvn 0 1 0\nf 1//1 2//1 3//1\n"
	l, _ = read(t, "flat.obj", []byte(flat), exchange.Options{})
	assert.Empty(t, l.Meshes[0].Normals)
	// Some without length: the file is taken without, and it is said.
	l, report := read(t, "odd.obj", []byte(strings.Replace(flat, "vn 0 1 0", "vn 0 0 0", 1)), exchange.Options{})
	assert.Empty(t, l.Meshes[0].Normals)
	assert.Contains(t, strings.Join(report.Notes, "\n"), "some normals have no length")
	files, err := exchange.OpenFiles([]byte(strings.Replace(flat, "1//1", "1//7", 1)), "far.obj", "")
	require.NoError(t, err)
	_, _, err = exchange.Read(files, exchange.Options{})
	assert.ErrorContains(t, err, "names normal 7")
}
