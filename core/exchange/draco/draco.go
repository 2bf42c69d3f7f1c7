// Package draco unpacks meshes that KHR_draco_mesh_compression packs. The bitstream is read by the decoder of
// the Draco library (version 1.5.9, Apache 2.0), built as WebAssembly by its authors: decoder.wasm is the file
// draco_decoder.wasm of the npm package draco3d. It runs inside the process, and reaches nothing but memory of its own.
package draco

import (
	"context"
	_ "embed"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"sync"

	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/api"
)

//go:embed decoder.wasm
var module []byte

// maxMemory is the most memory that unpacking one mesh may take, in pages of 64 KiB: 256 MiB.
const maxMemory = 4096

// The functions of the module go by short names that its build gave them.
const (
	initialise      = "g"
	malloc          = "k"  // (bytes) place
	free            = "i"  // (place)
	newDecoder      = "Na" // () decoder
	newMesh         = "T"  // () mesh
	freeMesh        = "X"  // (mesh)
	decodeMesh      = "Pa" // (decoder, data, size, mesh) status
	statusOK        = "$"  // (status) ok
	freeStatus      = "ba" // (status)
	faceCount       = "U"  // (mesh) faces
	pointCount      = "W"  // (mesh) points
	attributeByID   = "Ua" // (decoder, mesh, id) attribute
	componentCount  = "z"  // (attribute) numbers a value
	attributeValues = "ib" // (decoder, mesh, attribute, type, size, out) done
	faceIndices     = "_a" // (decoder, mesh, size, out) done
)

// Number is a kind of number as Draco counts them.
type Number int

const (
	Int8    Number = 1
	Uint8   Number = 2
	Int16   Number = 3
	Uint16  Number = 4
	Uint32  Number = 6
	Float32 Number = 9
)

func (n Number) size() int {
	switch n {
	case Int8, Uint8:
		return 1
	case Int16, Uint16:
		return 2
	}
	return 4
}

// Attribute is one that is wanted of a mesh: its number in the packed mesh, and what its values are to be.
type Attribute struct {
	ID         int
	Components int
	Number     Number
}

// Mesh is what was packed.
type Mesh struct {
	Points  int
	Indices []uint32
	Values  [][]byte // of each attribute that was wanted, little-endian, without gaps
}

// Decoder unpacks meshes one after the other. It is for one goroutine, and is to be closed.
type Decoder struct {
	module  api.Module
	decoder uint64
}

// program is the compiled module with what starts an instance of it; it is compiled when the first packed mesh is met.
var program = sync.OnceValues(func() (start func(context.Context) (api.Module, error), err error) {
	ctx := context.Background()
	r := wazero.NewRuntimeWithConfig(ctx, wazero.NewRuntimeConfig().WithMemoryLimitPages(maxMemory))
	_, err = r.NewHostModuleBuilder("a").
		NewFunctionBuilder().WithFunc(func(exception, kind, destructor uint32) { panic(errBroken) }).Export("a").
		NewFunctionBuilder().WithFunc(func(file, parts, count, written uint32) uint32 { return noSystem }).Export("b"). // write
		NewFunctionBuilder().WithFunc(grow).Export("c").
		NewFunctionBuilder().WithFunc(func(file uint32) uint32 { return noSystem }).Export("d"). // close
		NewFunctionBuilder().WithFunc(func() { panic(errBroken) }).Export("e").                  // abort
		Instantiate(ctx)
	if err != nil {
		return nil, err
	}
	compiled, err := r.CompileModule(ctx, module)
	if err != nil {
		return nil, err
	}
	settings := wazero.NewModuleConfig().WithName("").WithStartFunctions(initialise)
	return func(ctx context.Context) (api.Module, error) { return r.InstantiateModule(ctx, compiled, settings) }, nil
})

// noSystem is what a system call answers that there is none of (ENOSYS).
const noSystem = 52

var errBroken = errors.New("its packed bytes contradict themselves")

// grow gives the module so many bytes of memory; 0 where it has reached the most.
func grow(_ context.Context, m api.Module, size uint32) uint32 {
	const page = 1 << 16
	have := m.Memory().Size()
	if size <= have {
		return 1
	}
	size = max(size, min(have+have/4, maxMemory*page)) // so that it does not grow again for each small block
	if _, ok := m.Memory().Grow((size - have + page - 1) / page); !ok {
		return 0
	}
	return 1
}

// NewDecoder starts a decoder. Close it, also after an error of Decode.
func NewDecoder(ctx context.Context) (*Decoder, error) {
	start, err := program()
	if err != nil {
		return nil, err
	}
	m, err := start(ctx)
	if err != nil {
		return nil, err
	}
	d := &Decoder{module: m}
	if d.decoder, err = d.call(ctx, newDecoder); err != nil {
		return nil, errors.Join(err, d.Close())
	}
	return d, nil
}

// Close frees what the decoder holds.
func (d *Decoder) Close() error { return d.module.Close(context.Background()) }

// call calls a function of the module. What it answers is a 32-bit number.
func (d *Decoder) call(ctx context.Context, name string, args ...uint64) (uint64, error) {
	out, err := d.module.ExportedFunction(name).Call(ctx, args...)
	switch {
	case ctx.Err() != nil:
		return 0, ctx.Err()
	case err != nil:
		return 0, errBroken // a trap of the module; its words are for who wrote the library
	case len(out) == 0:
		return 0, nil
	}
	return out[0], nil
}

// Decode unpacks a mesh with the attributes that are wanted. A mesh of more than so many triangles or points is an
// error. The cost grows with the bytes. Where the context is done, no further step begins; a step that runs is not
// stopped. After an error the decoder is of no more use.
func (d *Decoder) Decode(ctx context.Context, data []byte, wanted []Attribute, maxTriangles, maxPoints int) (*Mesh, error) {
	in, err := d.reserve(ctx, len(data))
	if err != nil {
		return nil, err
	}
	d.module.Memory().Write(uint32(in), data)
	mesh, err := d.call(ctx, newMesh)
	if err != nil {
		return nil, err
	}
	status, err := d.call(ctx, decodeMesh, d.decoder, in, uint64(len(data)), mesh)
	if err != nil {
		return nil, err
	}
	if ok, err := d.call(ctx, statusOK, status); err != nil || ok == 0 {
		return nil, errBroken
	}
	faces, err := d.call(ctx, faceCount, mesh)
	if err != nil {
		return nil, err
	}
	points, err := d.call(ctx, pointCount, mesh)
	if err != nil {
		return nil, err
	}
	if faces > uint64(maxTriangles) || points > uint64(maxPoints) {
		return nil, fmt.Errorf("unpacks to %d triangles of %d vertices; the most is %d and %d", faces, points, maxTriangles, maxPoints)
	}
	out := &Mesh{Points: int(points)}
	triangles, err := d.bytes(ctx, 12*int(faces), func(size, to uint64) (uint64, error) {
		return d.call(ctx, faceIndices, d.decoder, mesh, size, to)
	})
	if err != nil {
		return nil, err
	}
	out.Indices = make([]uint32, 3*faces)
	for i := range out.Indices {
		out.Indices[i] = binary.LittleEndian.Uint32(triangles[4*i:])
	}
	for _, want := range wanted {
		values, err := d.values(ctx, mesh, int(points), want)
		if err != nil {
			return nil, err
		}
		out.Values = append(out.Values, values)
	}
	for _, done := range []struct {
		how  string
		what uint64
	}{{freeMesh, mesh}, {freeStatus, status}, {free, in}} {
		if _, err := d.call(ctx, done.how, done.what); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (d *Decoder) values(ctx context.Context, mesh uint64, points int, want Attribute) ([]byte, error) {
	attribute, err := d.call(ctx, attributeByID, d.decoder, mesh, api.EncodeI32(int32(want.ID)))
	if err != nil {
		return nil, err
	}
	if attribute == 0 {
		return nil, fmt.Errorf("has no attribute %d", want.ID)
	}
	// The number of values lies in one byte; the rest of the word is not set.
	components, err := d.call(ctx, componentCount, attribute)
	if err != nil {
		return nil, err
	}
	if int(int8(components)) != want.Components {
		return nil, fmt.Errorf("has %d numbers a value in attribute %d; %d are needed", int8(components), want.ID, want.Components)
	}
	return d.bytes(ctx, points*want.Components*want.Number.size(), func(size, to uint64) (uint64, error) {
		return d.call(ctx, attributeValues, d.decoder, mesh, attribute, uint64(want.Number), size, to)
	})
}

// bytes has the module write so many bytes, and takes them out of its memory.
func (d *Decoder) bytes(ctx context.Context, size int, write func(size, to uint64) (uint64, error)) ([]byte, error) {
	to, err := d.reserve(ctx, size)
	if err != nil {
		return nil, err
	}
	done, err := write(uint64(size), to)
	if err != nil {
		return nil, err
	}
	if done&1 == 0 {
		return nil, errBroken
	}
	read, ok := d.module.Memory().Read(uint32(to), uint32(size))
	if !ok {
		return nil, errBroken
	}
	out := slices.Clone(read)
	_, err = d.call(ctx, free, to)
	return out, err
}

// reserve is the place of so many bytes in the module's memory.
func (d *Decoder) reserve(ctx context.Context, size int) (uint64, error) {
	if size > maxMemory<<16 {
		return 0, errFull
	}
	at, err := d.call(ctx, malloc, uint64(max(size, 1)))
	if err == nil && at == 0 {
		err = errFull
	}
	return at, err
}

var errFull = fmt.Errorf("needs more than %d MiB to be unpacked", maxMemory>>4)
