package app

// acts_bringin lists the acts of this package, for the tests that hold the
// permission table and the routes against them.
var acts_bringin = []Act{TakeFile{}, MatchColumns{}, BringIn{}}
