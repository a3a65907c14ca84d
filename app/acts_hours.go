package app

// acts_hours lists the acts of this package, for the tests that hold the
// permission table and the routes against them.
var acts_hours = []Act{Punch{}, SeePlace{}, AddNote{}, Sign{}, SignClear{}, Approve{}, ApproveClear{}, TakeBack{}}
