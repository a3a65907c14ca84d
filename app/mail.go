package app

import (
	"context"
	"fmt"
	"net"
	"strconv"

	"github.com/google/uuid"
	"github.com/wneessen/go-mail"
)

// Post sends mail by a server that needs no password, such as one's own relay
// or the stand-in. The zero value sends none.
type Post struct {
	Server string // host:port
	From   string // address of the sender
}

// Ready says whether mail can be sent.
func (p Post) Ready() bool { return p.Server != "" }

// Send sends a mail of its own.
func (p Post) Send(ctx context.Context, to, subject, text string) error {
	return p.SendAs(ctx, uuid.New(), to, subject, text)
}

// SendAs sends a mail with an id, which is its Message-ID (RFC 5322 §3.6.4): sent again
// with the same, whoever takes it can know that they have it.
func (p Post) SendAs(ctx context.Context, id uuid.UUID, to, subject, text string) error {
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
		return &Refused{fmt.Errorf("recipient: %w", err)}
	}
	m.SetMessageIDWithValue(id.String() + "@manudex")
	m.Subject(subject)
	m.SetBodyString(mail.TypeTextPlain, text)
	c, err := mail.NewClient(host, mail.WithPort(port), mail.WithTLSPolicy(mail.TLSOpportunistic))
	if err != nil {
		return err
	}
	return c.DialAndSendWithContext(ctx, m)
}
