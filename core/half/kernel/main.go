// Command kernel writes the half-float loops of package half as Go assembly. It
// is a module of its own, so that its needs are not the program's.
package main

import (
	"fmt"

	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	. "github.com/mmcloughlin/avo/reg"
)

func main() {
	addScaled()
	encode()
	addTimes()
	addOff()
	sumHalfRows()
	bounce("bounceAVX", false)
	bounce("bounceLeadsAVX", true)
	Generate()
}

// addScaled does to[i] += weights[i mod 24] * from[i], 24 at a time, for rows of
// so many steps; between the rows of to some bytes are passed over.
func addScaled() {
	TEXT("addScaledF16C", NOSPLIT, "func(to, from, weights *byte, rows, steps, skip int64)")
	to, from, rows := Load(Param("to"), GP64()), Load(Param("from"), GP64()), Load(Param("rows"), GP64())
	weights, steps, skip := Load(Param("weights"), GP64()), Load(Param("steps"), GP64()), Load(Param("skip"), GP64())
	var w [3]VecVirtual
	for i := range w {
		w[i] = YMM()
		VMOVUPS(Mem{Base: weights, Disp: 32 * i}, w[i])
	}
	left := GP64()
	Label("row")
	MOVQ(steps, left)
	Label("add")
	for i := range w {
		v := YMM()
		VCVTPH2PS(Mem{Base: from, Disp: 16 * i}, v)
		VMULPS(w[i], v, v) // not fused with the sum: Go rounds after each
		VADDPS(Mem{Base: to, Disp: 32 * i}, v, v)
		VMOVUPS(v, Mem{Base: to, Disp: 32 * i})
	}
	ADDQ(Imm(48), from)
	ADDQ(Imm(96), to)
	DECQ(left)
	JNZ(LabelRef("add"))
	ADDQ(skip, to)
	DECQ(rows)
	JNZ(LabelRef("row"))
	VZEROUPPER()
	RET()
}

// encode rounds scale * from[i] to half-floats, eight at a time.
func encode() {
	TEXT("encodeF16C", NOSPLIT, "func(to, from *byte, scale float32, steps int64)")
	to, from, steps := Load(Param("to"), GP64()), Load(Param("from"), GP64()), Load(Param("steps"), GP64())
	scale := YMM()
	VBROADCASTSS(NewParamAddr("scale", 16), scale)
	Label("encode")
	v := YMM()
	VMULPS(Mem{Base: from}, scale, v)
	VCVTPS2PH(Imm(0), v, Mem{Base: to})
	ADDQ(Imm(32), from)
	ADDQ(Imm(16), to)
	DECQ(steps)
	JNZ(LabelRef("encode"))
	VZEROUPPER()
	RET()
}

// addTimes does to[i] += weight * from[i], eight at a time.
func addTimes() {
	TEXT("addTimesAVX", NOSPLIT, "func(to, from *byte, steps int64, weight float32)")
	to, from, steps := Load(Param("to"), GP64()), Load(Param("from"), GP64()), Load(Param("steps"), GP64())
	weight := YMM()
	VBROADCASTSS(NewParamAddr("weight", 24), weight)
	Label("times")
	v := YMM()
	VMULPS(Mem{Base: from}, weight, v)
	VADDPS(Mem{Base: to}, v, v)
	VMOVUPS(v, Mem{Base: to})
	ADDQ(Imm(32), from)
	ADDQ(Imm(32), to)
	DECQ(steps)
	JNZ(LabelRef("times"))
	VZEROUPPER()
	RET()
}

// addOff does d = from[i] - less[i], sum[i] += weight * d, squares[i] += weight * d * d, eight at a time.
func addOff() {
	TEXT("addOffAVX", NOSPLIT, "func(sum, squares, from, less *byte, steps int64, weight float32)")
	sum, squares := Load(Param("sum"), GP64()), Load(Param("squares"), GP64())
	from, less, steps := Load(Param("from"), GP64()), Load(Param("less"), GP64()), Load(Param("steps"), GP64())
	weight := YMM()
	VBROADCASTSS(NewParamAddr("weight", 40), weight)
	Label("off")
	d, v := YMM(), YMM()
	VMOVUPS(Mem{Base: from}, d)
	VSUBPS(Mem{Base: less}, d, d)
	VMULPS(d, weight, v)
	VMULPS(v, d, d)
	VADDPS(Mem{Base: sum}, v, v)
	VMOVUPS(v, Mem{Base: sum})
	VADDPS(Mem{Base: squares}, d, d)
	VMOVUPS(d, Mem{Base: squares})
	for _, at := range []Register{sum, squares, from, less} {
		ADDQ(Imm(32), at)
	}
	DECQ(steps)
	JNZ(LabelRef("off"))
	VZEROUPPER()
	RET()
}

// sumHalfRows writes the sum of some rows of a table of half-floats: steps columns
// of eight, each summed in a register. bytes is the length of a row.
func sumHalfRows() {
	TEXT("sumHalfRowsF16C", NOSPLIT, "func(to, table, rows *byte, count, steps, bytes int64)")
	to, table, rows := Load(Param("to"), GP64()), Load(Param("table"), GP64()), Load(Param("rows"), GP64())
	count, steps, bytes := Load(Param("count"), GP64()), Load(Param("steps"), GP64()), Load(Param("bytes"), GP64())
	for _, wide := range []int{4, 1} { // four columns together while there are as many
		label := map[int]string{4: "four", 1: "one"}[wide]
		Label(label)
		CMPQ(steps, Imm(uint64(wide)))
		JLT(LabelRef(label + "_done"))
		sum := make([]VecVirtual, wide)
		for i := range sum {
			sum[i] = YMM()
			VXORPS(sum[i], sum[i], sum[i])
		}
		at := GP64()
		XORQ(at, at)
		Label(label + "_row")
		row := GP64()
		MOVL(Mem{Base: rows, Index: at, Scale: 4}, row.As32())
		IMULQ(bytes, row)
		for i := range sum {
			v := YMM()
			VCVTPH2PS(Mem{Base: table, Index: row, Scale: 1, Disp: 16 * i}, v)
			VADDPS(v, sum[i], sum[i])
		}
		INCQ(at)
		CMPQ(at, count)
		JLT(LabelRef(label + "_row"))
		for i := range sum {
			VMOVUPS(sum[i], Mem{Base: to, Disp: 32 * i})
		}
		ADDQ(Imm(uint64(32*wide)), to)
		ADDQ(Imm(uint64(16*wide)), table)
		SUBQ(Imm(uint64(wide)), steps)
		JMP(LabelRef(label))
		Label(label + "_done")
	}
	VZEROUPPER()
	RET()
}

// bounce writes rows of four: direct light and a share of the sum of the rows that
// links lead to, times the row's albedo. Links come by fours, each into a register of
// its own, as a sum waits for the one before. Only where there may be leads are they
// looked for.
func bounce(name string, leads bool) {
	TEXT(name, NOSPLIT, "func(next, direct, sent, links, ends, albedo *byte, rows int64, share float32)")
	next, direct, sent := Load(Param("next"), GP64()), Load(Param("direct"), GP64()), Load(Param("sent"), GP64())
	links, ends, albedo := Load(Param("links"), GP64()), Load(Param("ends"), GP64()), Load(Param("albedo"), GP64())
	rows, share := Load(Param("rows"), GP64()), XMM()
	VBROADCASTSS(NewParamAddr("share", 56), share)
	at, end := GP64(), GP64()
	MOVL(Mem{Base: ends}, at.As32())
	Label("bounce_row")
	MOVL(Mem{Base: ends, Disp: 4}, end.As32())
	row, sums := GP64(), [4]VecVirtual{XMM(), XMM(), XMM(), XMM()}
	MOVQ(sent, row)
	for _, sum := range sums {
		VXORPS(sum, sum, sum)
	}
	Label("bounce_links")
	CMPQ(at, end)
	JGE(LabelRef("bounce_done"))
	for i, sum := range sums {
		step := GP64()
		MOVWLZX(Mem{Base: links, Index: at, Scale: 2, Disp: 2 * i}, step.As32())
		if leads {
			bytes := GP64()
			MOVQ(step, bytes)
			SHLQ(Imm(4), bytes)
			ADDQ(bytes, row)
			CMPL(step.As32(), U32(lead))
			JEQ(LabelRef(fmt.Sprint("bounce_on", i)))
			VADDPS(Mem{Base: row}, sum, sum)
			Label(fmt.Sprint("bounce_on", i))
			continue
		}
		SHLQ(Imm(4), step)
		ADDQ(step, row)
		VADDPS(Mem{Base: row}, sum, sum)
	}
	ADDQ(Imm(4), at)
	JMP(LabelRef("bounce_links"))
	Label("bounce_done")
	VADDPS(sums[1], sums[0], sums[0])
	VADDPS(sums[3], sums[2], sums[2])
	VADDPS(sums[2], sums[0], sums[0])
	VMULPS(share, sums[0], sums[0])
	VADDPS(Mem{Base: direct}, sums[0], sums[0])
	VMULPS(Mem{Base: albedo}, sums[0], sums[0])
	VMOVUPS(sums[0], Mem{Base: next})
	for _, list := range []Register{next, direct, albedo} {
		ADDQ(Imm(16), list)
	}
	ADDQ(Imm(4), ends)
	DECQ(rows)
	JNZ(LabelRef("bounce_row"))
	VZEROUPPER()
	RET()
}

// lead is the step of a link that leads on and names no row.
const lead = 0xffff
