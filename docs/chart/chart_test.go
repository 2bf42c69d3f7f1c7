package chart_test

import (
	"image/png"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/vgimg"

	"grotta/docs/chart"
)

func TestAChartIsAPicture(t *testing.T) {
	canvas := vgimg.NewWith(vgimg.UseWH(2*vg.Inch, vg.Inch), vgimg.UseDPI(50))
	file := filepath.Join(t.TempDir(), "chart.png")
	require.NoError(t, chart.Write(canvas, file))
	f, err := os.Open(file)
	require.NoError(t, err)
	defer f.Close()
	picture, err := png.Decode(f)
	require.NoError(t, err)
	assert.Equal(t, 100, picture.Bounds().Dx())
	assert.Error(t, chart.Write(canvas, filepath.Join(file, "below")))
}
