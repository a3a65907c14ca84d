package web_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
)

type queueAnswer struct {
	Results []struct{ ID, State, Why string }
}

// sendQueue sends what waited on somebody's phone.
func (c *client) sendQueue(t *testing.T, person uuid.UUID, queue string) (int, queueAnswer) {
	t.Helper()
	status, body, _ := c.post("/clock/queue", url.Values{"person": {person.String()}, "queue": {queue},
		"sent_at": {dbtest.Now.Format(time.RFC3339)}})
	var a queueAnswer
	if status == http.StatusOK {
		apptest.Must(t, json.Unmarshal([]byte(body), &a))
	}
	return status, a
}

// What waited is its owner's: nobody else sends it. Each of it is recorded, or a claim, or
// named as what can't be read; sent again it changes nothing, and what is wrong with one
// holds up none that follow.
func TestTheQueueOfAPhone(t *testing.T) {
	s := open(t)
	viggo, dao := s.Person(t, "Viggo Bexley"), s.Person(t, "Dao Pham")
	c := s.signIn(t, "Viggo Bexley")
	if dbtest.Get[bool](t, s.World, `select exists (select 1 from stint where person_id = $1 and end_at is null)`, viggo.ID) {
		if status, _, _ := c.post("/clock/punch", url.Values{"id": {uuid.NewString()}, "act": {"out"}}); status != http.StatusSeeOther {
			t.Fatalf("clocking out: %d", status)
		}
	}
	job := dbtest.Get[uuid.UUID](t, s.World, `select id from job where number = '2253'`)
	at := func(before time.Duration) string { return dbtest.Now.Add(-before).Format(time.RFC3339) }
	one := func(id, act, choice string, before time.Duration) string {
		return fmt.Sprintf(`{"id": %q, "position": %q, "act": %q, "choice": %q, "device_at": %q, "seen_at": %q, "seen_wall": %q}`, id,
			viggo.Employment, act, choice, at(before), at(time.Hour), at(time.Hour))
	}
	in, out, old, closed := apptest.NewID().String(), apptest.NewID().String(), apptest.NewID().String(), apptest.NewID().String()
	gone := dbtest.Get[uuid.UUID](t, s.World, `select id from job where state = 'closed' and not public_work limit 1`)
	queue := "[" + strings.Join([]string{one(old, "out", "", 80*time.Hour), one("x", "in", job.String(), time.Minute),
		one(in, "in", job.String(), 30*time.Minute), one(closed, "switch", gone.String(), 20*time.Minute),
		one(out, "out", "", 10*time.Minute)}, ",") + "]"
	if status, _ := c.sendQueue(t, dao.ID, queue); status != http.StatusConflict {
		t.Errorf("somebody else's queue: %d", status)
	}
	count := func() string {
		return fmt.Sprint(
			dbtest.Get[int](t, s.World, `select count(*) from punch where point = 'queue' and employment_id = $1 and id = any($2::uuid[])`,
				viggo.Employment, "{"+in+","+out+"}"),
			dbtest.Get[int](t, s.World, `select count(*) from claim where employment_id = $1 and id = any($2::uuid[])`,
				viggo.Employment, "{"+old+","+closed+"}"))
	}
	for range 2 {
		status, a := c.sendQueue(t, viggo.ID, queue)
		var got []string
		for _, r := range a.Results {
			got = append(got, r.State)
		}
		if status != http.StatusOK || strings.Join(got, " ") != "claim refused recorded claim recorded" {
			t.Fatalf("%d %v", status, a)
		}
		if n := count(); n != "2 2" {
			t.Errorf("punches and claims: %s", n)
		}
	}
	// Another punch under an id that was used is a claim, once, and stays on the phone.
	again := "[" + one(in, "out", "", 5*time.Minute) + "]"
	for range 2 {
		if _, a := c.sendQueue(t, viggo.ID, again); len(a.Results) != 1 || a.Results[0].State != "refused" {
			t.Errorf("another punch under the same id: %+v", a)
		}
	}
	if n := dbtest.Get[int](t, s.World, `select count(*) from claim where employment_id = $1 and words like 'Another punch%'`,
		viggo.Employment); n != 1 {
		t.Errorf("%d claims of it", n)
	}
	for _, bad := range []string{"", "{", `{"a": 1}`, "[" + strings.Repeat(one(in, "in", "", 0)+",", 100) + one(in, "in", "", 0) + "]"} {
		if status, _ := c.sendQueue(t, viggo.ID, bad); status != http.StatusNotFound {
			t.Errorf("%.20q: %d", bad, status)
		}
	}
	day := when.NewDate(2026, 11, 13)
	if _, body, _ := c.get("/cards/" + viggo.Employment.String() + "/" + day.String()); !strings.Contains(body, "Sent 30 min later") {
		t.Error("the card doesn't say that it was sent later")
	}
}

// What waited for a position is of that position, whichever the session has chosen.
func TestTheQueueOfAPosition(t *testing.T) {
	s := open(t)
	mira, viggo := s.Person(t, "Mira Castellane"), s.Person(t, "Viggo Bexley")
	second := apptest.NewID()
	apptest.Must(t, s.Do(t.Context(), mira, people.AddPosition{ID: second, Person: viggo.ID, Unit: "Drawing office",
		Title: "Draughtsperson", StartsOn: "2026-11-09"}))
	c := s.signIn(t, "Viggo Bexley")
	if dbtest.Get[bool](t, s.World, `select exists (select 1 from stint where person_id = $1 and end_at is null)`, viggo.ID) {
		c.post("/clock/punch", url.Values{"id": {uuid.NewString()}, "act": {"out"}})
	}
	job, id := dbtest.Get[uuid.UUID](t, s.World, `select id from job where number = '2253'`), apptest.NewID()
	queue := fmt.Sprintf(`[{"id": %q, "position": %q, "act": "in", "choice": %q}]`, id, second, job)
	if _, a := c.sendQueue(t, viggo.ID, queue); len(a.Results) != 1 || a.Results[0].State != "recorded" {
		t.Fatalf("%+v", a)
	}
	if on := dbtest.Get[uuid.UUID](t, s.World, `select employment_id from punch where id = $1`, id); on != second {
		t.Errorf("recorded in position %s, want %s", on, second)
	}
}

// The page that stands in names nobody, is said in every language, and the script that
// keeps it names only what there is.
func TestWhatABrowserKeeps(t *testing.T) {
	s := open(t)
	c := s.stranger(t)
	status, body, _ := c.get("/clock/offline")
	for _, words := range []string{"No connection", "Sin conexión", "Pas de connexion"} {
		if status != http.StatusOK || !strings.Contains(body, words) {
			t.Errorf("%d, without %q", status, words)
		}
	}
	_, script, h := c.get("/sw.js")
	if !strings.HasPrefix(h.Get("Content-Type"), "text/javascript") || h.Get("Cache-Control") != "no-cache" {
		t.Errorf("the script: %v", h)
	}
	_, rest, _ := strings.Cut(script, "kept = ")
	list, _, _ := strings.Cut(rest, ";\n")
	var kept []string
	apptest.Must(t, json.Unmarshal([]byte(list), &kept))
	for _, address := range kept {
		if status, _, _ := c.get(address); status != http.StatusOK {
			t.Errorf("%s: %d", address, status)
		}
	}
	_, text, _ := c.get("/manifest.webmanifest")
	var m struct {
		StartURL string `json:"start_url"`
		Icons    []struct{ Src string }
	}
	apptest.Must(t, json.Unmarshal([]byte(text), &m))
	for _, i := range m.Icons {
		if status, _, _ := c.get(i.Src); status != http.StatusOK || m.StartURL != "/clock" {
			t.Errorf("%s: %d", i.Src, status)
		}
	}
	if status, _, _ := s.signIn(t, "Mira Castellane").get("/clock/seen"); status != http.StatusNotFound {
		t.Errorf("what is kept of somebody who doesn't clock: %d", status)
	}
}

// A photo is taken from a phone, turned and without its place, and shown to those who see
// the card.
func TestAPhotoFromAPhone(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Dao Pham")
	base := "/cards/" + s.Person(t, "Dao Pham").Employment.String() + "/2026-11-12"
	var pic bytes.Buffer
	apptest.Must(t, png.Encode(&pic, image.NewGray(image.Rect(0, 0, 40, 30))))
	send := func(address string, picture []byte, fields url.Values) (int, string) {
		var body bytes.Buffer
		m := multipart.NewWriter(&body)
		for name := range fields {
			apptest.Must(t, m.WriteField(name, fields.Get(name)))
		}
		part, err := m.CreateFormFile("photo", "x.png")
		apptest.Must(t, err)
		_, err = part.Write(picture)
		apptest.Must(t, err)
		apptest.Must(t, m.Close())
		req, err := http.NewRequest("POST", c.base+address, &body)
		apptest.Must(t, err)
		req.Header.Set("Content-Type", m.FormDataContentType())
		res, err := c.Client.Do(req)
		apptest.Must(t, err)
		defer res.Body.Close()
		answer, err := io.ReadAll(res.Body)
		apptest.Must(t, err)
		return res.StatusCode, string(answer)
	}
	if status, _ := send(base+"/photo", pic.Bytes(), url.Values{"id": {uuid.NewString()}}); status != http.StatusSeeOther {
		t.Fatalf("a photo: %d", status)
	}
	_, body, _ := c.get(base)
	_, href, found := strings.Cut(body, `<img src="`)
	href, _, _ = strings.Cut(href, `"`)
	if !found || !strings.Contains(body, "40 × 30, 1 kB") {
		t.Fatal("the card shows no photo, or not how large it is")
	}
	for name, want := range map[string]int{"Dao Pham": 200, "Mira Castellane": 200, "Ruth Adeyemi": 404} {
		if status, _, h := s.signIn(t, name).get(href); status != want || want == 200 && h.Get("Content-Type") != "image/jpeg" {
			t.Errorf("%s: %d %s", name, status, h.Get("Content-Type"))
		}
	}
	send(base+"/photo", []byte("<script>"), url.Values{"id": {uuid.NewString()}})
	if _, body, _ := c.get(base); !strings.Contains(body, "That is no photo this page can read") {
		t.Error("what is no photo is not said to be none")
	}
	job := dbtest.Get[uuid.UUID](t, s.World, `select id from job where number = '2229'`)
	if status, _ := send(base+"/expense", pic.Bytes(), url.Values{"id": {uuid.NewString()}, "kind": {"Fuel"}, "amount": {"12,50"},
		"choice": {job.String()}}); status != http.StatusSeeOther {
		t.Fatalf("an expense: %d", status)
	}
	_, body, _ = c.get(base)
	if !strings.Contains(body, "12.50</b> Fuel") || !strings.Contains(body, `alt="receipt"`) {
		t.Error("the expense or its receipt isn't on the card")
	}
	if _, body, _ = s.signIn(t, "Mira Castellane").get(base); !strings.Contains(body, "Don’t pay it") {
		t.Error("who may change the card can't leave the expense unpaid")
	}
	_, id, _ := strings.Cut(body, base+"/expenses/")
	id, _, _ = strings.Cut(id, "/back")
	if status, _, _ := c.post(base+"/expenses/"+id+"/back", url.Values{}); status != http.StatusSeeOther {
		t.Errorf("taking it back: %d", status)
	}
	if _, body, _ = c.get(base); !strings.Contains(body, `class="expense back"`) {
		t.Error("what was taken back isn't there to be read")
	}
}

// Taking a way of clocking from somebody is asked for once more, with what they lack.
func TestSureOfWays(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Mira Castellane")
	dao := s.Person(t, "Dao Pham")
	points := func() string {
		return dbtest.Get[string](t, s.World, `select clock_points from employment where id = $1`, dao.Employment)
	}
	was := points()
	set := func(sure string) (int, string) {
		form := url.Values{"id": {uuid.NewString()}, "field": {"clock_points"}, "value": {"device at the site"}, "sure": {sure}}
		req, err := http.NewRequest("POST", c.base+"/people/"+dao.ID.String()+"/set", strings.NewReader(form.Encode()))
		apptest.Must(t, err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		req.Header.Set("HX-Request", "true")
		res, err := c.Client.Do(req)
		apptest.Must(t, err)
		defer res.Body.Close()
		body, err := io.ReadAll(res.Body)
		apptest.Must(t, err)
		return res.StatusCode, string(body)
	}
	status, body := set("")
	if status != http.StatusUnprocessableEntity || !strings.Contains(body, "nowhere but at the site") ||
		!strings.Contains(body, `name="sure" value="yes"`) || points() != was {
		t.Errorf("unasked: %d, %q: %s", status, points(), body)
	}
	q := "/people/many?q=Dao+Pham&field=clock_points&value=" + url.QueryEscape("device at the site")
	if _, body, _ := c.get(q); !strings.Contains(body, "nowhere but at the site") {
		t.Error("of many at once nothing is said of what they lack")
	}
	if status, _ := set("yes"); status != http.StatusOK || points() != "device at the site" {
		t.Errorf("asked: %d, %q", status, points())
	}
}

// Somebody reads what is kept of where they are, and for how long, as their settings say.
func TestWhatIsKept(t *testing.T) {
	s := open(t)
	mira, dao := s.Person(t, "Mira Castellane"), s.Person(t, "Dao Pham")
	c := s.signIn(t, "Dao Pham")
	for location, want := range map[string]string{"off": "Your place is not taken", "punch": "At no other time",
		"along": "at most every 12 minutes, after you moved 200 metres"} {
		apptest.Must(t, s.Do(t.Context(), mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "location", Value: location}))
		if status, body, _ := c.get("/clock/kept"); status != http.StatusOK || !strings.Contains(body, want) {
			t.Errorf("%s: %d, without %q", location, status, want)
		}
	}
	if _, err := s.DB.Exec(`insert into place_seen (id, employment_id, at, lat, lon) values (gen_random_uuid(), $1, $2, 40, -50)`,
		dao.Employment, dbtest.Now.Add(-time.Hour)); err != nil {
		t.Fatal(err)
	}
	if _, body, _ := c.get("/clock/kept"); !strings.Contains(body, "places kept") {
		t.Error("their own track isn't there")
	}
}
