package schema

import _ "embed"

// Example is a checklist file with every kind, curve and option, each with a comment.
//
//go:embed example.yaml
var Example string

// Starter is a checklist for a team's first reviews: four sections and every kind of criterion.
//
//go:embed starter.yaml
var Starter string

// Start is a short checklist file to start from.
//
//go:embed start.yaml
var Start string
