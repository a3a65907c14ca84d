// Package docs holds what is shipped of the documentation.
package docs

import _ "embed"

// OpenAPI describes the interface for devices (OpenAPI 3.0).
//
//go:embed openapi.yaml
var OpenAPI []byte
