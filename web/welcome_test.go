package web_test

import (
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"manudex/app"
	"manudex/standin"
)

// A welcome goes out by mail, its link works once, and who lost the sign-in
// is signed out everywhere.
func TestWelcomeByMail(t *testing.T) {
	s := open(t)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	sink := standin.NewMail()
	go sink.Serve(l)
	t.Cleanup(func() { sink.Close() })
	s.Post = app.Post{Server: l.Addr().String(), From: "hours@ebbwater.example"}

	mira := s.signIn(t, "Mira Castellane")
	viggo := s.Person(t, "Viggo Bexley").ID.String()
	status, page, _ := mira.post("/people/"+viggo+"/signin", nil)
	if status != http.StatusOK || !strings.Contains(page, "By mail: Viggo Bexley (viggo.bexley@ebbwater.example)") ||
		strings.Contains(page, "/welcome/") {
		t.Errorf("giving a sign-in: %d, %s", status, page)
	}
	letters := sink.Letters()
	if len(letters) != 1 || letters[0].To[0] != "viggo.bexley@ebbwater.example" ||
		letters[0].Subject != "Your hours at Ebbwater Signs & Beacons" {
		t.Fatalf("letters %+v", letters)
	}
	link := regexp.MustCompile(`/welcome/[a-z2-7-]+`).FindString(letters[0].Body)
	if link == "" || !strings.Contains(letters[0].Body, "2042") {
		t.Fatalf("the letter: %s", letters[0].Body)
	}
	inbox := httptest.NewRecorder()
	sink.Handler().ServeHTTP(inbox, httptest.NewRequest("GET", "/", nil))
	if !strings.Contains(inbox.Body.String(), link) {
		t.Error("the inbox doesn't show the letter")
	}

	phone := s.stranger(t)
	if status, body, _ := phone.get(link); status != http.StatusOK || !strings.Contains(body, "Welcome, Viggo Bexley") {
		t.Fatalf("opening the link: %d", status)
	}
	if status, body, _ := phone.post(link, url.Values{"password": {"short"}}); status != http.StatusUnprocessableEntity ||
		!strings.Contains(body, "too short") {
		t.Errorf("a short password: %d", status)
	}
	if status, _, h := phone.post(link, url.Values{"password": {"three tall beacons"}}); status != http.StatusSeeOther ||
		h.Get("Location") != "/" {
		t.Errorf("choosing a password: %d to %s", status, h.Get("Location"))
	}
	if status, _, _ := phone.get("/clock"); status != http.StatusOK {
		t.Errorf("the clock after choosing a password: %d", status)
	}
	if status, body, _ := s.stranger(t).get(link); status != http.StatusNotFound || !strings.Contains(body, "used already") {
		t.Errorf("the link a second time: %d", status)
	}
	if status, _, _ := mira.post("/people/"+viggo+"/signin/take", nil); status != http.StatusSeeOther {
		t.Fatalf("taking the sign-in: %d", status)
	}
	if status, _, h := phone.get("/clock"); status != http.StatusSeeOther || !strings.HasPrefix(h.Get("Location"), "/signin") {
		t.Errorf("the clock after the sign-in was taken: %d", status)
	}

	// Mail that can't be sent is said, and the link is there all the same.
	s.Post.Server = "127.0.0.1:1"
	if _, page, _ := mira.post("/people/"+viggo+"/signin", nil); !strings.Contains(page, "could not be sent") ||
		!strings.Contains(page, "/welcome/") {
		t.Errorf("a mail that can't be sent isn't said: %s", page)
	}
	if page := bodyOf(mira, "/people/"+viggo); !strings.Contains(page, "A link was given Fri 13 Nov, 10:12, and has not been used") {
		t.Error("the person's page doesn't say that a link was given")
	}
}
