package clock

import (
	"slices"
	"testing"
)

func TestSuits(t *testing.T) {
	for name, c := range map[string]struct {
		h    Habits
		want []Suit
	}{
		"nobody":                       {Habits{}, nil},
		"all have a phone":             {Habits{People: 10, Phones: 10}, []Suit{{OwnDevice, 10, NearlyAll}}},
		"four of five":                 {Habits{People: 10, Phones: 8}, []Suit{{OwnDevice, 8, NearlyAll}, {Terminal, 2, WithoutPhone}}},
		"fewer":                        {Habits{People: 10, Phones: 7}, []Suit{{OwnDevice, 7, SomeOfThem}, {Terminal, 3, WithoutPhone}}},
		"none":                         {Habits{People: 4}, []Suit{{Terminal, 4, WithoutPhone}}},
		"every other day elsewhere":    {Habits{People: 10, Phones: 10, Days: 40, Moves: 0.5}, []Suit{{OwnDevice, 10, TheyMove}}},
		"hardly ever":                  {Habits{People: 10, Phones: 10, Days: 40, Moves: 0.49}, []Suit{{OwnDevice, 10, NearlyAll}}},
		"nothing was seen of them yet": {Habits{People: 10, Phones: 10, Moves: 3}, []Suit{{OwnDevice, 10, NearlyAll}}},
	} {
		if got := Suits(c.h); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}
