package standin

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
)

// The stand-in keeps each message once, however often it comes, says what is wrong with one
// that it can't take, and shows them, harmless.
func TestTexts(t *testing.T) {
	var texts Texts
	h := texts.Handler()
	send := func(id, body string) int {
		r := httptest.NewRequest("POST", "/", strings.NewReader(body))
		if id != "" {
			r.Header.Set("Idempotency-Key", id)
		}
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w.Code
	}
	for _, c := range []struct {
		id, body string
		want     int
	}{
		{"a", `{"to": "+15555550123", "text": "first"}`, http.StatusAccepted},
		{"a", `{"to": "+15555550123", "text": "first"}`, http.StatusAccepted},
		{"b", `{"to": "+15555550123", "text": "<b>second"}`, http.StatusAccepted},
		{"", `{"to": "+15555550123", "text": "x"}`, http.StatusBadRequest},
		{"c", `{"to": "5550123", "text": "x"}`, http.StatusUnprocessableEntity},
		{"d", `to`, http.StatusBadRequest},
	} {
		if got := send(c.id, c.body); got != c.want {
			t.Errorf("%s %s: %d, not %d", c.id, c.body, got, c.want)
		}
	}
	if m := texts.Messages(); len(m) != 2 || m[0].ID != "b" || m[1].Came != 2 {
		t.Errorf("it keeps %+v", m)
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, httptest.NewRequest("GET", "/", nil))
	if page := w.Body.String(); !strings.Contains(page, "came 2 times") || strings.Contains(page, "<b>second") {
		t.Errorf("its page: %s", page)
	}
}
