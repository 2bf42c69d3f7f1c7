package main

import (
	"fmt"
	"math"

	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	. "github.com/mmcloughlin/avo/reg"
)

// The walk of a packet, whose eight rays are lanes of the processor. A node's children
// are tested by the beam round all rays, eight at once, and those that are left one
// after the other, by eight rays at once. A leaf is tested ray by ray, as they seldom
// are many there.
//
// With each word on the stack goes where the rays enter, a vector; a ray that stays
// out has NaN there, which no compare lets in.

// Offsets in Packet, and in what the walk keeps of the beam by axis.
const (
	packetOrigin, packetDir, packetMax             = 0, 96, 192
	packetIndex, packetT, packetU, packetV         = 224, 256, 288, 320
	beamEnter, beamLeave, beamSlope, beamNear      = 0, 4, 8, 16
	beamBytes, planeBytes, entryBytes, entriesRoom = 24, 32, 32, stackBytes / 8 * 32
)

type packetWalk struct {
	lines, packet             Register
	words, entries            Mem        // the stack
	planes, inv, beam         Mem        // of the node at hand; of the rays; of all of them
	enters                    Mem        // where a ray alone enters a node's children
	top                       GPVirtual  // how many the stack holds
	limit, far                VecVirtual // where each ray ends as yet, and the last of them
	one, tiny, huge, boxSlack Mem
	hitSlack, sign            Mem
	leaf                      *leaf
	closest                   bool // else whatever a ray meets ends it
}

func (w *packetWalk) ray(field, axis int) Mem { return Mem{Base: w.packet, Disp: field + 32*axis} }

func (w *packetWalk) walk() {
	w.lines, w.packet = Load(Param("lines"), GP64()), Load(Param("packet"), GP64())
	w.words, w.entries = AllocLocal(stackBytes), AllocLocal(entriesRoom)
	w.planes, w.inv, w.beam = AllocLocal(6*planeBytes), AllocLocal(3*planeBytes), AllocLocal(3*beamBytes)
	w.enters = AllocLocal(planeBytes)
	w.begin()
	w.top = GP64()
	XORQ(w.top, w.top)
	word := GP64()
	XORQ(word, word)

	Label("visit")
	w.node(word)

	Label("pop")
	TESTQ(w.top, w.top)
	JZ(LabelRef("end"))
	DECQ(w.top)
	MOVQ(w.words.Idx(w.top, 8), word)
	enter, rays := YMM(), GP32()
	VMOVUPS(w.entry(w.top), enter)
	VCMPPS(Imm(2), w.limit, enter, enter) // enter <= limit
	VMOVMSKPS(enter, rays)
	TESTL(rays, rays)
	JZ(LabelRef("pop"))
	more := GP32()
	BLSRL(rays, more)
	JZ(LabelRef("alone"))
	TESTL(U32(1), word.As32())
	JZ(LabelRef("visit"))
	w.meet(word, rays)
	JMP(LabelRef("pop"))

	Label("alone")
	w.alone(word, rays)

	answer := GP64()
	Label("end")
	VMOVMSKPS(w.limit, answer.As32()) // a ray that was ended has less than nothing left
	w.leave(answer)
	Label("apart")
	MOVQ(I32(-1), answer)
	w.leave(answer)
}

func (w *packetWalk) leave(answer GPVirtual) {
	Store(answer, ReturnIndex(0))
	VZEROUPPER()
	RET()
}

// begin takes the rays in and lays the beam round them: by axis, the origins of the
// rays that come to a plane first and last, and their slopes. Along one axis rays may
// run both ways, and the beam says nothing there.
func (w *packetWalk) begin() {
	zero, sum, max, none := YMM(), YMM(), YMM(), YMM()
	VXORPS(zero, zero, zero)
	VMOVUPS(w.ray(packetOrigin, 0), sum)
	for i := 1; i < 6; i++ { // the directions follow
		VADDPS(w.ray(packetOrigin, i), sum, sum)
	}
	VMULPS(zero, sum, sum)
	VCMPPS(Imm(0), zero, sum, sum) // of what is not finite that is NaN
	mask, both := GP32(), GP32()
	VMOVMSKPS(sum, mask)
	CMPL(mask, U32(0xff))
	JNE(LabelRef("apart"))
	VMOVUPS(w.ray(packetMax, 0), max)
	VMOVMSKPS(max, mask)
	TESTL(mask, mask)
	JNZ(LabelRef("apart")) // a ray that ends before it starts
	VMOVUPS(max, w.ray(packetT, 0))
	VPCMPEQD(none, none, none)
	VMOVDQU(none, w.ray(packetIndex, 0))
	VMOVUPS(zero, w.ray(packetU, 0))
	VMOVUPS(zero, w.ray(packetV, 0))
	w.limit, w.far = YMM(), YMM()
	w.narrow()
	XORL(both, both)
	for axis := range 3 {
		label := func(name string) string { return fmt.Sprint(name, axis) }
		inv, origin, low, high, least, most := YMM(), YMM(), YMM(), YMM(), YMM(), YMM()
		w.inverse(axis, inv)
		VMOVUPS(inv, w.inv.Offset(planeBytes*axis))
		VMOVUPS(w.ray(packetOrigin, axis), origin)
		across(VMINPS, origin, low)
		across(VMAXPS, origin, high)
		across(VMINPS, inv, least)
		across(VMAXPS, inv, most)
		beam := w.beam.Offset(beamBytes * axis)
		lay := func(enter, leave, enterSlope, leaveSlope VecVirtual, near int) {
			VMOVSS(enter.AsX(), beam.Offset(beamEnter))
			VMOVSS(leave.AsX(), beam.Offset(beamLeave))
			VMOVSS(enterSlope.AsX(), beam.Offset(beamSlope+beamEnter))
			VMOVSS(leaveSlope.AsX(), beam.Offset(beamSlope+beamLeave))
			MOVQ(U32(near), beam.Offset(beamNear))
		}
		VMOVMSKPS(inv, mask)
		TESTL(mask, mask)
		JNZ(LabelRef(label("down")))
		lay(high, low, least, most, 32*axis)
		JMP(LabelRef(label("next_axis")))
		Label(label("down"))
		CMPL(mask, U32(0xff))
		JNE(LabelRef(label("both")))
		lay(low, high, most, least, 32*axis+16)
		JMP(LabelRef(label("next_axis")))
		Label(label("both"))
		INCL(both)
		VMOVUPS(w.one, most)
		lay(zero, zero, zero, most, 32*axis)
		MOVL(U32(0xff800000), beam.Offset(beamLeave)) // minus infinity
		Label(label("next_axis"))
	}
	CMPL(both, U32(1))
	JHI(LabelRef("apart"))
}

// inverse is one over the direction, kept finite as inverse of package trace does.
func (w *packetWalk) inverse(axis int, inv VecVirtual) {
	d, size, sign := YMM(), YMM(), YMM()
	VMOVUPS(w.ray(packetDir, axis), d)
	VMOVUPS(w.one, inv)
	VDIVPS(d, inv, inv)
	VMOVUPS(w.sign, sign)
	VANDNPS(d, sign, size)
	VANDPS(d, sign, sign)
	VORPS(w.huge, sign, sign)
	VCMPPS(Imm(0x11), w.tiny, size, size) // |d| < tiny
	VBLENDVPS(size, sign, inv, inv)
}

// narrow takes what the rays have met into account.
func (w *packetWalk) narrow() {
	VMOVUPS(w.ray(packetT, 0), w.limit)
	if w.closest {
		VMULPS(w.hitSlack, w.limit, w.limit)
	}
	across(VMAXPS, w.limit, w.far)
}

// across spreads the least or greatest lane over all.
func across(of func(...Op), lanes, to VecVirtual) {
	other := YMM()
	VPERM2F128(Imm(1), lanes, lanes, other)
	of(lanes, other, to)
	VSHUFPS(Imm(0x4e), to, to, other)
	of(to, other, to)
	VSHUFPS(Imm(0xb1), to, to, other)
	of(to, other, to)
}

// entry is the vector that goes with a word of the stack.
func (w *packetWalk) entry(at GPVirtual) Mem {
	offset := GP64()
	MOVQ(at, offset)
	SHLQ(Imm(5), offset)
	return w.entries.Idx(offset, 1)
}

// node puts the children that any ray enters on the stack, on top the one that is
// nearest by the first ray to enter it.
func (w *packetWalk) node(word GPVirtual) {
	base := lineOf(w.lines, word)
	children := w.beamIn(base)
	TESTL(children, children)
	JZ(LabelRef("pop"))
	var from [3]VecVirtual // origins from the node's middle
	for axis := range 3 {
		origin, middle := YMM(), YMM()
		VMOVUPS(w.ray(packetOrigin, axis), origin)
		VBROADCASTSS(Mem{Base: base, Disp: nodeMiddle + 4*axis}, middle)
		from[axis] = YMM()
		VSUBPS(middle, origin, from[axis])
	}
	floor, slot := GP64(), GP64()
	MOVQ(w.top, floor)

	Label("child")
	TZCNTL(children, slot.As32())
	enter, leave := YMM(), YMM()
	for axis := range 3 {
		a, b, near, far := YMM(), YMM(), YMM(), YMM()
		VBROADCASTSS(w.planes.Offset(planeBytes*2*axis).Idx(slot, 4), a)
		VBROADCASTSS(w.planes.Offset(planeBytes*(2*axis+1)).Idx(slot, 4), b)
		for _, plane := range []VecVirtual{a, b} {
			VSUBPS(from[axis], plane, plane)
			VMULPS(w.inv.Offset(planeBytes*axis), plane, plane)
		}
		VMINPS(a, b, near)
		VMAXPS(a, b, far)
		if axis == 0 {
			VXORPS(enter, enter, enter)
			VMAXPS(enter, near, enter)
			VMINPS(w.limit, far, leave)
		} else {
			VMAXPS(enter, near, enter)
			VMINPS(leave, far, leave)
		}
	}
	VMULPS(w.boxSlack, leave, leave)
	out, mask := YMM(), GP32()
	VCMPPS(Imm(6), leave, enter, out) // not enter <= leave
	VMOVMSKPS(out, mask)
	XORL(U32(0xff), mask)
	JZ(LabelRef("next_child"))
	VORPS(out, enter, out)
	VMOVUPS(enter, w.entry(w.top))
	at, child := GP64(), GP64()
	TZCNTL(mask, mask)
	LEAL(Mem{Base: mask.As64(), Index: w.top, Scale: 8}, at.As32()) // eight floats an entry
	MOVL(w.entries.Idx(at, 4), at.As32())
	SHLQ(Imm(32), at)
	childOf(base, slot, child)
	prefetch(w.lines, child)
	ORQ(at, child)
	MOVQ(w.top, at)
	Label("sink")
	CMPQ(at, floor)
	JEQ(LabelRef("place"))
	below, moved := GP64(), YMM()
	MOVQ(w.words.Idx(at, 8).Offset(-8), below)
	CMPQ(below, child)
	JCC(LabelRef("place")) // the one below is farther: stay above it
	MOVQ(below, w.words.Idx(at, 8))
	VMOVUPS(w.entry(at).Offset(-entryBytes), moved)
	VMOVUPS(moved, w.entry(at))
	DECQ(at)
	JMP(LabelRef("sink"))
	Label("place")
	MOVQ(child, w.words.Idx(at, 8))
	VMOVUPS(out, w.entry(at))
	INCQ(w.top)

	Label("next_child")
	BLSRL(children, children)
	JNZ(LabelRef("child"))
	JMP(LabelRef("pop"))
}

// beamIn is the children that the beam enters, a bit each. Rounding keeps order, so
// no ray enters one that the beam misses. The planes it comes to are kept.
func (w *packetWalk) beamIn(base Register) GPVirtual {
	enter, leave := YMM(), YMM()
	for axis := range 3 {
		beam, middle, near := w.beam.Offset(beamBytes*axis), YMM(), GP64()
		VBROADCASTSS(Mem{Base: base, Disp: nodeMiddle + 4*axis}, middle)
		MOVQ(beam.Offset(beamNear), near)
		var at [2]VecVirtual
		for side, field := range []int{beamEnter, beamLeave} {
			plane, from, slope := YMM(), YMM(), YMM()
			if side == 1 {
				XORQ(Imm(16), near)
			}
			VCVTPH2PS(Mem{Base: base, Index: near, Scale: 1}, plane)
			VMOVUPS(plane, w.planes.Offset(planeBytes*(2*axis+side)))
			VBROADCASTSS(beam.Offset(field), from)
			VBROADCASTSS(beam.Offset(beamSlope+field), slope)
			VSUBPS(middle, from, from)
			VSUBPS(from, plane, plane)
			at[side] = YMM()
			VMULPS(slope, plane, at[side])
		}
		if axis == 0 {
			VXORPS(enter, enter, enter)
			VMOVUPS(w.far, leave)
		}
		VMAXPS(enter, at[0], enter) // NaN, of an empty slot where rays run both ways, goes
		VMINPS(leave, at[1], leave)
	}
	mask := GP32()
	VMULPS(w.boxSlack, leave, leave)
	VCMPPS(Imm(2), leave, enter, leave)
	VMOVMSKPS(leave, mask)
	return mask
}

// lone is the ray of a lane.
func (w *packetWalk) lone(lane GPVirtual) lone {
	spread := func(at Mem) VecVirtual {
		v := YMM()
		VBROADCASTSS(at, v)
		return v
	}
	return lone{
		origin: func(axis int) VecVirtual { return spread(w.of(lane, packetOrigin, axis)) },
		inv:    func(axis int) VecVirtual { return spread(w.inv.Offset(planeBytes*axis).Idx(lane, 4)) },
		near: func(axis int) GPVirtual { // by its sign
			near := GP64()
			MOVL(w.inv.Offset(planeBytes*axis).Idx(lane, 4), near.As32())
			SHRL(Imm(31), near.As32())
			SHLL(Imm(4), near.As32())
			if axis > 0 {
				ADDQ(Imm(uint64(32*axis)), near)
			}
			return near
		},
		dir: func(axis int) Mem { return w.of(lane, packetDir, axis) },
	}
}

// of is a lane's value of a field.
func (w *packetWalk) of(lane GPVirtual, field, axis int) Mem {
	return Mem{Base: w.packet, Disp: field + 32*axis, Index: lane, Scale: 4}
}

// end is where the ray of a lane ends as yet.
func (w *packetWalk) end(lane GPVirtual) VecVirtual {
	end := YMM()
	VBROADCASTSS(w.of(lane, packetT, 0), end)
	return end
}

// meet looks for hits among a leaf's triangles, of one after the other of the rays that
// enter it.
func (w *packetWalk) meet(word, rays GPVirtual) {
	lane := GP64()
	Label("ray")
	TZCNTL(rays, lane.As32())
	w.meetOne("", word, lane, "next_ray")
	Label("next_ray")
	BLSRL(rays, rays)
	JNZ(LabelRef("ray"))
	w.narrow()
	if !w.closest {
		w.endIfAllEnded()
	}
}

// meetOne looks for the hit of one ray, and goes to miss where there is none.
func (w *packetWalk) meetOne(prefix string, word, lane GPVirtual, miss string) {
	base := lineOf(w.lines, word)
	m := w.leaf.meet(base, w.lone(lane), miss)
	mask := m.until(w.end(lane), w.closest, miss)
	if w.closest {
		h := hit{w.of(lane, packetIndex, 0), w.of(lane, packetT, 0), w.of(lane, packetU, 0), w.of(lane, packetV, 0)}
		w.leaf.take(prefix, base, mask, m, h, func(VecVirtual) {})
	} else {
		MOVL(U32(math.Float32bits(-1)), w.of(lane, packetT, 0))
	}
}

func (w *packetWalk) endIfAllEnded() {
	all := GP32()
	VMOVMSKPS(w.far, all)
	TESTL(all, all)
	JNZ(LabelRef("end"))
}

// alone walks what is under a word by the one ray that enters it, on the same stack.
func (w *packetWalk) alone(word, rays GPVirtual) {
	lane, floor := GP64(), GP64()
	TZCNTL(rays, lane.As32())
	MOVQ(w.top, floor)

	Label("alone_visit")
	TESTL(U32(1), word.As32())
	JNZ(LabelRef("alone_leaf"))
	base, limit := lineOf(w.lines, word), w.end(lane)
	if w.closest {
		VMULPS(w.hitSlack, limit, limit)
	}
	enter, leave := slabs(base, w.lone(lane), limit)
	VMULPS(w.boxSlack, leave, leave)
	mask := GP32()
	VCMPPS(Imm(2), leave, enter, leave) // enter <= leave
	VMOVMSKPS(leave, mask)
	TESTL(mask, mask)
	JZ(LabelRef("alone_pop"))
	VMOVUPS(enter, w.enters)
	pushSorted("alone_", w.lines, base, mask, w.enters, w.words, w.top)

	Label("alone_pop")
	CMPQ(w.top, floor)
	JEQ(LabelRef("alone_end"))
	DECQ(w.top)
	MOVQ(w.words.Idx(w.top, 8), word)
	near, far := GP64(), w.end(lane)
	if w.closest {
		VMULPS(w.hitSlack, far, far)
	}
	end := GP32()
	MOVQ(word, near)
	SHRQ(Imm(32), near)
	VMOVD(far.AsX(), end)
	CMPL(near.As32(), end)
	JHI(LabelRef("alone_pop"))
	JMP(LabelRef("alone_visit"))

	Label("alone_leaf")
	w.meetOne("alone_", word, lane, "alone_pop")
	if w.closest {
		JMP(LabelRef("alone_pop"))
	} else {
		MOVQ(floor, w.top)
	}

	Label("alone_end")
	w.narrow()
	if !w.closest {
		w.endIfAllEnded()
	}
	JMP(LabelRef("pop"))
}
