// Package contract is what service and clients have agreed on: the OpenAPI document, and
// the models that are generated from it. What is the same in the core is the core's type.
package contract

import _ "embed"

//go:generate go tool oapi-codegen -config models.config.yaml openapi.yaml
//go:generate go tool oapi-codegen -config ../api/server.config.yaml openapi.yaml
//go:generate go tool oapi-codegen -config ../client/client.config.yaml openapi.yaml

// Document is the contract as it is written, in YAML.
//
//go:embed openapi.yaml
var Document []byte

// KeyHeader names the header by which a request says that it is the same as one before it: whoever got no answer sends it
// again with the same key, and what was written then is answered and not written twice.
const KeyHeader = "Idempotency-Key"

// ClientAgent is how the client begins to say what program it is.
const ClientAgent = "dtally/"
