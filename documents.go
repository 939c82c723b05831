// Package dappertally holds the documents that ship inside the programs.
package dappertally

import "embed"

// Documents are docs, CHANGELOG.md and CONTRIBUTING.md, at their places in the repository.
//
//go:embed docs CHANGELOG.md CONTRIBUTING.md
var Documents embed.FS
