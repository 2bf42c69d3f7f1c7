package picture

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"
)

// decodeHDR reads the Radiance RGBE format, flat or run-length encoded (Ward,
// "Real Pixels", Graphics Gems II, 1991), with rows from the top.
func decodeHDR(data []byte) (*Picture, error) {
	r, width, height, err := headOfHDR(data)
	if err != nil {
		return nil, err
	}
	p := &Picture{Width: width, Height: height, Pix: make([]float32, 3*width*height)}
	row := make([]byte, 4*width)
	for y := range height {
		if err := hdrRow(r, row, width); err != nil {
			return nil, fmt.Errorf("row %d: %w", y, err)
		}
		for x := range width {
			if e := row[4*x+3]; e > 0 {
				scale := float32(math.Ldexp(1, int(e)-136))
				for c := range 3 {
					p.Pix[3*(y*width+x)+c] = float32(row[4*x+c]) * scale
				}
			}
		}
	}
	return p, nil
}

// headOfHDR reads as far as the size of a Radiance image, and refuses what its bytes
// cannot hold. The reader stands at the first row.
func headOfHDR(data []byte) (r *bufio.Reader, width, height int, err error) {
	r = bufio.NewReader(bytes.NewReader(data))
	for {
		line, err := r.ReadString('\n')
		if err != nil {
			return nil, 0, 0, errors.New("ends within the header of a Radiance image")
		}
		line = strings.TrimSpace(line)
		if f, ok := strings.CutPrefix(line, "FORMAT="); ok && f != "32-bit_rle_rgbe" {
			return nil, 0, 0, fmt.Errorf("has the format %q; 32-bit_rle_rgbe can be read", f)
		}
		if line == "" {
			break
		}
	}
	line, err := r.ReadString('\n')
	if err != nil {
		return nil, 0, 0, errors.New("ends before its size")
	}
	if _, err := fmt.Sscanf(line, "-Y %d +X %d", &height, &width); err != nil {
		return nil, 0, 0, fmt.Errorf("has the size line %q; rows from the top, \"-Y height +X width\", can be read", strings.TrimSpace(line))
	}
	if err := checkSize(width, height); err != nil {
		return nil, 0, 0, err
	}
	if int64(len(data))*128 < int64(width)*int64(height) { // the tightest runs
		return nil, 0, 0, fmt.Errorf("is said to be %d by %d pixels, and %d bytes cannot hold them", width, height, len(data))
	}
	return r, width, height, nil
}

func hdrRow(r *bufio.Reader, row []byte, width int) error {
	if _, err := io.ReadFull(r, row[:4]); err != nil {
		return errors.New("the file ends")
	}
	if row[0] != 2 || row[1] != 2 || int(row[2])<<8|int(row[3]) != width || width < 8 || width > 32767 {
		_, err := io.ReadFull(r, row[4:])
		if err != nil {
			return errors.New("the file ends")
		}
		return nil
	}
	for c := range 4 {
		for x := 0; x < width; {
			n, err := r.ReadByte()
			if err != nil {
				return errors.New("the file ends")
			}
			run := n > 128
			count := int(n)
			if run {
				count -= 128
			}
			if count == 0 || x+count > width {
				return fmt.Errorf("a run of %d pixels at %d goes past the width, %d", count, x, width)
			}
			var b byte
			for i := range count {
				if i == 0 || !run {
					if b, err = r.ReadByte(); err != nil {
						return errors.New("the file ends")
					}
				}
				row[4*x+c] = b
				x++
			}
		}
	}
	return nil
}

// EncodeHDR writes a picture as a flat Radiance image. Each pixel keeps eight bits
// of its brightest channel (Ward, 1991).
func EncodeHDR(p *Picture) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y %d +X %d\n", p.Height, p.Width)
	for i := 0; i < len(p.Pix); i += 3 {
		most := max(p.Pix[i], p.Pix[i+1], p.Pix[i+2])
		if most < 1e-32 {
			b.Write([]byte{0, 0, 0, 0})
			continue
		}
		mantissa, e := math.Frexp(float64(most))
		scale := float32(mantissa * 256 / float64(most))
		b.Write([]byte{byte(p.Pix[i] * scale), byte(p.Pix[i+1] * scale), byte(p.Pix[i+2] * scale), byte(e + 128)})
	}
	return b.Bytes()
}
