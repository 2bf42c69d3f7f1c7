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
func sumRowsAVX(to, table *float32, rows *uint32, count, steps, bytes int64)
