package web

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/jobs"
	"manudex/files"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

type jobsView struct {
	frameView
	*jobs.Jobs
	Q        map[string]string
	States   []field.Choice
	MoreHref string
	Export   string
	ID       string
	Wrong    string
	Typed    map[string]string
}

var jobStates = []field.Choice{{Value: "", Label: "open"}, {Value: "closed", Label: "closed"}, {Value: "any", Label: "open and closed"}}

func jobFilter(r *http.Request) (store.JobFilter, error) {
	q := r.URL.Query()
	f := store.JobFilter{Text: q.Get("q"), State: q.Get("state")}
	if !slices.ContainsFunc(jobStates, func(c field.Choice) bool { return c.Value == f.State }) {
		return f, app.ErrNotFound
	}
	if text := q.Get("site"); text != "" {
		id, err := uuid.Parse(text)
		if err != nil {
			return f, app.ErrNotFound
		}
		f.Site = id
	}
	return f, nil
}

func (s *Server) jobsPage(w http.ResponseWriter, r *http.Request) error {
	return s.writeJobs(w, r, http.StatusOK, jobsView{Typed: map[string]string{}})
}

func (s *Server) writeJobs(w http.ResponseWriter, r *http.Request, status int, v jobsView) error {
	f, err := jobFilter(r)
	if err != nil {
		return err
	}
	offset, err := offsetOf(r)
	if err != nil {
		return err
	}
	actor := visitOf(r).actor
	if v.Jobs, err = jobs.ReadJobs(r.Context(), s.app, actor, f, offset); err != nil {
		return err
	}
	q := r.URL.Query()
	v.Q = map[string]string{"q": q.Get("q"), "state": q.Get("state"), "site": q.Get("site")}
	v.States, v.MoreHref, v.ID = jobStates, moreHref(r, offset, max(0, v.Total-offset-len(v.Jobs.Jobs))), newID().String()
	q.Del("offset")
	v.Export = "/jobs/export.csv?" + q.Encode()
	if offset > 0 {
		s.pages.writePart(w, s.log, http.StatusOK, "jobs", "jobrows", v)
		return nil
	}
	if v.frameView, err = s.stillFrame(r, "Jobs", "jobs"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "jobs", v)
	return nil
}

func (s *Server) jobsCSV(w http.ResponseWriter, r *http.Request) error {
	f, err := jobFilter(r)
	if err != nil {
		return err
	}
	head, err := s.jobHead(r)
	if err != nil {
		return err
	}
	rows, err := jobs.JobRows(r.Context(), s.app, visitOf(r).actor, f)
	if err != nil {
		return err
	}
	return writeCSV(w, "jobs.csv", head, rows)
}

func (s *Server) addJob(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := jobs.AddJob{ID: f.ID("id"), Number: f.Text("number"), Title: f.Text("title"), Customer: f.Text("customer"),
		Kind: f.Text("kind"), Like: f.MaybeID("like")}
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	if refused := refusalIn(err); refused != nil {
		if act.Like != uuid.Nil {
			return s.done(w, r, err, "/jobs/"+act.Like.String(), said{})
		}
		return s.writeJobs(w, r, http.StatusUnprocessableEntity,
			jobsView{Wrong: refused.Error() + ".",
				Typed: map[string]string{"number": act.Number, "title": act.Title, "customer": act.Customer}})
	}
	return s.done(w, r, err, "/jobs/"+act.ID.String(), said{Text: act.Number + " " + act.Title + " is added and open."})
}

type jobView struct {
	frameView
	*jobs.JobPage
	Settings []setting
	Groups   []field.Choice // whom it can be opened to, as "unit:ID"
	OnIt     []onJobRow     // now
	PayCodes []setting      // that the job names
	Picked   *taskView      // the task that is looked at
	Map      jobMap
	NewIDs   [3]string
	Estimate []estimateRow
	FileName string
}

// onJobRow is somebody on the clock on the job.
type onJobRow struct {
	store.OnJob
	Since words.Local
}

// taskView is a task whose settings are looked at.
type taskView struct {
	Name     string
	Settings []setting
}

// estimateRow is a row of an estimate's file, to be chosen or not.
type estimateRow struct {
	jobs.NewTask
	Known bool // a task of that name is there already
}

func (s *Server) jobPage(w http.ResponseWriter, r *http.Request) error {
	return s.writeJob(w, r, jobView{})
}

func (s *Server) writeJob(w http.ResponseWriter, r *http.Request, v jobView) error {
	id, err := pathID(r, "job")
	if err != nil {
		return err
	}
	if v.JobPage, err = jobs.ReadJobPage(r.Context(), s.app, visitOf(r).actor, id); err != nil {
		return err
	}
	for _, f := range v.Fields {
		v.Settings = append(v.Settings, settingOf(f, "/jobs/"+id.String()+"/set", "j-", v.MayChange))
	}
	across, err := parseCount(r.URL.Query().Get("across"))
	if err != nil {
		return err
	}
	v.Map = jobMapOf(v.JobPage, float64(min(across, 400_000)))
	if text := r.URL.Query().Get("task"); text != "" {
		if v.Picked, err = s.pickedTask(r, id, text, v.MayChange); err != nil {
			return err
		}
	}
	for _, g := range []struct {
		kind, words string
		list        []store.Named
	}{{"unit", "", v.Units}, {"site", "everyone at ", v.Sites}, {"class", "classification ", v.Classes}} {
		for _, n := range g.list {
			v.Groups = append(v.Groups, field.Choice{Value: g.kind + ":" + n.ID.String(), Label: g.words + n.Name})
		}
	}
	v.PayCodes = codeSettings(v.OwnCodes, "/jobs/"+id.String()+"/codes", v.CodesFrom, v.MayChange)
	for _, o := range v.Now {
		v.OnIt = append(v.OnIt, onJobRow{o, words.At(o.Since, v.Loc)})
	}
	v.NewIDs = [3]string{newID().String(), newID().String(), newID().String()}
	for i := range v.Estimate {
		v.Estimate[i].Known = slices.ContainsFunc(v.Tasks, func(t jobs.TaskRow) bool {
			return strings.EqualFold(t.Name, v.Estimate[i].Title)
		})
	}
	if v.frameView, err = s.stillFrame(r, v.Number+" "+v.Name, "jobs"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "job", v)
	return nil
}

// pickedTask reads the settings of a task of a job.
func (s *Server) pickedTask(r *http.Request, job uuid.UUID, text string, edit bool) (*taskView, error) {
	id, err := uuid.Parse(text)
	if err != nil {
		return nil, app.ErrNotFound
	}
	values, err := jobs.TaskValues(r.Context(), s.app, visitOf(r).actor, job, id)
	if err != nil {
		return nil, err
	}
	v := &taskView{Name: values[0].Value}
	for _, value := range values {
		v.Settings = append(v.Settings,
			settingOf(value, "/jobs/"+job.String()+"/tasks/"+text+"/set", "j-", edit))
	}
	return v, nil
}

func (s *Server) setTask(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	job, task := f.PathID("job"), f.PathID("task")
	if err := f.Err(); err != nil {
		return err
	}
	act := jobs.SetTask{Job: job, Task: task, Field: f.Text("field"), Value: f.Text("value")}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.settingSaved(w, r, err, "/jobs/"+job.String()+"?task="+task.String(), act.Value, func() (setting, error) {
		picked, err := s.pickedTask(r, job, task.String(), true)
		if err != nil {
			return setting{}, err
		}
		i := slices.IndexFunc(picked.Settings, func(st setting) bool { return st.Key == act.Field })
		return picked.Settings[i], nil // the act knew it
	})
}

func (s *Server) setJob(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "job")
	if err != nil {
		return err
	}
	act := jobs.SetJob{Job: id, Field: r.FormValue("field"), Value: r.FormValue("value")}
	err = s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.settingSaved(w, r, err, "/jobs/"+id.String(), act.Value, func() (setting, error) { return s.jobSetting(r, act) })
}

// jobSetting is a setting of a job after it was changed, with what else that
// changes on its page.
func (s *Server) jobSetting(r *http.Request, act jobs.SetJob) (st setting, err error) {
	actor := visitOf(r).actor
	value, err := jobs.ReadSetting(r.Context(), s.app, actor, act.Job, act.Field)
	if err != nil {
		return st, err
	}
	st = settingOf(value, r.URL.Path, "j-", true)
	switch act.Field {
	case "open_to_all", "starts_on", "ends_on":
		n, err := jobs.CanClock(r.Context(), s.app, actor, act.Job)
		if err != nil {
			return st, err
		}
		st.Said = "Saved: " + words.Plural(n, "person", "people") + " can clock here"
	case "place", "site":
		p, err := jobs.ReadJobPage(r.Context(), s.app, actor, act.Job)
		if err != nil {
			return st, err
		}
		m := jobMapOf(p, 0)
		m.OOB = true
		st.More, err = s.pages.html("job", "jobmap", m)
		return st, err
	}
	return st, nil
}

// doOnJob does an act and goes back to the job's page.
func (s *Server) doOnJob(w http.ResponseWriter, r *http.Request, job uuid.UUID, act app.Act, words string) error {
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/jobs/"+job.String(), said{Text: words})
}

func (s *Server) addTasks(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "job")
	if err != nil {
		return err
	}
	if err := r.ParseForm(); err != nil {
		return app.ErrNotFound
	}
	act := jobs.AddTasks{Job: id}
	titles, codes, hours := r.Form["title"], r.Form["code"], r.Form["hours"]
	if len(codes) != len(titles) || len(hours) != len(titles) {
		return app.ErrNotFound
	}
	for i := range titles {
		if chosen := r.Form["row"]; len(chosen) == 0 && r.Form.Get("estimate") == "" || slices.Contains(chosen, fmt.Sprint(i)) {
			act.Tasks = append(act.Tasks, jobs.NewTask{Title: titles[i], CostCode: codes[i], Hours: hours[i]})
		}
	}
	return s.doOnJob(w, r, id, act, words.Plural(len(act.Tasks), "task is", "tasks are")+" added.")
}

// takeEstimate reads an estimate's file; its rows are chosen on the page.
func (s *Server) takeEstimate(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "job")
	if err != nil {
		return err
	}
	back := "/jobs/" + id.String()
	if !visitOf(r).actor.May("jobs.change") {
		return app.ErrForbidden
	}
	file, header, err := upload(r, "file", "file", "a CSV file or a workbook")
	if err != nil {
		return s.done(w, r, err, back, said{})
	}
	defer file.Close()
	table, err := files.ReadTable(file)
	if err != nil {
		return s.done(w, r, nil, back, said{Text: sentence(err.Error()), Refused: true})
	}
	rows := table.Rows
	column := func(names ...string) int {
		return slices.IndexFunc(rows[0], func(h string) bool {
			return slices.Contains(names, strings.ToLower(strings.TrimSpace(h)))
		})
	}
	task, code, hours := column("task", "name", "description"), column("cost code", "code"), column("hours", "estimate", "estimated hours")
	if task < 0 {
		return s.done(w, r, nil, back,
			said{Text: "No column of the file is called Task. Name the columns Task, Cost code and Hours.", Refused: true})
	}
	v := jobView{FileName: header.Filename}
	for _, row := range rows[1:] {
		n := jobs.NewTask{Title: row[task]}
		if code >= 0 {
			n.CostCode = row[code]
		}
		if hours >= 0 {
			n.Hours = row[hours]
		}
		v.Estimate = append(v.Estimate, estimateRow{NewTask: n})
	}
	return s.writeJob(w, r, v)
}

func (s *Server) joinTasks(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := jobs.JoinTasks{Job: f.PathID("job"), Tasks: f.IDs("task"), Into: f.MaybeID("into")}
	if err := f.Err(); err != nil {
		return err
	}
	if act.Into == uuid.Nil && len(act.Tasks) > 0 {
		act.Into = act.Tasks[0]
	}
	return s.doOnJob(w, r, act.Job, act, "The tasks are worked as one from now on. What was recorded on each stays its own.")
}

func (s *Server) splitTask(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := jobs.SplitTask{Job: f.PathID("job"), Task: f.PathID("task")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.doOnJob(w, r, act.Job, act, "The task is worked by itself again.")
}

func (s *Server) closeTask(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := jobs.CloseTask{Job: f.PathID("job"), Task: f.PathID("task"), Open: f.Yes("open")}
	if err := f.Err(); err != nil {
		return err
	}
	words := "The task is closed. What was recorded on it stays."
	if act.Open {
		words = "The task is open again."
	}
	return s.doOnJob(w, r, act.Job, act, words)
}

func (s *Server) openJobTo(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "job")
	if err != nil {
		return err
	}
	act := jobs.OpenJobTo{ID: newID(), Job: id, Kind: "person", Named: r.FormValue("person")}
	if act.Named != "" {
		return s.doOnJob(w, r, id, act, "It is open to them, and closed to those not listed.")
	}
	kind, text, _ := cutReach(r.FormValue("who"))
	act.Kind = kind
	if act.Who, err = uuid.Parse(text); err != nil {
		return s.done(w, r, nil, "/jobs/"+id.String(),
			said{Text: "Nobody was chosen. Choose a crew, a site or a classification.", Refused: true})
	}
	return s.doOnJob(w, r, id, act, "It is open to them, and closed to those not listed.")
}

func (s *Server) closeJobTo(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id, entry := f.PathID("job"), f.PathID("entry")
	if err := f.Err(); err != nil {
		return err
	}
	return s.doOnJob(w, r, id, jobs.CloseJobTo{Entry: entry}, "It is open to them no more.")
}

func (s *Server) setWage(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := jobs.SetWage{Job: f.PathID("job"), Class: f.ID("class"), From: f.MaybeDate("from"), Base: f.Text("base"), Cash: f.Text("cash"),
		Plan: f.Text("plan")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.doOnJob(w, r, act.Job, act, "The wage determination is kept.")
}
