package hours

import (
	"context"
	"fmt"
	"regexp"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Finding picks cards by what is typed: terms apart by commas, all of which must
// hold. A term about a time reads as one says it, "in after 07:15", "meal begun
// after 13:00", "worked over 10:00", "between 12:00 and 13:00", "no meal"; any
// other must occur in the name, the crew, its lead, the site, the job, the state,
// a flag or the clock point.
type Finding struct {
	terms []func(*DayRow) bool
	text  []string // the terms that name something
}

var (
	edgeTerm = regexp.MustCompile(`^(in|out|meal|rest)(?: begun| started)? (after|before) (\d{1,2}:\d\d)$`)
	sumTerm  = regexp.MustCompile(`^(worked|break) (over|under|more than|less than) (\d{1,2}:\d\d)$`)
	spanTerm = regexp.MustCompile(`^(?:at work )?between (\d{1,2}:\d\d) and (\d{1,2}:\d\d)$`)
	noTerm   = regexp.MustCompile(`^no (meal|rest|shift)$`)
)

// ParseFinding reads what is typed.
func ParseFinding(text string) (Finding, error) {
	var f Finding
	for term := range strings.SplitSeq(text, ",") {
		term = strings.ToLower(strings.Join(strings.Fields(term), " "))
		if term == "" {
			continue
		}
		holds, err := termOf(term)
		if err != nil {
			return f, err
		}
		if holds == nil {
			f.text = append(f.text, term)
			continue
		}
		f.terms = append(f.terms, holds)
	}
	return f, nil
}

// Empty says whether it picks every card.
func (f Finding) Empty() bool { return len(f.terms)+len(f.text) == 0 }

// Holds says whether a card is picked; words are what else is known of it, in
// small letters.
func (f Finding) Holds(r *DayRow, words string) bool {
	for _, holds := range f.terms {
		if !holds(r) {
			return false
		}
	}
	for _, t := range f.text {
		if !strings.Contains(words, t) {
			return false
		}
	}
	return true
}

// termOf reads a term about times, nil for one that names something.
func termOf(term string) (func(*DayRow) bool, error) {
	if m := noTerm.FindStringSubmatch(term); m != nil {
		if m[1] == "shift" {
			return func(r *DayRow) bool { return r.ShiftFrom.IsZero() }, nil
		}
		return func(r *DayRow) bool { return !anyOf(r, clock.Kind(m[1]), func(time.Time) bool { return true }) }, nil
	}
	if m := edgeTerm.FindStringSubmatch(term); m != nil {
		of, err := timeOf(m[3])
		return edge(m[1], m[2] == "after", of), err
	}
	if m := sumTerm.FindStringSubmatch(term); m != nil {
		var h, min int64
		if _, err := fmt.Sscanf(m[3], "%d:%d", &h, &min); err != nil {
			return nil, refusal.New("q", "The length can't be “"+m[3]+"”", "Write it as 10:00")
		}
		return sum(m[1], m[2] == "over" || m[2] == "more than", h*3600+min*60), nil
	}
	if m := spanTerm.FindStringSubmatch(term); m != nil {
		from, err := timeOf(m[1])
		if err != nil {
			return nil, err
		}
		to, err := timeOf(m[2])
		return atWork(from, to), err
	}
	return nil, nil
}

func timeOf(text string) (time.Duration, error) {
	if len(text) == 4 {
		text = "0" + text
	}
	of, err := when.ParseTimeOfDay(text)
	if err != nil {
		return 0, refusal.New("q", "The time can't be “"+text+"”", "Write it as 07:15")
	}
	return of, nil
}

// edge picks by when somebody came, left, or began a break.
func edge(of string, after bool, at time.Duration) func(*DayRow) bool {
	return func(r *DayRow) bool {
		compare := func(t time.Time) bool {
			limit := r.Date.At(at, r.Loc)
			return !t.IsZero() && (after && t.After(limit) || !after && t.Before(limit))
		}
		switch of {
		case "in":
			return compare(r.First)
		case "out":
			return !r.Running() && compare(r.Last)
		}
		return anyOf(r, clock.Kind(of), compare)
	}
}

func anyOf(r *DayRow, kind clock.Kind, holds func(begun time.Time) bool) bool {
	for _, s := range r.Stints {
		if s.Kind == kind && holds(s.Start) {
			return true
		}
	}
	return false
}

// sum picks by how much was worked, or taken as a break.
func sum(of string, over bool, than int64) func(*DayRow) bool {
	return func(r *DayRow) bool {
		n := r.Worked
		if of == "break" {
			n = r.Break
		}
		return over && n > than || !over && n < than
	}
}

// atWork picks who worked at some time of a span.
func atWork(from, to time.Duration) func(*DayRow) bool {
	return func(r *DayRow) bool {
		a, b := r.Date.At(from, r.Loc), r.Date.At(to, r.Loc)
		if !b.After(a) {
			b = (r.Date + 1).At(to, r.Loc)
		}
		for _, s := range r.Stints {
			if s.Kind == clock.Work && s.Start.Before(b) && (s.Open() || s.End.After(a)) {
				return true
			}
		}
		return false
	}
}

// known is what is known of a card, in words, small letters: what a term that
// names something must occur in.
func (r *DayRow) known(points string) string {
	var b strings.Builder
	for _, s := range []string{r.Name(), r.UnitName, r.Leads, r.SiteName, string(r.State), stateWords[r.Class], points} {
		b.WriteString(s)
		b.WriteByte('\n')
	}
	for _, s := range r.Stints {
		b.WriteString(s.JobNumber + " " + s.JobName + " " + s.TaskName + "\n")
	}
	for _, f := range r.Flags {
		b.WriteString(f.Words(r.Loc) + "\n")
	}
	return strings.ToLower(b.String())
}

var stateWords = map[card.Class]string{card.Flagged: "flagged", card.Running: "running", card.NotSigned: "not signed", card.Clear: "clear",
	card.Done: "done", card.ToCome: "to come"}

// pointWords are what the clock points are called where one looks for them.
var pointWords = strings.NewReplacer("phone", "own phone", "queue", "phone, sent later", "hand", "hand entry")

// find keeps the rows that a finding picks. Their stints are read where that
// needs them.
func find(ctx context.Context, a *app.App, f Finding, days when.Period, rows []DayRow) ([]DayRow, error) {
	if f.Empty() {
		return rows, nil
	}
	if err := fill(ctx, a, rows); err != nil {
		return nil, err
	}
	var points map[store.EmploymentDate]string
	var err error
	if len(f.text) > 0 {
		if points, err = store.PointsOn(ctx, a.DB, days); err != nil {
			return nil, err
		}
	}
	return pickRows(rows, func(r *DayRow) bool {
		words := ""
		if len(f.text) > 0 {
			words = r.known(pointWords.Replace(points[store.EmploymentDate{Employment: r.Employment, Date: r.Date}]))
		}
		return f.Holds(r, words)
	}), nil
}

// KeepFinding keeps what somebody looks for often, under a name: for themselves,
// or for everybody who sees timecards.
type KeepFinding struct {
	ID          uuid.UUID
	Title, Text string // Text is the query of the address
	Shared      bool
}

// DropFinding takes one's own out.
type DropFinding struct{ ID uuid.UUID }

// Looked notes that somebody has looked at what changed.
type Looked struct{}

// Permission is what the act takes.
func (KeepFinding) Permission() string { return "timecards.find" }

// Permission is what the act takes.
func (DropFinding) Permission() string { return "timecards.find" }

// Permission is what the act takes.
func (Looked) Permission() string { return "timecards.find" }

func (k KeepFinding) Do(ctx context.Context, t *app.Turn) error {
	name := strings.TrimSpace(k.Title)
	switch {
	case name == "" || utf8.RuneCountInString(name) > 60:
		return refusal.New("name", "It has no name", "Write one of at most 60 characters")
	case len(k.Text) > 1000:
		return refusal.New("query", "That is too much to keep", "Look for less at once")
	}
	return store.PutFinding(ctx, t, store.Finding{ID: k.ID, Person: t.Actor.ID, Name: name, Query: k.Text, Shared: k.Shared, MadeAt: t.Now})
}

func (d DropFinding) Do(ctx context.Context, t *app.Turn) error {
	found, err := store.DropFinding(ctx, t, d.ID, t.Actor.ID)
	if err == nil && !found {
		return app.ErrNotFound
	}
	return err
}

func (Looked) Do(ctx context.Context, t *app.Turn) error {
	return store.PutLooked(ctx, t, t.Actor.ID, t.Now)
}
