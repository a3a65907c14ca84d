package web_test

import (
	"html"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/dbtest"
)

// A change of many is for those the list showed, by whatever it was filtered:
// the filter goes through the page, its preview and the act.
func TestAChangeOfManyKeepsEveryFilter(t *testing.T) {
	s := open(t)
	field, dao := uuid.New(), s.Person(t, "Dao Pham").ID
	for _, statement := range []string{`insert into own_field (id, name, kind, choices, position) values ($1, 'Locker', 'text', '', 1)`,
		`insert into own_value (field_id, person_id, value) select $1, id, 'L Q7X' from person where given_name = 'Dao'`} {
		if _, err := s.DB.Exec(statement, field); err != nil {
			t.Fatal(err)
		}
	}
	c := s.signIn(t, "Mira Castellane")
	for _, filter := range []url.Values{{"q": {"Locker: l q7x"}}, {"q": {"q7x"}, "kind": {"crew"}},
		{"q": {"Dao Pham"}, "sort": {"-rate"}, "view": {"pay"}},
		{"who": {dao.String()}}, {"level": {"worker", "lead"}, "q": {"Locker: L"}}} {
		_, list, _ := c.get("/people?" + filter.Encode())
		many := regexp.MustCompile(`href="(/people/many\?[^"]*)"`).FindStringSubmatch(list)
		if many == nil {
			t.Fatalf("%v: the list leads to no change of many", filter)
		}
		form := url.Values{"field": {"title"}, "value": {"Keeper " + filter.Encode()}}
		_, page, _ := c.get(html.UnescapeString(many[1]) + "&" + form.Encode())
		if !strings.Contains(page, "Change one setting for 1 person") || !strings.Contains(page, "Change it for 1 person") {
			t.Errorf("%v: the page isn't about one person", filter)
		}
		back := regexp.MustCompile(`href="(/people\?[^"]*)">Back to the list`).FindStringSubmatch(page)
		if back == nil || html.UnescapeString(back[1]) != "/people?"+filter.Encode() {
			t.Errorf("%v: back leads to %v", filter, back)
		}
		hidden := func(name string) string {
			m := regexp.MustCompile(`name="`+name+`" value="([^"]*)"`).FindAllStringSubmatch(page[strings.Index(page, `class="do"`):], 1)
			return html.UnescapeString(m[0][1])
		}
		for _, name := range []string{"id", "query", "field", "value", "from", "seen"} {
			form.Set(name, hidden(name))
		}
		if status, _, _ := c.post("/people/many", form); status != 303 {
			t.Errorf("%v: answered %d", filter, status)
		}
		if n := dbtest.Get[int](t, s.World, `select count(*) from employment where title = $1`, form.Get("value")); n != 1 {
			t.Errorf("%v: changed %d people", filter, n)
		}
	}
	if title := dbtest.Get[string](t, s.World, `select title from employment where person_id = $1`,
		dao); !strings.HasPrefix(title, "Keeper") {
		t.Errorf("his title is %q", title)
	}
}
