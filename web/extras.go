package web

import (
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/files"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

// extrasView is what goes with a day beside its hours: what was spent, and photos.
type extrasView struct {
	Base   string // of the card's addresses
	Spent  []expenseView
	Photos []photoView

	PhotoID, ExpenseID string
	Kinds              []app.ExpenseKind // none, and no expense is asked for
	Currency           string
	Word               app.JobWord
	Choices            []choiceOption
	ExpenseTyped       bool
}

type expenseView struct {
	ID, Amount, Kind, Job, Words string
	BackWhy, BackBy              string
	Receipt, Base                string
	MayBack, Asks                bool // by somebody else, with why
}

type photoView struct{ Href, Clock, Size, ByName string }

// extrasOf readies them. Own are those of the reader, who may take theirs back; others
// say why they aren't paid.
func extrasOf(base string, spent []store.Expense, photos []store.Photo, at func(store.Photo) words.Local, own, amends bool) extrasView {
	v := extrasView{Base: base, PhotoID: newID().String(), ExpenseID: newID().String()}
	for _, x := range spent {
		e := expenseView{ID: x.ID.String(), Amount: x.Amount.StringFixed(2), Kind: x.Kind, Job: x.JobNumber + " " + x.JobName,
			Words: x.Words,
			Base:  base, MayBack: x.BackWhy == nil && (own || amends), Asks: !own}
		if x.BackWhy != nil {
			e.BackWhy, e.BackBy = *x.BackWhy, *x.BackBy
		}
		if x.Photo != nil {
			e.Receipt = base + "/photos/" + x.Photo.String()
		}
		v.Spent = append(v.Spent, e)
	}
	for _, p := range photos {
		if p.Expense == nil {
			v.Photos = append(v.Photos, photoView{base + "/photos/" + p.ID.String(), at(p).Clock(), sizeWords(p), p.ByName})
		}
	}
	return v
}

// sizeWords says how large a photo is kept.
func sizeWords(p store.Photo) string {
	return fmt.Sprintf("%d × %d, %d kB", p.Width, p.Height, (p.Bytes+1023)/1024)
}

// photoIn reads the photo that a form sends, nil for none.
func photoIn(r *http.Request) (*files.Photo, error) {
	file, _, err := r.FormFile("photo")
	if r.MultipartForm == nil {
		return nil, refusal.New("photo", "The photo is too large", fmt.Sprintf("Send at most %d MB", files.MostPhotoBytes>>20))
	}
	if !readable(url.Values(r.MultipartForm.Value)) {
		return nil, errOdd
	}
	if err != nil {
		return nil, nil
	}
	defer file.Close()
	data, err := io.ReadAll(file)
	if err != nil || len(data) == 0 {
		return nil, err
	}
	p, err := files.ReadPhoto(data)
	return &p, err
}

// ownCardOf reads the card in an address, which must be the reader's own.
func ownCardOf(r *http.Request) (hours.CardRef, error) {
	ref, err := cardOf(r)
	if own := visitOf(r).actor.Employment; err == nil && (own == nil || *own != ref.Employment) {
		err = app.ErrNotFound
	}
	return ref, err
}

// addPhoto puts a photo on one's own day.
func (s *Server) addPhoto(w http.ResponseWriter, r *http.Request) error {
	ref, err := ownCardOf(r)
	if err != nil {
		return err
	}
	back := backTo(r, strings.TrimSuffix(r.URL.Path, "/photo"))
	p, err := photoIn(r)
	if err == nil && p == nil {
		err = refusal.New("photo", "No photo was chosen", "Choose a JPEG, PNG or WebP picture")
	}
	if err != nil {
		return s.done(w, r, err, back, said{})
	}
	f := form.Of(r)
	act := hours.AddPhoto{ID: f.ID("id"), Photo: *p, On: ref.Date}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), back,
		said{Text: fmt.Sprintf("The photo is on your card: %d × %d, %d kB, without the place where it was taken.", p.Width, p.Height,
			(len(p.JPEG)+1023)/1024)})
}

// addExpense puts what somebody spent on their own day.
func (s *Server) addExpense(w http.ResponseWriter, r *http.Request) error {
	ref, err := ownCardOf(r)
	if err != nil {
		return err
	}
	back := backTo(r, strings.TrimSuffix(r.URL.Path, "/expense"))
	receipt, err := photoIn(r)
	if err != nil {
		return s.done(w, r, err, back, said{})
	}
	f := form.Of(r)
	on, err := workIn(f.Text("choice"))
	if err != nil {
		return err
	}
	act := hours.AddExpense{ID: f.ID("id"), On: ref.Date, Kind: f.Text("kind"), Amount: f.Text("amount"), Work: on, Words: f.Text("words"),
		Receipt: receipt}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), back,
		said{Text: "The expense is on your day. It is paid once somebody else has approved it."})
}

// workIn reads a job and task as choiceKey writes them.
func workIn(choice string) (on clock.Assignment, err error) {
	_, on, err = spentIn(func(name string) string {
		if name == "choice" {
			return choice
		}
		return ""
	})
	return on, err
}

// dropExpense takes an expense back.
func (s *Server) dropExpense(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.DropExpense{Expense: f.PathID("expense"), Why: f.Text("why")}
	if err := f.Err(); err != nil {
		return err
	}
	path, _, _ := strings.Cut(r.URL.Path, "/expenses/")
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), backTo(r, path), said{Text: "The expense is taken back."})
}

// photo is a photo on a card.
func (s *Server) photo(w http.ResponseWriter, r *http.Request) error {
	ref, err := cardOf(r)
	if err != nil {
		return err
	}
	id, err := uuid.Parse(chi.URLParam(r, "photo"))
	if err != nil {
		return app.ErrNotFound
	}
	jpeg, err := hours.ReadPhoto(r.Context(), s.app, visitOf(r).actor, ref, id)
	if err != nil {
		return err
	}
	return answerPhoto(w, jpeg)
}

// answerPhoto answers with a photo: what is kept of one never changes.
func answerPhoto(w http.ResponseWriter, jpeg []byte) error {
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", "private, max-age=86400, immutable")
	_, err := w.Write(jpeg)
	return err
}
