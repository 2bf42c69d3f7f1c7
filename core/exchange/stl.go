package exchange

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"strings"

	"grotta/core/geom"
	"grotta/core/level"
)

// STL, binary and as text: triangles without anything else, usually in millimetres with z up. Corners
// at one place are one vertex.

func readSTL(files *Files, o Options, report *Report) (*level.Level, error) {
	s := newSoup(o, report)
	p := s.begin(o.Name, "")
	known := map[geom.Vec3]int{}
	add := func(corners [3]geom.Vec3, where string) error {
		var at [3]uint32
		for i, c := range corners {
			n, ok := known[c]
			if !ok {
				n = len(known)
				known[c] = n
			}
			at[i] = s.vertex(p, corner{n, -1, -1}, c, [2]float64{}, geom.Vec3{})
		}
		if at[0] == at[1] || at[1] == at[2] || at[0] == at[2] {
			return nil // it has no area
		}
		return s.face(p, at[:], where)
	}
	read := binaryTriangles
	if !isBinarySTL(files.Data) {
		read = textTriangles
	}
	if err := read(files.Data, add); err != nil {
		return nil, err
	}
	if err := s.end(p); err != nil {
		return nil, err
	}
	if len(s.level.Meshes) == 0 {
		return nil, fault("", "is read as STL and has no triangle")
	}
	return s.level, nil
}

func binaryTriangles(data []byte, add func([3]geom.Vec3, string) error) error {
	count := int(binary.LittleEndian.Uint32(data[80:])) // isBinarySTL has held it against the length
	for i := range count {
		at := 84 + 50*i + 12
		var t [3]geom.Vec3
		for k := range 9 {
			v := float64(math.Float32frombits(binary.LittleEndian.Uint32(data[at+4*k:])))
			if math.IsNaN(v) || math.IsInf(v, 0) {
				return fault(trianglePath(i), "has a coordinate that is not finite")
			}
			t[k/3][k%3] = v
		}
		if err := add(t, trianglePath(i)); err != nil {
			return err
		}
	}
	return nil
}

func textTriangles(data []byte, add func([3]geom.Vec3, string) error) error {
	lines := bufio.NewScanner(bytes.NewReader(data))
	lines.Buffer(nil, maxLine)
	var t [3]geom.Vec3
	corners, n := 0, 0
	for lines.Scan() {
		n++
		word, rest, _ := strings.Cut(strings.TrimSpace(lines.Text()), " ")
		switch strings.ToLower(word) {
		case "facet":
			corners = 0
		case "vertex":
			v, err := numbers(rest, 3)
			if err != nil {
				return fault(lineOf(n), "is a vertex and %v", err)
			}
			if corners >= 3 {
				return fault(lineOf(n), "is a fourth vertex of a facet, which has three")
			}
			t[corners] = geom.Vec3{v[0], v[1], v[2]}
			corners++
		case "endfacet":
			if corners != 3 {
				return fault(lineOf(n), "ends a facet of %d vertices; three are needed", corners)
			}
			if err := add(t, lineOf(n)); err != nil {
				return err
			}
		}
	}
	if err := lines.Err(); err != nil {
		return fault(lineOf(n+1), "is longer than %d bytes", maxLine)
	}
	return nil
}

func trianglePath(i int) string { return fmt.Sprintf("/triangles/%d", i) }
