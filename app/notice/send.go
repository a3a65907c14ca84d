package notice

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/riverqueue/river"

	"manudex/app"
	"manudex/core/notice"
	"manudex/store"
	"manudex/tongue"
)

// A notice leaves the house in two steps, each a job. Gathering puts what waits for
// somebody, and may go out by now, into one message; delivering sends a message, and again
// with growing pauses until whoever takes it has it. A node that dies between sending and
// keeping that it did sends it once more, under the same id.

// GatherMessages makes messages of what may go out by now.
type GatherMessages struct{}

// Permission is what the act takes: time does it, and nobody.
func (GatherMessages) Permission() string { return "self" }

// gatherAtOnce is of how many people notices are gathered in one statement.
const gatherAtOnce = 500

func (GatherMessages) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.ID != uuid.Nil {
		return app.ErrForbidden
	}
	var after uuid.UUID
	for {
		waiting, err := store.WaitingNotices(ctx, t, after, gatherAtOnce)
		if err != nil || len(waiting) == 0 {
			return err
		}
		after = waiting[len(waiting)-1].Person
		messages, err := gather(t, waiting)
		if err != nil {
			return err
		}
		if err := store.InsertMessages(ctx, t, messages, t.Now); err != nil {
			return err
		}
		jobs := make([]river.JobArgs, len(messages))
		for i, m := range messages {
			jobs[i] = deliver{m.ID}
		}
		if err := t.LaterAll(ctx, jobs); err != nil {
			return err
		}
	}
}

// gather makes messages of what waits, which comes by person and way.
func gather(t *app.Turn, waiting []store.WaitingNotice) ([]store.NewMessage, error) {
	var messages []store.NewMessage
	for len(waiting) > 0 {
		first, n := waiting[0], 0
		var of []notice.Waiting
		m := store.NewMessage{Person: first.Person, Way: first.Way}
		for n < len(waiting) && waiting[n].Person == first.Person && waiting[n].Way == first.Way {
			var w notice.Waiting
			if waiting[n].About != nil {
				w.About = *waiting[n].About
			}
			of, m.Notices = append(of, w), append(m.Notices, waiting[n].Notice)
			n++
		}
		loc, last := t.Company.Loc, time.Time{}
		if first.Zone != nil {
			var err error
			if loc, err = time.LoadLocation(*first.Zone); err != nil {
				return nil, fmt.Errorf("the zone of a site: %w", err)
			}
		}
		if first.Last != nil {
			last = *first.Last
		}
		if notice.Due(t.Now, notice.Quiet{From: first.QuietFrom, To: first.QuietTo}, loc, last, of) {
			m.ID = uuid.NewSHA1(m.Notices[0], []byte(m.Way)) // as the act made it
			messages = append(messages, m)
		}
		waiting = waiting[n:]
	}
	return messages, nil
}

type gatherer struct {
	river.WorkerDefaults[app.GatherJob]
	app *app.App
}

// Work gathers.
func (g *gatherer) Work(ctx context.Context, _ *river.Job[app.GatherJob]) error {
	return Gather(ctx, g.app)
}

// Gather makes messages of what may go out by now.
func Gather(ctx context.Context, a *app.App) error { return a.ByTime(ctx, GatherMessages{}) }

// deliver is the work of sending one message.
type deliver struct {
	Message uuid.UUID `json:"message"`
}

// Kind names the work in the queue.
func (deliver) Kind() string { return "send_message" }

// Tries are over some eleven hours: a mail server that is away for a night is waited for.
func (deliver) Tries() int { return 12 }

type deliverer struct {
	river.WorkerDefaults[deliver]
	app *app.App
}

// Work sends one.
func (d *deliverer) Work(ctx context.Context, job *river.Job[deliver]) error {
	return send(ctx, d.app, job.Args.Message, job.Attempt >= job.MaxAttempts)
}

// send sends a message, unless that was done, and keeps what became of it. On its last try
// it is given up, and stands on the page of what wasn't delivered.
func send(ctx context.Context, a *app.App, id uuid.UUID, last bool) error {
	m, told, err := store.GetMessage(ctx, a.DB, id)
	if store.NotFound(err) {
		return nil // erased with whom it was for
	}
	if err != nil || m.SentAt != nil {
		return err
	}
	now := a.Now()
	err = put(ctx, a, m, told)
	switch {
	case err == nil:
		return store.MessageTried(ctx, a.DB, id, &now, nil, "")
	case ctx.Err() != nil:
		return err // this node stops
	case last || app.GoesNowhere(err):
		return store.MessageTried(ctx, a.DB, id, nil, &now, err.Error())
	}
	return errors.Join(err, store.MessageTried(ctx, a.DB, id, nil, nil, err.Error()))
}

// put puts a message into its words and hands it over.
func put(ctx context.Context, a *app.App, m store.Message, told []store.Notice) error {
	tongues, err := tongue.All()
	if err != nil {
		return err
	}
	said, ok := tongues[m.Language]
	if !ok {
		said = tongues[tongue.Languages[0].Code]
	}
	place, err := a.Company(ctx)
	if err != nil {
		return err
	}
	lines := make([]string, len(told))
	for i, n := range told {
		if lines[i], err = Sentence(said, n); err != nil {
			return err
		}
	}
	if m.Way == string(notice.Text) {
		if m.Mobile == "" {
			return app.Never("there is no mobile number any more")
		}
		return a.Texts.Send(ctx, m.ID, m.Mobile, textOf(said, a.Address, place.Name, told, lines))
	}
	if m.Email == "" {
		return app.Never("there is no address any more")
	}
	subject, body := mailOf(said, a.Address, m.Name, place.Name, told, lines)
	return a.Post.SendAs(ctx, m.ID, m.Email, subject, body)
}

// Sentence says a notice in a language.
func Sentence(said *tongue.Tongue, n store.Notice) (string, error) {
	kind, known := notice.Of(n.Kind)
	if !known {
		return "", fmt.Errorf("a notice of kind %q", n.Kind)
	}
	words, err := n.Says()
	if err != nil {
		return "", err
	}
	return said.Say(kind.Says, words...), nil
}

// address is where a notice is opened, and seen by that.
func address(server string, n store.Notice) string { return server + "/notices/" + n.ID.String() }

// mailOf words a mail: what happened, each with where it stands.
func mailOf(said *tongue.Tongue, server, name, company string, told []store.Notice, lines []string) (subject, body string) {
	subject = lines[0]
	if len(lines) > 1 {
		subject = said.Say("%s things to know, from %s", len(lines), company)
	}
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n\n", said.Say("Hello %s,", name))
	for i, line := range lines {
		fmt.Fprintf(&b, "%s\n%s\n\n", line, address(server, told[i]))
	}
	fmt.Fprintf(&b, "%s\n%s/notices\n", said.Say("What comes by mail, and when, you choose on your page of notices:"), server)
	return cut(subject, 120), b.String()
}

// textLong is how long a text message is at most, in characters, but for its address.
const textLong = 240

// textOf words a text message: what happened, or how much did.
func textOf(said *tongue.Tongue, server, company string, told []store.Notice, lines []string) string {
	line, at := cut(lines[0], textLong), address(server, told[0])
	if len(lines) > 1 {
		line, at = line+" "+said.Say("And %s more.", len(lines)-1), server+"/notices"
	}
	return company + ": " + line + " " + at
}

// cut shortens a text to so many characters.
func cut(text string, most int) string {
	if r := []rune(text); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return text
}

// AddWorkers registers what works the jobs of this package.
func AddWorkers(workers *river.Workers, a *app.App) {
	river.AddWorker(workers, &gatherer{app: a})
	river.AddWorker(workers, &deliverer{app: a})
	river.AddWorker(workers, &teller{app: a})
}

// Periodic puts the work of this package into the queue that nothing else brings: what
// waited for the end of quiet hours or to be gathered, and what time alone brings to tell.
func Periodic() []*river.PeriodicJob {
	every := func(job river.JobArgs, d time.Duration) *river.PeriodicJob {
		return river.NewPeriodicJob(river.PeriodicInterval(d), func() (river.JobArgs, *river.InsertOpts) {
			return job, &river.InsertOpts{UniqueOpts: river.UniqueOpts{ByPeriod: d}}
		}, &river.PeriodicJobOpts{RunOnStart: true})
	}
	return []*river.PeriodicJob{every(app.GatherJob{}, time.Minute), every(tellJob{}, 15*time.Minute)}
}
