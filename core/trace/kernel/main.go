// Command kernel writes the eight-wide walks of package trace as Go assembly.
// It is a module of its own, so that its needs are not the program's.
//
// Both walks keep a stack of distance<<32 | child on the frame. A node tests its
// eight boxes at once; a leaf tests its eight triangles at once. Products and
// sums are not fused: the Go walk rounds after each, and both must agree.
package main

import (
	"math"

	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	. "github.com/mmcloughlin/avo/reg"
)

// Offsets in wideRay, block and wideNode.
const (
	rayOrigin, rayDir, rayInv, rayMax, rayNear = 0, 12, 24, 36, 40
	blockA, blockE1, blockE2, blockIndex       = 0, 96, 192, 288
	nodeChild, nodeMiddle, nodeFirst           = 96, 112, 124
	lineBytes                                  = 64
)

// stackBytes holds maxDepth levels of seven waiting children and a few more.
const stackBytes = 4096

type walk struct {
	lines, ray, hit Register
	near            [3]GPVirtual // byte offsets of the planes a ray enters by
	stack           Mem
	leaf            *leaf
	enters          Mem // of a node's children
	top             GPVirtual
	origin, inv     [3]VecVirtual
	limit           VecVirtual
	slack, hitSlack Mem
}

func main() {
	edge := constant("edgeSlack", 1e-4)
	slack := constant("boxSlack", 1+6e-7)
	hitSlack := constant("hitSlack", 1+1e-5)
	sign := GLOBL("signBits", RODATA|NOPTR)
	for i := range 8 {
		DATA(4*i, U32(0x80000000))
	}
	for _, closest := range []bool{true, false} {
		if closest {
			TEXT("closestWide", 0, "func(lines, ray, hit *byte)")
		} else {
			TEXT("occludedWide", 0, "func(lines, ray *byte) int64")
		}
		w := &walk{slack: slack, hitSlack: hitSlack}
		w.begin(closest)
		w.leaf = newLeaf(edge, sign)
		w.loop(closest)
	}
	one, tiny, huge := constant("one", 1), constant("tiny", 1e-20), constant("huge", 1e20)
	for _, closest := range []bool{true, false} {
		name := "occludedPacket"
		if closest {
			name = "closestPacket"
		}
		TEXT(name, 0, "func(lines, packet *byte) int64")
		w := &packetWalk{one: one, tiny: tiny, huge: huge, boxSlack: slack, hitSlack: hitSlack, sign: sign, closest: closest}
		w.leaf = newLeaf(edge, sign)
		w.walk()
	}
	Generate()
}

func constant(name string, x float32) Mem {
	m := GLOBL(name, RODATA|NOPTR)
	for i := range 8 {
		DATA(4*i, U32(math.Float32bits(x))) // F32 writes 1 as a whole number
	}
	return m
}

func (w *walk) begin(closest bool) {
	w.lines = Load(Param("lines"), GP64())
	w.ray = Load(Param("ray"), GP64())
	if closest {
		w.hit = Load(Param("hit"), GP64())
	}
	w.stack = AllocLocal(stackBytes)
	w.enters = AllocLocal(32)
	w.top = GP64()
	XORQ(w.top, w.top)
	w.limit = YMM()
	VBROADCASTSS(Mem{Base: w.ray, Disp: rayMax}, w.limit)
	if closest {
		VMULPS(w.hitSlack, w.limit, w.limit)
	}
	for axis := range 3 {
		w.origin[axis], w.inv[axis] = YMM(), YMM()
		VBROADCASTSS(Mem{Base: w.ray, Disp: rayOrigin + 4*axis}, w.origin[axis])
		VBROADCASTSS(Mem{Base: w.ray, Disp: rayInv + 4*axis}, w.inv[axis])
		w.near[axis] = GP64()
		MOVQ(Mem{Base: w.ray, Disp: rayNear + 8*axis}, w.near[axis])
	}
}

func (w *walk) lone() lone {
	return lone{
		origin: func(axis int) VecVirtual { return w.origin[axis] },
		inv:    func(axis int) VecVirtual { return w.inv[axis] },
		near: func(axis int) GPVirtual {
			near := GP64()
			MOVQ(w.near[axis], near)
			return near
		},
		dir: func(axis int) Mem { return Mem{Base: w.ray, Disp: rayDir + 4*axis} },
	}
}

// loop walks from the root. child holds the word of the child at hand, and above
// it may hold its distance.
func (w *walk) loop(closest bool) {
	child := GP64()
	XORQ(child, child)

	Label("visit")
	TESTL(U32(1), child.As32())
	JNZ(LabelRef("leaf"))
	base := lineOf(w.lines, child)
	enter, leave := slabs(base, w.lone(), w.limit)
	VMULPS(w.slack, leave, leave)
	mask := GP32()
	within := YMM()
	VCMPPS(Imm(2), leave, enter, within) // enter <= leave
	VMOVMSKPS(within, mask)
	TESTL(mask, mask)
	JZ(LabelRef("pop"))
	slot, rest := GP64(), GP32()
	TZCNTL(mask, slot.As32())
	BLSRL(mask, rest)
	JNZ(LabelRef("several"))
	childOf(base, slot, child)
	JMP(LabelRef("visit"))

	Label("several")
	if closest {
		VMOVUPS(enter, w.enters)
		pushSorted("", w.lines, base, mask, w.enters, w.stack, w.top)
		DECQ(w.top)
		MOVQ(w.stack.Idx(w.top, 8), child)
		JMP(LabelRef("visit"))
	} else {
		w.push(base, mask)
	}

	Label("pop")
	TESTQ(w.top, w.top)
	JZ(LabelRef("end"))
	DECQ(w.top)
	entry := w.stack.Idx(w.top, 8)
	MOVQ(entry, child)
	if closest {
		near, far := GP64(), GP64()
		MOVQ(child, near)
		SHRQ(Imm(32), near)
		VMOVD(w.limit.AsX(), far.As32())
		CMPL(near.As32(), far.As32())
		JHI(LabelRef("pop"))
	}
	JMP(LabelRef("visit"))

	Label("leaf")
	w.meet(child, closest)
	JMP(LabelRef("pop"))

	Label("end")
	if !closest {
		none := GP64()
		XORQ(none, none)
		Store(none, ReturnIndex(0))
	}
	VZEROUPPER()
	RET()
}

// lone is a single ray: where its components are loaded from.
type lone struct {
	origin, inv func(axis int) VecVirtual
	near        func(axis int) GPVirtual // byte offset of the planes it enters by; to be overwritten
	dir         func(axis int) Mem
}

// slabs clips a ray against eight boxes: where it enters and leaves each.
func slabs(base Register, r lone, limit VecVirtual) (enter, leave VecVirtual) {
	enter, leave = YMM(), YMM()
	for axis := range 3 {
		from, a, b := YMM(), YMM(), YMM()
		VBROADCASTSS(Mem{Base: base, Disp: nodeMiddle + 4*axis}, from)
		VSUBPS(from, r.origin(axis), from)
		near, inv := r.near(axis), r.inv(axis)
		VCVTPH2PS(Mem{Base: base, Index: near, Scale: 1}, a)
		XORQ(Imm(16), near)
		VCVTPH2PS(Mem{Base: base, Index: near, Scale: 1}, b)
		VSUBPS(from, a, a)
		VSUBPS(from, b, b)
		VMULPS(inv, a, a)
		VMULPS(inv, b, b)
		if axis == 0 {
			VXORPS(enter, enter, enter)
			VMAXPS(enter, a, enter) // zeros count as +0
			VMINPS(limit, b, leave)
		} else {
			VMAXPS(enter, a, enter)
			VMINPS(leave, b, leave)
		}
	}
	return
}

// push puts every child of the mask on the stack, in no order.
func (w *walk) push(base Register, mask GPVirtual) {
	slot, word := GP64(), GP64()
	Label("push")
	TZCNTL(mask, slot.As32())
	childOf(base, slot, word)
	prefetch(w.lines, word)
	MOVQ(word, w.stack.Idx(w.top, 8))
	INCQ(w.top)
	BLSRL(mask, mask)
	JNZ(LabelRef("push"))
}

// childOf reads the word of a child.
func childOf(base, slot Register, word GPVirtual) {
	MOVWLZX(Mem{Base: base, Disp: nodeChild, Index: slot, Scale: 2}, word.As32())
	ADDL(Mem{Base: base, Disp: nodeFirst}, word.As32())
}

// lineOf is where a node lies. The mark of a leaf leads half a line into it.
func lineOf(lines Register, word GPVirtual) GPVirtual {
	at := GP64()
	MOVQ(word, at)
	SHLQ(Imm(32), at) // a distance above the word goes
	SHRQ(Imm(27), at)
	ADDQ(lines, at)
	return at
}

// prefetch asks for a child before it comes to be visited.
func prefetch(lines Register, word GPVirtual) {
	at := lineOf(lines, word)
	for line := range 2 {
		PREFETCHT0(Mem{Base: at, Disp: lineBytes * line})
	}
}

// pushSorted puts every child of the mask on a stack, the nearest on top.
func pushSorted(prefix string, lines, base Register, mask GPVirtual, enters, stack Mem, top GPVirtual) {
	floor, slot, word, near, at := GP64(), GP64(), GP64(), GP64(), GP64()
	MOVQ(top, floor)
	Label(prefix + "insert")
	TZCNTL(mask, slot.As32())
	MOVL(enters.Idx(slot, 4), near.As32())
	SHLQ(Imm(32), near)
	childOf(base, slot, word)
	prefetch(lines, word)
	ORQ(near, word)
	MOVQ(top, at)
	Label(prefix + "sink")
	CMPQ(at, floor)
	JEQ(LabelRef(prefix + "place"))
	below := GP64()
	MOVQ(stack.Idx(at, 8).Offset(-8), below)
	CMPQ(below, word)
	JCC(LabelRef(prefix + "place")) // the one below is farther: stay above it
	MOVQ(below, stack.Idx(at, 8))
	DECQ(at)
	JMP(LabelRef(prefix + "sink"))
	Label(prefix + "place")
	MOVQ(word, stack.Idx(at, 8))
	INCQ(top)
	BLSRL(mask, mask)
	JNZ(LabelRef(prefix + "insert"))
}

// meet looks for a hit among a leaf's triangles.
func (w *walk) meet(child GPVirtual, closest bool) {
	base := lineOf(w.lines, child)
	m := w.leaf.meet(base, w.lone(), "pop")
	mask := m.until(w.limit, closest, "pop")
	if !closest {
		one := GP64()
		MOVQ(U32(1), one)
		Store(one, ReturnIndex(0))
		VZEROUPPER()
		RET()
		return
	}
	at := func(field int) Mem { return Mem{Base: w.hit, Disp: 4 * field} }
	w.leaf.take("", base, mask, m, hit{at(0), at(1), at(2), at(3)}, func(t VecVirtual) {
		VBROADCASTSS(t, w.limit)
		VMULPS(w.hitSlack, w.limit, w.limit)
	})
}
