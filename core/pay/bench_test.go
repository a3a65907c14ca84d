package pay

import (
	"fmt"
	"runtime"
	"sync"
	"testing"
	"time"

	"manudex/core/clock"
	"manudex/core/when"
)

// fortnights makes people's 14 days: ten shifts of two stints and a meal
// each, a third of the people on nights, begins and ends a few minutes off.
func fortnights(people int, rules Rules) []Input {
	all := make([]Input, people)
	for n := range all {
		in := Input{Rules: rules, Stints: make([]Stint, 0, 30)}
		begin := 7 * time.Hour
		if n%3 == 0 {
			begin = 19 * time.Hour
		}
		for d := range when.Date(14) {
			if d%7 > 4 {
				continue
			}
			start := (monday + d).At(begin, rules.Week.Loc).Add(time.Duration(n%17-8) * time.Minute)
			for i, part := range []struct {
				kind clock.Kind
				min  int
			}{{clock.Work, 243}, {clock.Meal, 31}, {clock.Work, 251 + n%5}} {
				end := start.Add(time.Duration(part.min) * time.Minute)
				in.Stints = append(in.Stints,
					Stint{ID: fmt.Sprint(d, "/", i), Start: start, End: end, Kind: part.kind, Rate: rate("23.75"),
						PayCode: "REG", Job: "2231"})
				start = end
			}
		}
		all[n] = in
	}
	return all
}

// ruleSets are what is measured: the shortest rule set, and one with a rule
// of every kind.
var ruleSets = []struct{ name, rules string }{
	{"weekly", `"weekly_overtime_after":"40"`},
	{"all", `"weekly_overtime_after":"40","daily_overtime_after":"8","daily_double_after":"12","consecutive_overtime_after":"12",
		"seventh_day":{"overtime_hours":"8"},
		"rounding":{"minutes":5,"apply":"edge"},"automatic_meal":{"after_hours":"6","minutes":30},"minimum_callout_hours":"4",
		"differentials":[{"name":"night","from":"20:00","to":"04:00","per_hour":"1.50"},{"name":"late","from":"14:00","to":"22:00",
		"percent":"5"}],
		"holidays":[{"date":"2026-03-05","multiplier":"1.5"}],"meal_premium":{"first_before_hours":"5","minutes":30,
		"first_waived_up_to_hours":"6"}`},
}

// bare only sums seconds by person and week: the least that any working out
// must do.
func bare(all []Input) (sum int64) {
	for i := range all {
		weeks := map[when.Date]int64{}
		for j := range all[i].Stints {
			s := &all[i].Stints[j]
			weeks[when.Date(s.Start.Unix()/86400/7)] += int64(s.End.Sub(s.Start) / time.Second)
		}
		for _, n := range weeks {
			sum += n
		}
	}
	return sum
}

func reckonAll(b *testing.B, all []Input) {
	var r Reckoner
	for i := range all {
		if _, err := r.Reckon(all[i]); err != nil {
			b.Error(err)
			return
		}
	}
}

// BenchmarkReckon works out 20,000 people × 14 days, against a bare loop that
// only sums their seconds by person and week. It reports seconds per million
// stints, the ratio to the bare loop, and what is allocated per stint.
func BenchmarkReckon(b *testing.B) {
	for _, set := range ruleSets {
		b.Run(set.name, func(b *testing.B) {
			all := fortnights(20_000, parsed(b, set.rules))
			stints := 0
			for _, in := range all {
				stints += len(in.Stints)
			}
			var barely, full time.Duration
			var sink int64
			var before, after runtime.MemStats
			var bytes, allocs uint64
			for b.Loop() {
				begun := time.Now()
				sink += bare(all)
				barely += time.Since(begun)
				runtime.ReadMemStats(&before)
				begun = time.Now()
				reckonAll(b, all)
				full += time.Since(begun)
				runtime.ReadMemStats(&after)
				bytes, allocs = bytes+after.TotalAlloc-before.TotalAlloc, allocs+after.Mallocs-before.Mallocs
			}
			if sink == 0 {
				b.Fatal("nothing was summed")
			}
			n := float64(b.N) * float64(stints)
			b.ReportMetric(full.Seconds()/n*1e6, "s/Mstints")
			b.ReportMetric(float64(full)/float64(barely), "×bare-loop")
			b.ReportMetric(float64(bytes)/n, "B/stint")
			b.ReportMetric(float64(allocs)/n, "allocs/stint")
		})
	}
}

// BenchmarkTwoGoroutines works out the same people on one goroutine and
// shared between two, and reports how much faster two are.
func BenchmarkTwoGoroutines(b *testing.B) {
	all := fortnights(20_000, parsed(b, ruleSets[1].rules))
	var one, two time.Duration
	for b.Loop() {
		begun := time.Now()
		reckonAll(b, all)
		one += time.Since(begun)
		begun = time.Now()
		var work sync.WaitGroup
		for _, half := range [][]Input{all[:len(all)/2], all[len(all)/2:]} {
			work.Go(func() { reckonAll(b, half) })
		}
		work.Wait()
		two += time.Since(begun)
	}
	b.ReportMetric(float64(one)/float64(two), "×one-goroutine")
}

// BenchmarkLinear works out one person's ten years at once and the same
// stints a fortnight at a time, and reports the ratio: 1 is linear.
func BenchmarkLinear(b *testing.B) {
	rules := parsed(b, ruleSets[1].rules)
	var parts []Input
	whole := Input{Rules: rules}
	for n := range 260 {
		part := fortnights(1, rules)[0]
		for i := range part.Stints {
			s := &part.Stints[i]
			s.Start, s.End = s.Start.AddDate(0, 0, 14*n), s.End.AddDate(0, 0, 14*n)
		}
		parts = append(parts, part)
		whole.Stints = append(whole.Stints, part.Stints...)
	}
	var atOnce, apart time.Duration
	for b.Loop() {
		begun := time.Now()
		reckonAll(b, []Input{whole})
		atOnce += time.Since(begun)
		begun = time.Now()
		reckonAll(b, parts)
		apart += time.Since(begun)
	}
	b.ReportMetric(float64(atOnce)/float64(apart), "×in-parts")
}
