package solar_test

import (
	"encoding/csv"
	"math"
	"os"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"grotta/core/solar"
)

// The table was made by an independent ephemeris.
func TestAgainstAnIndependentTable(t *testing.T) {
	f, err := os.Open("testdata/sun_positions.csv")
	require.NoError(t, err)
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	require.NoError(t, err)
	require.Greater(t, len(rows), 20)
	worst := 0.0
	for _, row := range rows[1:] {
		n := func(i int) float64 {
			x, err := strconv.ParseFloat(row[i], 64)
			require.NoError(t, err)
			return x
		}
		when, err := time.Parse(time.RFC3339, row[2])
		require.NoError(t, err)
		got := solar.At(n(0), n(1), when)
		// The angle between the two directions: azimuths mean nothing at the zenith.
		angle := math.Acos(min(1, dot(direction(n(3), n(4)), direction(got.AzimuthDeg, got.AltitudeDeg)))) * 180 / math.Pi
		require.Less(t, angle, 0.1, "%v: want %s %s, got %+v", row[:3], row[3], row[4], got)
		require.InDelta(t, n(4), got.AltitudeDeg, 0.1)
		worst = max(worst, angle)
	}
	t.Logf("worst of %d: %.4f degrees", len(rows)-1, worst)
}

func direction(azimuth, altitude float64) [3]float64 {
	a, h := azimuth*math.Pi/180, altitude*math.Pi/180
	return [3]float64{math.Sin(a) * math.Cos(h), math.Sin(h), -math.Cos(a) * math.Cos(h)}
}

func dot(a, b [3]float64) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }
