//go:build !amd64

package trace

// HasWide tells whether this processor runs the eight-wide kernel.
func HasWide() bool { return false }

func closestWide(*line, *wideRay, *Hit) {}

func occludedWide(*line, *wideRay) int64 { return 0 }

func closestPacket(*line, *Packet) int64 { return -1 }

func occludedPacket(*line, *Packet) int64 { return -1 }
