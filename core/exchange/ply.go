package exchange

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// PLY, as text and binary of both byte orders (Greg Turk, 1994): the x, y, z, the nx, ny, nz and the red, green, blue
// (sRGB) of the element vertex, and the list vertex_indices (or vertex_index) of the element face. The rest is read over.

type plyProperty struct {
	name  string
	kind  string // of a value
	count string // of a list's length; "" for a single value
}

type plyElement struct {
	name       string
	count      int
	properties []plyProperty
}

// plySizes are the bytes of each kind of value.
var plySizes = map[string]int{
	"char": 1, "uchar": 1, "int8": 1, "uint8": 1, "short": 2, "ushort": 2, "int16": 2, "uint16": 2,
	"int": 4, "uint": 4, "int32": 4, "uint32": 4, "float": 4, "float32": 4, "double": 8, "float64": 8,
}

// maxCorners is how many corners a face may have.
const maxCorners = 1000

func readPLY(files *Files, o Options, report *Report) (*level.Level, error) {
	elements, format, body, err := plyHeader(files.Data)
	if err != nil {
		return nil, err
	}
	next, err := plyValues(format, body)
	if err != nil {
		return nil, err
	}
	s := newSoup(o, report)
	p := s.begin(o.Name, "")
	var places, normals []geom.Vec3
	var colors []color.Linear
	colored := slices.ContainsFunc(elements, func(e plyElement) bool {
		return e.name == "vertex" && slices.ContainsFunc(e.properties, func(p plyProperty) bool { return strings.TrimPrefix(p.name, "diffuse_") == "red" })
	})
	for _, e := range elements {
		if least := e.leastBytes(); e.count < 0 || int64(e.count)*int64(least) > int64(len(body)) {
			return nil, fault("/header/"+e.name, "says %d entries; the %d bytes of the file cannot hold them", e.count, len(body))
		}
		for i := range e.count {
			where := fmt.Sprintf("/%s/%d", e.name, i)
			v, corners, err := e.read(next)
			if err != nil {
				return nil, fault(where, "%v", err)
			}
			switch e.name {
			case "vertex":
				places, normals, colors = append(places, v.place), append(normals, v.normal), append(colors, v.color)
			case "face":
				at := make([]uint32, len(corners))
				for k, c := range corners {
					if c < 0 || c >= len(places) {
						return nil, fault(where, "names vertex %d; there are %d", c, len(places))
					}
					of := corner{c, -1, -1}
					if normals[c] != (geom.Vec3{}) {
						of.normal = c
					}
					before := len(p.index)
					if at[k] = s.vertex(p, of, places[c], [2]float64{}, normals[c]); colored && len(p.index) > before {
						p.colors = append(p.colors, colors[c])
					}
				}
				if len(at) > 2 {
					if err := s.face(p, at, where); err != nil {
						return nil, err
					}
				}
			}
		}
	}
	if err := s.end(p); err != nil {
		return nil, err
	}
	if len(s.level.Meshes) == 0 {
		return nil, fault("", "is a PLY without a face, such as a cloud of points; faces are needed")
	}
	return s.level, nil
}

func plyHeader(data []byte) (elements []plyElement, format string, body []byte, err error) {
	at, n := 0, 0
	for {
		end := bytes.IndexByte(data[at:], '\n')
		if end < 0 || n > 1000 {
			return nil, "", nil, fault(lineOf(n+1), "the header has no end_header")
		}
		n++
		words := strings.Fields(string(data[at : at+end]))
		at += end + 1
		if len(words) == 0 {
			continue
		}
		switch {
		case words[0] == "end_header":
			return elements, format, data[at:], nil
		case words[0] == "format" && len(words) > 1:
			format = words[1]
		case words[0] == "element" && len(words) == 3:
			count, err := strconv.Atoi(words[2])
			if err != nil || count < 0 {
				return nil, "", nil, fault(lineOf(n), "says %q entries; a whole number is needed", level.Visible(words[2]))
			}
			elements = append(elements, plyElement{name: words[1], count: count})
		case words[0] == "property":
			if len(elements) == 0 {
				return nil, "", nil, fault(lineOf(n), "is a property of no element")
			}
			p := plyProperty{}
			switch {
			case len(words) == 5 && words[1] == "list":
				p = plyProperty{words[4], words[3], words[2]}
			case len(words) == 3:
				p = plyProperty{words[2], words[1], ""}
			default:
				return nil, "", nil, fault(lineOf(n), "is no property that PLY has")
			}
			if plySizes[p.kind] == 0 || p.count != "" && plySizes[p.count] == 0 {
				return nil, "", nil, fault(lineOf(n), "has a kind of value that PLY does not have")
			}
			e := &elements[len(elements)-1]
			e.properties = append(e.properties, p)
		}
	}
}

// leastBytes is the least that an entry takes in the file, also as text.
func (e *plyElement) leastBytes() int { return max(1, len(e.properties)) }

// plyVertex is what an entry of the element vertex has.
type plyVertex struct {
	place, normal geom.Vec3
	color         color.Linear
}

// read reads an entry: a vertex, or the corners of a face.
func (e *plyElement) read(next func(kind string) (float64, error)) (vertex plyVertex, corners []int, err error) {
	for _, p := range e.properties {
		if p.count == "" {
			v, err := next(p.kind)
			if err != nil {
				return vertex, nil, err
			}
			if i := slices.Index([]string{"red", "green", "blue"}, strings.TrimPrefix(p.name, "diffuse_")); i >= 0 {
				if p.kind == "uchar" || p.kind == "uint8" {
					v /= 255 // else 0 to 1 already
				}
				vertex.color[i] = color.DecodeSRGB(unit(v))
				continue
			}
			to, name := &vertex.place, p.name
			if strings.HasPrefix(name, "n") {
				to, name = &vertex.normal, name[1:]
			}
			if i := strings.Index("xyz", name); i >= 0 && len(name) == 1 {
				if math.IsNaN(v) || math.IsInf(v, 0) {
					return vertex, nil, fmt.Errorf("has a coordinate that is not finite")
				}
				to[i] = v
			}
			continue
		}
		count, err := next(p.count)
		if err != nil {
			return vertex, nil, err
		}
		if count < 0 || count > maxCorners {
			return vertex, nil, fmt.Errorf("has a list of %v values; the most is %d", count, maxCorners)
		}
		isFace := p.name == "vertex_indices" || p.name == "vertex_index"
		for range int(count) {
			v, err := next(p.kind)
			if err != nil {
				return vertex, nil, err
			}
			if isFace {
				corners = append(corners, int(v))
			}
		}
	}
	return vertex, corners, nil
}

// plyValues reads value after value.
func plyValues(format string, body []byte) (func(kind string) (float64, error), error) {
	switch format {
	case "ascii":
		words := bufio.NewScanner(bytes.NewReader(body))
		words.Split(bufio.ScanWords)
		return func(string) (float64, error) {
			if !words.Scan() {
				return 0, io.ErrUnexpectedEOF
			}
			v, err := strconv.ParseFloat(words.Text(), 64)
			if err != nil {
				return 0, fmt.Errorf("holds %q, which is no number", level.Visible(words.Text()))
			}
			return v, nil
		}, nil
	case "binary_little_endian":
		return plyBinary(binary.LittleEndian, body), nil
	case "binary_big_endian":
		return plyBinary(binary.BigEndian, body), nil
	}
	return nil, fault("/header/format", "is %q; allowed is ascii, binary_little_endian, binary_big_endian", level.Visible(format))
}

func plyBinary(order binary.ByteOrder, body []byte) func(kind string) (float64, error) {
	return func(kind string) (float64, error) {
		size := plySizes[kind]
		if len(body) < size {
			return 0, fmt.Errorf("the file ends within it")
		}
		b := body[:size]
		body = body[size:]
		switch kind {
		case "char", "int8":
			return float64(int8(b[0])), nil
		case "uchar", "uint8":
			return float64(b[0]), nil
		case "short", "int16":
			return float64(int16(order.Uint16(b))), nil
		case "ushort", "uint16":
			return float64(order.Uint16(b)), nil
		case "int", "int32":
			return float64(int32(order.Uint32(b))), nil
		case "uint", "uint32":
			return float64(order.Uint32(b)), nil
		case "float", "float32":
			return float64(math.Float32frombits(order.Uint32(b))), nil
		}
		return math.Float64frombits(order.Uint64(b)), nil
	}
}
