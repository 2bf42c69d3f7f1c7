package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	. "github.com/mmcloughlin/avo/reg"
)

// leaf tests eight triangles by a ray (Moller and Trumbore), as meet does one.
type leaf struct {
	u, det, t, v Mem // eight lanes each, spilled
	edge, sign   Mem
}

func newLeaf(edge, sign Mem) *leaf {
	return &leaf{AllocLocal(32), AllocLocal(32), AllocLocal(32), AllocLocal(32), edge, sign}
}

// lanes is what a ray meets of eight triangles: the distance is divided out, the rest
// is still times the determinant.
type lanes struct{ ok, det, t, u, v VecVirtual }

// meet goes to miss where the ray meets none.
func (l *leaf) meet(base Register, r lone, miss string) lanes {
	at := func(field, axis int) Mem { return Mem{Base: base, Disp: field + 32*axis - lineBytes/2} }
	var d, p, s [3]VecVirtual
	for axis := range 3 {
		d[axis], p[axis], s[axis] = YMM(), YMM(), YMM()
		VBROADCASTSS(r.dir(axis), d[axis])
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
	VMOVUPS(det, l.det)
	for axis := range 3 { // u gathers in p[0]
		VSUBPS(at(blockA, axis), r.origin(axis), s[axis])
		VMULPS(s[axis], p[axis], p[axis])
		if axis > 0 {
			VADDPS(p[axis], p[0], p[0])
		}
	}
	VMOVUPS(p[0], l.u)
	q, v, t := YMM(), YMM(), YMM()
	for axis := range 3 { // each component of s x e1 is used up at once
		d[axis] = YMM()
		VBROADCASTSS(r.dir(axis), d[axis])
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
	VMOVUPS(l.det, det)
	VANDPS(l.sign, det, flip)
	VXORPS(flip, det, det)
	VXORPS(flip, v, v)
	VXORPS(flip, t, t)
	VXORPS(l.u, flip, u)
	slack, ok := YMM(), YMM()
	VMULPS(l.edge, det, slack)
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
	JZ(LabelRef(miss))
	VDIVPS(det, t, t)
	return lanes{ok, det, t, u, v}
}

// until leaves those before an end, or also those at it, and goes to miss where there
// are none.
func (m *lanes) until(end VecVirtual, orAt bool, miss string) GPVirtual {
	predicate, near, mask := uint64(0x11), YMM(), GP32()
	if orAt {
		predicate = 0x12
	}
	VCMPPS(Imm(predicate), end, m.t, near)
	VANDPS(near, m.ok, m.ok)
	VMOVMSKPS(m.ok, mask)
	TESTL(mask, mask)
	JZ(LabelRef(miss))
	return mask
}

// hit is where a ray's hit is kept.
type hit struct{ index, t, u, v Mem }

// take puts each triangle of the mask into a hit that it goes before, and calls
// nearer where it does.
func (l *leaf) take(prefix string, base Register, mask GPVirtual, m lanes, h hit, nearer func(t VecVirtual)) {
	VDIVPS(m.det, m.u, m.u)
	VDIVPS(m.det, m.v, m.v)
	VMOVUPS(m.t, l.t)
	VMOVUPS(m.u, l.u)
	VMOVUPS(m.v, l.v)
	lane, have, index := GP64(), GP32(), GP32()
	near := XMM()
	Label(prefix + "lane")
	TZCNTL(mask, lane.As32())
	VMOVSS(l.t.Idx(lane, 4), near)
	MOVL(Mem{Base: base, Disp: blockIndex - lineBytes/2, Index: lane, Scale: 4}, index)
	VUCOMISS(h.t, near)
	JHI(LabelRef(prefix + "next"))
	JNE(LabelRef(prefix + "take"))
	MOVL(h.index, have) // the same distance: the first in the list
	CMPL(index, have)
	JGE(LabelRef(prefix + "next")) // also where there is no hit yet, as -1 is less
	Label(prefix + "take")
	MOVL(index, h.index)
	VMOVSS(near, h.t)
	MOVL(l.u.Idx(lane, 4), have)
	MOVL(have, h.u)
	MOVL(l.v.Idx(lane, 4), have)
	MOVL(have, h.v)
	nearer(near)
	Label(prefix + "next")
	BLSRL(mask, mask)
	JNZ(LabelRef(prefix + "lane"))
}
