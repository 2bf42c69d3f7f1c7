package half

import "golang.org/x/sys/cpu"

//go:generate sh -c "cd kernel && go run . -out ../kernel_amd64.s"

// Every processor with AVX2 has F16C.
var fast = cpu.X86.HasAVX2

//go:noescape
func addScaledF16C(to *float32, from *uint16, weights *float32, rows, steps, skip int64)

//go:noescape
func encodeF16C(to *uint16, from *float32, scale float32, steps int64)

//go:noescape
func addTimesAVX(to, from *float32, steps int64, weight float32)

//go:noescape
func addOffAVX(sum, squares, from, less *float32, steps int64, weight float32)

//go:noescape
func sumHalfRowsF16C(to *float32, table *uint16, rows *uint32, count, steps, bytes int64)

//go:noescape
func bounceAVX(next, direct, sent *[4]float32, links *uint16, ends *uint32, albedo *[4]float32, rows int64, share float32)

//go:noescape
func bounceLeadsAVX(next, direct, sent *[4]float32, links *uint16, ends *uint32, albedo *[4]float32, rows int64, share float32)
