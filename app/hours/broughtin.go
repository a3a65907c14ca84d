package hours

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// dayFile is a file of hours that were recorded elsewhere before the company came
// here: a row is a stretch of work of one person on one day. Of them only the hours
// are known: no meal is taken out of them, none is missed, and they aren't held
// against a plan. Rows without a time are placed one after the other from when the
// person's day usually begins.
type dayFile struct {
	changes map[int]Change // what a row that is new does, by its index
}

func init() {
	bringin.Register(bringin.HoursFile, func(context.Context, store.Q) (bringin.RowKind, error) {
		return &dayFile{changes: map[int]Change{}}, nil
	})
}

// DayColumns are the columns that a file of days can have.
var DayColumns = []bringin.Column{
	{Key: "number", Label: "Personnel number", Heads: personHeads},
	{Key: "date", Label: "Date", Form: bringin.DateForm, Heads: []string{"day", "workdate", "dateworked", "workday", "fecha", "jour"}},
	{Key: "hours", Label: "Hours", Form: bringin.HoursForm,
		Heads: []string{"hrs", "totalhours", "hoursworked", "paidhours", "total", "duration", "horas", "heures"}},
	{Key: "start", Label: "Began", Form: bringin.TimeForm, Heads: []string{"in", "timein", "start", "starttime", "clockin", "from"}},
	{Key: "end", Label: "Ended", Form: bringin.TimeForm, Heads: []string{"out", "timeout", "end", "endtime", "clockout", "to"}},
	{Key: "job", Label: "Job number", Heads: []string{"job", "job#", "jobno", "project", "projectno", "order", "workorder"}},
	{Key: "task", Label: "Task", Heads: []string{"taskname", "activity", "operation"}},
	{Key: "class", Label: "Work classification", Heads: []string{"classification", "class", "tradecode"}},
}

// personHeads are what offices call the column that says who a row is about.
var personHeads = []string{"#", "id", "no", "number", "emp#", "empno", "empid", "employee#", "employeeid", "employeeno", "employeenumber",
	"personnelno", "payrollid", "payrollnumber", "clocknumber", "staffno", "staffnumber"}

// Columns are those of every file of days.
func (*dayFile) Columns(app.Actor) []bringin.Column { return DayColumns }

// mostUntimed is the most that is placed on one day without its times, in seconds.
const mostUntimed = 16 * 3600

// dayStart is from when on hours are placed where no pattern says when a day begins.
const dayStart = 7 * time.Hour

// Judge says of every row what it would do, by itself and together with the others.
func (k *dayFile) Judge(ctx context.Context, q store.Q, actor app.Actor, place *app.Company, today when.Date, p *bringin.ImportPage) error {
	p.Need("number", "Personnel number")
	p.Need("date", "Date")
	p.Need("hours", "Hours", "start")
	j, err := readDayJudge(ctx, q, actor, place, today)
	if err != nil {
		return err
	}
	var rows []dayRow
	p.Take(func(r *bringin.ImportRow, given map[string]string) error {
		d, err := j.row(r, given)
		if err == nil {
			rows = append(rows, d)
		}
		return err
	})
	if err := j.lay(ctx, q, rows); err != nil {
		return err
	}
	for _, d := range rows {
		row := &p.Rows[d.index]
		switch change, refused := j.made(d); {
		case refused != nil:
			p.Refuse(row, refused)
		case change == nil:
			p.Same(row)
		default:
			k.changes[d.index] = *change
		}
	}
	return k.fits(ctx, q, j, p)
}

// fits tries what the rows do together, and of whom that doesn't fit, each row by itself:
// what can't be is refused.
func (k *dayFile) fits(ctx context.Context, q store.Q, j *dayJudge, p *bringin.ImportPage) error {
	refused, err := j.tried(ctx, q, slices.Collect(maps.Values(k.changes)))
	if err != nil || len(refused) == 0 {
		return err
	}

	var one []Change
	for _, c := range k.changes {
		if refused[c.Employment] != nil {
			one = append(one, c)
		}
	}
	alone, err := j.each(ctx, q, one) // what is refused by itself, by the change
	if err != nil {
		return err
	}
	for i := range p.Rows {
		c, does := k.changes[i]
		if !does || refused[c.Employment] == nil {
			continue
		}
		switch because := alone[c.ID]; {
		case because != nil:
			p.Refuse(&p.Rows[i], because)
		case !slices.ContainsFunc(one, func(o Change) bool { return o.Employment == c.Employment && alone[o.ID] != nil }):
			p.Refuse(&p.Rows[i], refused[c.Employment])
		default:
			continue
		}
		delete(k.changes, i)
	}
	return nil
}

// tried gives of whom changes don't fit, and why.
func (j *dayJudge) tried(ctx context.Context, q store.Q, changes []Change) (map[uuid.UUID]error, error) {
	refused := map[uuid.UUID]error{}
	for piece := range slices.Chunk(changes, mostChanges) {
		whose, err := store.Employments(ctx, q, employmentsIn(piece))
		if err != nil {
			return nil, err
		}
		amended, err := j.scene.amend(ctx, q, whose, piece)
		if err != nil {
			return nil, err
		}
		for _, a := range amended {
			if a.Refused != nil {
				refused[a.Who.ID] = a.Refused
			}
		}
	}
	return refused, nil
}

// each tries changes one by one, on what stands, and gives what is refused by the id of
// the change.
func (j *dayJudge) each(ctx context.Context, q store.Q, changes []Change) (map[uuid.UUID]error, error) {
	whose, err := store.Employments(ctx, q, employmentsIn(changes))
	if err != nil {
		return nil, err
	}
	books, others, err := j.scene.read(ctx, q, whose, changes)
	if err != nil {
		return nil, err
	}
	works, err := j.scene.works(ctx, q, changes)
	if err != nil {
		return nil, err
	}
	refused := map[uuid.UUID]error{}
	for _, c := range changes {
		book := *books[c.Employment]
		a, err := j.scene.one(&book, []Change{c}, works, others[book.who.Person])
		if err != nil {
			return nil, err
		}
		if a.Refused != nil {
			refused[c.ID] = a.Refused
		}
	}
	return refused, nil
}

// BringIn adds the hours of some rows.
func (k *dayFile) BringIn(ctx context.Context, t *app.Turn, p *bringin.ImportPage, rows []bringin.ImportRow) error {
	var changes []Change
	for _, r := range rows {
		if c, new := k.changes[r.Index]; new && r.Does() {
			changes = append(changes, c)
		}
	}
	if len(changes) == 0 {
		return nil
	}
	// Everybody in the file is locked at once, whatever comes piece by piece.
	whose, err := store.LockEmployments(ctx, t, employmentsIn(slices.Collect(maps.Values(k.changes))))
	if err != nil {
		return err
	}
	meant := employmentsIn(changes)
	whose = slices.DeleteFunc(whose, func(e store.Employment) bool { return !slices.Contains(meant, e.ID) })
	s := scene{Actor: t.Actor, act: t.Act, place: t.Company, now: t.Now, batch: p.ID, why: "brought in from " + p.FileName}
	amended, err := s.amend(ctx, t, whose, changes)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(amended, func(a Amended) bool { return a.Refused != nil }) {
		return refusedOf(amended)
	}
	return keepAmended(ctx, t, amended)
}

// dayJudge knows what stands, and what the rows before have claimed.
type dayJudge struct {
	scene  scene
	today  when.Date
	first  when.Date // the first day that hours can be brought in on
	closed bool      // because those before were paid here
	people map[string]store.Sheet
	jobs   map[string]store.Job
	tasks  map[uuid.UUID][]store.Task
	class  map[string]uuid.UUID // by code or name, in small letters

	usual  map[store.EmploymentDate]store.Planned
	zones  map[uuid.UUID]*time.Location
	there  map[store.EmploymentDate][]store.Stint
	placed map[store.EmploymentDate]time.Time // up to when the rows before reach
	sums   map[store.EmploymentDate]int64
}

// dayRow is a row that is right by itself.
type dayRow struct {
	index      int
	on         store.EmploymentDate
	start, end time.Duration // of the local day; negative where the row doesn't say
	seconds    int64
	work       clock.Assignment
}

func readDayJudge(ctx context.Context, q store.Q, actor app.Actor, place *app.Company, today when.Date) (*dayJudge, error) {
	j := &dayJudge{today: today, jobs: map[string]store.Job{}, class: map[string]uuid.UUID{},
		placed: map[store.EmploymentDate]time.Time{}, sums: map[store.EmploymentDate]int64{}}
	j.scene = scene{Actor: actor, act: bringin.TakeFile{Kind: bringin.HoursFile}.Permission(), place: place,
		now: (today + 1).At(0, place.Loc), batch: uuid.Must(uuid.NewV7()), why: "brought in"}
	var err error
	if j.first, j.closed, err = firstBrought(ctx, q, place, today); err != nil {
		return nil, err
	}
	if j.people, err = Numbered(ctx, q, actor, today); err != nil {
		return nil, err
	}
	jobs, _, err := store.Jobs(ctx, q, store.JobFilter{State: "any", Sort: "number"}, 0, -1)
	if err != nil {
		return nil, err
	}
	ids := make([]uuid.UUID, len(jobs))
	for i, job := range jobs {
		j.jobs[strings.ToLower(job.Number)], ids[i] = job, job.ID
	}
	if j.tasks, err = store.TasksOfJobs(ctx, q, ids); err != nil {
		return nil, err
	}
	classes, err := store.AllClasses(ctx, q)
	for _, c := range classes {
		j.class[strings.ToLower(c.Name)], j.class[strings.ToLower(c.Code)] = c.ID, c.ID
	}
	return j, err
}

// firstBrought gives the first day on which hours can be brought in: after what was
// paid here, or where nothing was, of the workweek in which pay begins here, or of the
// pay period that is running.
func firstBrought(ctx context.Context, q store.Q, place *app.Company, today when.Date) (first when.Date, closed bool, err error) {
	last, closed, err := store.LastPaidDay(ctx, q)
	switch {
	case err != nil || closed:
		return last + 1, closed, err
	case place.PaysFrom != nil:
		return place.WeekOf(*place.PaysFrom), false, nil
	}
	period, err := place.Periods().Of(today)
	return period.From, false, err
}

// row reads a row by itself; its error says all that is wrong with it.
func (j *dayJudge) row(r *bringin.ImportRow, given map[string]string) (d dayRow, err error) {
	var faults []error
	fault := func(field, wrong, right string) { faults = append(faults, refusal.New(field, wrong, right)) }
	d.index, d.start, d.end = r.Index, -1, -1
	if d.on.Employment, err = Meant(r, given["number"], j.people, j.scene.Actor); err != nil {
		faults = append(faults, err)
	}
	if d.on.Date, err = when.ParseDate(given["date"]); given["date"] == "" || err != nil {
		fault("date", "The date is missing", "It says on which day the hours were worked")
	} else if why := j.dated(d.on.Date); why != nil {
		faults = append(faults, why)
	}
	faults = append(faults, d.length(given)...)
	faults = append(faults, j.onWork(&d, given)...)
	r.State = bringin.RowNew
	if len(faults) == 0 {
		r.What = d.words(given)
		if from := j.scene.place.PaysFrom; from != nil && d.on.Date < *from {
			r.What += "; counts towards the week, paid elsewhere"
		}
	}
	return d, errors.Join(faults...)
}

// words say a row that is right.
func (d dayRow) words(given map[string]string) string {
	parts := []string{d.on.Date.Format("Mon 2 January"), card.HoursMinutes(d.seconds)}
	for _, key := range []string{"job", "task"} {
		if v := strings.TrimSpace(given[key]); v != "" {
			parts = append(parts, v)
		}
	}
	return strings.Join(parts, ", ")
}

// dated refuses a day on which hours can't be brought in.
func (j *dayJudge) dated(d when.Date) error {
	first := j.first.Format("2 January 2006")
	switch {
	case d >= j.today:
		return refusal.New("date", d.Format("2 January 2006")+" isn't over", "Bring in what was worked up to yesterday")
	case d >= j.first:
		return nil
	case j.closed:
		return refusal.New("date", "Pay runs are closed up to "+(j.first-1).Format("2 January 2006"),
			"Change the card of that day; what it changes is paid by the next run")
	case j.scene.place.PaysFrom == nil:
		return refusal.New("date", "That is before the running pay period, which began on "+first,
			"Say in Setup, Moving in, from which day on people are paid here; sums of the year come in by a file of their own")
	}
	return refusal.New("date", "That is before the week in which pay begins here, that of "+first,
		"Leave it out: sums of the year come in by a file of their own")
}

// length reads how long was worked, and from when to when where the row says so.
func (d *dayRow) length(given map[string]string) (faults []error) {
	if text := given["hours"]; text != "" {
		d.seconds, _ = strconv.ParseInt(text, 10, 64) // as bringin.HoursForm gives it
	}
	for key, into := range map[string]*time.Duration{"start": &d.start, "end": &d.end} {
		if t, err := time.Parse(time.TimeOnly, given[key]); err == nil {
			*into = time.Duration(t.Hour())*time.Hour + time.Duration(t.Minute())*time.Minute + time.Duration(t.Second())*time.Second
		}
	}
	span := int64(-1)
	if d.start >= 0 && d.end >= 0 {
		span = int64((d.end - d.start) / time.Second)
		if span <= 0 {
			span += 24 * 3600
		}
	}
	switch {
	case d.end >= 0 && d.start < 0:
		return []error{refusal.New("start", "It ends, and doesn't begin", "Write when it began, or only the hours")}
	case d.seconds == 0 && span > 0:
		d.seconds = span
	case d.seconds == 0:
		return []error{refusal.New("hours", "There are no hours", "Write hours such as 7.5, or when it began and ended")}
	case span > 0 && d.seconds > span:
		return []error{refusal.New("hours", fmt.Sprintf("%s don't fit between when it began and ended", card.HoursMinutes(d.seconds)),
			"Correct the hours or the times")}
	}
	if d.seconds > 24*3600 {
		return []error{refusal.New("hours", card.HoursMinutes(d.seconds)+" are more than a day", "Write one row for each day")}
	}
	return nil
}

// onWork finds what the hours were worked on.
func (j *dayJudge) onWork(d *dayRow, given map[string]string) (faults []error) {
	number, task, class := strings.TrimSpace(given["job"]), strings.TrimSpace(given["task"]), strings.TrimSpace(given["class"])
	job, there := j.jobs[strings.ToLower(number)]
	switch {
	case number == "" && task != "":
		return []error{refusal.New("job", "A task is given, and no job", "Write the number of its job")}
	case number != "" && !there:
		return []error{refusal.New("job", "There is no job "+number, "Bring the jobs in first, or correct the number")}
	}
	d.work.Job = job.ID
	if task != "" {
		i := slices.IndexFunc(j.tasks[job.ID], func(t store.Task) bool { return strings.EqualFold(t.Name, task) })
		if i < 0 {
			return []error{refusal.New("task", fmt.Sprintf("%s has no task “%s”", number, task), "Write it as it stands on the job's page")}
		}
		d.work.Task = j.tasks[job.ID][i].ID
	}
	if class != "" {
		if d.work.Class, there = j.class[strings.ToLower(class)]; !there {
			return []error{refusal.New("class", fmt.Sprintf("There is no work classification “%s”", class),
				"Write it as it stands in Setup, Codes")}
		}
	}
	return nil
}

// lay reads what is known of the days that rows are about.
func (j *dayJudge) lay(ctx context.Context, q store.Q, rows []dayRow) error {
	var on []store.EmploymentDate
	var days []when.Date
	var ids []uuid.UUID
	seen := map[store.EmploymentDate]bool{}
	for _, d := range rows {
		if !seen[d.on] {
			seen[d.on] = true
			on = append(on, d.on)
		}
		if !slices.Contains(days, d.on.Date) {
			days = append(days, d.on.Date)
		}
	}
	for _, d := range on {
		ids = append(ids, d.Employment)
	}
	slices.SortFunc(ids, func(a, b uuid.UUID) int { return slices.Compare(a[:], b[:]) })
	ids = slices.Compact(ids)
	plans, err := store.PlansOf(ctx, q, on, j.scene.place.Holiday)
	if err != nil {
		return err
	}
	j.usual, j.there = map[store.EmploymentDate]store.Planned{}, map[store.EmploymentDate][]store.Stint{}
	j.zones = map[uuid.UUID]*time.Location{}
	for _, p := range plans {
		j.usual[p.EmploymentDate] = p
	}
	whose, err := store.Employments(ctx, q, ids)
	if err != nil {
		return err
	}
	for _, who := range whose {
		if j.zones[who.ID], err = time.LoadLocation(who.Zone); err != nil {
			return err
		}
	}
	stints, err := store.StintsOn(ctx, q, ids, days)
	for _, s := range stints {
		of := store.EmploymentDate{Employment: s.Employment, Date: s.Date}
		j.there[of] = append(j.there[of], s)
	}
	return err
}

// made gives the change that a row makes, nil where it is there already, or what is in
// its way.
func (j *dayJudge) made(d dayRow) (*Change, error) {
	loc := j.zones[d.on.Employment]
	start := j.placed[d.on]
	switch usual := j.usual[d.on].ShiftFrom; {
	case d.start >= 0:
		start = d.on.Date.At(d.start, loc)
	case !start.IsZero():
	case !usual.IsZero():
		start = usual
	default:
		start = d.on.Date.At(dayStart, loc)
	}
	end := start.Add(time.Duration(d.seconds) * time.Second)
	j.placed[d.on] = end
	j.sums[d.on] += d.seconds
	if d.start < 0 && j.sums[d.on] > mostUntimed {
		return nil, refusal.New("hours", "That makes more than 16:00 on one day", "Write when they began and ended")
	}
	if there := j.there[d.on]; len(there) > 0 {
		if slices.ContainsFunc(there, func(s store.Stint) bool {
			return s.HoursOnly() && s.Start.Equal(start) && s.End.Equal(end) && s.On == d.work
		}) {
			return nil, nil
		}
		return nil, refusal.New("date", d.on.Date.Format("2 January")+" has other hours already", "Change them on the card of that day")
	}
	return &Change{ID: uuid.Must(uuid.NewV7()), Employment: d.on.Employment, Does: clock.Bring, At: start, Until: end, Kind: clock.Work,
		On: d.work}, nil
}
