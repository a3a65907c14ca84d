package app_test

import (
	"testing"

	"manudex/app"
)

func TestJobWord(t *testing.T) {
	for _, c := range []struct{ word, many, title, titles string }{
		{"job", "jobs", "Job", "Jobs"}, {"works order", "works orders", "Works order", "Works orders"},
		{"docket", "dockets", "Docket", "Dockets"},
		{"batch", "batches", "Batch", "Batches"}, {"duty", "duties", "Duty", "Duties"}, {"key", "keys", "Key", "Keys"},
		{"überweg", "überwegs", "Überweg", "Überwegs"}, {"y", "ys", "Y", "Ys"},
	} {
		w := app.JobWord(c.word)
		if w.Many() != c.many || w.Title() != c.title || w.Titles() != c.titles {
			t.Errorf("%s: %s, %s, %s", c.word, w.Many(), w.Title(), w.Titles())
		}
	}
	if w := app.JobWord("docket"); w.Count(1) != "1 docket" || w.Count(0) != "0 dockets" || w.A() != "a docket" ||
		app.JobWord("order").A() != "an order" {
		t.Errorf("%s, %s, %s", w.Count(1), w.Count(0), w.A())
	}
}
