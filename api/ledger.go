package api

import "grotta/core/bake"

// Ledger is what light reaches a point, with the revision it was asked of.
type Ledger struct {
	Level    string `json:"level"`
	Revision int    `json:"revision"`
	bake.Ledger
}
