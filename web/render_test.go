package web

import (
	"testing"
)

func TestOwnPath(t *testing.T) {
	for to, want := range map[string]bool{"/": true, "/today?day=2026-11-12": true, "": false, "today": false, "//x": false, `/\x`: false,
		"https://x/": false, "javascript:x": false, "/%zz": false} {
		if got := ownPath(to); got != want {
			t.Errorf("ownPath(%q) = %v", to, got)
		}
	}
}
