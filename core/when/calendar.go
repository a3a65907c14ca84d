package when

import "time"

// Calendar remembers when civil days begin in a zone, so that placing many
// instants on days costs a look-up each. What it remembers grows with the
// days that were asked for, not with the time between them. It is not safe
// for use by several goroutines at once.
type Calendar struct {
	loc    *time.Location
	start  time.Duration
	blocks map[Date]*dayBlock
	at     Date // number of the block used last
	block  *dayBlock
}

const blockDays = 32

// dayBlock holds the Unix times at which its days begin; 0 is not looked up
// yet, and the one day that begins then is looked up each time.
type dayBlock [blockDays]int64

// NewCalendar gives a calendar of the days of a zone that begin at a local
// time of day.
func NewCalendar(loc *time.Location, start time.Duration) *Calendar {
	return &Calendar{loc: loc, start: start, blocks: map[Date]*dayBlock{}}
}

// Begin gives the Unix time at which a day begins.
func (c *Calendar) Begin(d Date) int64 {
	if n := d >> 5; c.block == nil || n != c.at {
		block := c.blocks[n]
		if block == nil {
			block = new(dayBlock)
			c.blocks[n] = block
		}
		c.at, c.block = n, block
	}
	begin := &c.block[d&(blockDays-1)]
	if *begin == 0 {
		*begin = d.At(c.start, c.loc).Unix()
	}
	return *begin
}

// Day gives the day that holds a Unix time: the last that has begun. A date
// that a country skipped begins when the next does, and so is never given.
func (c *Calendar) Day(t int64) Date {
	d := Date(floorDiv(t, secondsPerDay)) + 1 // no zone is further ahead
	for c.Begin(d) > t {
		d--
	}
	return d
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}
