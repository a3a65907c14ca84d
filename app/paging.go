package app

// PageRows is how many rows come in the first piece of a list, and in each
// piece after it.
const PageRows = 60
