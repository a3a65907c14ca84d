package web

import (
	"html/template"
	"net"
	"net/http"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/people"
)

type slipsView struct {
	frameView
	Company string
	Slips   []slip
	Mailed  []people.Slip
	Unsent  []string // whose mail the server didn't take
	Left    []string // who was given none
	Welcome string   // where a code is typed
	Local   bool     // the address is this computer's alone
	First   bool     // somebody has just begun with the short set-up
}

// slip is what somebody is handed.
type slip struct {
	people.Slip
	Address string
	Image   template.URL // the address as a QR code
}

// loopback says whether an address reaches only this computer itself.
func loopback(host string) bool {
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// giveSignIn gives one person a link or code.
func (s *Server) giveSignIn(w http.ResponseWriter, r *http.Request) error {
	person, err := pathID(r, "person")
	if err != nil {
		return err
	}
	return s.giveSlips(w, r, person)
}

// giveSignIns gives links to all whom a filter picks who have no password yet.
func (s *Server) giveSignIns(w http.ResponseWriter, r *http.Request) error {
	if err := r.ParseForm(); err != nil {
		return app.ErrNotFound
	}
	list := listQueryOf(r)
	list.Q["who"] = append(list.Q["who"], r.PostForm["who"]...) // that were ticked
	filter, err := sheetFilter(list)
	if err != nil {
		return err
	}
	ids, err := people.WithoutSignIn(r.Context(), s.app, visitOf(r).actor, filter)
	if err != nil {
		return err
	}
	return s.giveSlips(w, r, ids...)
}

// giveSlips gives people links and shows them: by mail to whom it can be sent, as
// slips to hand over for everybody else. They are shown this once: what is kept is
// only what tells a right one.
func (s *Server) giveSlips(w http.ResponseWriter, r *http.Request, ids ...uuid.UUID) error {
	back := "/people"
	if len(ids) == 1 {
		back += "/" + ids[0].String()
	}
	act := people.GiveSignIn{Fitting: len(ids) != 1}
	for _, id := range ids {
		act.To = append(act.To, people.Link{Person: id, Token: app.NewSignInToken()})
	}
	if err := s.app.Do(r.Context(), visitOf(r).actor, act); err != nil {
		return s.done(w, r, err, back, said{})
	}
	given, left, err := people.Slips(r.Context(), s.app, act.To)
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := slipsView{Company: place.Name, Left: left,
		Local: loopback(r.Host) && s.opts.Address == nil, Welcome: s.origin(r) + "/welcome", First: r.URL.Path == "/setup/begin"}
	for _, g := range given {
		address := v.Welcome + "/" + g.Token
		if r.FormValue("how") != "print" {
			sent, err := people.SendWelcome(r.Context(), s.app, g, address)
			if err != nil {
				return err
			}
			if sent { // whoever it is for has it, and nobody else needs to
				v.Mailed = append(v.Mailed, g)
				continue
			}
			if g.Email != "" && s.app.Post.Ready() {
				v.Unsent = append(v.Unsent, g.Name+" ("+g.Email+")")
			}
		}
		one := slip{Slip: g, Address: address}
		if one.Image, err = qrImage(address); err != nil {
			return err
		}
		v.Slips = append(v.Slips, one)
	}
	if v.frameView, err = s.stillFrame(r, "Sign-ins", "people"); err != nil {
		return err
	}
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("HX-Push-Url", "false") // read again, the address is that of where they were given
	s.pages.write(w, s.log, http.StatusOK, "slips", v)
	return nil
}
