package app

import (
	"context"
	"fmt"
	"net"
	"strconv"

	"github.com/google/uuid"
	"github.com/wneessen/go-mail"

	"manudex/core/clock"
	"manudex/store"
)

// Post sends mail by a server that needs no password, such as one's own relay
// or the stand-in. The zero value sends none.
type Post struct {
	Server string // host:port
	From   string // address of the sender
}

// Ready says whether mail can be sent.
func (p Post) Ready() bool { return p.Server != "" }

func (p Post) send(ctx context.Context, to, subject, text string) error {
	host, portText, err := net.SplitHostPort(p.Server)
	if err != nil {
		return fmt.Errorf("mail server %q: %w", p.Server, err)
	}
	port, err := strconv.Atoi(portText)
	if err != nil {
		return fmt.Errorf("mail server %q: %w", p.Server, err)
	}
	m := mail.NewMsg()
	if err := m.From(p.From); err != nil {
		return fmt.Errorf("sender %q: %w", p.From, err)
	}
	if err := m.To(to); err != nil {
		return fmt.Errorf("recipient: %w", err)
	}
	m.Subject(subject)
	m.SetBodyString(mail.TypeTextPlain, text)
	c, err := mail.NewClient(host, mail.WithPort(port), mail.WithTLSPolicy(mail.TLSOpportunistic))
	if err != nil {
		return err
	}
	return c.DialAndSendWithContext(ctx, m)
}

// SendWelcome sends a person the link by which they choose a password. It says
// to which address; none is an empty text, and no mistake.
func (a *App) SendWelcome(ctx context.Context, actor Actor, person uuid.UUID, link string) (to string, err error) {
	place, err := a.Place(ctx)
	if err != nil {
		return "", err
	}
	sheets, _, err := store.Sheets(ctx, a.DB, place.Today(a.Now()), store.SheetFilter{Person: person, State: "any"}, 0, -1)
	if err != nil {
		return "", err
	}
	if !mayOnAny(actor, "people.change", sheets) {
		return "", ErrNotFound
	}
	s := sheets[0]
	if to = s.Values["email"]; to == "" || !a.Post.Ready() {
		return "", nil
	}
	text := fmt.Sprintf("Hello %s,\n\n%s keeps hours with Manudex. Choose your password here; the link works once and for a week:\n\n%s\n\nYou can sign in with this address or with your personnel number, %s.\n",
		s.Values["given_name"], place.Name, link, s.Values["number"])
	if place.WhomToAsk != "" {
		text += "\n" + place.WhomToAsk + "\n"
	}
	if err := a.Post.send(ctx, to, "Your hours at "+place.Name, text); err != nil {
		a.Log.Warn("send a welcome", "err", err)
		return "", clock.Refuse("email", "The link is given, but the mail to "+to+" could not be sent", "Hand it over, or give another once mail works")
	}
	return to, nil
}
