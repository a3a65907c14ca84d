package store

import (
	"fmt"
	"strings"
)

// where gathers conditions with their parameters. A condition is there only
// when it is needed: one that asks whether its own parameter is null makes
// PostgreSQL plan for any value from a connection's sixth use on, and turns
// slow.
type where struct {
	conds []string
	args  []any
}

// among begins with parameters that are there in any case.
func among(args ...any) *where { return &where{args: args} }

// and adds a condition; each %d in it is the number of the parameter given.
func (w *where) and(cond string, arg any) {
	w.args = append(w.args, arg)
	w.conds = append(w.conds, strings.ReplaceAll(cond, "%d", fmt.Sprint(len(w.args))))
}

// plain adds a condition without a parameter of its own.
func (w *where) plain(cond string) { w.conds = append(w.conds, cond) }

// param adds a parameter and gives its place in the statement, "$7".
func (w *where) param(arg any) string {
	w.args = append(w.args, arg)
	return fmt.Sprintf("$%d", len(w.args))
}

// sql gives the conditions, after "where" when there are any.
func (w *where) sql() string {
	if len(w.conds) == 0 {
		return ""
	}
	return "where " + strings.Join(w.conds, " and ")
}
