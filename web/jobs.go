package web

import (
	"cmp"
	"fmt"
	"html/template"
	"net/http"
	"slices"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/app/field"
	"manudex/app/jobs"
	"manudex/core/card"
	"manudex/core/job"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
	"manudex/web/words"
)

type jobsView struct {
	frameView
	*jobs.Jobs
	L        listQuery
	Rows     []jobRow
	Facets   []facetLine
	MoreHref string
	ID       string
	Wrong    string
	Typed    map[string]string
	Away     app.Away
}

// Marked says whether a job of the list has a mark.
func (v jobsView) Marked() bool {
	return slices.ContainsFunc(v.Rows, func(r jobRow) bool { return r.Mark != "" })
}

// jobRow is a job in the list, with when its hours come to their end.
type jobRow struct {
	store.Job
	Href string
	Left int64
	Ends string
	Past bool
}

var jobStates = []field.Choice{{Value: "", Label: "open"}, {Value: "closed", Label: "closed"}, {Value: "any", Label: "open and closed"}}

// jobFilter reads the filter of a list of jobs from its address.
func jobFilter(l listQuery) (f store.JobFilter, err error) {
	f = store.JobFilter{Text: l.Get("q"), State: l.Get("state")}
	f.Sort, f.Falling = l.sort()
	if !field.Has(jobStates, f.State) {
		return f, app.ErrNotFound
	}
	f.Sites, err = l.ids("site")
	return f, err
}

// Export is the address of the list as a file.
func (v jobsView) Export() string { return v.L.to("/jobs/export.csv") }

// facets says how many jobs are in which state and at which site.
func (v *jobsView) facets(f store.JobFilter) {
	states, sites := facetLine{Name: "State"}, facetLine{Name: "Sites"}
	is := func(state string, site uuid.UUID) (n int) {
		for _, c := range v.Counts {
			at := store.IDOrNil(c.Site)
			here := at == site || site == uuid.Nil && (len(f.Sites) == 0 || slices.Contains(f.Sites, at))
			if here && (state == "any" || c.State == state) {
				n += c.N
			}
		}
		return n
	}
	for _, c := range jobStates {
		of := facet{N: is(cmp.Or(c.Value, "open"), uuid.Nil), Label: c.Label, Href: v.L.With("state", c.Value), On: f.State == c.Value}
		states.Of = append(states.Of, of)
	}
	for _, site := range v.Sites {
		id := site.ID.String()
		of := facet{N: is(cmp.Or(f.State, "open"), site.ID), Label: site.Name, Href: v.L.Turn("site", id), On: v.L.On("site", id)}
		if of.N > 0 || of.On {
			sites.Of = append(sites.Of, of)
		}
	}
	v.Facets = []facetLine{states, sites}
}

// endsWords says when the hours of a job are used up, and whether they are.
func endsWords(b job.Budget) (says string, past bool) {
	days, known := b.Ends()
	switch {
	case b.Hours > 0 && b.Left() < 0:
		return "past by " + card.HoursMinutes(-b.Left()), true
	case b.Hours > 0 && b.Left() == 0:
		return "used up", true
	case known && days == 0:
		return "today, at this pace", false
	case known && days <= 120:
		return "in " + words.Plural(days, "day", "days") + ", at this pace", false
	}
	return "", false
}

func (s *Server) jobsPage(w http.ResponseWriter, r *http.Request) error {
	return s.writeJobs(w, r, http.StatusOK, jobsView{Typed: map[string]string{}})
}

func (s *Server) writeJobs(w http.ResponseWriter, r *http.Request, status int, v jobsView) error {
	v.L = listQueryOf(r)
	f, err := jobFilter(v.L)
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
	v.MoreHref, v.ID = moreHref(r, offset, max(0, v.Total-offset-len(v.Jobs.Jobs))), newID().String()
	for _, j := range v.Jobs.Jobs {
		row := jobRow{Job: j, Href: v.L.Of(j.ID), Left: j.Budgeted().Left()}
		row.Ends, row.Past = endsWords(j.Budgeted())
		v.Rows = append(v.Rows, row)
	}
	if v.Away, err = app.ReadAway(r.Context(), s.app.DB); err != nil {
		return err
	}
	if offset > 0 {
		s.pages.writePart(w, s.log, http.StatusOK, "jobs", "jobrows", v)
		return nil
	}
	v.facets(f)
	if v.frameView, err = s.stillFrame(r, "Jobs", "jobs"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "jobs", v)
	return nil
}

func (s *Server) jobsCSV(w http.ResponseWriter, r *http.Request) error {
	f, err := jobFilter(listQueryOf(r))
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
	Weeks    template.HTML // worked, week by week
	Left     template.HTML // of the hours it has
	LeftSays string
	Past     bool
	Ask      *recode
	Beside   neighbours
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
	v.picture()
	list := cameFrom(r, "/jobs")
	if v.Beside, err = neighboursOf(list, func() (before, after uuid.UUID, err error) {
		f, err := jobFilter(list)
		if err != nil {
			return before, after, err
		}
		return jobs.Beside(r.Context(), s.app, visitOf(r).actor, f, id)
	}); err != nil {
		return err
	}
	v.Ask = v.recodeOf(r)
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
	if v.frameView, err = s.stillFrame(r, v.Number+" "+v.Name, "jobs"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "job", v)
	return nil
}

// picture draws the job's weeks, and what is left of its hours.
func (v *jobView) picture() {
	if len(v.JobPage.Weeks) > 0 {
		bars := make([]draw.Bar, len(v.JobPage.Weeks))
		for i, week := range v.JobPage.Weeks {
			bars[i] = draw.Bar{Seconds: week.Seconds, Over: card.HoursMinutes(week.Seconds), Name: week.From.Format("2 Jan"),
				Running: i == len(bars)-1}
		}
		v.Weeks = template.HTML(draw.Bars(nil, bars, "Hours worked, week by week"))
	}
	b := v.Budgeted()
	if b.Hours <= 0 {
		return
	}
	v.LeftSays = card.HoursMinutes(max(b.Left(), 0)) + " left of " + card.HoursMinutes(b.Hours)
	switch days, known := b.Ends(); {
	case b.Left() < 0:
		v.LeftSays, v.Past = card.HoursMinutes(-b.Left())+" past its "+card.HoursMinutes(b.Hours), true
	case known && days <= 400 && v.State == "open":
		v.LeftSays += fmt.Sprintf("; used up about %s, at the pace of the last fortnight",
			(v.Today + when.Date(days)).Format("Mon 2 Jan 2006"))
	}
	v.Left = template.HTML(draw.Left(nil, b.Used, b.Hours, v.LeftSays))
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
		act.Tasks = append(act.Tasks, jobs.NewTask{Title: titles[i], CostCode: codes[i], Hours: hours[i]})
	}
	return s.doOnJob(w, r, id, act, words.Plural(len(act.Tasks), "task is", "tasks are")+" added.")
}

// takeEstimate takes an estimate's file: what its rows do is looked at as of every file of
// jobs.
func (s *Server) takeEstimate(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "job")
	if err != nil {
		return err
	}
	back, actor := "/jobs/"+id.String(), visitOf(r).actor
	if !actor.May("jobs.change") {
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
	take, err := jobs.TakeEstimate(r.Context(), s.app, actor, id,
		bringin.TakeFile{ID: newID(), FileName: header.Filename, Rows: table.Rows, Lines: table.Lines})
	if err != nil {
		return err
	}
	err = s.app.Do(r.Context(), actor, take)
	if refused := refusalIn(err); refused != nil {
		return s.done(w, r, nil, back, said{Text: refused.Error() + ".", Refused: true})
	}
	return s.done(w, r, err, jobFiles.Path+"/"+take.ID.String(),
		said{Text: header.Filename + " is read. Nothing is in yet: look at what each row would do, and leave out what shall be no task."})
}

// workAs makes a task be worked as another, or by itself again. Where that would
// give its hours another cost code, the page asks first.
func (s *Server) workAs(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := jobs.WorkAs{Job: f.PathID("job"), Task: f.PathID("task"), Into: f.MaybeID("into"), Recode: f.Yes("recode")}
	if err := f.Err(); err != nil {
		return err
	}
	if act.Into == uuid.Nil {
		return s.doOnJob(w, r, act.Job, jobs.SplitTask{Job: act.Job, Task: act.Task}, "The task is worked by itself again.")
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	back := "/jobs/" + act.Job.String()
	if refused := refusalIn(err); refused != nil && refused.Field == "recode" {
		return s.done(w, r, nil, back+"?as="+act.Task.String()+"&into="+act.Into.String()+"#as", said{})
	}
	return s.done(w, r, err, back, said{Text: "The tasks are worked as one from now on. What was recorded on each stays its own."})
}

// recode is the question whether hours shall get another cost code.
type recode struct{ Task, Into, Asks, Says string }

// recodeOf finds the tasks that an address asks of.
func (v *jobView) recodeOf(r *http.Request) *recode {
	q := r.URL.Query()
	var found [2]*store.Task
	for i, name := range []string{"as", "into"} {
		for k := range v.Tasks {
			if v.Tasks[k].ID.String() == q.Get(name) {
				found[i] = &v.Tasks[k].Task
			}
		}
	}
	if found[0] == nil || found[1] == nil || !v.MayChange {
		return nil
	}
	asks := jobs.RecodeQuestion(*found[0], *found[1])
	return &recode{found[0].ID.String(), found[1].ID.String(), asks.Wrong,
		fmt.Sprintf("Work %s as %s all the same", found[0].Name, found[1].Name)}
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
