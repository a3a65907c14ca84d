package demo

import (
	"context"
	"fmt"
	"log/slog"
	"maps"
	"runtime"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"
	"golang.org/x/sync/errgroup"

	"manudex/app/payroll"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// A world of many people has millions of rows. They are made twice, which is
// cheap: first the stints, whose constraint takes longest to prove, and while it
// is proved everything else. Indexes are made once, over all rows. The runs of
// all periods but the last few are not closed one after another: what they paid
// is worked out by the same rules in one go.

// many is from how many people on a world is loaded so.
const many = 200

// closedByAct is how many periods before the open one are closed by the act.
const closedByAct = 2

// historyTables are those of what happened, each with the columns it is loaded
// by.
var historyTables = map[string][]string{
	"shift":     {"id", "employment_id", "date", "start_at", "end_at", "job_id", "task_id", "less"},
	"leave_day": {"id", "employment_id", "date", "name", "pay_code", "seconds"},
	"punch":     store.PunchColumns,
	"note":      {"id", "employment_id", "date", "by_person", "made_at", "body"},
	"stint":     store.StintColumns,
	"card":      store.CardColumns,
	"card_act":  store.CardActColumns,
	"hours":     store.HoursColumns,
	"pay_line":  store.PayLineColumns,
}

// rowsOf gives what happened to somebody as rows, by table.
func (h *history) rowsOf(e *employee) map[string][][]any {
	rows := map[string][][]any{}
	for _, s := range h.shifts {
		rows["shift"] = append(rows["shift"], []any{s.ID, s.Employment, s.Date.String(), s.Start, s.End, s.Job, s.Task, s.Less})
	}
	for _, l := range h.leaves {
		rows["leave_day"] = append(rows["leave_day"], []any{l.id, e.who.ID, l.date.String(), l.name, l.code, l.seconds})
	}
	for _, p := range h.punches {
		rows["punch"] = append(rows["punch"], p.Values())
	}
	for _, n := range h.notes {
		rows["note"] = append(rows["note"], []any{n.ID, n.Employment, n.Date.String(), n.By, n.MadeAt, n.Body})
	}
	for _, s := range h.stints {
		rows["stint"] = append(rows["stint"], s.Values())
	}
	for _, c := range h.cards {
		rows["card"] = append(rows["card"], c.Values())
	}
	for _, a := range h.acts {
		rows["card_act"] = append(rows["card_act"], a.Values())
	}
	return rows
}

// loadMany loads the history of a large world.
func (w *World) loadMany(ctx context.Context, db *store.DB, log *slog.Logger) error {
	stints, rest := &loader{w: w}, &loader{w: w}
	for _, l := range []*loader{stints, rest} {
		var err error
		if l.bulk, err = db.Bulk(ctx); err != nil {
			return err
		}
		defer l.bulk.Close()
	}
	tables := slices.Sorted(maps.Keys(historyTables))
	again, err := rest.bulk.WithoutIndexes(ctx, tables)
	if err != nil {
		return err
	}
	if err := w.makePast(ctx, db); err != nil {
		return err
	}
	began := time.Now()
	told := func(what string) {
		log.Info("large world", "done", what, "after", time.Since(began).Round(time.Second))
	}
	if err := stints.load(ctx, func(table string) bool { return table == "stint" }); err != nil {
		return err
	}
	told("stints")
	var work errgroup.Group
	work.Go(func() error {
		defer told("their indexes")
		return stints.make(ctx, again["stint"])
	})
	work.Go(func() error {
		if err := rest.load(ctx, func(table string) bool { return table != "stint" }); err != nil {
			return err
		}
		told("everything else")
		if err := w.past.load(ctx, rest.bulk, w); err != nil {
			return err
		}
		told("past runs")
		for _, table := range tables {
			if table != "stint" {
				if err := rest.make(ctx, again[table]); err != nil {
					return err
				}
			}
		}
		told("other indexes")
		return nil
	})
	return work.Wait()
}

// loader loads by a connection of its own.
type loader struct {
	w    *World
	bulk *store.Bulk
}

// load makes everybody's history, several people's at once, and loads what of it
// belongs into the tables wanted.
func (l *loader) load(ctx context.Context, want func(table string) bool) error {
	made := make(chan map[string][][]any, 2)
	var work errgroup.Group
	work.SetLimit(runtime.GOMAXPROCS(0) + 1) // and one that waits for them
	work.Go(func() error {
		var makers errgroup.Group
		makers.SetLimit(runtime.GOMAXPROCS(0))
		for some := range slices.Chunk(l.w.people, piece) {
			makers.Go(func() error {
				rows := map[string][][]any{}
				for _, e := range some {
					if err := l.w.rowsOf(e, want, rows); err != nil {
						return err
					}
				}
				made <- rows
				return nil
			})
		}
		defer close(made)
		return makers.Wait()
	})
	var failed error
	for rows := range made {
		for table, of := range rows {
			if failed == nil {
				failed = l.bulk.Copy(ctx, table, historyTables[table], of)
			}
		}
	}
	if err := work.Wait(); err != nil {
		return err
	}
	return failed
}

// rowsOf adds the rows of an employee's history to those of tables wanted.
func (w *World) rowsOf(e *employee, want func(table string) bool, rows map[string][][]any) error {
	h := w.happened(e)
	for table, of := range h.rowsOf(e) {
		if want(table) {
			rows[table] = append(rows[table], of...)
		}
	}
	if want("hours") {
		rows["hours"] = append(rows["hours"], h.hours()...)
		return w.past.pay(e, h)
	}
	return nil
}

// make makes indexes and constraints.
func (l *loader) make(ctx context.Context, statements []string) error {
	for _, s := range statements {
		if err := l.bulk.Exec(ctx, s); err != nil {
			return err
		}
	}
	return nil
}

// hours adds a history's stints up.
func (h *history) hours() [][]any {
	points := map[uuid.UUID]string{}
	for _, p := range h.punches {
		points[p.ID] = string(p.Point)
	}
	type key struct {
		date           when.Date
		job, task, cls uuid.UUID
		kind, point    string
		hand           bool
	}
	sums := map[key]int64{}
	var keys []key
	for _, s := range h.stints {
		if s.Open() {
			continue
		}
		k := key{s.Date, s.On.Job, s.On.Task, s.On.Class, string(s.Kind), points[s.ID],
			s.StartBy == clock.ByHand || s.EndBy == clock.ByHand}
		if k.point == "" {
			k.point = "hand"
		}
		if _, had := sums[k]; !had {
			keys = append(keys, k)
		}
		sums[k] += int64(s.End.Sub(s.Start) / time.Second)
	}
	rows := make([][]any, len(keys))
	maybe := func(id uuid.UUID) *uuid.UUID {
		if id == uuid.Nil {
			return nil
		}
		return &id
	}
	for i, k := range keys {
		rows[i] = store.Hours{Employment: h.stints[0].Employment, Date: k.date, Job: maybe(k.job), Task: maybe(k.task), Class: maybe(k.cls),
			Kind: k.kind, Point: k.point, ByHand: k.hand, Seconds: sums[k]}.Values()
	}
	return rows
}

// past is the periods whose runs are made, and what they paid.
type past struct {
	*payroll.Past
	runs []store.Run

	mu    sync.Mutex
	lines [][]store.PayLine // by run
}

// makePast makes the runs of the periods long over, each closed as the others
// are.
func (w *World) makePast(ctx context.Context, db *store.DB) error {
	w.past = &past{}
	var periods []when.Period
	length := w.open.Days()
	for p := w.open; p.From > w.from; {
		p = when.Period{From: p.From - when.Date(length), To: p.From - 1}
		periods = append(periods, p)
	}
	periods = periods[min(closedByAct, len(periods)):]
	slices.Reverse(periods)
	if len(periods) == 0 {
		return nil
	}
	place := *w.Place
	var err error
	if place.Rules, err = store.RuleSets(ctx, db, place.Company); err != nil {
		return err
	}
	if w.past.Past, err = payroll.ReadPast(ctx, db, &place, periods); err != nil {
		return err
	}
	for n, p := range periods {
		at := (p.To + 2).At(10*time.Hour, w.Place.Loc)
		w.past.runs = append(w.past.runs,
			store.Run{ID: w.rng(fmt.Sprint("run", n)).id(at), From: p.From, To: p.To, ClosedAt: at, ClosedBy: w.office[3].id})
	}
	w.past.lines = make([][]store.PayLine, len(periods))
	return nil
}

// closed is how many runs were made.
func (p *past) closed() int {
	if p == nil {
		return 0
	}
	return len(p.runs)
}

// runOf gives the run that paid the cards of a date, nil where none did yet.
func (p *past) runOf(d when.Date) *store.Run {
	if p.closed() == 0 || d > p.runs[len(p.runs)-1].To {
		return nil
	}
	return &p.runs[slices.IndexFunc(p.runs, func(r store.Run) bool { return d <= r.To })]
}

// pay works out what the past runs paid somebody.
func (p *past) pay(e *employee, h *history) error {
	if len(p.runs) == 0 {
		return nil
	}
	text := func(id uuid.UUID) string {
		if id == uuid.Nil {
			return ""
		}
		return id.String()
	}
	var stints []store.PayStint
	for _, s := range h.stints {
		if p.runOf(s.Date) != nil && !s.Open() {
			stints = append(stints, store.PayStint{Employment: e.who.ID, Date: s.Date, Kind: s.Kind, Job: text(s.On.Job),
				Task:  text(s.On.Task),
				Class: text(s.On.Class), Start: s.Start, End: s.End})
		}
	}
	var leaves []store.PayLeave
	for _, l := range h.leaves {
		if p.runOf(l.date) != nil {
			leaves = append(leaves, store.PayLeave{Employment: e.who.ID, Date: l.date, Seconds: int64(l.seconds), PayCode: l.code})
		}
	}
	lines, err := p.Lines(e.who.ID, stints, leaves)
	if err != nil {
		return err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	for i, of := range lines {
		p.lines[i] = append(p.lines[i], of...)
	}
	return nil
}

// load writes the runs and their lines.
func (p *past) load(ctx context.Context, bulk *store.Bulk, w *World) error {
	decimals := w.Place.CurrencyDecimals
	var runs [][]any
	for i := range p.runs {
		r := &p.runs[i]
		slices.SortStableFunc(p.lines[i], func(a, b store.PayLine) int { return slices.Compare(a.Employment[:], b.Employment[:]) })
		var gross pay.Amount
		rows := make([][]any, len(p.lines[i]))
		for j, l := range p.lines[i] {
			l.Run, l.Position = r.ID, j+1
			if l.Kind != pay.FringePlan {
				gross += l.Amount
			}
			rows[j] = l.Values(decimals)
		}
		runs = append(runs, []any{r.ID, r.From.String(), r.To.String(), r.ClosedAt, r.ClosedBy,
			decimal.New(int64(gross), int32(-decimals))})
		if err := bulk.Copy(ctx, "pay_line", store.PayLineColumns, rows); err != nil {
			return err
		}
		p.lines[i] = nil
	}
	return bulk.Copy(ctx, "run", []string{"id", "from_date", "to_date", "closed_at", "closed_by", "gross"}, runs)
}

// paid marks a card as paid by the run of its day, where that is past.
func (h *history) paid(w *World, e *employee, c *store.Card, r rng) {
	run := w.past.runOf(c.Date)
	if run == nil {
		return
	}
	h.move(w, e, c, card.Pay, run.ClosedBy, run.ClosedAt, r)
	h.acts[len(h.acts)-1].Run, h.acts[len(h.acts)-1].Batch = &run.ID, run.ID
}
