package web

import (
	"net/url"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/web/draw"
	"manudex/web/words"
)

// list is what a page shows, row by row, worked out for nobody in particular.
type list interface {
	len() int
	at(i int) hours.DayRow
	row(i int, actor app.Actor) (string, error) // as the actor sees it
	head(actor app.Actor) (string, error)
	group(i int) *todayGroup // that begins with a row, nil for none
	groupRow(g *todayGroup) (string, error)
}

type boardList struct {
	s     *Server
	board *hours.Board
	axis  draw.Axis
}

func (l *boardList) len() int              { return len(l.board.Rows) }
func (l *boardList) at(i int) hours.DayRow { return l.board.Rows[i].DayRow }

func (l *boardList) row(i int, _ app.Actor) (string, error) {
	return l.s.pages.part("today", "todayrow", todayRowOf(l.board.Rows[i], l.board.Day, l.board.Now, l.axis))
}

func (l *boardList) head(app.Actor) (string, error) {
	return l.s.pages.part("today", "todayhead", todayView{Day: words.DayFrom(l.board.Day, l.board.Today), Sentence: todaySentence(l.board)})
}

func (l *boardList) group(i int) *todayGroup {
	if i > 0 && l.board.Rows[i-1].Presence == l.board.Rows[i].Presence {
		return nil
	}
	return groupOf(l.board, l.board.Rows[i].Presence)
}

func (l *boardList) groupRow(g *todayGroup) (string, error) {
	return l.s.pages.part("today", "todaygroup", g)
}

type deskList struct {
	s     *Server
	desk  *hours.Desk
	url   *url.URL
	place *app.Company
	frame *app.Frame
}

func (l *deskList) len() int              { return len(l.desk.Rows) }
func (l *deskList) at(i int) hours.DayRow { return l.desk.Rows[i] }

func (l *deskList) row(i int, actor app.Actor) (string, error) {
	return l.s.pages.part("timecards", "cardrow", timecardRowOf(actor, l.url.RequestURI(), l.desk.Rows[i].As(actor), l.desk))
}

func (l *deskList) head(actor app.Actor) (string, error) {
	v := timecardsHead(l.url, l.desk.As(actor, l.place))
	v.frameView.Frame, v.BatchID = l.frame, uuid.Nil.String()
	return l.s.pages.part("timecards", "deskhead", v)
}

func (l *deskList) group(int) *todayGroup                { return nil }
func (l *deskList) groupRow(*todayGroup) (string, error) { return "", nil }

// shown is a list as it is now beside how it was last sent.
type shown struct {
	s      *Server
	view   *view
	watch  *hours.Watch
	list   list
	place  *app.Company
	at     *url.URL
	nobody app.Actor
	begins bool // nothing was sent before
	passed bool // a minute: what runs has grown
	what   app.Changed

	marks   map[hours.CardRef]hours.Mark
	starts  map[int]*todayGroup // by the row that they begin with
	groups  map[string]bool     // their ids
	changed []int               // rows
	gone    []string            // ids
	common  map[int]string      // rows as everybody sees them but those whose own they are
	head    string              // so too
	parts   map[string]string   // around the list
}

func rowID(r hours.DayRow) string { return "card-" + r.Employment.String() + "-" + r.Date.String() }

// look finds what is not as it was last sent.
func (sh *shown) look() error {
	n := sh.list.len()
	sh.marks, sh.starts, sh.common = make(map[hours.CardRef]hours.Mark, n), map[int]*todayGroup{}, map[int]string{}
	groups := map[string]bool{}
	for i := range n {
		r := sh.list.at(i)
		ref, mark := hours.CardRef{Employment: r.Employment, Date: r.Date}, sh.watch.Mark(r)
		sh.marks[ref] = mark
		if g := sh.list.group(i); g != nil {
			sh.starts[i], groups[g.ID] = g, true
		}
		if before, had := sh.view.marks[ref]; sh.begins {
			continue
		} else if !had || before != mark || sh.passed && r.Running() || has(sh.what, r.Person) {
			sh.changed = append(sh.changed, i)
		}
	}
	for ref := range sh.view.marks {
		if _, still := sh.marks[ref]; !still {
			sh.gone = append(sh.gone, "card-"+ref.Employment.String()+"-"+ref.Date.String())
		}
	}
	for _, w := range words.Presences {
		if id := groupID(w.Of); !groups[id] && sh.view.groups[id] {
			sh.gone = append(sh.gone, id)
		}
	}
	sh.groups = groups
	var err error
	sh.head, err = sh.list.head(sh.nobody)
	return err
}

func has(what app.Changed, person uuid.UUID) bool {
	_, is := what.Persons[person]
	return is
}

// keep notes what was sent.
func (sh *shown) keep() { sh.view.marks, sh.view.groups = sh.marks, sh.groups }

// frame renders the rail and the count, where they are not as last sent.
func (sh *shown) frame() error {
	v := frameView{Actor: sh.nobody, Frame: sh.view.frame}
	v.rail(sh.at)
	rail, err := sh.s.pages.part("today", "rail", v)
	if err != nil {
		return err
	}
	running, err := sh.s.pages.part("today", "running", v.Frame)
	if err != nil {
		return err
	}
	if now := rail + running; now != sh.view.rail {
		sh.view.rail = now
		sh.parts = map[string]string{"railbox": rail, "running": running}
	}
	return nil
}

// patch is what a stream is to send: what changed, and to a page that was just
// read, what did since.
func (sh *shown) patch(actor app.Actor, l *followed, now time.Time) (patch, error) {
	p := patch{List: l.name, Gone: sh.gone, Parts: map[string]string{}}
	for id, part := range sh.parts {
		p.Parts[id] = part
	}
	if sh.passed {
		p.Now = now.Unix()
	}
	changed := sh.changed
	if !l.since.IsZero() {
		if changed, p.Whole = sh.since(l.since, now); !p.Whole {
			p.Gone = sh.goneSince(l.since, now)
		}
		l.since = time.Time{}
		sh.view.stale, sh.view.rail = true, "" // the rail of the page may be of before, too
	}
	head, err := sh.headFor(actor)
	if err != nil {
		return p, err
	}
	moved := head != l.head || len(p.Gone) > 0 || len(changed) > 0
	if head != l.head {
		p.Parts["listhead"] = strings.ReplaceAll(head, uuid.Nil.String(), newID().String()) // a batch of their own
	}
	l.head = head
	if moved || p.Whole {
		p.Rows, err = sh.rows(actor, changed)
	}
	return p, err
}

// since finds the rows that are not as they were when a page was read: all of
// them, where this node can't know.
func (sh *shown) since(read, now time.Time) (changed []int, whole bool) {
	missed, ago := sh.s.app.Live.Since(read), time.Since(read)
	whole = missed.All || ago > readLong
	for i := range sh.list.len() {
		r := sh.list.at(i)
		if whole || has(missed, r.Person) || sh.watch.MarkAt(r, now.Add(-ago)) != sh.watch.Mark(r) {
			changed = append(changed, i)
		}
	}
	return changed, whole
}

// goneSince finds the rows that such a page may still show, and are no more
// among those it asks for.
func (sh *shown) goneSince(read, now time.Time) (gone []string) {
	d, ok := sh.list.(*deskList)
	if !ok || d.desk.Query.Show == "" {
		return nil
	}
	missed, then := sh.s.app.Live.Since(read), now.Add(-time.Since(read))
	for _, r := range d.desk.LeftOut() {
		if has(missed, r.Person) || sh.watch.MarkAt(r, then) != sh.watch.Mark(r) {
			gone = append(gone, rowID(r))
		}
	}
	return gone
}

// rows renders rows as an actor sees them, and the lines above groups of them.
func (sh *shown) rows(actor app.Actor, changed []int) ([]patchRow, error) {
	var rows []patchRow
	for i, at := 0, 0; i < sh.list.len(); i++ {
		if g := sh.starts[i]; g != nil {
			html, err := sh.list.groupRow(g)
			if err != nil {
				return nil, err
			}
			rows = append(rows, patchRow{g.ID, rowID(sh.list.at(i)), html})
		}
		if at == len(changed) || changed[at] != i {
			continue
		}
		at++
		html, err := sh.row(i, actor)
		if err != nil {
			return nil, err
		}
		rows = append(rows, patchRow{rowID(sh.list.at(i)), sh.below(i), html})
	}
	return rows, nil
}

// row renders a row once for all but whose own it is.
func (sh *shown) row(i int, actor app.Actor) (string, error) {
	if sh.list.at(i).Person == actor.ID {
		return sh.list.row(i, actor)
	}
	if html, ok := sh.common[i]; ok {
		return html, nil
	}
	html, err := sh.list.row(i, sh.nobody)
	sh.common[i] = html
	return html, err
}

// below is the id of what stands below a row.
func (sh *shown) below(i int) string {
	switch {
	case i+1 == sh.list.len():
		return ""
	case sh.starts[i+1] != nil:
		return sh.starts[i+1].ID
	}
	return rowID(sh.list.at(i + 1))
}

// headFor is what stands above the rows for an actor.
func (sh *shown) headFor(actor app.Actor) (string, error) {
	if d, ok := sh.list.(*deskList); ok && d.desk.As(actor, sh.place) != d.desk {
		return sh.list.head(actor)
	}
	return sh.head, nil
}
