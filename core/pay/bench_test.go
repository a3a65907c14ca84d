package pay

import (
	"fmt"
	"testing"
	"time"

	"manudex/core/clock"
)

// fortnight makes one person's 14 days: ten shifts of two stints and a meal.
func fortnight(b *testing.B) Input {
	rules := us(b)
	in := Input{Rules: rules}
	for d := range 14 {
		if d%7 > 4 {
			continue
		}
		start := monday.At(7*time.Hour, rules.Week.Loc).Add(time.Duration(24*d) * time.Hour)
		for i, part := range []struct {
			kind clock.Kind
			min  int
		}{{clock.Work, 243}, {clock.Meal, 31}, {clock.Work, 251}} {
			end := start.Add(time.Duration(part.min) * time.Minute)
			in.Stints = append(in.Stints, Stint{ID: fmt.Sprint(d, "/", i), Start: start, End: end, Kind: part.kind, Rate: rate("23.75"), PayCode: "REG", Job: "2231"})
			start = end
		}
	}
	return in
}

// BenchmarkReckon works out 1,000 people × 14 days, against a bare loop that
// only sums their seconds. It reports seconds per million stints, the ratio
// to the bare loop, and what is allocated per stint.
func BenchmarkReckon(b *testing.B) {
	const people = 1000
	in := fortnight(b)
	var bare, full time.Duration
	var sink int64
	b.ReportAllocs()
	for b.Loop() {
		begun := time.Now()
		for range people {
			for _, s := range in.Stints {
				sink += int64(s.End.Sub(s.Start) / time.Second)
			}
		}
		bare += time.Since(begun)
		begun = time.Now()
		for range people {
			if _, err := Reckon(in); err != nil {
				b.Fatal(err)
			}
		}
		full += time.Since(begun)
	}
	if sink == 0 {
		b.Fatal("nothing was summed")
	}
	stints := float64(b.N) * people * float64(len(in.Stints))
	b.ReportMetric(full.Seconds()/stints*1e6, "s/Mstints")
	b.ReportMetric(float64(full)/float64(bare), "×bare-loop")
}
