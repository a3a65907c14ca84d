package clock

// Marks is what somebody said of a stint beyond its time and its work, a bit for
// each. It is stored as a number.
type Marks int16

// The marks there are.
const (
	CalledIn  Marks = 1 << iota // called in to work: the attendance that it begins is a call-out
	NoMeal                      // they had no meal: none is taken out of the attendance by itself
	HadMeal                     // they had one
	Billed                      // to be billed, whatever the job says
	NotBilled                   // not to be billed

	LeftByChoice // they left because they wanted to, and weren't let go: no show-up pay is due
)

const (
	mealMarks    = NoMeal | HadMeal
	endMarks     = mealMarks | LeftByChoice // that are said of how a stint ended
	billingMarks = Billed | NotBilled
)

// Has says whether all of some marks are set.
func (m Marks) Has(some Marks) bool { return m&some == some }

// Billing gives what the marks say of billing alone.
func (m Marks) Billing() Marks { return m & billingMarks }

// same says whether marks that are sent again are those that are stored. Where it is
// not asked whether the work is billed, what was sent of that is not stored.
func (m Marks) same(again Marks) bool {
	return m&^billingMarks == again&^billingMarks && (m.Billing() == 0 || m.Billing() == again.Billing())
}

// With gives the marks that a punch of an act can set: only clocking in is a
// call-out, the work that is begun is billed or not, and whoever leaves says
// whether they had their meal. What contradicts itself says nothing.
func (a Act) With(m Marks) Marks {
	if m.Has(billingMarks) {
		m &^= billingMarks
	}
	if m.Has(mealMarks) {
		m &^= mealMarks
	}
	switch a {
	case In:
		return m & (CalledIn | billingMarks)
	case Switch:
		return m & billingMarks
	case Out:
		return m & mealMarks
	}
	return 0
}
