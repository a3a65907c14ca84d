package clock

import (
	"slices"
	"testing"
)

func TestWays(t *testing.T) {
	for point, want := range map[Point]Way{OwnPhone: OwnDevice, Browser: OwnDevice, DelayQueue: OwnDevice, AtPoint: Device,
		PointQueue: Device, HandEntry: "", "": ""} {
		if got := point.Way(); got != want {
			t.Errorf("%q belongs to %q, want %q", point, got, want)
		}
		if w := point.Way(); w != "" && !slices.Contains(Ways, w) {
			t.Errorf("nobody can be given %q", w)
		}
	}
}
