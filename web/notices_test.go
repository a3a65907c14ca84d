package web_test

import (
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/notice"
	core "manudex/core/notice"
	"manudex/dbtest"
)

// Somebody asks from a page; whom it reaches sees it counted on every page, opens it by its
// address, comes to that page, and has seen it by that. In their own language it is said so.
func TestAQuestionIsTold(t *testing.T) {
	s := open(t)
	orla, dao := s.signIn(t, "Orla Ebbwater"), s.signIn(t, "Dao Pham")
	ask := company.PutAsk{ID: apptest.NewID(), Subject: "Pay", Named: s.Person(t, "Orla Ebbwater").Number}
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"), ask))
	r, err := http.NewRequest("GET", s.url+"/guide", nil)
	apptest.Must(t, err)
	r.Header.Set("Referer", s.url+"/clock/days?on=2026-11-12")
	answer, err := dao.Client.Do(r)
	apptest.Must(t, err)
	page, err := io.ReadAll(answer.Body)
	apptest.Must(t, err)
	apptest.Must(t, answer.Body.Close())
	if !strings.Contains(string(page), `name="page" value="/clock/days?on=2026-11-12"`) {
		t.Error("the guide doesn't know which page a question is about")
	}
	if status, _, _ := dao.post("/notices/ask", url.Values{"id": {uuid.NewString()}, "ask": {ask.ID.String()},
		"page": {"/clock/days?on=2026-11-12"}, "question": {"When is payday?"}}); status != http.StatusSeeOther {
		t.Fatalf("asked: %d", status)
	}
	id := dbtest.Get[string](t, s.World, `select id from notice where kind = 'question'`)
	for _, path := range []string{"/today", "/setup", "/notices/unseen"} {
		if _, page, _ := orla.get(path); !strings.Contains(page, "Notices <b>1</b>") {
			t.Errorf("%s doesn't say that there is one to see", path)
		}
	}
	if _, page, _ := orla.get("/notices"); !strings.Contains(page, "Dao Pham asks: “When is payday?”") {
		t.Error("it isn't on the page of notices")
	}
	if status, _, _ := dao.get("/notices/" + id); status != http.StatusNotFound {
		t.Errorf("somebody else's notice: %d", status)
	}
	if status, _, h := orla.get("/notices/" + id); status != http.StatusSeeOther || h.Get("Location") != "/clock/days?on=2026-11-12" {
		t.Errorf("it leads to %s, %d", h.Get("Location"), status)
	}
	if _, page, _ := orla.get("/today"); strings.Contains(page, "Notices <b>") {
		t.Error("what was seen is counted")
	}
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Dao Pham"), notice.ChooseWays{Kind: core.Answered, Ways: "page"}))
	if _, err := s.DB.ExecContext(t.Context(), `update person set language = 'es' where given_name = 'Orla'`); err != nil {
		t.Fatal(err)
	}
	if _, page, _ := orla.get("/notices"); !strings.Contains(page, "Dao Pham pregunta: «When is payday?»") {
		t.Error("in Spanish it isn't")
	}
}

// How one is told is kept as it is chosen; ways that don't reach one aren't offered.
func TestHowOneIsTold(t *testing.T) {
	s := open(t)
	dao := s.signIn(t, "Dao Pham")
	if _, page, _ := dao.get("/notices"); strings.Contains(page, "here and by mail") || strings.Contains(page, "not at all") ||
		!strings.Contains(page, "No mail is sent from here.") {
		t.Error("mail is offered where none is sent")
	}
	s.Post = app.Post{Server: "127.0.0.1:1", From: "hours@ebbwater.example"}
	for path, form := range map[string]url.Values{"/notices/ways": {"kind": {core.Unsigned}, "ways": {"page, mail"}},
		"/notices/quiet": {"from": {"20:30"}, "to": {"05:15"}}} {
		if status, _, _ := dao.post(path, form); status != http.StatusSeeOther {
			t.Errorf("%s: %d", path, status)
		}
	}
	_, page, _ := dao.get("/notices")
	if !strings.Contains(page, `value="20:30"`) || !strings.Contains(page, `value="05:15"`) ||
		!strings.Contains(page, `value="page, mail" selected`) {
		t.Error("what was chosen isn't shown")
	}
	for _, form := range []url.Values{{"from": {"20:30"}}, {"from": {"x"}, "to": {"05:15"}}} {
		dao.post("/notices/quiet", form)
		if got := dbtest.Get[int](t, s.World, `select quiet_from from person where given_name = 'Dao'`); got != 20*3600+30*60 {
			t.Errorf("%v was kept as %d", form, got)
		}
	}
	dao.post("/notices/quiet", url.Values{"from": {""}, "to": {""}})
	if _, page, _ := dao.get("/notices"); !strings.Contains(page, `name="from" value=""`) {
		t.Error("no quiet hours are shown as some")
	}
}

// What couldn't be delivered stands on a page with the reason, and is sent again from there.
func TestMessagesPage(t *testing.T) {
	s := open(t)
	mira := s.signIn(t, "Mira Castellane")
	if _, page, _ := mira.get("/setup/messages"); !strings.Contains(page, "Everything was delivered") {
		t.Error("nothing is said where all went well")
	}
	id := uuid.NewString()
	if _, err := s.DB.ExecContext(t.Context(), `insert into message (id, person_id, way, made_at, tries, failed_at, reason)
		values ($1, $2, 'mail', now(), 12, now(), 'nobody listens there')`, id, s.Person(t, "Dao Pham").ID); err != nil {
		t.Fatal(err)
	}
	if _, page, _ := mira.get("/setup/messages"); !strings.Contains(page, "nobody listens there") || !strings.Contains(page, "Dao Pham") {
		t.Error("the reason isn't there")
	}
	if status, _, _ := mira.post("/setup/messages/"+id+"/again", nil); status != http.StatusSeeOther {
		t.Errorf("again: %d", status)
	}
	if n := dbtest.Get[int](t, s.World, `select count(*) from river_job where kind = 'send_message' and args ->> 'message' = $1`,
		id); n != 1 {
		t.Errorf("%d jobs send it", n)
	}
}
