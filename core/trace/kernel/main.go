// Command kernel writes the eight-wide walks of package trace as Go assembly.
// It is a module of its own, so that its needs are not the program's.
//
// Both walks keep a stack of distance<<32 | child on the frame. A node tests its
// eight boxes at once; a leaf tests its eight triangles at once. Products and
// sums are not fused: the Go walk rounds after each, and both must agree.
package main

import (
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
	lines, ray, hit             Register
	near                        [3]GPVirtual // byte offsets of the planes a ray enters by
	stack                       Mem
	u, det, t, v                Mem // eight lanes each, spilled
	top                         GPVirtual
	origin, inv                 [3]VecVirtual
	limit                       VecVirtual
	slack, hitSlack, edge, sign Mem
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
		w := &walk{slack: slack, hitSlack: hitSlack, edge: edge, sign: sign}
		w.begin(closest)
		w.loop(closest)
	}
	Generate()
}

func constant(name string, x float32) Mem {
	m := GLOBL(name, RODATA|NOPTR)
	for i := range 8 {
		DATA(4*i, F32(x))
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
	w.u, w.det, w.t, w.v = AllocLocal(32), AllocLocal(32), AllocLocal(32), AllocLocal(32)
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

// loop walks from the root. child holds the word of the child at hand, and above
// it may hold its distance.
func (w *walk) loop(closest bool) {
	child := GP64()
	XORQ(child, child)

	Label("visit")
	TESTL(U32(1), child.As32())
	JNZ(LabelRef("leaf"))
	base := w.at(child)
	enter, leave := w.slabs(base)
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
	w.childOf(base, slot, child)
	JMP(LabelRef("visit"))

	Label("several")
	if closest {
		VMOVUPS(enter, w.t)
		w.pushSorted(base, mask)
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
	w.leaf(child, closest)
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

// slabs clips the ray against eight boxes: where it enters and leaves each.
func (w *walk) slabs(base Register) (enter, leave VecVirtual) {
	enter, leave = YMM(), YMM()
	for axis := range 3 {
		from, a, b := YMM(), YMM(), YMM()
		VBROADCASTSS(Mem{Base: base, Disp: nodeMiddle + 4*axis}, from)
		VSUBPS(from, w.origin[axis], from)
		VCVTPH2PS(Mem{Base: base, Index: w.near[axis], Scale: 1}, a)
		far := GP64()
		MOVQ(w.near[axis], far)
		XORQ(Imm(16), far)
		VCVTPH2PS(Mem{Base: base, Index: far, Scale: 1}, b)
		VSUBPS(from, a, a)
		VSUBPS(from, b, b)
		VMULPS(w.inv[axis], a, a)
		VMULPS(w.inv[axis], b, b)
		if axis == 0 {
			VXORPS(enter, enter, enter)
			VMAXPS(enter, a, enter) // zeros count as +0
			VMINPS(w.limit, b, leave)
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
	w.childOf(base, slot, word)
	w.prefetch(word)
	MOVQ(word, w.stack.Idx(w.top, 8))
	INCQ(w.top)
	BLSRL(mask, mask)
	JNZ(LabelRef("push"))
}

// childOf reads the word of a child.
func (w *walk) childOf(base, slot Register, word GPVirtual) {
	MOVWLZX(Mem{Base: base, Disp: nodeChild, Index: slot, Scale: 2}, word.As32())
	ADDL(Mem{Base: base, Disp: nodeFirst}, word.As32())
}

// at is where a node lies. The mark of a leaf leads half a line into it.
func (w *walk) at(word GPVirtual) GPVirtual {
	at := GP64()
	MOVQ(word, at)
	SHLQ(Imm(32), at) // a distance above the word goes
	SHRQ(Imm(27), at)
	ADDQ(w.lines, at)
	return at
}

// prefetch asks for a child before it comes to be visited.
func (w *walk) prefetch(word GPVirtual) {
	at := w.at(word)
	for line := range 2 {
		PREFETCHT0(Mem{Base: at, Disp: lineBytes * line})
	}
}

// pushSorted puts every child of the mask on the stack, the nearest on top.
func (w *walk) pushSorted(base Register, mask GPVirtual) {
	floor, slot, word, near, at := GP64(), GP64(), GP64(), GP64(), GP64()
	MOVQ(w.top, floor)
	Label("insert")
	TZCNTL(mask, slot.As32())
	MOVL(w.t.Idx(slot, 4), near.As32())
	SHLQ(Imm(32), near)
	w.childOf(base, slot, word)
	w.prefetch(word)
	ORQ(near, word)
	MOVQ(w.top, at)
	Label("sink")
	CMPQ(at, floor)
	JEQ(LabelRef("place"))
	below := GP64()
	MOVQ(w.stack.Idx(at, 8).Offset(-8), below)
	CMPQ(below, word)
	JCC(LabelRef("place")) // the one below is farther: stay above it
	MOVQ(below, w.stack.Idx(at, 8))
	DECQ(at)
	JMP(LabelRef("sink"))
	Label("place")
	MOVQ(word, w.stack.Idx(at, 8))
	INCQ(w.top)
	BLSRL(mask, mask)
	JNZ(LabelRef("insert"))
}

// leaf tests eight triangles (Moller and Trumbore), as meet does one.
func (w *walk) leaf(child GPVirtual, closest bool) {
	base := w.at(child)
	at := func(field, axis int) Mem { return Mem{Base: base, Disp: field + 32*axis - lineBytes/2} }
	var d, p, s [3]VecVirtual
	for axis := range 3 {
		d[axis], p[axis], s[axis] = YMM(), YMM(), YMM()
		VBROADCASTSS(Mem{Base: w.ray, Disp: rayDir + 4*axis}, d[axis])
	}
	tmp := YMM()
	cross := func(out VecVirtual, a, b VecVirtual, mulA, mulB Mem) { // a*mulA - b*mulB
		VMULPS(mulA, a, out)
		VMULPS(mulB, b, tmp)
		VSUBPS(tmp, out, out)
	}
	for axis := range 3 {
		j, k := (axis+1)%3, (axis+2)%3
		cross(p[axis], d[j], d[k], at(blockE2, k), at(blockE2, j))
	}
	det := YMM()
	VMULPS(at(blockE1, 0), p[0], det)
	for axis := 1; axis < 3; axis++ {
		VMULPS(at(blockE1, axis), p[axis], tmp)
		VADDPS(tmp, det, det)
	}
	VMOVUPS(det, w.det)
	for axis := range 3 { // u gathers in p[0]
		VSUBPS(at(blockA, axis), w.origin[axis], s[axis])
		VMULPS(s[axis], p[axis], p[axis])
		if axis > 0 {
			VADDPS(p[axis], p[0], p[0])
		}
	}
	VMOVUPS(p[0], w.u)
	q, v, t := YMM(), YMM(), YMM()
	for axis := range 3 { // each component of s x e1 is used up at once
		d[axis] = YMM()
		VBROADCASTSS(Mem{Base: w.ray, Disp: rayDir + 4*axis}, d[axis])
		j, k := (axis+1)%3, (axis+2)%3
		cross(q, s[j], s[k], at(blockE1, k), at(blockE1, j))
		VMULPS(q, d[axis], d[axis])
		VMULPS(at(blockE2, axis), q, q)
		if axis == 0 {
			VMOVUPS(d[0], v)
			VMOVUPS(q, t)
		} else {
			VADDPS(d[axis], v, v)
			VADDPS(q, t, t)
		}
	}
	// The sign of the determinant goes out of all of them.
	u, flip := YMM(), YMM()
	VMOVUPS(w.det, det)
	VANDPS(w.sign, det, flip)
	VXORPS(flip, det, det)
	VXORPS(flip, v, v)
	VXORPS(flip, t, t)
	VXORPS(w.u, flip, u)
	slack, ok := YMM(), YMM()
	VMULPS(w.edge, det, slack)
	zero := YMM()
	VXORPS(zero, zero, zero)
	VCMPPS(Imm(0x1e), zero, det, ok) // det > 0
	and := func(predicate uint8, b, a VecVirtual) {
		VCMPPS(Imm(uint64(predicate)), b, a, tmp)
		VANDPS(tmp, ok, ok)
	}
	and(0x1d, zero, t) // t >= 0
	sum := YMM()
	VADDPS(slack, u, sum)
	and(0x1d, zero, sum) // u >= -slack
	VADDPS(slack, v, sum)
	and(0x1d, zero, sum) // v >= -slack
	VADDPS(v, u, sum)
	VADDPS(slack, det, slack)
	and(0x12, slack, sum) // u + v <= det + slack
	mask := GP32()
	VMOVMSKPS(ok, mask)
	TESTL(mask, mask)
	JZ(LabelRef("pop"))
	VDIVPS(det, t, t)
	if !closest {
		VCMPPS(Imm(0x11), w.limit, t, tmp) // t < max
		VANDPS(tmp, ok, ok)
		VMOVMSKPS(ok, mask)
		TESTL(mask, mask)
		JZ(LabelRef("pop"))
		one := GP64()
		MOVQ(U32(1), one)
		Store(one, ReturnIndex(0))
		VZEROUPPER()
		RET()
		return
	}
	VCMPPS(Imm(0x12), w.limit, t, tmp) // t <= limit: takeLanes looks closer
	VANDPS(tmp, ok, ok)
	VMOVMSKPS(ok, mask)
	TESTL(mask, mask)
	JZ(LabelRef("pop"))
	VDIVPS(det, u, u)
	VDIVPS(det, v, v)
	VMOVUPS(t, w.t)
	VMOVUPS(u, w.u)
	VMOVUPS(v, w.v)
	w.takeLanes(base, mask)
}

// takeLanes puts each lane of the mask into hit where it goes before it.
func (w *walk) takeLanes(base Register, mask GPVirtual) {
	lane, have, index := GP64(), GP32(), GP32()
	near := XMM()
	Label("lane")
	TZCNTL(mask, lane.As32())
	VMOVSS(w.t.Idx(lane, 4), near)
	MOVL(Mem{Base: base, Disp: blockIndex - lineBytes/2, Index: lane, Scale: 4}, index)
	VUCOMISS(Mem{Base: w.hit, Disp: 4}, near)
	JHI(LabelRef("next"))
	JNE(LabelRef("take"))
	MOVL(Mem{Base: w.hit}, have) // the same distance: the first in the list
	CMPL(index, have)
	JGE(LabelRef("next")) // also where there is no hit yet, as -1 is less
	Label("take")
	MOVL(index, Mem{Base: w.hit})
	VMOVSS(near, Mem{Base: w.hit, Disp: 4})
	MOVL(w.u.Idx(lane, 4), have)
	MOVL(have, Mem{Base: w.hit, Disp: 8})
	MOVL(w.v.Idx(lane, 4), have)
	MOVL(have, Mem{Base: w.hit, Disp: 12})
	VBROADCASTSS(near, w.limit)
	VMULPS(w.hitSlack, w.limit, w.limit)
	Label("next")
	BLSRL(mask, mask)
	JNZ(LabelRef("lane"))
}
