// Package exchange brings levels in from other formats and hands them back: glTF 2.0 with
// KHR_lights_punctual both ways, and OBJ, PLY and STL in. It follows the published standards
// only (ISO/IEC 12113:2022 and the Khronos registry of extensions for glTF).
package exchange
