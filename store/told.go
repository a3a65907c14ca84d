package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// UnsignedCard is a card of a day that is over, with hours that nobody signed.
type UnsignedCard struct {
	Employment uuid.UUID `db:"employment_id"`
	Person     uuid.UUID `db:"person_id"`
	Unit       uuid.UUID `db:"unit_id"`
	UnitName   string    `db:"unit_name"`
	Zone       string
	Date       when.Date
}

// UnsignedCards lists those of a span, the oldest first.
func UnsignedCards(ctx context.Context, q Q, days when.Period) ([]UnsignedCard, error) {
	var found []UnsignedCard
	if err := q.SelectContext(ctx, &found, `
		select c.employment_id, e.person_id, e.unit_id, u.name as unit_name, s.zone, c.date
		from card c join employment e on e.id = c.employment_id join unit u on u.id = e.unit_id join site s on s.id = e.site_id
		where c.date between $1 and $2 and c.state = 'open' and not c.signed and c.worked > 0 and c.open_since is null
		order by c.date, c.employment_id`, days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read cards that nobody signed: %w", err)
	}
	return found, nil
}

// WaitingUnit is how much of a crew waits for somebody.
type WaitingUnit struct {
	Unit   uuid.UUID `db:"unit_id"`
	Signed int       // cards that are signed and not approved
	Claims int       // claims, and changes that are asked for
}

// WaitingByUnit counts what waits, by crew; of cards those up to a date.
func WaitingByUnit(ctx context.Context, q Q, until when.Date) ([]WaitingUnit, error) {
	var found []WaitingUnit
	if err := q.SelectContext(ctx, &found, `
		with waits as (
			select employment_id, 1 as signed, 0 as claims from card where state = 'signed' and date between $1::date - 60 and $1
			union all
			select employment_id, 0, 1 from claim c where not exists (select from claim_answer a where a.claim_id = c.id)
			union all
			select employment_id, 0, 1 from request r where not exists (select from request_answer a where a.request_id = r.id))
		select e.unit_id, sum(signed) as signed, sum(claims) as claims
		from waits w join employment e on e.id = w.employment_id group by e.unit_id`, until.String()); err != nil {
		return nil, fmt.Errorf("count what waits: %w", err)
	}
	return found, nil
}

// EndingTag is a tag of somebody who works here that ends soon.
type EndingTag struct {
	Person  uuid.UUID `db:"person_id"`
	Unit    uuid.UUID `db:"unit_id"`
	Name    string
	Tag     string
	Expires when.Date `db:"expires_on"`
}

// TagsEnding lists the tags whose last day is in a span.
func TagsEnding(ctx context.Context, q Q, days when.Period) ([]EndingTag, error) {
	var found []EndingTag
	if err := q.SelectContext(ctx, &found, `
		select distinct on (t.person_id, t.tag) t.person_id, e.unit_id, p.given_name || ' ' || p.family_name as name, t.tag, t.expires_on
		from person_tag t join person p on p.id = t.person_id join employment e on e.person_id = p.id
		where t.expires_on between $1 and $2 and coalesce(p.ended_on, 'infinity') > t.expires_on
		order by t.person_id, t.tag, e.starts_on desc`, days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read tags that end: %w", err)
	}
	return found, nil
}
