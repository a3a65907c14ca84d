package web

import (
	"encoding/csv"
	"net/http"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/files"
	"manudex/store"
)

// maxUpload is the largest file that is taken.
const maxUpload = 8 << 20

type fileView struct {
	frameView
	*app.ImportPage
	Show    []app.ImportRow // the first of each state, wrong ones first
	Hidden  int
	Columns []columnView
	State   string
	Wrong   string
	ID      string
}

type columnView struct {
	Head    string
	Matched string
	Sample  string
}

func (s *Server) filePage(w http.ResponseWriter, r *http.Request) error {
	v := fileView{ID: newID().String()}
	return s.writeFile(w, r, http.StatusOK, v)
}

func (s *Server) writeFile(w http.ResponseWriter, r *http.Request, status int, v fileView) error {
	var err error
	if v.frameView, err = s.stillFrame(r, "People from a file", "people"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "people-file", v)
	return nil
}

func (s *Server) takeFile(w http.ResponseWriter, r *http.Request) error {
	r.Body = http.MaxBytesReader(w, r.Body, maxUpload)
	again := func(wrong string) error {
		return s.writeFile(w, r, http.StatusUnprocessableEntity, fileView{ID: newID().String(), Wrong: wrong})
	}
	file, header, err := r.FormFile("file")
	if err != nil {
		return again("There is no file, or it is larger than 8 MB. Choose a CSV file.")
	}
	defer file.Close()
	id, err := uuid.Parse(r.FormValue("id"))
	if err != nil {
		return app.ErrNotFound
	}
	rows, err := files.ReadTable(file)
	if err != nil {
		return again(sentence(err.Error()))
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, app.TakeFile{ID: id, FileName: header.Filename, Rows: rows})
	if refusal := refused(err); refusal != nil {
		return again(refusal.Error() + ".")
	}
	return s.done(w, r, err, "/people/file/"+id.String(), said{Text: header.Filename + " is read. Nothing is brought in yet: look at what each row would do."})
}

// shownRows is how many rows of a dry run one page shows.
const shownRows = 300

func (s *Server) importPage(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "import")
	if err != nil {
		return err
	}
	p, err := s.app.ImportPage(r.Context(), visitOf(r).actor, id)
	if err != nil {
		return err
	}
	v := fileView{ImportPage: p, State: r.URL.Query().Get("state")}
	for i, head := range p.Header {
		c := columnView{Head: head, Matched: p.Matched[i]}
		if len(p.Cells) > 0 && i < len(p.Cells[0]) {
			c.Sample = p.Cells[0][i]
		}
		v.Columns = append(v.Columns, c)
	}
	for _, state := range []app.RowState{app.RowWrong, app.RowNew, app.RowChanged, app.RowSame} {
		for _, row := range p.Rows {
			switch {
			case row.State != state || v.State != "" && v.State != string(state):
			case len(v.Show) < shownRows:
				v.Show = append(v.Show, row)
			default:
				v.Hidden++
			}
		}
	}
	return s.writeFile(w, r, http.StatusOK, v)
}

// Settings lists what a column can be.
func (v fileView) Settings() []app.PersonField {
	var found []app.PersonField
	for _, f := range v.Fields.All {
		if !f.Fixed && v.Actor.May(f.See) {
			found = append(found, f)
		}
	}
	return found
}

// N counts the rows of a state.
func (v fileView) N(state string) int { return v.Count[app.RowState(state)] }

// In is how many rows would be brought in.
func (v fileView) In() int { return v.Count[app.RowNew] + v.Count[app.RowChanged] }

func (s *Server) matchColumns(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "import")
	if err != nil {
		return err
	}
	if err := r.ParseForm(); err != nil {
		return app.ErrNotFound
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, app.MatchColumns{Import: id, Matched: r.Form["column"]})
	return s.done(w, r, err, "/people/file/"+id.String(), said{Text: "The columns are matched anew."})
}

func (s *Server) bringIn(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "import")
	if err != nil {
		return err
	}
	wrong, err := parseCount(r.FormValue("wrong"))
	if err != nil {
		return err
	}
	if err := s.app.StartBringIn(r.Context(), visitOf(r).actor, app.BringIn{Import: id, Wrong: wrong}); err != nil {
		return err
	}
	http.Redirect(w, r, "/people/file/"+id.String()+"/progress", http.StatusSeeOther)
	return nil
}

type progressView struct {
	frameView
	store.Import
	Ended bool
}

// importProgress shows how far a file is; it asks again by itself until the
// file is in.
func (s *Server) importProgress(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "import")
	if err != nil {
		return err
	}
	im, err := s.app.ImportProgress(r.Context(), visitOf(r).actor, id)
	if err != nil {
		return err
	}
	v := progressView{Import: im, Ended: im.AppliedAt != nil || im.Failed != ""}
	if r.Header.Get("HX-Target") == "progress" {
		s.pages.writePart(w, s.log, http.StatusOK, "people-progress", "progress", v)
		return nil
	}
	if v.frameView, err = s.stillFrame(r, "People from a file", "people"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "people-progress", v)
	return nil
}

// template is a file with every column and nobody in it.
func (s *Server) peopleTemplate(w http.ResponseWriter, r *http.Request) error {
	l, err := s.app.People(r.Context(), visitOf(r).actor, app.PeopleQuery{})
	if err != nil {
		return err
	}
	var head []string
	for _, f := range l.Fields.All {
		if !f.Fixed && visitOf(r).actor.May(f.See) {
			head = append(head, f.Label)
		}
	}
	csvHeaders(w, "people-template.csv")
	out := csv.NewWriter(w)
	_ = out.Write(head) // Flush tells
	out.Flush()
	return out.Error()
}

// sentence makes a sentence of an error's words.
func sentence(words string) string { return strings.ToUpper(words[:1]) + words[1:] + "." }
