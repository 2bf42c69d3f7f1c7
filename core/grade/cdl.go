package grade

import (
	"encoding/xml"
	"fmt"
	"strconv"
	"strings"

	"grotta/core/level"
)

// The XML of the ASC colour decision list, version 1.2: a ColorCorrection alone
// (.cc) or in a collection or list; the first is read.

type correction struct {
	XMLName xml.Name `xml:"ColorCorrection"`
	ID      string   `xml:"id,attr,omitempty"`
	SOP     struct {
		Slope  string `xml:"Slope"`
		Offset string `xml:"Offset"`
		Power  string `xml:"Power"`
	} `xml:"SOPNode"`
	Sat struct {
		Saturation string `xml:"Saturation"`
	} `xml:"SatNode"`
}

// WriteCDL gives a grade as a ColorCorrection.
func WriteCDL(g *level.Grade, id string) ([]byte, error) {
	three := func(v level.Vec) string {
		return fmt.Sprintf("%s %s %s", number(v[0]), number(v[1]), number(v[2]))
	}
	var c correction
	c.ID = id
	c.SOP.Slope, c.SOP.Offset, c.SOP.Power = three(g.Slope), three(g.Offset), three(g.Power)
	c.Sat.Saturation = number(g.Saturation)
	text, err := xml.MarshalIndent(c, "", "  ")
	return append([]byte(xml.Header), append(text, '\n')...), err
}

func number(x float64) string { return strconv.FormatFloat(x, 'g', -1, 64) }

// ReadCDL reads the first ColorCorrection of a document. What it leaves out keeps
// its default. The error says what is wrong and where.
func ReadCDL(text []byte) (*level.Grade, error) {
	decoder := xml.NewDecoder(strings.NewReader(string(text)))
	for {
		token, err := decoder.Token()
		if err != nil {
			return nil, fmt.Errorf("holds no ColorCorrection of the ASC CDL (line %d)", line(decoder))
		}
		start, ok := token.(xml.StartElement)
		if !ok || start.Name.Local != "ColorCorrection" {
			continue
		}
		var c correction
		if err := decoder.DecodeElement(&c, &start); err != nil {
			return nil, fmt.Errorf("is not XML: %w", err)
		}
		return c.grade()
	}
}

func line(d *xml.Decoder) int { l, _ := d.InputPos(); return l }

func (c *correction) grade() (*level.Grade, error) {
	g := level.Default[level.Grade]()
	for _, field := range []struct {
		name, text string
		to         []float64
	}{
		{"Slope", c.SOP.Slope, g.Slope[:]}, {"Offset", c.SOP.Offset, g.Offset[:]}, {"Power", c.SOP.Power, g.Power[:]},
		{"Saturation", c.Sat.Saturation, []float64{1}},
	} {
		if strings.TrimSpace(field.text) == "" {
			continue
		}
		words := strings.Fields(field.text)
		if len(words) != len(field.to) {
			return nil, fmt.Errorf("%s is %q; %d numbers are needed", field.name, field.text, len(field.to))
		}
		for i, w := range words {
			x, err := strconv.ParseFloat(w, 64)
			if err != nil {
				return nil, fmt.Errorf("%s is %q; %q is no number", field.name, field.text, w)
			}
			field.to[i] = x
		}
		if field.name == "Saturation" {
			g.Saturation = field.to[0]
		}
	}
	return &g, level.CheckFields(&g)
}
