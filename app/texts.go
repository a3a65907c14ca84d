package app

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/wneessen/go-mail"
)

// Texts sends text messages by a service that takes them over HTTP, such as the stand-in:
// POST with JSON {"to", "text"}, and the message's id as Idempotency-Key. The zero value
// sends none.
type Texts struct {
	Service string // its address
	Key     string // a bearer token, "" for none
}

// Ready says whether text messages can be sent.
func (t Texts) Ready() bool { return t.Service != "" }

// Refused is what a server said to a message that it will never take.
type Refused struct{ err error }

func (r *Refused) Error() string { return r.err.Error() }

// Unwrap gives what it said.
func (r *Refused) Unwrap() error { return r.err }

// Never is an error that won't go away by itself.
func Never(why string) error { return &Refused{errors.New(why)} }

// GoesNowhere says whether an error of sending won't go away by itself.
func GoesNowhere(err error) bool {
	var refused *Refused
	var mailed *mail.SendError
	return errors.As(err, &refused) || errors.As(err, &mailed) && mailed.ErrorCode() >= 500
}

var texter = &http.Client{Timeout: 20 * time.Second}

// Send sends one. Sent again with the same id, the service has it already.
func (t Texts) Send(ctx context.Context, id uuid.UUID, to, text string) error {
	body, err := json.Marshal(map[string]string{"to": to, "text": text})
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, t.Service, bytes.NewReader(body))
	if err != nil {
		return fmt.Errorf("text service %q: %w", t.Service, err)
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Idempotency-Key", id.String())
	if t.Key != "" {
		req.Header.Set("Authorization", "Bearer "+t.Key)
	}
	res, err := texter.Do(req)
	if err != nil {
		var at *url.Error
		if errors.As(err, &at) {
			err = at.Err // its words name the address, which may hold a key
		}
		return fmt.Errorf("the text service can't be reached: %w", err)
	}
	defer res.Body.Close()
	if res.StatusCode < 300 {
		return nil
	}
	words, _ := io.ReadAll(io.LimitReader(res.Body, 200))
	err = fmt.Errorf("the text service answered %s: %s", res.Status, strings.TrimSpace(string(words)))
	switch res.StatusCode {
	case http.StatusRequestTimeout, http.StatusTooEarly, http.StatusTooManyRequests:
		return err
	}
	if res.StatusCode < 500 {
		return &Refused{err}
	}
	return err
}
