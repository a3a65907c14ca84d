// Package standin is the outside world as far as Manudex talks to it, small
// and simulated: what ships with the application so that everything can be
// tried, and tested, without a network.
package standin

import (
	"fmt"
	"html/template"
	"io"
	"mime"
	"net"
	"net/http"
	"net/mail"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// Letter is a message that the mail stand-in took in.
type Letter struct {
	ID                  string // its Message-ID
	From, Subject, Body string
	Came                int // how often, under this id
	To                  []string
	At                  time.Time
}

// Mail is a mail server that delivers nothing: it keeps the last messages and
// shows them on a page.
type Mail struct {
	server *smtp.Server

	mu      sync.Mutex
	letters []Letter
}

// kept is how many messages an inbox keeps, and largest how large one may be.
const (
	kept    = 200
	largest = 1 << 20
)

// NewMail makes the stand-in. It takes mail from anybody, so it listens on
// loopback only.
func NewMail() *Mail {
	m := &Mail{}
	m.server = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{mail: m}, nil }))
	m.server.Domain, m.server.MaxMessageBytes, m.server.MaxRecipients = "standin.invalid", largest, 20
	m.server.ReadTimeout, m.server.WriteTimeout = 30*time.Second, 30*time.Second
	return m
}

// Serve takes mail in until Close.
func (m *Mail) Serve(l net.Listener) error { return m.server.Serve(l) }

// Close stops taking mail in.
func (m *Mail) Close() error { return m.server.Close() }

// Letters gives the messages, the newest first.
func (m *Mail) Letters() []Letter {
	m.mu.Lock()
	defer m.mu.Unlock()
	letters := slices.Clone(m.letters)
	slices.Reverse(letters)
	return letters
}

// take takes a letter in; one that it has already only counts.
func (m *Mail) take(l Letter) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if i := slices.IndexFunc(m.letters, func(k Letter) bool { return l.ID != "" && k.ID == l.ID }); i >= 0 {
		m.letters[i].Came++
		return
	}
	l.Came = 1
	m.letters = append(m.letters, l)
	if n := len(m.letters) - kept; n > 0 {
		m.letters = slices.Delete(m.letters, 0, n)
	}
}

// session is one delivery.
type session struct {
	mail *Mail
	from string
	to   []string
}

func (s *session) Mail(from string, _ *smtp.MailOptions) error { s.from = from; return nil }

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error { s.to = append(s.to, to); return nil }

func (s *session) Data(r io.Reader) error {
	msg, err := mail.ReadMessage(r)
	if err != nil {
		return fmt.Errorf("the message can't be read: %w", err)
	}
	body, err := bodyOf(msg)
	if err != nil {
		return err
	}
	subject, err := new(mime.WordDecoder).DecodeHeader(msg.Header.Get("Subject"))
	if err != nil {
		subject = msg.Header.Get("Subject")
	}
	s.mail.take(Letter{ID: msg.Header.Get("Message-ID"), From: s.from, To: s.to, Subject: subject, Body: body, At: time.Now()})
	return nil
}

func (s *session) Reset() { s.from, s.to = "", nil }

func (s *session) Logout() error { return nil }

// Handler is the inbox as a page.
func (m *Mail) Handler() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Content-Security-Policy", "default-src 'none'")
		if err := inbox.Execute(w, m.Letters()); err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
		}
	})
}

var inbox = template.Must(template.New("inbox").Funcs(template.FuncMap{"join": strings.Join}).Parse(`<!doctype html>
<html lang="en">
<meta charset="utf-8">
<title>Mail stand-in</title>
<h1>Mail stand-in</h1>
<p>What would have been sent; nothing leaves this machine.</p>
{{range .}}
<hr>
<h2>{{.Subject}}</h2>
<p>{{.At.Format "2006-01-02 15:04:05"}}, to {{join .To ", "}}, from {{.From}}{{if gt .Came 1}}, came {{.Came}} times{{end}}</p>
<pre>{{.Body}}</pre>
{{else}}
<p>No mail came in yet.</p>
{{end}}
</html>`))
