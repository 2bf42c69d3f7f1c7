package api

import "grotta/core/ledger"

// Ledger is what light reaches a point, with the revision it was asked of.
type Ledger struct {
	Level    string `json:"level"`
	Revision int    `json:"revision"`
	ledger.Ledger
}
