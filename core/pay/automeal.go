package pay

import "time"

// automaticMeals takes a meal out of every attendance of more than After
// worked in which none was recorded: out of the span running when After is
// reached, never bringing the hours worked below After. What is taken out is
// no gap for consecutive hours.
func automaticMeals(out, spans []span, attendances []attendance, rule AutomaticMeal) ([]span, []Meal) {
	var meals []Meal
	for _, a := range attendances {
		own := spans[a.first:a.last]
		var total int64
		for _, s := range own {
			if s.how == workTime {
				total += s.length()
			}
		}
		take := min(rule.Length, total-rule.After)
		if a.meal || take <= 0 {
			out = append(out, own...)
			continue
		}
		var sum int64
		for _, s := range own {
			if s.how != workTime || take == 0 || sum+s.length() <= rule.After {
				out = append(out, s)
				if s.how == workTime {
					sum += s.length()
				}
				continue
			}
			// The meal begins when After is reached, or early enough to fit the span.
			length := min(take, s.length())
			begin := min(s.from+max(0, rule.After-sum), s.to-length)
			sum += s.length()
			take -= length
			meals = append(meals, Meal{Stint: int(s.stint), At: time.Unix(begin, 0), Seconds: length})
			before, after := s, s
			before.to, after.from = begin, begin+length
			for _, part := range []span{before, after} {
				if part.length() > 0 {
					out = append(out, part)
				}
			}
		}
	}
	return out, meals
}
