module grotta/core/half/kernel

go 1.26.0

require github.com/mmcloughlin/avo v0.5.0

require (
	golang.org/x/mod v0.6.0 // indirect
	golang.org/x/sys v0.1.0 // indirect
	golang.org/x/tools v0.2.0 // indirect
)
