package standin

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"
)

// The reader asks with its key, swipes what is pressed and shows what was said; in a run,
// cards that are refused don't hold up the next.
func TestReader(t *testing.T) {
	var cards []string
	app := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.Header.Get("Authorization") != "Bearer mx_x":
			w.WriteHeader(http.StatusUnauthorized)
			_, _ = io.WriteString(w, `{"title": "no key"}`)
		case r.URL.Path == "/api/v1/people":
			_, _ = io.WriteString(w, `{"people": [{"number": "2001", "name": "Ada Marsh"}]}`)
		default:
			var sent struct{ ID, Card string }
			if err := json.NewDecoder(r.Body).Decode(&sent); err != nil || len(sent.ID) != 36 {
				t.Errorf("sent %+v: %v", sent, err)
			}
			cards = append(cards, sent.Card)
			if sent.Card != "%EMP2001?" {
				w.WriteHeader(http.StatusUnprocessableEntity)
				_, _ = io.WriteString(w, `{"title": "Nobody’s card", "detail": "Type your number."}`)
				return
			}
			_, _ = io.WriteString(w, `{"state": "in", "name": "Ada Marsh", "at": "06:58", "worked": "0:00"}`)
		}
	}))
	defer app.Close()
	reader := Reader{To: app.URL, Key: "mx_x"}
	var said, whose []string
	if err := reader.Run(t.Context(), 5, func(card, words string) { whose, said = append(whose, card), append(said, words) }); err != nil {
		t.Fatal(err)
	}
	if len(whose) == 0 || whose[0] != "Ada Marsh" {
		t.Errorf("the cards are %q", whose)
	}
	if len(said) != 4 || said[0] != "Ada Marsh IN 06:58 (0:00 today)" || said[1] != "Nobody’s card: Type your number." {
		t.Errorf("a run says %q", said)
	}
	if !slices.Contains(cards, ";4111111111111111=2512?") {
		t.Errorf("it swiped %q", cards)
	}
	page := httptest.NewServer(reader.Handler())
	defer page.Close()
	res, err := http.PostForm(page.URL, url.Values{"card": {"%EMP2001?"}})
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	body, _ := io.ReadAll(res.Body)
	if !strings.Contains(string(body), "Ada Marsh IN 06:58") {
		t.Errorf("the page says %s", body)
	}
	if err := (Reader{To: app.URL, Key: "other"}).Run(t.Context(), 1, nil); err == nil || !strings.Contains(err.Error(), "401") {
		t.Errorf("without its key: %v", err)
	}
}
