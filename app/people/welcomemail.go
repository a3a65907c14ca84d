package people

import (
	"context"
	"fmt"

	"manudex/app"
)

// SendWelcome sends somebody the link by which they choose a password, and says
// whether it went: not without an address, nor without a mail server, nor when the
// server refuses it.
func SendWelcome(ctx context.Context, a *app.App, s Slip, link string) (sent bool, err error) {
	if s.Email == "" || !a.Post.Ready() {
		return false, nil
	}
	place, err := a.Company(ctx)
	if err != nil {
		return false, err
	}
	text := fmt.Sprintf("Hello %s,\n\n%s keeps hours with Manudex. Choose your password here; the link works once and for a "+
		"week:\n\n%s\n\nYou can sign in with this address or with your personnel number, %s.\n", s.Name, place.Name, link, s.Number)
	if place.WhomToAsk != "" {
		text += "\n" + place.WhomToAsk + "\n"
	}
	if err := a.Post.Send(ctx, s.Email, "Your hours at "+place.Name, text); err != nil {
		a.Log.Warn("send a welcome", "err", err)
		return false, nil
	}
	return true, nil
}
