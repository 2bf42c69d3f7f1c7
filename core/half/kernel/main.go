// Command kernel writes the half-float loops of package half as Go assembly. It
// is a module of its own, so that its needs are not the program's.
package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	. "github.com/mmcloughlin/avo/reg"
)

func main() {
	addScaled()
	encode()
	add()
	Generate()
}

// addScaled does to[i] += weights[i mod 24] * from[i], 24 at a time.
func addScaled() {
	TEXT("addScaledF16C", NOSPLIT, "func(to, from, weights *byte, steps int64)")
	to, from, steps := Load(Param("to"), GP64()), Load(Param("from"), GP64()), Load(Param("steps"), GP64())
	weights := Load(Param("weights"), GP64())
	var w [3]VecVirtual
	for i := range w {
		w[i] = YMM()
		VMOVUPS(Mem{Base: weights, Disp: 32 * i}, w[i])
	}
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
	DECQ(steps)
	JNZ(LabelRef("add"))
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

// add does to[i] += from[i], eight at a time.
func add() {
	TEXT("addAVX", NOSPLIT, "func(to, from *byte, steps int64)")
	to, from, steps := Load(Param("to"), GP64()), Load(Param("from"), GP64()), Load(Param("steps"), GP64())
	Label("sum")
	v := YMM()
	VMOVUPS(Mem{Base: to}, v)
	VADDPS(Mem{Base: from}, v, v)
	VMOVUPS(v, Mem{Base: to})
	ADDQ(Imm(32), from)
	ADDQ(Imm(32), to)
	DECQ(steps)
	JNZ(LabelRef("sum"))
	VZEROUPPER()
	RET()
}
