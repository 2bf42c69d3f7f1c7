package exchange

import (
	"bufio"
	"bytes"
	"fmt"
	"math"
	"path"
	"strconv"
	"strings"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/picture"
)

// OBJ with its material library (MTL): the statements v (with a colour in sRGB, or without), vt, vn, f, o, g, usemtl, mtllib;
// Kd, Ke, d, map_Kd. Faces may be polygons and count back from the newest vertex. Curves and lines
// are left out.

type objReader struct {
	*soup
	files     *Files
	vertices  []geom.Vec3
	images    [][2]float64
	normals   []geom.Vec3
	colors    []color.Linear    // of the vertices, as far as any has one
	materials map[string]string // ids by name
	pieces    map[string]*piece
	order     []*piece
	object    string
	material  string
	skipped   map[string]int
	pixels    int
}

// maxLine is the longest line that is read.
const maxLine = 1 << 20

func readOBJ(files *Files, o Options, report *Report) (*level.Level, error) {
	r := &objReader{soup: newSoup(o, report), files: files, materials: map[string]string{}, pieces: map[string]*piece{}, object: o.Name, skipped: map[string]int{}}
	lines := bufio.NewScanner(bytes.NewReader(files.Data))
	lines.Buffer(nil, maxLine)
	n := 0
	for lines.Scan() {
		n++
		if err := r.line(lines.Text(), n); err != nil {
			return nil, err
		}
	}
	if err := lines.Err(); err != nil {
		return nil, fault(lineOf(n+1), "is longer than %d bytes", maxLine)
	}
	if len(r.order) == 0 {
		return nil, fault("", "is read as OBJ and has no face")
	}
	for _, p := range r.order {
		if err := r.end(p); err != nil {
			return nil, err
		}
	}
	for _, word := range []string{"l", "p", "curv", "surf"} {
		if k := r.skipped[word]; k > 0 {
			report.leave("%d statements %q", k, word)
		}
	}
	return r.level, nil
}

func (r *objReader) line(text string, n int) error {
	text, _, _ = strings.Cut(text, "#")
	word, rest, _ := strings.Cut(strings.TrimSpace(text), " ")
	rest = strings.TrimSpace(rest)
	switch word {
	case "v":
		v, err := numbers(rest, 3)
		if err != nil {
			return fault(lineOf(n), "is a vertex and %v", err)
		}
		r.vertices = append(r.vertices, geom.Vec3{v[0], v[1], v[2]})
		if len(v) >= 6 { // a colour as well, which many programs write
			for len(r.colors) < len(r.vertices)-1 {
				r.colors = append(r.colors, color.White)
			}
			r.colors = append(r.colors, color.Linear{color.DecodeSRGB(unit(v[3])), color.DecodeSRGB(unit(v[4])), color.DecodeSRGB(unit(v[5]))})
		}
	case "vt":
		v, err := numbers(rest, 1)
		if err != nil {
			return fault(lineOf(n), "is a place in an image and %v", err)
		}
		uv := [2]float64{v[0], 0}
		if len(v) > 1 {
			uv[1] = v[1]
		}
		r.images = append(r.images, uv)
	case "vn":
		v, err := numbers(rest, 3)
		if err != nil {
			return fault(lineOf(n), "is a normal and %v", err)
		}
		r.normals = append(r.normals, geom.Vec3{v[0], v[1], v[2]})
	case "f":
		return r.polygon(strings.Fields(rest), n)
	case "o", "g":
		if rest != "" {
			r.object = rest
		}
	case "usemtl":
		r.material = rest
	case "mtllib":
		for _, name := range libraryNames(rest) {
			if err := r.library(name, n); err != nil {
				return err
			}
		}
	case "":
	default:
		r.skipped[word]++
	}
	return nil
}

// numbers reads at least so many finite numbers, and those after them.
func numbers(text string, least int) ([]float64, error) {
	words := strings.Fields(text)
	if len(words) < least {
		return nil, fmt.Errorf("has %d numbers; %d are needed", len(words), least)
	}
	out := make([]float64, len(words))
	for i, w := range words {
		v, err := strconv.ParseFloat(w, 64)
		if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
			return nil, fmt.Errorf("holds %q, which is no finite number", level.Visible(w))
		}
		out[i] = v
	}
	return out, nil
}

func (r *objReader) polygon(words []string, n int) error {
	if len(words) < 3 {
		return fault(lineOf(n), "is a face of %d corners; 3 are needed", len(words))
	}
	key := r.object + "\x00" + r.material
	p := r.pieces[key]
	if p == nil {
		id, err := r.materialNamed(r.material)
		if err != nil {
			return err
		}
		p = r.begin(r.object, id)
		r.pieces[key] = p
		r.order = append(r.order, p)
	}
	corners := make([]uint32, len(words))
	for i, w := range words {
		parts := strings.Split(w, "/")
		at, image, normal, err := corner{-1, -1, -1}, [2]float64{}, geom.Vec3{}, error(nil)
		if at.vertex, err = objIndex(parts[0], len(r.vertices)); err != nil {
			return fault(lineOf(n), "names vertex %v", err)
		}
		if len(parts) > 1 && parts[1] != "" {
			if at.image, err = objIndex(parts[1], len(r.images)); err != nil {
				return fault(lineOf(n), "names place in an image %v", err)
			}
			image = r.images[at.image]
		}
		if len(parts) > 2 && parts[2] != "" {
			if at.normal, err = objIndex(parts[2], len(r.normals)); err != nil {
				return fault(lineOf(n), "names normal %v", err)
			}
			normal = r.normals[at.normal]
		}
		before := len(p.index)
		if corners[i] = r.vertex(p, at, r.vertices[at.vertex], image, normal); len(r.colors) > 0 && len(p.index) > before {
			for len(p.colors) < before { // vertices before the first with a colour
				p.colors = append(p.colors, color.White)
			}
			tint := color.White
			if at.vertex < len(r.colors) {
				tint = r.colors[at.vertex]
			}
			p.colors = append(p.colors, tint)
		}
	}
	return r.face(p, corners, lineOf(n))
}

// objIndex counts from 1, or back from the newest.
func objIndex(word string, have int) (int, error) {
	i, err := strconv.Atoi(word)
	switch {
	case err != nil:
		return 0, fmt.Errorf("%q, which is no number", level.Visible(word))
	case i < 0:
		i += have
	default:
		i--
	}
	if i < 0 || i >= have {
		return 0, fmt.Errorf("%s; %d stand before it", word, have)
	}
	return i, nil
}

// materialNamed is the id of a material; one that no library has is plain.
func (r *objReader) materialNamed(name string) (string, error) {
	if name == "" {
		return "", nil
	}
	if id, ok := r.materials[name]; ok {
		return id, nil
	}
	return r.addMaterial(name).ID, nil
}

func (r *objReader) addMaterial(name string) *level.Material {
	m := level.Default[level.Material]()
	m.ID, m.Name = r.ids.Fresh(name), clip(name)
	r.level.Materials = append(r.level.Materials, &m)
	r.materials[name] = m.ID
	return &m
}

// library reads a file of materials; one that did not come is said.
func (r *objReader) library(name string, n int) error {
	data, err := r.files.find(name)
	if err != nil {
		r.report.leave("line %d: the material library %v; its materials are plain", n, err)
		return nil
	}
	var m *level.Material
	folder := path.Dir(strings.ReplaceAll(name, `\`, "/"))
	for i, text := range strings.Split(string(data), "\n") {
		where := fmt.Sprintf("%s, line %d", name, i+1)
		text, _, _ = strings.Cut(text, "#")
		word, rest, _ := strings.Cut(strings.TrimSpace(text), " ")
		rest = strings.TrimSpace(rest)
		if word == "newmtl" {
			m = r.addMaterial(rest)
			continue
		}
		if m == nil {
			continue
		}
		switch word {
		case "Kd", "Ke":
			v, err := numbers(rest, 3)
			if err != nil {
				r.report.leave("%s: %s %v", where, word, err)
				continue
			}
			if word == "Kd" {
				m.Color = color.Linear{unit(v[0]), unit(v[1]), unit(v[2])}.Exact()
			} else {
				shine(m, color.Linear{v[0], v[1], v[2]}, where, r.report)
			}
		case "map_Kd":
			r.picture(m, path.Join(folder, lastWord(rest)), where)
		case "d", "Tr":
			if v, err := numbers(rest, 1); err == nil && (word == "d" && v[0] < 1 || word == "Tr" && v[0] > 0) {
				r.report.leave("%s: %s lets light through, which is not kept; it is solid", where, m.Name)
			}
		}
	}
	return nil
}

func (r *objReader) picture(m *level.Material, name, where string) {
	data, err := r.files.find(name)
	if err == nil {
		var width, height int
		if width, height, err = picture.Size(data); err == nil {
			if r.pixels += width * height; r.pixels > level.MaxImagePixels || len(data) > level.MaxImageBytes {
				err = fmt.Errorf("is too large")
			}
		}
	}
	image := &level.Image{Data: data}
	if err == nil {
		err = image.Decode()
	}
	if err != nil {
		r.report.leave("%s: the image %v", where, err)
		return
	}
	image.ID, image.Name = r.ids.Fresh(path.Base(name)), clip(path.Base(name))
	r.level.Images = append(r.level.Images, image)
	m.Image = image.ID
}

// unit is a value within 0 and 1; what is no number is 0.
func unit(v float64) float64 {
	if !(v > 0) {
		return 0
	}
	return min(v, 1)
}

// lastWord is the file name behind the options of a map statement.
func lastWord(text string) string {
	if !strings.HasPrefix(text, "-") {
		return text
	}
	words := strings.Fields(text)
	if len(words) == 0 {
		return ""
	}
	return words[len(words)-1]
}

// libraryNames splits the names of a mtllib statement: one name may have spaces, several end each
// with .mtl.
func libraryNames(text string) []string {
	if strings.Count(strings.ToLower(text), ".mtl") <= 1 {
		if text == "" {
			return nil
		}
		return []string{text}
	}
	return strings.Fields(text)
}

// objLibraries are the files that an OBJ names.
func objLibraries(data []byte) (names []string) {
	for line := range bytes.Lines(data) {
		if rest, ok := bytes.CutPrefix(bytes.TrimSpace(line), []byte("mtllib ")); ok {
			names = append(names, libraryNames(strings.TrimSpace(string(rest)))...)
		}
	}
	return names
}

// mtlImages are the files that a material library names.
func mtlImages(data []byte) (names []string) {
	for line := range bytes.Lines(data) {
		if rest, ok := bytes.CutPrefix(bytes.TrimSpace(line), []byte("map_Kd ")); ok {
			names = append(names, lastWord(strings.TrimSpace(string(rest))))
		}
	}
	return names
}
