// Package refusal is how what can't be done is said: to the person who asked,
// with what would be right.
package refusal

// Refusal says why something a person asked for can't be done: the field it
// concerns, what is wrong and what would be right. Its text is for people.
type Refusal struct {
	Field, Wrong, Right string
}

func (r *Refusal) Error() string { return r.Wrong + ". " + r.Right }

// New makes a [Refusal].
func New(field, wrong, right string) error { return &Refusal{field, wrong, right} }
