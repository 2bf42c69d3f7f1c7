package exchange

import (
	"archive/zip"
	"context"
	"fmt"
	"io"
	"math"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/color"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/picture"
	"grotta/core/source"
)

// LightmapFormat is the manifest's format and major version.
const LightmapFormat = "grotta-lightmap/1"

// maxTexelsOut bounds the texels of all pages of an archive together: it is made in memory.
const maxTexelsOut = 96 << 20

// Pages say how the pages of a lightmap are written.
type Pages struct {
	As       string  // "exr", "hdr" or "png"
	Encoding string  // png: "linear", "srgb" or "rgbm"
	RangeLux float64 // png: the light that is white; 0 takes the brightest texel
	Layers   bool    // also each source's pages by themselves

	Directions bool // also how light changes as normals turn
}

// Fit is an error where the pages of a lightmap with so many sources are too large to be handed out.
func (p Pages) Fit(l *lightmap.Layout, sources int) error {
	images := 1
	if p.Layers {
		images += sources
	}
	if p.Directions {
		images *= 4
	}
	if texels := images * l.Pages * l.PageSize * l.PageSize; texels > maxTexelsOut {
		return fault("", "the pages of %d images have %d texels together; the most is %d. Ask without the layers or the directions, or lower the densities", images, texels, maxTexelsOut)
	}
	return nil
}

// Baked is a level with its baked light.
type Baked struct {
	Map     *lightmap.Map
	Sources []source.Source
	Image   *layer.Image
	Quality string // of the coarsest layer in it
	Files   []File // beside the pages, such as probes and reflections; they are named in the manifest
	// Layer is a source's own light at its colour and strength; nil where it has none.
	Layer func(i int) (*layer.Image, error)
	// Slope is how the light of all sources changes as normals turn, along x, y and z; LayerSlope is that of one source.
	// They are nil where directions are not asked for.
	Slope      *Slope
	LayerSlope func(i int) *Slope
}

// Slope is an image for each axis.
type Slope [3]*layer.Image

// directionWords say what the pages of directions are.
const directionWords = "how light changes as the normal turns, in the level's axes (x east, y up, z south; the model's own): a normal m in place of the surface's n gets page + (m - n)·(x, y, z), for red, green and blue apart; values are as those of the pages and may be negative"

// File is a file of an archive.
type File struct {
	Name, What string
	Data       []byte
}

// Manifest tells what is in an archive of pages. Lux = value x LuxPerUnit, where a value is what the
// encoding says of a texel.
type Manifest struct {
	Format     string          `json:"format"`
	Level      string          `json:"level"`
	Quality    string          `json:"quality"`
	ExposureEV float64         `json:"exposure_ev"`
	Model      string          `json:"model"`
	PageSize   int             `json:"page_size"`
	Encoding   string          `json:"encoding"`
	LuxPerUnit float64         `json:"lux_per_unit"`
	Pages      []string        `json:"pages"`
	Directions *Directions     `json:"directions,omitzero"`
	Layers     []ManifestLayer `json:"layers,omitzero"`
	Beside     []ManifestFile  `json:"beside,omitzero"`
	Left       []string        `json:"left"`
	Notes      []string        `json:"notes"`
	Charts     []ManifestChart `json:"charts"`
}

// ManifestLayer is one source's own pages; their sum is the lightmap.
type ManifestLayer struct {
	ID         string      `json:"id"`
	Name       string      `json:"name"`
	Pages      []string    `json:"pages"`
	Directions *Directions `json:"directions,omitzero"`
}

// Directions are pages of how light changes as normals turn.
type Directions struct {
	What string   `json:"what,omitzero"`
	X    []string `json:"x"`
	Y    []string `json:"y"`
	Z    []string `json:"z"`
}

// ManifestFile is another file of the archive, and what it holds.
type ManifestFile struct {
	File string `json:"file"`
	What string `json:"what"`
}

// ManifestChart is where one surface lies: pixels from the left upper corner of its page.
type ManifestChart struct {
	Entity     string  `json:"entity"`
	Face       int     `json:"face"`
	Page       int     `json:"page"`
	X          int     `json:"x"`
	Y          int     `json:"y"`
	Width      int     `json:"width"`
	Height     int     `json:"height"`
	Padding    int     `json:"padding"`
	TexelsPerM float64 `json:"texels_per_m"`
}

// WriteBaked writes an archive: the level as glTF whose second set of texture coordinates lies on
// the pages, the pages, and a manifest.
func WriteBaked(ctx context.Context, w io.Writer, l *level.Level, b *Baked, how Pages) (*Report, error) {
	if err := how.Fit(b.Map.Layout, len(b.Sources)); err != nil {
		return nil, err
	}
	model, report, err := writeGLTF(l, b.Map)
	if err != nil {
		return nil, err
	}
	out := &bakedWriter{zip: zip.NewWriter(w), how: how, report: report}
	if err := out.put("level.glb", model); err != nil {
		return nil, err
	}
	m := &Manifest{Format: LightmapFormat, Level: l.Name, Quality: b.Quality, ExposureEV: l.Look.ExposureEV, Model: "level.glb",
		PageSize: b.Image.PageSize, Encoding: out.encoding(), Charts: charts(b.Map)}
	out.scale(b)
	m.LuxPerUnit = out.luxPerUnit
	if m.Pages, err = out.pages(ctx, "page", b.Image); err != nil {
		return nil, err
	}
	if m.Directions, err = out.directions(ctx, "direction", b.Slope); err != nil {
		return nil, err
	}
	if m.Directions != nil {
		m.Directions.What = directionWords
	}
	if how.Layers {
		for i := range b.Sources {
			image, err := b.Layer(i)
			if err != nil {
				return nil, err
			}
			if image == nil {
				continue
			}
			s := &b.Sources[i]
			files, err := out.pages(ctx, fmt.Sprintf("layers/%d", i), image)
			if err != nil {
				return nil, err
			}
			own := ManifestLayer{ID: s.ID, Name: s.Name, Pages: files}
			if b.Slope != nil {
				if own.Directions, err = out.directions(ctx, fmt.Sprintf("layers/%d-direction", i), b.LayerSlope(i)); err != nil {
					return nil, err
				}
			}
			m.Layers = append(m.Layers, own)
		}
	}
	for _, f := range b.Files {
		if err := out.put(f.Name, f.Data); err != nil {
			return nil, err
		}
		m.Beside = append(m.Beside, ManifestFile{f.Name, f.What})
	}
	if out.cut > 0 {
		report.note("%d texels are brighter than the range of %.4g lx, and are cut", out.cut, out.luxPerUnit)
	}
	m.Left, m.Notes = append([]string{}, report.Left...), append([]string{}, report.Notes...)
	text, err := json.Marshal(m, json.Deterministic(true), jsontext.WithIndent("  "))
	if err != nil {
		return nil, err
	}
	if err := out.put("manifest.json", append(text, '\n')); err != nil {
		return nil, err
	}
	return report, out.zip.Close()
}

type bakedWriter struct {
	zip        *zip.Writer
	how        Pages
	report     *Report
	luxPerUnit float64
	cut        int
}

func (w *bakedWriter) put(name string, data []byte) error {
	f, err := w.zip.Create(name)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return err
}

func (w *bakedWriter) encoding() string {
	if w.how.As == "png" {
		return "png, 8 bit, " + w.how.Encoding
	}
	return map[string]string{"exr": "OpenEXR, half-float, linear", "hdr": "Radiance HDR, linear"}[w.how.As]
}

// scale finds what a value of 1 is in lux: the range of eight bits, or what keeps half-floats within
// theirs.
func (w *bakedWriter) scale(b *Baked) {
	most := 0.0
	for _, v := range b.Image.Pix {
		most = max(most, float64(v))
	}
	if b.Slope != nil {
		for _, image := range b.Slope {
			for _, v := range image.Pix {
				most = max(most, math.Abs(float64(v)))
			}
		}
	}
	w.luxPerUnit = 1
	switch {
	case w.how.As == "png" && w.how.RangeLux > 0:
		w.luxPerUnit = w.how.RangeLux
	case w.how.As == "png":
		w.luxPerUnit = max(most, 1e-6)
	case most > 60000:
		w.luxPerUnit = math.Exp2(math.Ceil(math.Log2(most / 60000)))
	}
}

// directions writes the pages of a slope; there are none of no slope.
func (w *bakedWriter) directions(ctx context.Context, name string, s *Slope) (*Directions, error) {
	if s == nil {
		return nil, nil
	}
	d := &Directions{}
	for axis, files := range []*[]string{&d.X, &d.Y, &d.Z} {
		var err error
		if *files, err = w.pages(ctx, name+"-"+"xyz"[axis:axis+1], s[axis]); err != nil {
			return nil, err
		}
	}
	return d, nil
}

// pages writes each page of an image and returns the names of the files.
func (w *bakedWriter) pages(ctx context.Context, name string, image *layer.Image) ([]string, error) {
	var files []string
	size := 3 * image.PageSize * image.PageSize
	for k := range image.Pages {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		p := &picture.Picture{Width: image.PageSize, Height: image.PageSize, Pix: image.Pix[k*size : (k+1)*size]}
		if w.luxPerUnit != 1 && w.how.As != "png" {
			p.Pix = scaled(p.Pix, float32(1/w.luxPerUnit))
		}
		var data []byte
		switch w.how.As {
		case "exr":
			data = picture.EncodeEXR(p)
		case "hdr":
			data = picture.EncodeHDR(p)
		default:
			var cut int
			var err error
			if data, cut, err = picture.EncodePNG(p, w.how.Encoding, w.luxPerUnit); err != nil {
				return nil, err
			}
			w.cut += cut
		}
		file := fmt.Sprintf("%s-%d.%s", name, k, w.how.As)
		if err := w.put(file, data); err != nil {
			return nil, err
		}
		files = append(files, file)
	}
	return files, nil
}

func scaled(pix []float32, by float32) []float32 {
	out := make([]float32, len(pix))
	for i, v := range pix {
		out[i] = v * by
	}
	return out
}

func charts(m *lightmap.Map) []ManifestChart {
	out := make([]ManifestChart, len(m.Layout.Charts))
	for i := range m.Layout.Charts {
		c := &m.Layout.Charts[i]
		s := &m.Scene.Surfaces[c.Surface]
		x, y := c.Corner()
		width, height := c.Size()
		out[i] = ManifestChart{Entity: s.Body().Entity, Face: int(s.Face), Page: c.Page(), X: x, Y: y, Width: width, Height: height, Padding: lightmap.PaddingTexels, TexelsPerM: c.Density}
	}
	return out
}

// SourceImage is one source's light at its own colour and strength.
func SourceImage(m *lightmap.Map, s *source.Source, l *layer.Layer) *layer.Image {
	if l == nil || s.Weight == (color.Linear{}) {
		return nil
	}
	image := layer.NewImage(m.Layout.PageSize, m.Layout.Pages)
	l.AddTo(image, s.Weight)
	return image
}
