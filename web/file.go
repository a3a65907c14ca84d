package web

import (
	"encoding/csv"
	"fmt"
	"mime/multipart"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/app/field"
	"manudex/app/jobs"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
	"manudex/web/form"
)

// handler answers a request, or gives the error that is answered.
type handler = func(http.ResponseWriter, *http.Request) error

// maxUpload is the largest file that is taken.
const maxUpload = 8 << 20

type fileView struct {
	frameView
	*bringin.ImportPage
	fileWords
	Show   []bringin.ImportRow // the first of each state, wrong ones first
	Hidden int
	Heads  []columnView
	State  string
	Asked  []askedView
	Lately []store.Import // files that the person brought in, on the page that takes one
	Wrong  string
	ID     string
}

// fileWords is what the pages of a kind of file say.
type fileWords struct {
	Kind         bringin.FileKind
	Path         string // where files of the kind are taken, "/people/file"
	Back, Screen string
	FileTitle    string
	Row, Needs   string // what a row is, and what the settings of one are
	SeeThem      string
	Besides      string // what else is to be known of such a file, "" for nothing
	Settings     bool   // it changes the company's settings
}

// Template is where a file of the kind without rows is.
func (w fileWords) Template() string { return w.Path + "/template.csv" }

var peopleFiles = fileWords{Kind: bringin.PeopleFile, Path: "/people/file", Back: "/people", Screen: "people",
	FileTitle: "People from a file", Row: "a person, known by the number", Needs: "New people can't be added without",
	SeeThem: "See the people"}

var jobFiles = fileWords{Kind: bringin.JobsFile, Path: "/jobs/file", Back: "/jobs", Screen: "jobs",
	FileTitle: "Jobs from a file", Row: "a job, known by the number, or, where it names a task, a task of that job",
	Needs: "New jobs can't be added without", SeeThem: "See the jobs"}

var dayFiles = fileWords{Kind: bringin.HoursFile, Path: "/setup/hours", Back: "/timecards", Screen: "setup",
	FileTitle: "Days worked before, from a file",
	Row:       "what one person worked on one day, on one job if it says so: its hours, or when it began and ended",
	Needs:     "Hours can't be brought in without", SeeThem: "See the timecards",
	Besides: "They become cards, marked “brought in”, that are signed, approved and paid like others. Only their hours are known: " +
		"no meal is taken out of them, nothing is rounded, and they aren't held against a plan. " +
		"Without times they stand where the person’s day usually begins. Whoever brings them in doesn’t approve them."}

var yearFiles = fileWords{Kind: bringin.YearFile, Path: "/setup/year", Back: "/people", Screen: "setup",
	FileTitle: "Sums of the year, from a file", Row: "a person, with the hours of the year up to a day",
	Needs: "Sums can't be brought in without", SeeThem: "See the people",
	Besides: "Each person's year shows them on their page and to themselves, added to what their cards say from the next day on. " +
		"They change no pay."}

var holidayFiles = fileWords{Kind: bringin.HolidaysFile, Path: "/setup/holidays/file", Back: "/setup/on/holidays", Screen: "setup",
	FileTitle: "Holidays from a file", Row: "a day, with its name, and by how much its hours are multiplied if they are",
	Needs: "Holidays can't be added without", SeeThem: "See the holidays", Settings: true}

var balanceFiles = fileWords{Kind: bringin.LeaveFile, Path: "/setup/leave/file", Back: leaveSetup, Screen: "setup",
	FileTitle: "Balances of leave from a file", Row: "a person and a policy, with the balance at the end of a day",
	Needs: "Balances can't be brought in without", SeeThem: "See the policies",
	Besides: "From that day on the balance is worked out by the policy. Nobody brings in their own."}

type columnView struct {
	Column  int
	Head    string
	Matched string
	Sample  string
}

func (s *Server) filePage(words fileWords) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		return s.writeFile(w, r, http.StatusOK, fileView{fileWords: words, ID: newID().String()})
	}
}

func (s *Server) writeFile(w http.ResponseWriter, r *http.Request, status int, v fileView) error {
	var err error
	if v.ImportPage == nil {
		if v.Lately, err = bringin.Lately(r.Context(), s.app, visitOf(r).actor, v.Kind); err != nil {
			return err
		}
	}
	if v.frameView, err = s.stillFrame(r, v.FileTitle, v.Screen); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "file", v)
	return nil
}

// upload gives the file that a form sent under a name. Its error is a refusal
// that says what is missing, and what to choose.
func upload(r *http.Request, name, what, choose string) (multipart.File, *multipart.FileHeader, error) {
	file, header, err := r.FormFile(name)
	if err == nil && !readable(url.Values(r.MultipartForm.Value)) {
		return nil, nil, errOdd
	}
	if err != nil {
		return nil, nil, refusal.New(name, "There is no "+what+", or it is larger than 8 MB", "Choose "+choose)
	}
	return file, header, nil
}

func (s *Server) takeFile(words fileWords) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		again := func(wrong string) error {
			return s.writeFile(w, r, http.StatusUnprocessableEntity, fileView{fileWords: words, ID: newID().String(), Wrong: wrong})
		}
		file, header, err := upload(r, "file", "file", "a CSV file or a workbook")
		if err != nil {
			return again(err.Error() + ".")
		}
		defer file.Close()
		f := form.Of(r)
		id := f.ID("id")
		if err := f.Err(); err != nil {
			return err
		}
		table, err := files.ReadTable(file)
		if err != nil {
			return again(sentence(err.Error()))
		}
		err = s.app.Do(r.Context(), visitOf(r).actor,
			bringin.TakeFile{Kind: words.Kind, ID: id, FileName: header.Filename, Rows: table.Rows, Lines: table.Lines})
		if refused := refusalIn(err); refused != nil {
			return again(refused.Error() + ".")
		}
		return s.done(w, r, err, words.Path+"/"+id.String(),
			said{Text: header.Filename + " is read. Nothing is brought in yet: look at what each row would do."})
	}
}

// shownRows is how many rows of a dry run one page shows.
const shownRows = 300

func (s *Server) importPage(words fileWords) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		id, err := pathID(r, "import")
		if err != nil {
			return err
		}
		p, err := bringin.ReadImportPage(r.Context(), s.app, visitOf(r).actor, words.Kind, id)
		if err != nil {
			return err
		}
		v := fileView{fileWords: words, ImportPage: p, State: r.URL.Query().Get("state")}
		for i, head := range p.Header {
			c := columnView{Head: head, Matched: p.Matched[i]}
			if len(p.Cells) > 0 && i < len(p.Cells[0]) {
				c.Sample = p.Cells[0][i]
			}
			v.Heads = append(v.Heads, c)
		}
		for _, q := range p.Questions {
			v.Asked = append(v.Asked, askedOf(q))
		}
		for _, state := range []bringin.RowState{bringin.RowWrong, bringin.RowNew, bringin.RowChanged, bringin.RowSame} {
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
}

// askedView asks how a column is written.
type askedView struct {
	Column int
	Words  string
	Ways   []field.Choice
}

func askedOf(q bringin.Question) askedView {
	a := askedView{Column: q.Column}
	if q.Form == bringin.DateForm {
		a.Words = fmt.Sprintf("No date in “%s” says whether the day or the month comes first. What is %s?", q.Head, q.Sample)
		for _, m := range []files.Manner{files.MonthFirst, files.DayFirst} {
			if d, err := when.ParseDate(q.Ways[string(m)]); err == nil {
				a.Ways = append(a.Ways, field.Choice{Value: string(m), Label: d.Format("2 January 2006")})
			}
		}
		return a
	}
	a.Words = fmt.Sprintf("No number in “%s” says what parts the whole from the rest. What is %s?", q.Head, q.Sample)
	for _, m := range []files.Manner{files.Point, files.Comma} {
		a.Ways = append(a.Ways, field.Choice{Value: string(m), Label: q.Ways[string(m)]})
	}
	return a
}

// repairs are the cells of a wrong row that can be put right where it is shown.
func (v fileView) Repairs(row bringin.ImportRow) []columnView {
	var cells []columnView
	for _, f := range row.Faults {
		if f.Column < 0 || slices.ContainsFunc(cells, func(c columnView) bool { return c.Column == f.Column }) {
			continue
		}
		c := columnView{Column: f.Column, Head: v.Header[f.Column]}
		if f.Column < len(row.Cells) {
			c.Sample = row.Cells[f.Column]
		}
		cells = append(cells, c)
	}
	return cells
}

// readColumnAs takes the answer to how a column is written.
func (s *Server) readColumnAs(words fileWords) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		f := form.Of(r)
		act := bringin.ReadColumnAs{Kind: words.Kind, Import: f.PathID("import"), Column: f.Count("column"),
			Manner: files.Manner(f.Text("manner"))}
		if err := f.Err(); err != nil {
			return err
		}
		err := s.app.Do(r.Context(), visitOf(r).actor, act)
		return s.done(w, r, err, words.Path+"/"+act.Import.String(), said{Text: "The column is read so."})
	}
}

// putRight changes cells of a row that is wrong.
func (s *Server) putRight(words fileWords) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		f := form.Of(r)
		act := bringin.PutRight{Kind: words.Kind, Import: f.PathID("import"), Row: f.Count("row"), Cells: map[int]string{}}
		if err := f.Err(); err != nil {
			return err
		}
		for name, values := range r.Form {
			column, ok := strings.CutPrefix(name, "cell-")
			k, err := strconv.Atoi(column)
			if !ok || err != nil {
				continue
			}
			act.Cells[k] = values[0]
		}
		err := s.app.Do(r.Context(), visitOf(r).actor, act)
		back := words.Path + "/" + act.Import.String()
		if state := r.FormValue("state"); state != "" {
			back += "?state=" + url.QueryEscape(state)
		}
		return s.done(w, r, err, back, said{Text: "The row is read anew."})
	}
}

// N counts the rows of a state.
func (v fileView) N(state string) int { return v.Count[bringin.RowState(state)] }

// In is how many rows would be brought in.
func (v fileView) In() int { return v.Count[bringin.RowNew] + v.Count[bringin.RowChanged] }

func (s *Server) matchColumns(words fileWords) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		id, err := pathID(r, "import")
		if err != nil {
			return err
		}
		if err := r.ParseForm(); err != nil {
			return app.ErrNotFound
		}
		err = s.app.Do(r.Context(), visitOf(r).actor, bringin.MatchColumns{Kind: words.Kind, Import: id, Matched: r.Form["column"]})
		return s.done(w, r, err, words.Path+"/"+id.String(), said{Text: "The columns are matched anew."})
	}
}

func (s *Server) bringIn(words fileWords) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		f := form.Of(r)
		id, wrong := f.PathID("import"), f.Count("wrong")
		var out []int
		for _, text := range r.Form["out"] {
			i, err := strconv.Atoi(text)
			if err != nil {
				return app.ErrNotFound
			}
			out = append(out, i)
		}
		if err := f.Err(); err != nil {
			return err
		}
		err := s.app.Do(r.Context(), visitOf(r).actor, bringin.QueueBringIn{Kind: words.Kind, Import: id, Wrong: wrong, Out: out})
		if err != nil {
			return s.done(w, r, err, words.Path+"/"+id.String(), said{})
		}
		http.Redirect(w, r, words.Path+"/"+id.String()+"/progress", http.StatusSeeOther)
		return nil
	}
}

type progressView struct {
	frameView
	fileWords
	store.Import
	Ended bool
}

// importProgress shows how far a file is; it asks again by itself until the
// file is in.
func (s *Server) importProgress(words fileWords) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		id, err := pathID(r, "import")
		if err != nil {
			return err
		}
		im, err := bringin.ImportProgress(r.Context(), s.app, visitOf(r).actor, words.Kind, id)
		if err != nil {
			return err
		}
		v := progressView{fileWords: words, Import: im, Ended: im.Applied() || im.Failed != ""}
		if r.Header.Get("HX-Target") == "progress" {
			s.pages.writePart(w, s.log, http.StatusOK, "file-progress", "progress", v)
			return nil
		}
		if v.frameView, err = s.stillFrame(r, v.FileTitle, v.Screen); err != nil {
			return err
		}
		s.pages.write(w, s.log, http.StatusOK, "file-progress", v)
		return nil
	}
}

// fileTemplate is a file with every column and no row in it.
func (s *Server) fileTemplate(words fileWords) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		columns, err := bringin.ReadColumns(r.Context(), s.app, visitOf(r).actor, words.Kind)
		if err != nil {
			return err
		}
		return writeCSV(w, string(words.Kind)+"-template.csv", labelsOf(columns), nil)
	}
}

func labelsOf(columns []bringin.Column) []string {
	head := make([]string, len(columns))
	for i, c := range columns {
		head[i] = c.Label
	}
	return head
}

func (s *Server) jobHead(r *http.Request) ([]string, error) {
	columns, err := jobs.JobColumns(r.Context(), s.app, visitOf(r).actor)
	return labelsOf(columns), err
}

// writeCSV answers with a file; what a spreadsheet would take for a formula is
// written as text.
func writeCSV(w http.ResponseWriter, name string, head []string, rows [][]string) error {
	h := w.Header()
	h.Set("Content-Type", "text/csv; charset=utf-8; header=present")
	h.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s"`, name))
	h.Set("Cache-Control", "no-store")
	out := csv.NewWriter(w)
	for _, row := range append([][]string{head}, rows...) {
		for i := range row {
			row[i] = files.PlainText(row[i])
		}
		_ = out.Write(row) // Flush tells
	}
	out.Flush()
	return out.Error()
}

// sentence makes a sentence of an error's words.
func sentence(words string) string { return strings.ToUpper(words[:1]) + words[1:] + "." }
