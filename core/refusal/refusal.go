// Package refusal is how what can't be done is said: to the person who asked,
// with what would be right.
package refusal

import "time"

// Refusal says why something a person asked for can't be done: the field it
// concerns, what is wrong and what would be right. Its text is for people.
type Refusal struct {
	Field, Wrong, Right string
	Nearest             time.Time // the nearest instant that would be taken, where there is one
}

func (r *Refusal) Error() string { return r.Wrong + ". " + r.Right }

// New makes a [Refusal].
func New(field, wrong, right string) error { return &Refusal{Field: field, Wrong: wrong, Right: right} }

// Near is [New] with the nearest instant that would be taken.
func Near(field, wrong, right string, nearest time.Time) error {
	return &Refusal{field, wrong, right, nearest}
}
