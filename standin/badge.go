package standin

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/google/uuid"
)

// Reader is a badge reader with the cards of the people whom its clock point serves: it
// asks the interface of the application, with a key, as a reader of somebody's own would.
type Reader struct {
	To  string // address of the application
	Key string
}

// Card is a card to be swiped.
type Card struct{ Name, Number, Text string }

// Answer is what the application said of a swipe.
type Answer struct {
	Status                  int
	State, Name, At, Worked string
	Title, Detail           string // of a problem
}

// Words say an answer as a reader shows it.
func (a Answer) Words() string {
	if a.Status != http.StatusOK {
		return strings.TrimSpace(a.Title + ": " + a.Detail)
	}
	words := map[string]string{"in": "IN", "out": "OUT", "again": "just now, nothing changed", "claim": "kept for the lead"}[a.State]
	return a.Name + " " + words + " " + a.At + " (" + a.Worked + " today)"
}

func (r Reader) ask(ctx context.Context, method, path string, body, into any) (int, error) {
	var sent io.Reader
	if body != nil {
		text, err := json.Marshal(body)
		if err != nil {
			return 0, err
		}
		sent = bytes.NewReader(text)
	}
	to, err := url.JoinPath(r.To, path)
	if err != nil {
		return 0, err
	}
	req, err := http.NewRequestWithContext(ctx, method, to, sent)
	if err != nil {
		return 0, err
	}
	req.Header.Set("Authorization", "Bearer "+r.Key)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return 0, err
	}
	defer res.Body.Close()
	return res.StatusCode, json.NewDecoder(res.Body).Decode(into)
}

// Cards are those of the people there: each says their personnel number.
func (r Reader) Cards(ctx context.Context) ([]Card, error) {
	var found struct {
		People []struct{ Number, Name string }
		Title  string
	}
	status, err := r.ask(ctx, http.MethodGet, "/api/v1/people", nil, &found)
	if err == nil && status != http.StatusOK {
		err = fmt.Errorf("the people of the reader: %d %s", status, found.Title)
	}
	cards := make([]Card, len(found.People))
	for i, p := range found.People {
		cards[i] = Card{p.Name, p.Number, "%EMP" + p.Number + "?"}
	}
	return cards, err
}

// Swipe swipes a card.
func (r Reader) Swipe(ctx context.Context, text string) (a Answer, err error) {
	id, err := uuid.NewV7()
	if err != nil {
		return a, err
	}
	a.Status, err = r.ask(ctx, http.MethodPost, "/api/v1/swipes", map[string]string{"id": id.String(), "card": text}, &a)
	return a, err
}

// Run swipes cards one after another and tells what was said: each in, a card that is
// nobody's, a payment card, and a card that is damaged.
func (r Reader) Run(ctx context.Context, most int, tell func(card, words string)) error {
	cards, err := r.Cards(ctx)
	if err != nil {
		return err
	}
	run := append(cards[:min(most, len(cards))], Card{Name: "nobody's", Text: "%EMP" + rand.Text() + "?"},
		Card{Name: "a payment card", Text: ";4111111111111111=2512?"}, Card{Name: "a damaged one", Text: "%EMP20"})
	for _, c := range run {
		a, err := r.Swipe(ctx, c.Text)
		if err != nil {
			return err
		}
		tell(c.Name, a.Words())
	}
	return nil
}

var readerPage = template.Must(template.New("reader").Parse(`<!doctype html>
<html lang="en">
  <head>
    <meta charset="utf-8">
    <meta name="viewport" content="width=device-width, initial-scale=1">
    <title>Badge reader, a stand-in</title>
  </head>
  <body>
    <h1>Badge reader, a stand-in</h1>
    <p>Press a card to swipe it. The first swipe is in, the next out.</p>
    {{with .Said}}<p role="status"><b>{{.}}</b></p>{{end}}
    {{with .Wrong}}<p role="alert">{{.}}</p>{{end}}
    <form method="post">
      {{range .Cards}}<button name="card" value="{{.Text}}">{{.Number}} {{.Name}}</button> {{end}}
      <button name="card" value=";4111111111111111=2512?">a payment card</button>
      <button name="card" value="%EMP20">a damaged card</button>
    </form>
  </body>
</html>
`))

// Handler shows the reader as a page.
func (r Reader) Handler() http.Handler {
	mux := http.NewServeMux()
	guard := http.NewCrossOriginProtection()
	show := func(w http.ResponseWriter, req *http.Request, said string) {
		ctx, cancel := context.WithTimeout(req.Context(), 10*time.Second)
		defer cancel()
		cards, err := r.Cards(ctx)
		v := struct {
			Cards       []Card
			Said, Wrong string
		}{Cards: cards, Said: said}
		if err != nil {
			v.Wrong = "The application can't be reached: " + err.Error()
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = readerPage.Execute(w, v) // the browser went away
	}
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, req *http.Request) { show(w, req, "") })
	mux.HandleFunc("POST /{$}", func(w http.ResponseWriter, req *http.Request) {
		a, err := r.Swipe(req.Context(), req.FormValue("card"))
		if err != nil {
			show(w, req, "The application can't be reached.")
			return
		}
		show(w, req, a.Words())
	})
	return guard.Handler(mux)
}
