package app

import "slices"

// PageRows is how many rows come in the first piece of a list, and in each
// piece after it.
const PageRows = 60

// Piece gives n rows of a list from one on, and how many come after them.
func Piece[T any](all []T, offset, n int) (rows []T, more int) {
	from := min(offset, len(all))
	to := min(from+n, len(all))
	return slices.Clone(all[from:to]), len(all) - to
}
