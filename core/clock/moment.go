package clock

import "time"

// Moment is what a person's own device says of when it was pressed. The zero
// Moment says nothing: the punch is made when it arrives.
type Moment struct {
	Seen     time.Time     // the last server time that the device saw
	SeenWall time.Time     // its wall clock at that moment
	Since    time.Duration // its monotonic clock from then to the press; negative where it was lost, as after a reload
	Pressed  time.Time     // its wall clock at the press
	Sent     time.Time     // its wall clock when it was sent
}

// atOnce is how long a punch may wait at the device, or be on its way, and still
// count as made when it arrives.
const atOnce = 2 * time.Second

// At works out when the device was pressed, by the server's time: now, where
// it sent at once, whatever its clocks say, for they stand while it sleeps; the last
// server time it saw and its monotonic clock since, or, where that was lost,
// its wall clock and how far it is off now. Doubt is how far its clocks
// contradict each other, where that is over a minute: its wall clock against
// its monotonic one, or against itself between seeing and sending.
func (m Moment) At(now time.Time) (at time.Time, doubt time.Duration) {
	if waited := m.Sent.Sub(m.Pressed); !m.Pressed.IsZero() && !m.Sent.IsZero() && waited >= 0 && waited < atOnce {
		return now, 0
	}
	off := time.Duration(0) // of its wall clock, at sending
	if !m.Sent.IsZero() {
		off = now.Sub(m.Sent)
	}
	wall := time.Time{}
	if !m.Pressed.IsZero() && !m.Sent.IsZero() {
		wall = m.Pressed.Add(off)
	}
	switch {
	case !m.Seen.IsZero() && m.Since >= 0:
		at = m.Seen.Add(m.Since)
	case !wall.IsZero():
		at = wall
	default:
		return now, 0
	}
	if now.Sub(at).Abs() < atOnce {
		return now, 0
	}
	if !wall.IsZero() {
		doubt = wall.Sub(at)
	}
	if !m.Sent.IsZero() && !m.SeenWall.IsZero() {
		if moved := off - m.Seen.Sub(m.SeenWall); moved.Abs() > doubt.Abs() {
			doubt = moved
		}
	}
	if doubt.Abs() <= sameMoment {
		doubt = 0
	}
	return at, doubt.Truncate(time.Second)
}
