package web_test

import (
	"html"
	"regexp"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/people"
	"manudex/dbtest"
)

var (
	moreOf = regexp.MustCompile(`data-more="([^"]+)"`)
	rowsOf = regexp.MustCompile(`id="card-([0-9a-f-]+)"`)
)

// rowsIn gives the rows of a page or a piece, and the address of the next one.
func rowsIn(body string) (rows []string, next string) {
	for _, m := range rowsOf.FindAllStringSubmatch(body, -1) {
		rows = append(rows, m[1])
	}
	if m := moreOf.FindStringSubmatch(body); m != nil {
		next = html.UnescapeString(m[1])
	}
	return rows, next
}

// All pieces of a list are of one version: what became of a card between them
// shows in none, and nobody is left out or there twice. A piece of a list that
// isn't known any more is the whole list, as it is now.
func TestPiecesAreOfOneVersion(t *testing.T) {
	s := open(t)
	mira := s.signIn(t, "Mira Castellane")
	const page = "/timecards?from=2026-11-08&to=2026-11-12"
	_, body, _ := mira.get(page)
	rows, next := rowsIn(body)
	if len(rows) != 60 || next == "" {
		t.Fatalf("%d rows come first, next %q", len(rows), next)
	}
	want := dbtest.Get[int](t, s.World, `select count(*) from card where date between '2026-11-08' and '2026-11-12'`)
	// Somebody is gone from the cards before the next piece is asked for.
	_, err := s.DB.Exec(`delete from card where date = '2026-11-12' and state <> 'paid'`)
	apptest.Must(t, err)
	first := next
	for next != "" {
		var piece []string
		status, body, h := mira.get(next)
		if status != 200 || h.Get("X-Whole") != "" {
			t.Fatalf("a piece of a list just read: %d, whole %q", status, h.Get("X-Whole"))
		}
		piece, next = rowsIn(body)
		rows = append(rows, piece...)
	}
	seen := map[string]bool{}
	for _, row := range rows {
		if seen[row] {
			t.Errorf("%s is there twice", row)
		}
		seen[row] = true
	}
	if len(rows) != want {
		t.Errorf("%d rows in pieces, there were %d", len(rows), want)
	}
	left := dbtest.Get[int](t, s.World, `select count(*) from card where date between '2026-11-08' and '2026-11-12'`)
	for name, address := range map[string]string{
		"a name there isn't": regexp.MustCompile(`as=[0-9a-f-]+`).ReplaceAllString(first, "as="+uuid.NewString()),
		"no name":            regexp.MustCompile(`as=[0-9a-f-]+&?`).ReplaceAllString(first, ""),
		"another list's":     strings.Replace(first, "2026-11-08", "2026-11-07", 1),
	} {
		_, body, h := mira.get(address)
		rows, next := rowsIn(body)
		if h.Get("X-Whole") != "true" || next != "" || len(rows) < left {
			t.Errorf("%s: whole %q, %d rows, there are %d", name, h.Get("X-Whole"), len(rows), left)
		}
	}
}

// Somebody else's list is nobody's, and whoever reaches less now gets no row of
// what they reached before.
func TestAListIsItsReaders(t *testing.T) {
	s := open(t)
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Orla Ebbwater"), people.GrantRight{ID: apptest.NewID(),
		Person: s.Person(t, "Wren Halloran").ID, What: "approve"}))
	wren, mira := s.signIn(t, "Wren Halloran"), s.signIn(t, "Mira Castellane")
	const page = "/timecards?from=2026-11-08&to=2026-11-12"
	_, body, _ := mira.get(page)
	_, theirs := rowsIn(body)
	if _, _, h := wren.get(theirs); h.Get("X-Whole") != "true" {
		t.Error("the list of somebody else is given")
	}
	_, body, _ = wren.get(page)
	_, next := rowsIn(body)
	if next == "" {
		t.Fatal("whoever approves everybody's cards sees less than a piece")
	}
	grant := dbtest.Get[uuid.UUID](t, s.World, `select id from grant_given where person_id = $1 and what = 'approve'`,
		s.Person(t, "Wren Halloran").ID)
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Orla Ebbwater"), people.TakeRight{Grant: grant}))
	_, body, h := wren.get(next)
	rows, _ := rowsIn(body)
	crew := dbtest.Get[int](t, s.World, `select count(*) from card c join employment e on e.id = c.employment_id
		where c.date between '2026-11-08' and '2026-11-12' and e.unit_id in (select unit_id from unit_lead where person_id = $1)`,
		s.Person(t, "Wren Halloran").ID)
	if h.Get("X-Whole") != "true" || len(rows) != crew {
		t.Errorf("with the right taken: whole %q, %d rows, the crew has %d", h.Get("X-Whole"), len(rows), crew)
	}
}
