package people

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/store"
)

// SendWelcome sends a person the link by which they choose a password. It says
// to which address; none is an empty text, and no mistake.
func SendWelcome(ctx context.Context, a *app.App, actor app.Actor, person uuid.UUID, link string) (to string, err error) {
	place, err := a.Company(ctx)
	if err != nil {
		return "", err
	}
	sheets, _, err := store.Sheets(ctx, a.DB, place.Today(a.Now()), store.SheetFilter{Person: person, State: "any"}, 0, -1)
	if err != nil {
		return "", err
	}
	if !mayOnAny(actor, "people.change", sheets) {
		return "", app.ErrNotFound
	}
	s := sheets[0]
	if to = s.Values["email"]; to == "" || !a.Post.Ready() {
		return "", nil
	}
	text := fmt.Sprintf("Hello %s,\n\n%s keeps hours with Manudex. Choose your password here; the link works once and for a "+
		"week:\n\n%s\n\nYou can sign in with this address or with your personnel number, %s.\n",
		s.Values["given_name"], place.Name, link, s.Values["number"])
	if place.WhomToAsk != "" {
		text += "\n" + place.WhomToAsk + "\n"
	}
	if err := a.Post.Send(ctx, to, "Your hours at "+place.Name, text); err != nil {
		a.Log.Warn("send a welcome", "err", err)
		return "", refusal.New("email", "The link is given, but the mail to "+to+" could not be sent",
			"Hand it over, or give another once mail works")
	}
	return to, nil
}
