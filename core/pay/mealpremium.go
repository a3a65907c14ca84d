package pay

import (
	"slices"

	"manudex/core/clock"
	"manudex/core/when"
)

// missedMeal is a workday in which a due meal did not begin in time: the
// piece of work that ran when it was due, and which meal it was.
type missedMeal struct {
	day, week when.Date
	stint     int32
	second    bool
	worked    int64
	due       int64 // Unix time by which it had to begin
}

// missedMeals finds the workdays in which a due meal did not begin in time
// (California Labor Code 512): at the latest when as much was worked as a
// meal is due after. Any time off duty of at least the length of a meal is
// one, whether it was recorded as a meal or as clocking out and in again.
// pieces are raw time.
// Of a day whose breaks aren't known none is missed.
func missedMeals(pieces []piece, stints []Stint, rule MealPremium) []missedMeal {
	var missed []missedMeal
	for i := 0; i < len(pieces); {
		j := i + 1
		for j < len(pieces) && pieces[j].day == pieces[i].day {
			j++
		}
		day := pieces[i:j]
		unknown := slices.ContainsFunc(day, func(p piece) bool { return stints[p.stint].HoursOnly })
		if m, ok := missedOn(day, rule); ok && !unknown {
			missed = append(missed, m)
		}
		i = j
	}
	return missed
}

func missedOn(day []piece, rule MealPremium) (missedMeal, bool) {
	var stretches []clock.Worked
	var of []piece
	var worked int64
	for _, p := range day {
		if !p.paidOnly {
			stretches, of = append(stretches, clock.Worked{From: p.from, To: p.to()}), append(of, p)
			worked += p.seconds
		}
	}
	m, missed := rule.Meals().Missed(stretches)
	if !missed {
		return missedMeal{}, false
	}
	p := of[m.During]
	return missedMeal{day: p.day, week: p.week, stint: p.stint, second: m.Second, worked: worked, due: m.Due}, true
}

// mealPremiums pays one hour at the week's regular rate for each workday with
// a missed meal.
func (m *lineMaker) mealPremiums() {
	for n, meal := range m.missed {
		i, found := findWeek(m.weeks, meal.week)
		if !found || m.weeks[i].Worked == 0 {
			continue // rounded away altogether
		}
		sum := &m.weeks[i]
		l := Line{Date: meal.day, Week: meal.week, Stint: int(meal.stint), Kind: MealPay, from: int32(n),
			PayCode: m.Stints[meal.stint].PayCode, Seconds: 3600}
		l.Amount, l.Rate = m.f.regularRate(sum).minor(m.decimals), sum.RegularRate
		m.lines = append(m.lines, l)
	}
}
