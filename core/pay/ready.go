package pay

import (
	_ "embed"
	"encoding/json"
	"sync"

	"manudex/core/when"
)

// ReadySet is a ready-made rule set that a place picks and adjusts.
type ReadySet struct {
	ID       string
	Name     string
	About    string // in a sentence or two
	Source   string // the law it follows
	Versions []ReadyVersion
}

// ReadyVersion is a ready-made rule set as it holds from a date: the first
// from which its figures are known to be right. Rules is the "rules" object
// of the reckon contract.
type ReadyVersion struct {
	From  when.Date
	Rules json.RawMessage
}

//go:embed ready.json
var readyJSON []byte

var readySets = sync.OnceValue(func() []ReadySet {
	var sets []ReadySet
	if err := json.Unmarshal(readyJSON, &sets); err != nil {
		panic("pay: ready.json: " + err.Error())
	}
	return sets
})

// ReadySets lists the ready-made rule sets.
func ReadySets() []ReadySet { return readySets() }

// On gives the rules as they hold on a date; ok is false before the first
// version.
func (s ReadySet) On(d when.Date) (rules json.RawMessage, ok bool) {
	for _, v := range s.Versions {
		if v.From <= d {
			rules, ok = v.Rules, true
		}
	}
	return rules, ok
}
