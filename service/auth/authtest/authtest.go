// Package authtest makes passwords cheap to hash. Only tests and pictures import it.
package authtest

import "grotta/service/auth"

func init() { auth.SetCost(64, 1) }
