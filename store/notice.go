package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx/types"
)

// Notice is something that somebody is told of.
type Notice struct {
	ID     uuid.UUID
	Person uuid.UUID `db:"person_id"`
	Kind   string
	Words  types.JSONText // an array of texts
	Link   string
	About  *time.Time `db:"about_at"`
	MadeAt time.Time  `db:"made_at"`
	SeenAt *time.Time `db:"seen_at"`
	Ways   string     `db:"-"` // by which it comes where its reader chose none
}

// Says gives the words that stand in its sentence.
func (n Notice) Says() (words []any, err error) {
	var texts []string
	if err := json.Unmarshal(n.Words, &texts); err != nil {
		return nil, fmt.Errorf("the words of a notice: %w", err)
	}
	for _, t := range texts {
		words = append(words, t)
	}
	return words, nil
}

// InsertNotices keeps what people are told of, by the ways that each chose among those that
// leave the house from here. What they were told before they aren't told again, nor what they
// chose to do without.
func InsertNotices(ctx context.Context, q Q, notices []Notice, out []string) error {
	columns := []string{"id", "person_id", "kind", "words", "link", "about_at", "made_at", "ways"}
	data, err := jsonRows(columns, len(notices), func(i int) []any {
		n := notices[i]
		return []any{n.ID, n.Person, n.Kind, n.Words, n.Link, n.About, n.MadeAt, n.Ways}
	})
	if err != nil {
		return fmt.Errorf("write notices: %w", err)
	}
	_, err = q.ExecContext(ctx, `
		with told as (
			select n.*, coalesce(c.ways, n.ways) as chosen
			from jsonb_to_recordset($1) n(id uuid, person_id uuid, kind text, words jsonb, link text, about_at timestamptz,
			                              made_at timestamptz, ways text)
			join person p on p.id = n.person_id and (p.ended_on is null or p.ended_on >= n.made_at::date)
			left join notice_choice c on c.person_id = n.person_id and c.kind = n.kind
			where coalesce(c.ways, n.ways) <> ''
		), fresh as (
			insert into notice (id, person_id, kind, words, link, about_at, made_at)
			select id, person_id, kind, words, link, about_at, made_at from told on conflict (id) do nothing returning id
		)
		insert into notice_way (notice_id, way, person_id)
		select t.id, w.way, t.person_id
		from told t join fresh using (id) join person p on p.id = t.person_id
		cross join lateral (values ('mail', p.email is not null), ('text', p.mobile is not null)) w(way, reaches)
		where w.reaches and w.way = any($2::text[]) and w.way = any(string_to_array(t.chosen, ', '))`, data, out)
	if err != nil {
		return fmt.Errorf("write notices: %w", err)
	}
	return nil
}

// Notices reads those of somebody, the newest first.
func Notices(ctx context.Context, q Q, person uuid.UUID, limit int) ([]Notice, error) {
	var found []Notice
	err := q.SelectContext(ctx, &found, `select id, person_id, kind, words, link, about_at, made_at, seen_at from notice
		where person_id = $1 order by made_at desc, id desc limit $2`, person, limit)
	if err != nil {
		err = fmt.Errorf("read notices: %w", err)
	}
	return found, err
}

// SeeNotice notes that somebody has seen a notice of theirs, and gives where it leads.
func SeeNotice(ctx context.Context, q Q, person, id uuid.UUID, now time.Time) (link string, err error) {
	err = q.GetContext(ctx, &link, `update notice set seen_at = coalesce(seen_at, $3) where id = $2 and person_id = $1 returning link`,
		person, id, now)
	return link, err
}

// SeeNotices notes that somebody has seen all that they were told up to an instant.
func SeeNotices(ctx context.Context, q Q, person uuid.UUID, until, now time.Time) error {
	_, err := q.ExecContext(ctx, `update notice set seen_at = $3 where person_id = $1 and seen_at is null and made_at <= $2`,
		person, until, now)
	return err
}

// NoticeChoices gives by which ways somebody wants notices, by kind; kinds of which they
// chose nothing are missing.
func NoticeChoices(ctx context.Context, q Q, person uuid.UUID) (map[string]string, error) {
	var rows []struct{ Kind, Ways string }
	if err := q.SelectContext(ctx, &rows, `select kind, ways from notice_choice where person_id = $1`, person); err != nil {
		return nil, fmt.Errorf("read by which ways somebody is told: %w", err)
	}
	chosen := map[string]string{}
	for _, r := range rows {
		chosen[r.Kind] = r.Ways
	}
	return chosen, nil
}

// PutNoticeChoice keeps by which ways somebody wants notices of a kind.
func PutNoticeChoice(ctx context.Context, q Q, person uuid.UUID, kind, ways string) error {
	_, err := q.ExecContext(ctx, `insert into notice_choice (person_id, kind, ways) values ($1, $2, $3)
		on conflict (person_id, kind) do update set ways = excluded.ways`, person, kind, ways)
	return err
}

// Reachable is how somebody can be told, and when not.
type Reachable struct {
	Email, Mobile string
	QuietFrom     int `db:"quiet_from"`
	QuietTo       int `db:"quiet_to"`
}

// GetReachable reads that of somebody.
func GetReachable(ctx context.Context, q Q, person uuid.UUID) (r Reachable, err error) {
	err = q.GetContext(ctx, &r, `select coalesce(email, '') as email, coalesce(mobile, '') as mobile, quiet_from, quiet_to from person
		where id = $1`, person)
	return r, err
}

// PutQuiet keeps in which hours nothing is sent to somebody, in seconds of the local day.
func PutQuiet(ctx context.Context, q Q, person uuid.UUID, from, to int) error {
	_, err := q.ExecContext(ctx, `update person set quiet_from = $2, quiet_to = $3 where id = $1`, person, from, to)
	return err
}

// WaitingNotice is a notice that is to leave the house by a way.
type WaitingNotice struct {
	Notice    uuid.UUID `db:"notice_id"`
	Person    uuid.UUID `db:"person_id"`
	Way       string
	About     *time.Time `db:"about_at"`
	QuietFrom int        `db:"quiet_from"`
	QuietTo   int        `db:"quiet_to"`
	Zone      *string    // of where they work
	Last      *time.Time // when the last message went to them by this way
}

// WaitingNotices reads, and locks, what is to leave the house, of some people after one in
// the order of their ids; what another node has in hand is left out.
func WaitingNotices(ctx context.Context, q Q, after uuid.UUID, people int) ([]WaitingNotice, error) {
	var found []WaitingNotice
	err := q.SelectContext(ctx, &found, `
		select w.notice_id, w.person_id, w.way, n.about_at, p.quiet_from, p.quiet_to,
		       (select s.zone from employment e join site s on s.id = e.site_id where e.person_id = p.id
		        order by e.starts_on desc limit 1) as zone,
		       (select max(m.made_at) from message m where m.person_id = w.person_id and m.way = w.way) as last
		from notice_way w join notice n on n.id = w.notice_id join person p on p.id = w.person_id
		where w.message_id is null and w.person_id in (
			select distinct person_id from notice_way where message_id is null and person_id > $1 order by person_id limit $2)
		order by w.person_id, w.way, n.made_at, w.notice_id
		for update of w skip locked`, after, people)
	if err != nil {
		err = fmt.Errorf("read what is to be told: %w", err)
	}
	return found, err
}

// NewMessage is a message with the notices in it.
type NewMessage struct {
	ID, Person uuid.UUID
	Way        string
	Notices    []uuid.UUID
}

// InsertMessages makes messages, and puts the notices into them.
func InsertMessages(ctx context.Context, q Q, messages []NewMessage, now time.Time) error {
	if err := insertRows(ctx, q, "message", []string{"id", "person_id", "way", "made_at"}, "", len(messages), func(i int) []any {
		return []any{messages[i].ID, messages[i].Person, messages[i].Way, now}
	}); err != nil {
		return err
	}
	var rows [][]any
	for _, m := range messages {
		for _, n := range m.Notices {
			rows = append(rows, []any{n, m.Way, m.ID})
		}
	}
	return updateRows(ctx, q, "notice_way", 2, []string{"notice_id", "way", "message_id"}, len(rows), func(i int) []any { return rows[i] })
}

// Message is one that leaves the house, and what became of it.
type Message struct {
	ID       uuid.UUID
	Person   uuid.UUID `db:"person_id"`
	Name     string
	Unit     *uuid.UUID `db:"unit_id"` // of their position
	Way      string
	Email    string
	Mobile   string
	Language string
	MadeAt   time.Time `db:"made_at"`
	Tries    int
	SentAt   *time.Time `db:"sent_at"`
	FailedAt *time.Time `db:"failed_at"`
	Reason   string
	Kinds    string // of what is in it, apart by commas
}

const messages = `
	select m.id, m.person_id, p.given_name || ' ' || p.family_name as name, m.way, coalesce(p.email, '') as email,
	       coalesce(p.mobile, '') as mobile, p.language, m.made_at, m.tries, m.sent_at, m.failed_at, m.reason,
	       (select e.unit_id from employment e where e.person_id = p.id order by e.starts_on desc limit 1) as unit_id,
	       coalesce((select string_agg(distinct n.kind, ',') from notice_way w join notice n on n.id = w.notice_id
	        where w.message_id = m.id), '') as kinds
	from message m join person p on p.id = m.person_id`

// GetMessage reads a message with its notices, the oldest first.
func GetMessage(ctx context.Context, q Q, id uuid.UUID) (m Message, notices []Notice, err error) {
	if err = q.GetContext(ctx, &m, messages+` where m.id = $1`, id); err != nil {
		return m, nil, err
	}
	err = q.SelectContext(ctx, &notices, `
		select n.id, n.person_id, n.kind, n.words, n.link, n.about_at, n.made_at, n.seen_at
		from notice_way w join notice n on n.id = w.notice_id where w.message_id = $1 order by n.made_at, n.id`, id)
	return m, notices, err
}

// Undelivered reads what can't be delivered, or wasn't yet at the first try, the newest first.
func Undelivered(ctx context.Context, q Q, limit int) ([]Message, error) {
	var found []Message
	err := q.SelectContext(ctx, &found, messages+` where m.failed_at is not null or m.sent_at is null and m.tries > 0
		order by m.made_at desc, m.id limit $1`, limit)
	if err != nil {
		err = fmt.Errorf("read what wasn't delivered: %w", err)
	}
	return found, err
}

// CountMessages counts what was sent since an instant, and what waits.
func CountMessages(ctx context.Context, q Q, since time.Time) (sent, waiting int, err error) {
	var n struct{ Sent, Waiting int }
	err = q.GetContext(ctx, &n, `
		select (select count(*) from message where sent_at >= $1) as sent,
		       (select count(*) from message where sent_at is null and failed_at is null)
		       + (select count(distinct (person_id, way)) from notice_way where message_id is null) as waiting`, since)
	return n.Sent, n.Waiting, err
}

// MessageTried keeps what became of a try to send a message: sent, to be tried again, or
// given up; and why.
func MessageTried(ctx context.Context, q Q, id uuid.UUID, sent, failed *time.Time, reason string) error {
	_, err := q.ExecContext(ctx, `update message set tries = tries + 1, sent_at = $2, failed_at = $3, reason = $4 where id = $1`,
		id, sent, failed, reason)
	if err != nil {
		err = fmt.Errorf("keep what became of a message: %w", err)
	}
	return err
}

// RetryMessage has a message that was given up be tried again; false where it wasn't.
func RetryMessage(ctx context.Context, q Q, id uuid.UUID) (bool, error) {
	return did(q.ExecContext(ctx, `update message set failed_at = null where id = $1 and failed_at is not null and sent_at is null`, id))
}
