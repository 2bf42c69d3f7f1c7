package trace

import "golang.org/x/sys/cpu"

//go:generate sh -c "cd kernel && go run . -out ../kernel_amd64.s"

// HasWide tells whether this processor runs the eight-wide kernel.
func HasWide() bool { return cpu.X86.HasAVX2 && cpu.X86.HasBMI1 }

// closestWide narrows hit, which holds the ray's end and no triangle, to the
// first triangle met.
//
//go:noescape
func closestWide(lines *line, ray *wideRay, hit *Hit)

// occludedWide is not 0 where the ray meets anything.
//
//go:noescape
func occludedWide(lines *line, ray *wideRay) int64

// closestPacket finds what eight rays meet first. It is -1 where they run apart or one
// is none or ends before it starts, and says nothing then.
//
//go:noescape
func closestPacket(lines *line, packet *Packet) int64

// occludedPacket is a bit for each of eight rays that meets anything, or -1 as above.
//
//go:noescape
func occludedPacket(lines *line, packet *Packet) int64
