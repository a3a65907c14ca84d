package web

import (
	"net/http"
	"net/url"

	"manudex/app/hours"
	"manudex/web/form"
	"manudex/web/words"
)

// findBar is the line above the timecards by which some of them are picked.
type findBar struct {
	Query       string // of the address, for forms
	Text        string
	Places      placeChoice
	Kept        []keptFinding
	Wrong       string
	Changed     bool
	ChangedHref string
	LookedAt    *words.Local
	NewID       string
	Narrowed    bool
	Keep        []kept // what else the address asks for, by name
	ClearHref   string
}

// kept is a value of an address that a form keeps.
type kept struct{ Name, Value string }

type keptFinding struct {
	ID, Name, Href, By string
	Own                bool
}

func findBarOf(at *url.URL, d *hours.Desk) findBar {
	q := at.Query()
	v := findBar{Text: d.Query.Text, Places: placesOf(listQueryAt(at), d.Places), Changed: d.Query.Changed, NewID: newID().String(),
		ChangedHref: withQuery(at, "changed", "1")}
	days := url.Values{}
	for _, name := range []string{"day", "from", "to", "person", "job"} {
		if text := q.Get(name); text != "" {
			days.Set(name, text)
		}
	}
	v.ClearHref = "/timecards?" + days.Encode()
	for _, name := range []string{"day", "from", "to", "person", "job", "show", "changed", "sort"} {
		if text := q.Get(name); text != "" {
			v.Keep = append(v.Keep, kept{name, text})
		}
	}
	looks := url.Values{} // what is kept is the finding, not the days
	for _, name := range []string{"q", "unit", "site", "show", "changed", "person", "job"} {
		for _, text := range q[name] {
			if text != "" {
				looks.Add(name, text)
			}
		}
	}
	v.Query, v.Narrowed = looks.Encode(), len(looks) > 0
	for _, f := range d.Findings {
		k := keptFinding{ID: f.ID.String(), Name: f.Name, Own: f.Person == d.Looker, By: f.ByName}
		if of, err := url.ParseQuery(f.Query); err == nil {
			for name, values := range days {
				of[name] = values
			}
			k.Href = "/timecards?" + of.Encode()
		}
		v.Kept = append(v.Kept, k)
	}
	if d.Wrong != nil {
		v.Wrong = d.Wrong.Error() + "."
	}
	if d.LookedAt != nil {
		at := words.At(*d.LookedAt, d.Loc)
		v.LookedAt = &at
	}
	return v
}

// keepFinding keeps what is looked for under a name.
func (s *Server) keepFinding(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.KeepFinding{ID: f.ID("id"), Title: f.Text("name"), Text: f.Text("query"), Shared: f.Yes("shared")}
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, backTo(r, "/timecards"), said{Text: "Kept: " + act.Title + "."})
}

func (s *Server) dropFinding(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.DropFinding{ID: f.PathID("finding")}
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, backTo(r, "/timecards"), said{Text: "Taken out."})
}

// looked notes that what changed was looked at.
func (s *Server) looked(w http.ResponseWriter, r *http.Request) error {
	err := s.app.Do(r.Context(), visitOf(r).actor, hours.Looked{})
	return s.done(w, r, err, backTo(r, "/timecards"), said{Text: "From now on it shows what changes after this."})
}
