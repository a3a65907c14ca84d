package leave

import (
	_ "embed"
	"encoding/json"
)

// ReadyPolicy is a ready-made policy, as manudex accrue reads it, with the law it is from.
type ReadyPolicy struct {
	Name   string          `json:"name"`
	Source string          `json:"source"`
	Policy json.RawMessage `json:"policy"`
}

//go:embed ready.json
var ready []byte

// Ready lists the ready-made policies.
func Ready() []ReadyPolicy {
	var all []ReadyPolicy
	if err := json.Unmarshal(ready, &all); err != nil {
		panic(err) // it is compiled in, and a test reads it
	}
	return all
}
