// Package photometry reads how luminaires shine: files of IES LM-63 of 1986, 1991, 1995 and 2002, with
// photometry of type C, and interpolates them as the standard says.
package photometry

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// Bounds of a file.
const (
	MaxBytes  = 1 << 20
	maxAngles = 1000
	maxValues = 200_000
)

// Profile is a luminaire's intensity by direction. Vertical angles count from straight down, 0 to
// 180 degrees; horizontal angles turn about that axis.
type Profile struct {
	Keywords   map[string]string // such as MANUFAC and LUMINAIRE
	Vertical   []float64         // degrees, rising
	Horizontal []float64         // degrees, rising
	Candela    [][]float64       // by horizontal, then vertical angle; with all factors of the file
	Peak       float64           // the brightest, candela
}

// Error is a fault of a file, with its line.
type Error struct {
	Line    int // 0 where it is of the whole file
	Message string
}

func (e *Error) Error() string {
	if e.Line == 0 {
		return e.Message
	}
	return fmt.Sprintf("line %d %s", e.Line, e.Message)
}

// Parse reads a file. Nothing is allocated on what it claims.
func Parse(data []byte) (*Profile, error) {
	if len(data) > MaxBytes {
		return nil, &Error{0, fmt.Sprintf("has %d bytes; the most is %d", len(data), MaxBytes)}
	}
	r := &reader{}
	plain := bytes.ReplaceAll(bytes.ReplaceAll(data, []byte("\r\n"), []byte("\n")), []byte("\r"), []byte("\n"))
	for line := range bytes.Lines(plain) {
		r.lines = append(r.lines, strings.TrimSpace(string(line)))
	}
	p := &Profile{Keywords: map[string]string{}}
	if err := r.head(p); err != nil {
		return nil, err
	}
	if err := r.body(p); err != nil {
		return nil, err
	}
	return p, nil
}

type reader struct {
	lines  []string
	next   int      // line
	words  []string // of the line that is being read
	line   int      // of these words
	factor float64
}

// head reads the keywords up to the line about tilt.
func (r *reader) head(p *Profile) error {
	looksRight := false
	for ; r.next < len(r.lines); r.next++ {
		line := r.lines[r.next]
		switch {
		case strings.HasPrefix(line, "IESNA"):
			looksRight = true
		case strings.HasPrefix(line, "["):
			if key, value, ok := strings.Cut(line[1:], "]"); ok && len(p.Keywords) < 100 {
				p.Keywords[strings.ToUpper(key)] = strings.TrimSpace(value)
			}
		case strings.HasPrefix(line, "TILT="):
			switch tilt := strings.TrimSpace(strings.TrimPrefix(line, "TILT=")); tilt {
			case "NONE":
				r.next++
				return nil
			case "INCLUDE":
				r.next++
				return r.tilt()
			default:
				return &Error{r.next + 1, fmt.Sprintf("has TILT=%s, which names another file; NONE or INCLUDE is needed", tilt)}
			}
		}
		if r.next > 200 {
			break
		}
	}
	if !looksRight {
		return &Error{0, "is no file of IES LM-63: it has no line TILT="}
	}
	return &Error{0, "has no line TILT="}
}

// tilt passes over how a lamp's light depends on how it is tilted: here luminaires hang as they were
// measured.
func (r *reader) tilt() error {
	if _, err := r.number(); err != nil {
		return err
	}
	n, err := r.count("angles of tilt")
	if err != nil {
		return err
	}
	for range 2 * n {
		if _, err := r.number(); err != nil {
			return err
		}
	}
	return nil
}

func (r *reader) body(p *Profile) error {
	names := []string{"lamps", "lumens", "multiplier"}
	var head [3]float64
	for i := range names {
		v, err := r.number()
		if err != nil {
			return err
		}
		head[i] = v
	}
	vertical, err := r.count("vertical angles")
	if err != nil {
		return err
	}
	horizontal, err := r.count("horizontal angles")
	if err != nil {
		return err
	}
	if vertical*horizontal > maxValues {
		return &Error{r.line, fmt.Sprintf("claims %d values; the most is %d", vertical*horizontal, maxValues)}
	}
	kind, err := r.number()
	if err != nil {
		return err
	}
	if kind != 1 {
		return &Error{r.line, fmt.Sprintf("has photometry of type %s; only type C (1) is read. Most programs for luminaires can save it so", kindName(kind))}
	}
	for range 4 { // units and size of the luminaire
		if _, err := r.number(); err != nil {
			return err
		}
	}
	ballast, err := r.number()
	if err != nil {
		return err
	}
	future, err := r.number() // the ballast-lamp photometric factor of 1986, else 1
	if err != nil {
		return err
	}
	if _, err := r.number(); err != nil { // watts
		return err
	}
	r.factor = head[2] * ballast * future
	if !(r.factor > 0) || math.IsInf(r.factor, 0) {
		return &Error{r.line, fmt.Sprintf("has factors that make %v together; a number over 0 is needed", r.factor)}
	}
	if p.Vertical, err = r.angles(vertical, "vertical"); err != nil {
		return err
	}
	if p.Horizontal, err = r.angles(horizontal, "horizontal"); err != nil {
		return err
	}
	if err := r.checkAngles(p); err != nil {
		return err
	}
	return r.candela(p)
}

// kindName is what the standard calls a type of photometry.
func kindName(kind float64) string {
	switch kind {
	case 2:
		return "B (2)"
	case 3:
		return "A (3)"
	}
	return strconv.FormatFloat(kind, 'g', -1, 64)
}

func (r *reader) candela(p *Profile) error {
	for range p.Horizontal {
		row := make([]float64, 0, len(p.Vertical))
		for range p.Vertical {
			v, err := r.number()
			if err != nil {
				return err
			}
			if v < 0 {
				return &Error{r.line, fmt.Sprintf("has %v candela; a number of at least 0 is needed", v)}
			}
			row = append(row, v*r.factor)
			p.Peak = max(p.Peak, v*r.factor)
		}
		p.Candela = append(p.Candela, row)
	}
	if !(p.Peak > 0) || math.IsInf(p.Peak, 0) {
		return &Error{0, "shines nowhere"}
	}
	return nil
}

// checkAngles holds the angles to what the standard allows for type C.
func (r *reader) checkAngles(p *Profile) error {
	first, last := p.Vertical[0], p.Vertical[len(p.Vertical)-1]
	if !(first == 0 || first == 90) || !(last == 90 || last == 180) || first == last && len(p.Vertical) > 1 {
		return &Error{0, fmt.Sprintf("has vertical angles from %g to %g; 0 to 90, 0 to 180 or 90 to 180 is needed", first, last)}
	}
	first, last = p.Horizontal[0], p.Horizontal[len(p.Horizontal)-1]
	if ends := [2]float64{first, last}; !slices.Contains([][2]float64{{0, 0}, {0, 90}, {0, 180}, {0, 360}, {90, 270}}, ends) {
		return &Error{0, fmt.Sprintf("has horizontal angles from %g to %g; only 0, or 0 to 90, 180 or 360, or 90 to 270 is possible", first, last)}
	}
	return nil
}

func (r *reader) angles(n int, what string) ([]float64, error) {
	var out []float64
	for range n {
		v, err := r.number()
		if err != nil {
			return nil, err
		}
		if len(out) > 0 && v <= out[len(out)-1] {
			return nil, &Error{r.line, fmt.Sprintf("has the %s angle %g after %g; they must rise", what, v, out[len(out)-1])}
		}
		out = append(out, v)
	}
	return out, nil
}

func (r *reader) count(what string) (int, error) {
	v, err := r.number()
	if err != nil {
		return 0, err
	}
	if v != math.Trunc(v) || v < 1 || v > maxAngles {
		return 0, &Error{r.line, fmt.Sprintf("has %g %s; 1 to %d is possible", v, what, maxAngles)}
	}
	return int(v), nil
}

// number is the next number, on this line or a later one.
func (r *reader) number() (float64, error) {
	for len(r.words) == 0 {
		if r.next >= len(r.lines) {
			return 0, &Error{0, fmt.Sprintf("ends in line %d, before all its numbers", len(r.lines))}
		}
		r.words = strings.FieldsFunc(r.lines[r.next], func(c rune) bool { return c == ' ' || c == '\t' || c == ',' })
		r.next++
		r.line = r.next
	}
	word := r.words[0]
	r.words = r.words[1:]
	v, err := strconv.ParseFloat(word, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, &Error{r.line, fmt.Sprintf("has %q; a number is needed", word)}
	}
	return v, nil
}

// At is the intensity in a direction, in candela: linear between the angles of the file along both
// (LM-63). Vertical and horizontal are in degrees. Beyond the vertical angles of the file it is dark.
// Angles that the file leaves out for their symmetry are mirrored.
func (p *Profile) At(vertical, horizontal float64) float64 {
	last := len(p.Vertical) - 1
	if vertical < p.Vertical[0]-1e-9 || vertical > p.Vertical[last]+1e-9 {
		return 0
	}
	i, s := between(p.Vertical, vertical)
	k, t := between(p.Horizontal, p.mirrored(horizontal))
	row := func(k int) float64 {
		c := p.Candela[k]
		return c[i]*(1-s) + c[min(i+1, last)]*s
	}
	return row(k)*(1-t) + row(min(k+1, len(p.Horizontal)-1))*t
}

// mirrored brings a horizontal angle into the range of the file.
func (p *Profile) mirrored(h float64) float64 {
	h = math.Mod(math.Mod(h, 360)+360, 360)
	first, last := p.Horizontal[0], p.Horizontal[len(p.Horizontal)-1]
	switch {
	case last == 0:
		return 0
	case first == 90: // to both sides of the plane of 90 and 270
		if h < 90 {
			return 180 - h
		} else if h > 270 {
			return 540 - h
		}
	case last == 90:
		if h > 180 {
			h = 360 - h
		}
		if h > 90 {
			h = 180 - h
		}
	case last == 180:
		if h > 180 {
			h = 360 - h
		}
	}
	return h
}

// between is the angle of a rising list below one, and the share of the way to the next.
func between(list []float64, v float64) (int, float64) {
	i, found := slices.BinarySearch(list, v)
	if found || i == 0 {
		return min(i, len(list)-1), 0
	}
	if i == len(list) {
		return i - 1, 0
	}
	return i - 1, (v - list[i-1]) / (list[i] - list[i-1])
}

// Lumens is all its light: the intensity over the sphere, by rings of half a degree.
func (p *Profile) Lumens() float64 {
	const rings, sectors = 360, 72
	sum := 0.0
	for a := range rings {
		v := (float64(a) + 0.5) * 180 / rings
		ring := 0.0
		for b := range sectors {
			ring += p.At(v, (float64(b)+0.5)*360/sectors)
		}
		sum += ring / sectors * 2 * math.Pi * math.Sin(v*math.Pi/180) * math.Pi / rings
	}
	return sum
}
