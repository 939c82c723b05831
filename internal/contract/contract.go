// Package contract is the interface between service and clients: the OpenAPI document, and the models that are
// generated from it. Types that the core also has are the core's types.
package contract

import _ "embed"

//go:generate go tool oapi-codegen -config models.config.yaml openapi.yaml
//go:generate go tool oapi-codegen -config ../api/server.config.yaml openapi.yaml
//go:generate go tool oapi-codegen -config ../client/client.config.yaml openapi.yaml

// Document is the contract in YAML.
//
//go:embed openapi.yaml
var Document []byte

// KeyHeader is the header that identifies a repeated request: a client that got no answer sends it again with the
// same key, and the service answers without writing twice.
const KeyHeader = "Idempotency-Key"

// ClientAgent is the beginning of the client's User-Agent.
const ClientAgent = "dtally/"
