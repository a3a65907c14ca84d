package files

import (
	"bytes"
	"strings"
	"testing"
)

func TestTrack(t *testing.T) {
	for _, c := range []struct {
		name, in, want string
		own            []string
		whole          bool
	}{
		{"an employee's card", "%EMP00123?\n",
			`{"kind":"track1","parts":[{"name":"data","text":"EMP00123"}],"match":"EMP00123"}`, nil, true},
		{"the last line has no end", "0004711",
			`{"kind":"number","parts":[{"name":"number","text":"0004711"}],"match":"0004711"}`, nil, true},
		{"a payment card", ";4111111111111111=2512?\n", `{"refused":"payment_card"}`, nil, true},
		{"one of the place's own", ";4111111111111111?\n",
			`{"kind":"track2","parts":[{"name":"data","text":"4111111111111111"}],"match":"4111111111111111"}`, []string{"4111"}, true},
		{"cut off, and then another", "%EMP\n+7?\n", `{"refused":"damaged"}` + "\n" +
			`{"kind":"tracks","parts":[{"name":"data","text":"7"}],"match":"7"}`, nil, false},
		{"nothing", "", "", nil, true},
	} {
		var out bytes.Buffer
		whole, err := Track(strings.NewReader(c.in), &out, c.own)
		if got := strings.TrimSpace(out.String()); err != nil || got != c.want || whole != c.whole {
			t.Errorf("%s: %v %v\n got %s\nwant %s", c.name, whole, err, got, c.want)
		}
	}
}
