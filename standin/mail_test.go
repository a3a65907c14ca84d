package standin

import (
	"fmt"
	"net"
	"net/http/httptest"
	"net/smtp"
	"strings"
	"testing"
)

// The stand-in takes mail as a server does, in whatever encoding, keeps the
// last messages and shows them, harmless.
func TestMail(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	m := NewMail()
	done := make(chan error, 1)
	go func() { done <- m.Serve(l) }()
	t.Cleanup(func() {
		if err := m.Close(); err != nil {
			t.Error(err)
		}
		<-done
	})
	send := func(message string) error {
		return smtp.SendMail(l.Addr().String(), nil, "office@ebbwater.example", []string{"dao@ebbwater.example"},
			[]byte(strings.ReplaceAll(message, "\n", "\r\n")))
	}
	for _, c := range []struct{ name, message, subject, body string }{
		{"plain", "Subject: Hello\n\nGood morning\n", "Hello", "Good morning"},
		{"quoted", "Subject: =?utf-8?q?Gr=C3=BC=C3=9Fe?=\nContent-Transfer-Encoding: quoted-printable\n\nA =3D B\n", "Grüße", "A = B"},
		{"base64", "Subject: B\nContent-Transfer-Encoding: base64\n\nbGFtcHM=\n", "B", "lamps"},
		{"markup", "Subject: <script>x</script>\n\n<img src=x>\n", "<script>x</script>", "<img src=x>"},
	} {
		if err := send(c.message); err != nil {
			t.Fatalf("%s: %v", c.name, err)
		}
		got := m.Letters()[0]
		if got.Subject != c.subject || strings.TrimSpace(got.Body) != c.body || got.To[0] != "dao@ebbwater.example" ||
			got.From != "office@ebbwater.example" {
			t.Errorf("%s: %+v", c.name, got)
		}
	}
	for range 2 { // as when whoever sent it died before it knew
		if err := send("Message-ID: <one@manudex>\nSubject: Twice\n\nonce\n"); err != nil {
			t.Fatal(err)
		}
	}
	if got := m.Letters(); got[0].Came != 2 || got[1].Subject == "Twice" {
		t.Errorf("what came twice: %+v", got[:2])
	}
	page := httptest.NewRecorder()
	m.Handler().ServeHTTP(page, httptest.NewRequest("GET", "/", nil))
	if text := page.Body.String(); strings.Contains(text, "<script>") || strings.Contains(text, "<img") ||
		!strings.Contains(text, "Grüße") || !strings.Contains(text, "Good morning") {
		t.Errorf("the inbox: %s", text)
	}
	for i := range kept + 5 {
		m.take(Letter{Subject: fmt.Sprint(i)})
	}
	if letters := m.Letters(); len(letters) != kept || letters[0].Subject != fmt.Sprint(kept+4) {
		t.Errorf("%d letters are kept, the newest %q", len(letters), letters[0].Subject)
	}
}
