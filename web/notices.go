package web

import (
	"net/http"
	"net/url"
	"time"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/notice"
	core "manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

const noticesPath = "/notices"

type noticesView struct {
	frameView
	*notice.Read
	Told     []toldRow
	Chosen   []toldKind
	Until    string // when the page was read
	From, To string // of the quiet hours
	ByMail   bool   // mail reaches the reader
	ByText   bool   // text messages do
}

type toldRow struct {
	ID, Says, At string
	New          bool
}

type toldKind struct {
	core.Kind
	By      string
	Choices []field.Choice
}

// waysWords are what the ways are called.
var waysWords = map[core.Ways]string{"page": "on this page", "page, mail": "here and by mail", "page, text": "here and as a text message",
	"page, mail, text": "here, by mail and as a text message", "": "not at all"}

// noticesPage is what somebody was told, and by which ways they are.
func (s *Server) noticesPage(w http.ResponseWriter, r *http.Request) error {
	p, err := notice.ReadNotices(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	tongues, err := tongues()
	if err != nil {
		return err
	}
	said, known := tongues[w.Header().Get("Content-Language")]
	if !known {
		said = tongues[english]
	}
	v := noticesView{Read: p, Until: p.At.Format(time.RFC3339Nano), ByMail: p.Mail && p.Reach.Email != "",
		ByText: p.Text && p.Reach.Mobile != ""}
	if p.Reach.QuietFrom != p.Reach.QuietTo {
		v.From = when.TimeOfDay(time.Duration(p.Reach.QuietFrom) * time.Second)
		v.To = when.TimeOfDay(time.Duration(p.Reach.QuietTo) * time.Second)
	}
	for _, n := range p.Notices {
		row := toldRow{ID: n.ID.String(), At: words.At(n.MadeAt, p.Loc).Moment(), New: n.SeenAt == nil}
		if row.Says, err = notice.Sentence(said, n); err != nil {
			return err
		}
		v.Told = append(v.Told, row)
	}
	for _, k := range p.Kinds {
		v.Chosen = append(v.Chosen, toldKind{k.Kind, string(k.By.Reaching(v.ByMail, v.ByText)), s.waysFor(v, k)})
	}
	if v.frameView, err = s.stillFrame(r, "Notices", "notices"); err != nil {
		return err
	}
	v.Still, v.Whose = false, v.Actor.ID.String()
	s.pages.write(w, s.log, http.StatusOK, "notices", v)
	return nil
}

// waysFor are the ways that somebody can choose for a kind: those that reach them.
func (s *Server) waysFor(v noticesView, k notice.KindChosen) (choices []field.Choice) {
	for _, ways := range core.Choices {
		if ways.Reaching(v.ByMail, v.ByText) == ways && (ways != "" || v.MayNone && !k.Never || k.By == "") {
			choices = append(choices, field.Choice{Value: string(ways), Label: waysWords[ways]})
		}
	}
	return choices
}

// openNotice goes where a notice leads; it is seen by that.
func (s *Server) openNotice(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "notice")
	if err != nil {
		return err
	}
	link := noticesPath
	act := notice.SeeNotice{Notice: id, Leads: func(to string) { link = to }}
	if err := s.app.Do(r.Context(), visitOf(r).actor, act); err != nil {
		return err
	}
	if !ownPath(link) {
		link = noticesPath
	}
	http.Redirect(w, r, link, http.StatusSeeOther)
	return nil
}

// unseenNotices is how many somebody hasn't seen, for the bar of a page that isn't read anew.
func (s *Server) unseenNotices(w http.ResponseWriter, r *http.Request) error {
	s.pages.writePart(w, s.log, http.StatusOK, "notices", "told", visitOf(r).actor)
	return nil
}

// seeNotices notes that somebody has seen all that their page showed.
func (s *Server) seeNotices(w http.ResponseWriter, r *http.Request) error {
	until, err := time.Parse(time.RFC3339Nano, r.FormValue("until"))
	if err != nil {
		return app.ErrNotFound
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, notice.SeeNotices{Until: until}), noticesPath, said{})
}

// chooseWays keeps by which ways somebody is told of a kind.
func (s *Server) chooseWays(w http.ResponseWriter, r *http.Request) error {
	act := notice.ChooseWays{Kind: r.FormValue("kind"), Ways: r.FormValue("ways")}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), noticesPath+"#ways", said{Text: "Kept."})
}

// chooseQuiet keeps in which hours nothing is sent to somebody; none where both are empty.
func (s *Server) chooseQuiet(w http.ResponseWriter, r *http.Request) error {
	act := notice.ChooseQuiet{}
	var err error
	for _, of := range []struct {
		name string
		into *int
	}{{"from", &act.From}, {"to", &act.To}} {
		text := r.FormValue(of.name)
		if text == "" {
			continue
		}
		at, wrong := when.ParseTimeOfDay(text)
		if wrong != nil {
			err = refusal.New("quiet", "That is no time of day", "Write both like 21:00")
		}
		*of.into = int(at / time.Second)
	}
	if (r.FormValue("from") == "") != (r.FormValue("to") == "") {
		err = refusal.New("quiet", "Only one end is there", "Write when they begin and when they end, or neither")
	}
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	return s.done(w, r, err, noticesPath+"#ways", said{Text: "Kept."})
}

// askQuestion sends a question to whom the company named.
func (s *Server) askQuestion(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := notice.AskQuestion{ID: f.ID("id"), Ask: f.ID("ask"), Question: f.Text("question"), Page: f.Text("page")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/guide#asks",
		said{Text: "Asked. They see it on their page of notices."})
}

// askedFrom is the page of ours that somebody came to the guide from.
func askedFrom(r *http.Request) string {
	for _, name := range []string{"HX-Current-URL", "Referer"} {
		u, err := url.Parse(r.Header.Get(name))
		if err == nil && u.Host == r.Host && ownPath(u.RequestURI()) && u.Path != "/guide" {
			return u.RequestURI()
		}
	}
	return "/"
}

type messagesView struct {
	frameView
	*notice.Sent
	Rows []messageRow
}

type messageRow struct {
	ID, Name, To, About, Made, Reason string
	Tries                             int
	Again                             bool // it is not tried any more by itself
}

// messagesPage lists what couldn't be delivered.
func (s *Server) messagesPage(w http.ResponseWriter, r *http.Request) error {
	p, err := notice.ReadSent(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	v := messagesView{Sent: p}
	for _, m := range p.Undelivered {
		v.Rows = append(v.Rows, messageRowOf(m, p.Loc))
	}
	if v.frameView, err = s.stillFrame(r, "Messages", "setup"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "messages", v)
	return nil
}

func messageRowOf(m store.Message, loc *time.Location) messageRow {
	row := messageRow{ID: m.ID.String(), Name: m.Name, To: "mail to " + m.Email, About: notice.Names(m.Kinds),
		Made:   words.At(m.MadeAt, loc).Whole(),
		Reason: m.Reason, Tries: m.Tries, Again: m.FailedAt != nil}
	if m.Way == string(core.Text) {
		row.To = "text to " + m.Mobile
	}
	return row
}

// sendAgain has a message sent again that was given up.
func (s *Server) sendAgain(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "message")
	if err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, notice.SendAgain{Message: id}), "/setup/messages",
		said{Text: "Sent again, under the same number as before."})
}
