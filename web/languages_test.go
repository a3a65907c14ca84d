package web_test

import (
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/dbtest"
	"manudex/web"
)

// A worker's day in another language: every page says all of it, the others say
// that they are in English.
func TestADayInOtherLanguages(t *testing.T) {
	all, err := web.Tongues()
	if err != nil {
		t.Fatal(err)
	}
	for code, says := range map[string]map[string]string{
		"es": {"english": "Esta página está en inglés.", "in": "Fichar la salida", "break": "Terminar la comida, volver al trabajo",
			"empty": "La nota está vacía. Escribe",
			"crew":  "Nuevo aquí: nombre y apellido", "byhand": "Horas a mano",
			"pay": "Mi paga", "why": "Los motivos están en inglés",
			"days": "El periodo anterior", "me": "El idioma de tus páginas", "gone": "Aquí no hay nada",
			"card": "Lo mismo como lista",
			"job":  "No se eligió nada (trabajo). Elige en qué empiezas (trabajo)"},
		"fr": {"english": "Cette page est en anglais.", "in": "Pointer le départ", "break": "Fin du repas, retour au travail",
			"empty": "La note est vide. Écrivez",
			"crew":  "Nouveau ici : prénom et nom", "byhand": "Heures à la main",
			"pay": "Ma paie", "why": "Les motifs sont en anglais",
			"days": "La période d’avant", "me": "La langue de vos pages", "gone": "Il n’y a rien ici", "card": "La même chose en liste",
			"job": "Rien n’a été choisi (chantier). Choisissez sur quoi"},
	} {
		s := open(t)
		c := s.signIn(t, "Dao Pham")
		c.post("/me/language", url.Values{"language": {code}})
		missed := map[string]bool{}
		all[code].Missed = func(sentence string) { missed[sentence] = true }
		page := func(what, body string) {
			t.Helper()
			if !strings.Contains(body, says[what]) || says[what] == "" {
				t.Errorf("%s, %s: the page doesn't say %q", code, what, says[what])
			}
			if !strings.Contains(body, `<html lang="`+code+`"`) {
				t.Errorf("%s, %s: the page doesn't say its language", code, what)
			}
		}
		punch := func(values ...string) string {
			form := url.Values{"id": {uuid.NewString()}, "seen_at": {s.At().Format("2006-01-02T15:04:05Z07:00")}}
			for i := 0; i < len(values); i += 2 {
				form.Set(values[i], values[i+1])
			}
			status, body, _ := c.post("/clock/punch", form)
			if status == http.StatusSeeOther {
				_, body, _ = c.get("/clock")
			}
			return body
		}
		_, body, _ := c.get("/clock")
		page("in", body)
		page("break", punch("act", "break_start", "break", "meal"))
		punch("act", "break_end")
		punch("act", "out")
		page("job", punch("act", "in"))
		c.post("/clock/note", url.Values{"id": {uuid.NewString()}, "note": {" "}})
		_, body, _ = c.get("/clock")
		c.post("/clock/note", url.Values{"id": {uuid.NewString()}, "note": {"Hasta luego"}})
		c.get("/clock")
		_, body, _ = c.get("/clock/days")
		page("days", body)
		c.get("/clock/days?on=2026-10-30")
		_, body, _ = c.get("/me")
		page("me", body)
		_, body, _ = c.get("/cards/" + uuid.NewString() + "/2026-11-12")
		page("gone", body)
		cards := dbtest.Get[string](t, s.World, `select string_agg(employment_id::text || '/' || date::text, ' ') from (
			select distinct on (flags, state) employment_id, date from card where employment_id = $1
			and date > '2026-10-25' order by flags, state, date desc) c`, *s.Person(t, "Dao Pham").Employment)
		for card := range strings.SplitSeq(cards, " ") {
			_, body, _ = c.get("/cards/" + card)
			page("card", body)
			if i := strings.Index(body, "?pick="); i >= 0 {
				c.get("/cards/" + card + body[i:i+len("?pick=")+36])
			}
			c.get("/cards/" + card + "?add=1")
		}
		apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"), company.SetCompany{Field: "own_pay", Value: "yes"}))
		_, body, _ = c.get("/me/pay")
		page("pay", body)
		for _, m := range regexp.MustCompile(`href="(/me/pay/[^"]+)"`).FindAllStringSubmatch(body, 2) {
			_, body, _ = c.get(m[1])
			page("why", body)
		}
		lead := s.signIn(t, "Wren Halloran")
		lead.post("/me/language", url.Values{"language": {code}})
		if _, body, _ = lead.get("/people"); !strings.Contains(body, says["english"]) || !strings.Contains(body, `<html lang="en"`) {
			t.Errorf("%s: the list of people doesn't say that it is in English", code)
		}
		s.byHandInTongue(t, code, func(body string) { page("byhand", body) })
		s.crewInTongue(t, lead, func(body string) { page("crew", body) })
		for sentence := range missed {
			t.Errorf("%s: %q isn't in the catalogue", code, sentence)
		}
		all[code].Missed = nil
	}
}

// byHandInTongue writes hours by hand, right and wrong.
func (s *site) byHandInTongue(t *testing.T, code string, page func(body string)) {
	t.Helper()
	name := dbtest.Get[string](t, s.World,
		`select p.given_name || ' ' || p.family_name from person p join employment e on e.person_id = p.id
		where e.clock_points like '%hours by hand'`)
	c := s.signIn(t, name)
	c.post("/me/language", url.Values{"language": {code}})
	work := dbtest.Get[string](t, s.World, `select j.id || '.' || t.id from job j join task t on t.job_id = j.id where j.number = '2250'
		order by t.position limit 1`)
	form := url.Values{"employment": {s.Person(t, name).Employment.String()}, "date": {"2026-11-12"}, "day": {"2026-11-12"},
		"choice": {work},
		"from":   {"2026-11-08"}, "to": {"2026-11-21"}}
	page2 := func() {
		t.Helper()
		_, body, _ := c.get("/byhand?day=2026-11-12")
		page(body)
	}
	page2()
	for _, of := range [][2]string{{"/line", ""}, {"/cell", "7"}, {"/cell", "x"}, {"/cell", "25"}, {"/like", ""}, {"/sign", ""}} {
		form.Set("id", uuid.NewString())
		form.Set("hours", of[1])
		c.post("/byhand"+of[0], form)
		page2()
	}
	_, body, _ := c.get("/byhand?day=2026-12-08")
	page(body)
}

// crewInTongue fills a crew's sheet, right and wrong.
func (s *site) crewInTongue(t *testing.T, lead *client, page func(body string)) {
	t.Helper()
	unit := s.Person(t, "Wren Halloran").Unit.String()
	crew := dbtest.Get[string](t, s.World, `select string_agg(e.id::text, ' ') from employment e where e.unit_id = $1`, unit)
	form := url.Values{"unit": {unit}, "day": {"2026-11-13"}, "p": strings.Fields(crew)}
	press := func(path string, values ...string) {
		t.Helper()
		form.Set("id", uuid.NewString())
		form.Set("employment", uuid.NewString())
		for i := 0; i < len(values); i += 2 {
			form.Set(values[i], values[i+1])
		}
		status, body, _ := lead.post("/crew"+path, form)
		if status == http.StatusSeeOther {
			_, body, _ = lead.get("/crew")
		}
		page(body)
	}
	for _, act := range []string{"in", "switch", "meal", "meal", "rest", "back", "back", "out", "out", "day"} {
		press("/punch", "act", act)
	}
	one := strings.Fields(crew)[0]
	press("/there", "missing", one)
	press("/there", "missing", "", "there", one)
	press("/add", "name", "Ned Carrow", "mobile", "555 0188")
	press("/add", "name", "Ned")
	press("/count", "amount", "x", "job", uuid.NewString())
	press("/sign", "seen", "x")
	for _, path := range []string{"/crew?q=Dao&unit=" + unit, "/crew?day=2026-11-11&unit=" + unit, "/crew?day=2026-11-20&unit=" + unit} {
		_, body, _ := lead.get(path)
		page(body)
	}
}

// Before anybody is known, the browser says the language; whoever is welcomed in it
// keeps it.
func TestTheBrowsersLanguage(t *testing.T) {
	s := open(t)
	r, err := http.NewRequest("GET", s.url+"/signin", nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Accept-Language", "es-MX,es;q=0.9")
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	if got := answer.Header.Get("Content-Language"); got != "es" {
		t.Errorf("the sign-in page is in %q", got)
	}
	c := s.signIn(t, "Dao Pham")
	if status, _, _ := c.post("/me/language", url.Values{"language": {"tlh"}}); status != http.StatusSeeOther {
		t.Errorf("a language that there isn't: %d", status)
	}
	if kept := dbtest.Get[string](t, s.World, `select language from person where id = $1`, s.Person(t, "Dao Pham").ID); kept != "en" {
		t.Errorf("it is %s then", kept)
	}
}
