package standin

import (
	"encoding/json"
	"html/template"
	"net/http"
	"slices"
	"sync"
	"time"
)

// TextMessage is one that the text stand-in took in.
type TextMessage struct {
	ID   string // its Idempotency-Key
	To   string `json:"to"`
	Text string `json:"text"`
	At   time.Time
	Came int // how often
}

// Texts is a service for text messages that delivers nothing: it keeps the last ones, each
// id once, and shows them on a page.
type Texts struct {
	mu       sync.Mutex
	messages []TextMessage
}

// Messages gives the messages, the newest first.
func (t *Texts) Messages() []TextMessage {
	t.mu.Lock()
	defer t.mu.Unlock()
	found := slices.Clone(t.messages)
	slices.Reverse(found)
	return found
}

// take takes a message in; one that it has already only counts.
func (t *Texts) take(m TextMessage) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if i := slices.IndexFunc(t.messages, func(k TextMessage) bool { return k.ID == m.ID }); i >= 0 {
		t.messages[i].Came++
		return
	}
	m.Came = 1
	t.messages = append(t.messages, m)
	if n := len(t.messages) - kept; n > 0 {
		t.messages = slices.Delete(t.messages, 0, n)
	}
}

// Handler takes messages by POST, and shows them.
func (t *Texts) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("POST /", func(w http.ResponseWriter, r *http.Request) {
		m := TextMessage{ID: r.Header.Get("Idempotency-Key"), At: time.Now()}
		err := json.NewDecoder(http.MaxBytesReader(w, r.Body, largest)).Decode(&m)
		switch {
		case err != nil:
			http.Error(w, "the message is no JSON object with to and text", http.StatusBadRequest)
		case m.ID == "":
			http.Error(w, "Idempotency-Key is missing", http.StatusBadRequest)
		case len(m.To) < 5 || m.To[0] != '+':
			http.Error(w, "to is no number such as +15555550123", http.StatusUnprocessableEntity)
		default:
			t.take(m)
			w.WriteHeader(http.StatusAccepted)
		}
	})
	mux.HandleFunc("GET /", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Content-Security-Policy", "default-src 'none'")
		if err := textPage.Execute(w, t.Messages()); err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
		}
	})
	return mux
}

var textPage = template.Must(template.New("texts").Parse(`<!doctype html>
<html lang="en">
<meta charset="utf-8">
<title>Text stand-in</title>
<h1>Text stand-in</h1>
<p>What would have been sent to phones; nothing leaves this machine.</p>
{{range .}}
<hr>
<p>{{.At.Format "2006-01-02 15:04:05"}}, to {{.To}}{{if gt .Came 1}}, came {{.Came}} times{{end}}</p>
<pre>{{.Text}}</pre>
{{else}}
<p>No message came in yet.</p>
{{end}}
</html>`))
