package notice_test

import (
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/notice"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/clock"
	core "manudex/core/notice"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/standin"
)

// outside is the world that takes messages: both stand-ins.
type outside struct {
	mail  *standin.Mail
	texts *standin.Texts
	down  atomic.Bool // both answer nothing
	dies  atomic.Bool // texts are taken, and the answer is lost
}

// world is the demo world with stand-ins that take messages.
func world(t *testing.T) (*dbtest.World, *outside) {
	t.Helper()
	w, o := dbtest.Open(t), &outside{mail: standin.NewMail(), texts: new(standin.Texts)}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	apptest.Must(t, err)
	served := make(chan error, 1)
	go func() { served <- o.mail.Serve(l) }()
	texts := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		if o.down.Load() {
			http.Error(rw, "away", http.StatusServiceUnavailable)
			return
		}
		if o.dies.Load() {
			o.texts.Handler().ServeHTTP(httptest.NewRecorder(), r)
			panic(http.ErrAbortHandler) // as when whoever sent it dies
		}
		o.texts.Handler().ServeHTTP(rw, r)
	}))
	t.Cleanup(func() {
		apptest.Must(t, o.mail.Close())
		<-served
		texts.Close()
	})
	w.Post, w.Texts, w.Address = app.Post{Server: l.Addr().String(), From: "hours@ebbwater.example"},
		app.Texts{Service: texts.URL}, "https://hours.example"
	for _, name := range []string{"Dao Pham", "Wren Halloran", "Mira Castellane"} {
		set(t, w, `update person set mobile = '+15555550' || number, email = lower(given_name) || '@ebbwater.example', quiet_from = 0,
			quiet_to = 0 where id = $1`, w.Person(t, name).ID)
	}
	return w, o
}

func set(t *testing.T, w *dbtest.World, query string, args ...any) {
	t.Helper()
	_, err := w.DB.ExecContext(t.Context(), query, args...)
	apptest.Must(t, err)
}

// told lists what somebody was told, the newest first, in English.
func told(t *testing.T, w *dbtest.World, who app.Actor) (said []string) {
	t.Helper()
	p, err := notice.ReadNotices(t.Context(), w.App, who)
	apptest.Must(t, err)
	for _, n := range p.Notices {
		kind, _ := core.Of(n.Kind)
		var words []any
		apptest.Must(t, json.Unmarshal(n.Words, &words))
		said = append(said, n.Kind+": "+fmt.Sprintf(kind.Says, words...))
	}
	return said
}

// deliver sends all that is to be sent by now, as the queue does.
func deliver(t *testing.T, w *dbtest.World) error {
	t.Helper()
	apptest.Must(t, notice.Gather(t.Context(), w.App))
	return notice.SendAll(t.Context(), w.App, false)
}

// sendBack has Mira send a card of Dao's back.
func sendBack(t *testing.T, w *dbtest.World, d when.Date, why string) {
	t.Helper()
	apptest.Must(t, w.Do(t.Context(), w.Person(t, "Mira Castellane"), hours.SendBack{Card: apptest.Ref(t, w, "Dao Pham", d), Why: why}))
}

// signed makes some of Dao's cards signed ones.
func signed(t *testing.T, w *dbtest.World, days ...when.Date) {
	t.Helper()
	for _, d := range days {
		set(t, w, `update card set state = 'signed', signed = true where employment_id = $1 and date = $2`,
			apptest.Ref(t, w, "Dao Pham", d).Employment, d.String())
	}
}

// Every notice arrives once by each way that was chosen, whatever is away meanwhile, and
// under the same id each time.
func TestEveryNoticeArrivesOnce(t *testing.T) {
	t.Parallel()
	w, o := world(t)
	dao := w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(t.Context(), dao, notice.ChooseWays{Kind: core.CardSentBack, Ways: "page, mail, text"}))
	o.down.Store(true)
	mail := w.Post
	w.Post.Server = "127.0.0.1:1"
	signed(t, w, apptest.Thursday)
	sendBack(t, w, apptest.Thursday, "The break lacks")
	for range 3 {
		if err := deliver(t, w); err == nil {
			t.Fatal("what can't be reached took a message")
		}
	}
	p, err := notice.ReadSent(t.Context(), w.App, w.Person(t, "Mira Castellane"))
	apptest.Must(t, err)
	if len(p.Undelivered) != 2 || p.Undelivered[0].Tries != 3 || !strings.Contains(p.Undelivered[0].Reason+p.Undelivered[1].Reason, "503") {
		t.Fatalf("not delivered: %+v", p.Undelivered)
	}
	w.Post = mail
	o.down.Store(false)
	o.dies.Store(true) // it takes the text, and nobody hears that it did
	if err := deliver(t, w); err == nil {
		t.Fatal("a lost answer was taken for one")
	}
	o.dies.Store(false)
	for range 2 {
		apptest.Must(t, deliver(t, w))
	}
	texts, letters := o.texts.Messages(), o.mail.Letters()
	if len(texts) != 1 || texts[0].Came < 2 || len(letters) != 1 || letters[0].Came != 1 {
		t.Fatalf("texts %+v, letters %+v", texts, letters)
	}
	id := dbtest.Get[uuid.UUID](t, w, `select id from notice where person_id = $1 and kind = $2`, dao.ID, core.CardSentBack)
	for _, text := range []string{texts[0].Text, letters[0].Body} {
		if !strings.Contains(text, "Mira Castellane sent your card of Thursday 12 November back: “The break lacks”") ||
			!strings.Contains(text, "https://hours.example/notices/"+id.String()) {
			t.Errorf("it says %q", text)
		}
	}
	if !strings.HasPrefix(letters[0].Subject, "Mira Castellane sent your card") {
		t.Errorf("subject %q", letters[0].Subject)
	}
}

// What nobody will ever take is given up with the reason, and sent again when asked, under
// its id.
func TestGivenUpAndSentAgain(t *testing.T) {
	t.Parallel()
	w, o := world(t)
	ctx := t.Context()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	set(t, w, `update person set mobile = '5550123' where id = $1`, dao.ID)
	signed(t, w, apptest.Thursday)
	sendBack(t, w, apptest.Thursday, "x")
	apptest.Must(t, deliver(t, w))
	apptest.Must(t, deliver(t, w)) // it isn't tried any more
	p, err := notice.ReadSent(ctx, w.App, mira)
	apptest.Must(t, err)
	if len(p.Undelivered) != 1 || p.Undelivered[0].FailedAt == nil || p.Undelivered[0].Tries != 1 ||
		!strings.Contains(p.Undelivered[0].Reason, "no number such as") {
		t.Fatalf("%+v", p.Undelivered)
	}
	set(t, w, `update person set mobile = '+15555550123' where id = $1`, dao.ID)
	apptest.Must(t, w.Do(ctx, mira, notice.SendAgain{Message: p.Undelivered[0].ID}))
	apptest.Must(t, deliver(t, w))
	if got := o.texts.Messages(); len(got) != 1 || got[0].ID != p.Undelivered[0].ID.String() {
		t.Errorf("%+v", got)
	}
	if err := w.Do(ctx, mira, notice.SendAgain{Message: p.Undelivered[0].ID}); err != app.ErrNotFound {
		t.Errorf("what was sent, again: %v", err)
	}
}

// A mail server that is away until the last try: it is given up, and stands there.
func TestTheLastTry(t *testing.T) {
	t.Parallel()
	w, o := world(t)
	o.down.Store(true)
	signed(t, w, apptest.Thursday)
	sendBack(t, w, apptest.Thursday, "x")
	apptest.Must(t, notice.Gather(t.Context(), w.App))
	apptest.Must(t, notice.SendAll(t.Context(), w.App, true))
	if n := dbtest.Get[int](t, w,
		`select count(*) from message where failed_at is not null and tries = 1 and reason like '%503%'`); n != 1 {
		t.Errorf("%d were given up", n)
	}
}

// Ten notices are one message, but for the first, which goes at once; quiet hours are kept,
// in the reader's zone.
func TestGathered(t *testing.T) {
	t.Parallel()
	w, o := world(t)
	dao := w.Person(t, "Dao Pham")
	days := []when.Date{apptest.Thursday, apptest.Thursday - 1, apptest.Thursday - 2, apptest.Thursday - 3}
	signed(t, w, days...)
	sendBack(t, w, days[0], "first")
	apptest.Must(t, deliver(t, w))
	for _, d := range days[1:] {
		w.Pass(time.Minute)
		sendBack(t, w, d, "more")
		apptest.Must(t, deliver(t, w))
	}
	if got := o.texts.Messages(); len(got) != 1 {
		t.Fatalf("within ten minutes of the first went %+v", got)
	}
	w.Pass(core.Gather)
	apptest.Must(t, deliver(t, w))
	got := o.texts.Messages()
	if len(got) != 2 || !strings.Contains(got[0].Text, "And 2 more.") || !strings.HasSuffix(got[0].Text, "https://hours.example/notices") {
		t.Fatalf("gathered: %+v", got)
	}
	set(t, w, `update person set quiet_from = 75600, quiet_to = 21600 where id = $1`, dao.ID)
	w.Set(time.Date(2026, 11, 14, 3, 0, 0, 0, time.UTC)) // 22:00 at the works
	apptest.Must(t, w.Do(t.Context(), w.Person(t, "Mira Castellane"), hours.Remind{ID: apptest.NewID(),
		Cards: []hours.CardRef{apptest.Ref(t, w, "Dao Pham", days[0])}}))
	apptest.Must(t, deliver(t, w))
	if got := o.texts.Messages(); len(got) != 2 {
		t.Fatalf("in quiet hours: %+v", got[0])
	}
	w.Set(time.Date(2026, 11, 14, 11, 0, 0, 0, time.UTC)) // 06:00
	apptest.Must(t, deliver(t, w))
	if got := o.texts.Messages(); len(got) != 3 {
		t.Errorf("as they end: %+v", got[0])
	}
}

// Each act tells those whom it concerns, and nobody of what they did themselves.
func TestWhomActsTell(t *testing.T) {
	t.Parallel()
	w, _ := world(t)
	ctx := t.Context()
	mira, dao, orla := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham"), w.Person(t, "Orla Ebbwater")
	ref := apptest.Ref(t, w, "Dao Pham", apptest.Thursday)
	link := dbtest.Get[uuid.UUID](t, w,
		`select id from stint where employment_id = $1 and date = $2 and kind = 'work' order by start_at desc
		limit 1`, ref.Employment, ref.Date.String())
	end := dbtest.Get[time.Time](t, w, `select end_at from stint where id = $1`, link)
	apptest.Must(t, w.Do(ctx, mira, hours.Amend{Batch: apptest.NewID(), Why: "the depot says so",
		Changes: []hours.Change{{ID: apptest.NewID(),
			Employment: ref.Employment, Does: clock.MoveEnd, Of: link, At: end.Add(-10 * time.Minute)}}}))
	if got := told(t, w, dao); len(got) != 1 ||
		got[0] != "card_changed: Mira Castellane changed your hours of Thursday 12 November: “the depot says so”" {
		t.Errorf("whose hours were changed: %v", got)
	}
	apptest.Must(t, w.Do(ctx, dao, hours.Object{ID: apptest.NewID(), Card: ref, Body: "I was there"}))
	if got := told(t, w, mira); !slices.Contains(got, "objected: Dao Pham objects to their card of Thursday 12 November: “I was there”") {
		t.Errorf("who changed them: %v", got)
	}
	objection := dbtest.Get[uuid.UUID](t, w, `select id from objection where employment_id = $1`, ref.Employment)
	apptest.Must(t, w.Do(ctx, orla, hours.AnswerObjection{Objection: objection, Body: "so they were"}))
	asked := hours.AskChange{ID: apptest.NewID(), Why: "forgot", Change: hours.Change{Employment: ref.Employment,
		Does: clock.MoveEnd, Of: link,
		At: end}}
	apptest.Must(t, w.Do(ctx, dao, asked))
	apptest.Must(t, w.Do(ctx, mira, hours.DeclineRequest{Request: asked.ID, Why: "no"}))
	apptest.Must(t, w.Do(ctx, dao, people.AskPIN{Point: dbtest.Get[uuid.UUID](t, w, `select id from clock_point limit 1`)}))
	got := told(t, w, dao)
	if len(got) != 3 ||
		!strings.HasPrefix(got[0], "answered: Mira Castellane answered what you asked for of Thursday 12 November: “no”") ||
		!strings.HasPrefix(got[1], "objection_answered: Orla Ebbwater") {
		t.Errorf("who asked: %v", got)
	}
	if got := told(t, w, mira); !strings.HasPrefix(got[0], "pin_help: Dao Pham, number ") {
		t.Errorf("who gives PINs: %v", got)
	}
	ask := company.PutAsk{ID: apptest.NewID(), Subject: "Pay", Named: orla.Number}
	apptest.Must(t, w.Do(ctx, mira, ask))
	q := notice.AskQuestion{ID: apptest.NewID(), Ask: ask.ID, Question: "When is payday?", Page: "/clock/days?on=2026-11-12"}
	for range 2 {
		apptest.Must(t, w.Do(ctx, dao, q)) // the answer to the first was lost
	}
	n := 0
	for _, line := range told(t, w, orla) {
		if line == "question: Dao Pham asks: “When is payday?”" {
			n++
		}
	}
	if n != 1 {
		t.Errorf("whom one asks was told %d times", n)
	}
	var leads string
	apptest.Must(t, w.Do(ctx, orla, notice.SeeNotice{Leads: func(to string) { leads = to },
		Notice: dbtest.Get[uuid.UUID](t, w, `select id from notice where kind = 'question'`)}))
	if leads != q.Page {
		t.Errorf("the question leads to %q", leads)
	}
	if err := w.Do(ctx, dao, notice.SeeNotice{Notice: dbtest.Get[uuid.UUID](t, w, `select id from notice where kind = 'question'`)}); err !=
		app.ErrNotFound {
		t.Errorf("somebody else's notice: %v", err)
	}
}

// Whoever did without a kind isn't told of it, nor whoever chose their page alone by mail.
func TestChosenWays(t *testing.T) {
	t.Parallel()
	w, o := world(t)
	ctx := t.Context()
	dao := w.Person(t, "Dao Pham")
	signed(t, w, apptest.Thursday, apptest.Thursday-1)
	apptest.Must(t, w.Do(ctx, dao, notice.ChooseWays{Kind: core.CardSentBack, Ways: "page"}))
	sendBack(t, w, apptest.Thursday, "x")
	apptest.Must(t, deliver(t, w))
	if len(told(t, w, dao)) != 1 || len(o.texts.Messages())+len(o.mail.Letters()) != 0 {
		t.Errorf("on the page alone: %v, texts %v", told(t, w, dao), o.texts.Messages())
	}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), company.SetCompany{Field: "notices_off", Value: "yes"}))
	apptest.Must(t, w.Do(ctx, dao, notice.ChooseWays{Kind: core.CardSentBack}))
	sendBack(t, w, apptest.Thursday-1, "x")
	if got := told(t, w, dao); len(got) != 1 {
		t.Errorf("done without: %v", got)
	}
}

// What time brings is told once, however often it is looked for, and to whom it concerns.
func TestWhatTimeBrings(t *testing.T) {
	t.Parallel()
	w, _ := world(t)
	ctx := t.Context()
	mira, orla, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Orla Ebbwater"), w.Person(t, "Dao Pham")
	wren, abena := w.Person(t, "Wren Halloran"), w.Person(t, "Abena Farouk")
	set(t, w, `update card set state = 'open', signed = false where employment_id = $1 and date = '2026-11-10'`, abena.Employment)
	set(t, w, `insert into person_tag (person_id, tag, expires_on) values ($1, 'Crane', '2026-11-20'), ($1, 'Rope', '2027-01-20')`,
		abena.ID)
	for range 2 {
		apptest.Must(t, notice.TellByTime(ctx, w.App))
	}
	w.Pass(time.Hour)
	apptest.Must(t, notice.TellByTime(ctx, w.App))
	has := func(who app.Actor, want string) {
		t.Helper()
		n := 0
		all := told(t, w, who)
		for _, line := range all {
			if strings.HasPrefix(line, want) {
				n++
			}
		}
		if n != 1 {
			t.Errorf("%s was told %d times that %q: %v", who.Name(), n, want, all)
		}
	}
	has(abena, "unsigned: Your card of Tuesday 10 November isn't signed yet")
	has(abena, "tag_ends: The tag Crane of Abena Farouk ends on Friday 20 November")
	has(wren, "tag_ends: The tag Crane of Abena Farouk")
	has(wren, "crew_unsigned: Cards of Gantry crew B that nobody has signed: ")
	has(mira, "checking: Signed cards that wait")
	has(mira, "job_hours: Of the hours of 2238 Gantry inspection, Route 9, ")
	for _, line := range told(t, w, dao) {
		if !strings.HasPrefix(line, "unsigned:") {
			t.Errorf("a worker was told %q", line)
		}
	}
	for _, line := range told(t, w, abena) {
		if strings.Contains(line, "Rope") {
			t.Errorf("of a tag that holds for months: %q", line)
		}
	}
	// Groups of their own, of which one's period is over too: it is told of however the others stand.
	for _, g := range []string{"Early", "Late", "Never paid"} {
		apptest.Must(t, w.Do(ctx, mira, payroll.PutPeriodGroup{Title: g, Kind: "weekly", Anchor: "2026-11-08"}))
	}
	set(t, w, `insert into run (id, number, period_group, from_date, to_date, closed_at, closed_by, gross) overriding system value
		select gen_random_uuid(), (select max(number) from run) + row_number() over (), g.name, g.last - 6, g.last, now(), $1, 0
		from (values ('Early', date '2026-11-14'), ('Late', date '2026-11-28')) g(name, last)`, mira.ID)
	w.Set(time.Date(2026, 11, 22, 15, 0, 0, 0, time.UTC)) // the period is over
	for range 2 {
		apptest.Must(t, notice.TellByTime(ctx, w.App))
	}
	has(orla, "run_due: The pay period Sunday 8 November – Saturday 21 November can be closed")
	has(orla, "run_due: The pay period Sunday 15 November – Saturday 21 November (Early) can be closed")
	if slices.ContainsFunc(told(t, w, orla), func(l string) bool {
		return strings.Contains(l, "(Late)") || strings.Contains(l, "(Never")
	}) {
		t.Errorf("told of a period that isn't over, or that nobody closes: %v", told(t, w, orla))
	}
	if slices.ContainsFunc(told(t, w, wren), func(l string) bool { return strings.HasPrefix(l, "run_due") }) {
		t.Error("who closes no runs was told that one can be")
	}
}

// Two nodes that look at once tell once, and put each notice into one message.
func TestNodesAtOnceTellOnce(t *testing.T) {
	t.Parallel()
	w, o := world(t)
	signed(t, w, apptest.Thursday)
	sendBack(t, w, apptest.Thursday, "x")
	other := app.New(w.DB, w.At, w.Log)
	other.Post, other.Texts = w.Post, w.Texts
	errs := make(chan error, 8)
	for i := range 8 {
		node := w.App
		if i%2 == 1 {
			node = other
		}
		go func() {
			err := notice.TellByTime(t.Context(), node)
			if err == nil {
				err = notice.Gather(t.Context(), node)
			}
			errs <- err
		}()
	}
	for range 8 {
		apptest.Must(t, <-errs)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from message m where person_id = $1 and way = 'text'`, w.Person(t,
		"Dao Pham").ID); n != 1 {
		t.Errorf("%d messages of one notice", n)
	}
	apptest.Must(t, notice.SendAll(t.Context(), w.App, false))
	for _, m := range o.texts.Messages() {
		if m.Came != 1 {
			t.Errorf("%+v", m)
		}
	}
}

// Who is erased is named in nobody's notices any more.
func TestErasedNotices(t *testing.T) {
	t.Parallel()
	w, _ := world(t)
	ask := company.PutAsk{ID: apptest.NewID(), Subject: "Pay", Named: w.Person(t, "Orla Ebbwater").Number}
	apptest.Must(t, w.Do(t.Context(), w.Person(t, "Mira Castellane"), ask))
	apptest.Must(t, w.Do(t.Context(), w.Person(t, "Dao Pham"), notice.AskQuestion{ID: apptest.NewID(), Ask: ask.ID, Question: "x",
		Page: "/"}))
	signed(t, w, apptest.Thursday)
	sendBack(t, w, apptest.Thursday, "x")
	apptest.Must(t, deliver(t, w))
	set(t, w, `update person set ended_on = '2020-01-01' where id = $1`, w.Person(t, "Dao Pham").ID)
	apptest.Must(t, people.EraseDue(t.Context(), w.App))
	if n := dbtest.Get[int](t, w, `select count(*) from notice where words::text like '%Dao Pham%'`) +
		dbtest.Get[int](t, w, `select count(*) from notice join person p on p.id = person_id where p.erased_at is not null`) +
		dbtest.Get[int](t, w, `select count(*) from message join person p on p.id = person_id where p.erased_at is not null`); n != 0 {
		t.Errorf("%d rows are left", n)
	}
}
