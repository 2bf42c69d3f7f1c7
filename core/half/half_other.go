//go:build !amd64

package half

const fast = false

func addScaledF16C(*float32, *uint16, *float32, int64, int64, int64) {}

func encodeF16C(*uint16, *float32, float32, int64) {}

func addTimesAVX(*float32, *float32, int64, float32) {}

func addOffAVX(_, _, _, _ *float32, _ int64, _ float32) {}

func sumHalfRowsF16C(*float32, *uint16, *uint32, int64, int64, int64) {}

func bounceAVX(_, _, _ *[4]float32, _ *uint16, _ *uint32, _ *[4]float32, _ int64, _ float32) {}

func bounceLeadsAVX(_, _, _ *[4]float32, _ *uint16, _ *uint32, _ *[4]float32, _ int64, _ float32) {}
