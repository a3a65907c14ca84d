package bringin

import (
	"manudex/app"
)

// Acts lists the acts of this package, for the tests that hold the
// permission table and the routes against them.
var Acts = []app.Act{TakeFile{}, MatchColumns{}, ReadColumnAs{}, PutRight{}, BringIn{}, BringInSettings{}, QueueBringIn{}}
