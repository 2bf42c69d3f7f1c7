// Package exchange brings levels in from other formats and hands them back:
// glTF 2.0 with KHR_lights_punctual, both ways. It follows the published
// standard only (ISO/IEC 12113:2022 and the Khronos registry of extensions).
package exchange
