// Package level is the level document: what gets lit, by what, and seen from
// where. Its types are the source of the JSON Schema, of the OpenAPI document
// and of the console's types.
//
// The document is right-handed, +Y up, in metres, seconds and degrees; colours
// are sRGB "#rrggbb" or "#rrrrggggbbbb"; strengths are photometric. A light, a camera and a fixture
// look along their own -Z, as in glTF.
//
// Here live: the types, reading and writing, validation, operations with their
// inverses, and the questions that need nothing but the document (where is this
// entity, which zone is it in, what colour does it shine). Nothing here traces a
// ray, opens a file or knows of a user.
package level

// Limits of size. One document may not hold more; the reader says so with the
// path. They are also in docs/level-format.md, which a test compares.
const (
	MaxBytes       = 64 << 20   // of the JSON text
	MaxEntities    = 20_000     // in one part
	MaxTriangles   = 2_000_000  // of all meshes together
	MaxImageBytes  = 8 << 20    // of one image
	MaxImagePixels = 40_000_000 // of all images together; a decoded pixel takes 12 bytes
	MaxPlanePairs  = 16_000_000 // of planes of one solid, all solids together: 20 thousand boxes, or 240 solids of 256 faces
	MaxProbes      = 32_768     // in one grid
	MaxMotes       = 4_000      // of one emitter at once
	MaxText        = 2_000      // characters of a note
	MaxExtent      = 32_000.0   // metres from the origin, any axis: light is computed with coordinates of 32 bits
)

// Format is the document's format and major version.
const Format = "grotta-level/1"
