package api

//go:generate go tool oapi-codegen -config server.config.yaml openapi.yaml
//go:generate go tool oapi-codegen -config ../client/client.config.yaml openapi.yaml
